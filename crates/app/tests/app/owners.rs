//! Quotes and owners: given out in versions, answered part by part, by an address that shows one boat and dies when it is withdrawn.

use crate::support::{Answer, Browser, Server, Visitor, keys, with_keys};

const TERMS: [(&str, &str); 8] = [
    ("currency", "eur"),
    ("decimals", "2"),
    ("tax", "19"),
    ("on_materials", "10"),
    ("hour_open", "45"),
    ("hour_shape", "65.00"),
    ("hour_fix", "55"),
    ("hour_coat", "42,50"),
];

async fn send(visitor: &Visitor, page: &str, action: &str, fields: &[(&str, &str)]) -> Answer {
    let html = visitor.get(page).await.text;
    visitor.post(action, &with_keys(&keys(&html, action), fields)).await
}

/// A demo yard that said how it charges and gave out a quote of the first boat.
async fn quoted() -> (Server, Visitor) {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    assert_eq!(send(&visitor, "/yard/terms", "/yard/terms", &TERMS).await.status, 303);
    let given = send(&visitor, "/boats/1/quote", "/boats/1/quote", &[("note", "As spoken.")]).await;
    assert_eq!(given.status, 303, "{}", given.text);
    (server, visitor)
}

/// The address made for somebody.
async fn address(visitor: &Visitor, name: &str) -> String {
    let made = send(visitor, "/boats/1/owner", "/boats/1/owner/link", &[("name", name), ("days", "30")]).await;
    assert_eq!(made.status, 200, "{}", made.text);
    let at = made.text.find("/o/").expect("an address");
    made.text[at..].chars().take_while(|c| c.is_ascii_alphanumeric() || *c == '/').collect()
}

/// Decision ids of the parts a page asks a word for.
fn asked(page: &str) -> Vec<&str> {
    page.split("name=\"decision\" value=\"").skip(1).map(|rest| rest.split('"').next().unwrap()).collect()
}

#[tokio::test]
async fn nothing_is_quoted_before_the_yard_said_what_an_hour_costs_and_bad_terms_are_told_at_their_field() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = visitor.get("/boats/1/quote").await;
    assert!(page.status == 200 && page.text.contains("Nobody said what an hour costs of"), "{}", page.text);
    let refused = send(&visitor, "/boats/1/quote", "/boats/1/quote", &[("note", "kept words")]).await;
    assert!(
        refused.status == 422 && refused.text.contains("say first what an hour") && refused.text.contains("kept words")
    );
    for (field, value, says) in [
        ("currency", "EURO", "write its three letters"),
        ("decimals", "9", "must be between 0 and 3"),
        ("tax", "119", "must be between 0 and 100"),
        ("hour_fix", "1e3", "write an amount as 1234.50"),
        ("hour_fix", "12.345", "EUR has 2 decimals"),
        ("hour_coat", "-1", "must not be less than nothing"),
        ("hour_coat", "", "must not be empty"),
    ] {
        let fields: Vec<(&str, &str)> =
            TERMS.iter().map(|(name, kept)| (*name, if *name == field { value } else { *kept })).collect();
        let refused = send(&visitor, "/yard/terms", "/yard/terms", &fields).await;
        assert!(refused.status == 422 && refused.text.contains(says), "{field}: {}", refused.text);
        assert!(refused.text.contains("value=\"65.00\""), "what was typed stays");
    }
    assert_eq!(send(&visitor, "/yard/terms", "/yard/terms", &TERMS).await.status, 303);
    // The second to save is told, and changes nothing.
    let page = visitor.get("/yard/terms").await.text;
    let own = with_keys(&keys(&page, "/yard/terms"), &TERMS);
    assert_eq!(visitor.post("/yard/terms", &own).await.status, 303);
    let mut stale = own.clone();
    stale.iter_mut().filter(|(name, _)| name == "once").for_each(|(_, value)| value.push('2'));
    assert_eq!(visitor.post("/yard/terms", &stale).await.status, 409);
}

#[tokio::test]
async fn a_quote_stays_as_it_was_given_and_its_sums_are_those_of_its_lines() {
    let (server, visitor) = quoted().await;
    let page = visitor.get("/boats/1/quote?full=1").await.text;
    let amount = |text: &str| -> i64 {
        let digits: String = text.chars().filter(char::is_ascii_digit).collect();
        digits.parse().unwrap()
    };
    let lines: i64 = page
        .split("class=\"quote-part\"")
        .skip(1)
        .map(|part| amount(part.split("<b class=\"num\">").nth(1).unwrap().split(" – ").next().unwrap()))
        .sum();
    let sum = |label: &str| {
        let row = page.split(&format!("<td>{label}</td>")).nth(1).unwrap();
        amount(row.split("class=\"num\">").nth(1).unwrap().split("</td>").next().unwrap())
    };
    assert_eq!(sum("Before tax"), lines, "what stands on the lines is what is asked");
    assert_eq!(sum("Before tax") + sum("Tax, 19 %"), sum("With tax"));
    assert!(page.contains("if the soft rot suspected at P13 F11") && page.contains("Not in the sum"));
    assert!(page.contains("Waiting 3 years: at worst"));
    let first = visitor.get_bytes("/boats/1/quote/1/pdf").await;
    assert!(first.starts_with(b"%PDF"));
    // Dearer hours make another quote, and change none that was given.
    let dearer: Vec<(&str, &str)> =
        TERMS.iter().map(|(n, v)| (*n, if n.starts_with("hour") { "99" } else { *v })).collect();
    assert_eq!(send(&visitor, "/yard/terms", "/yard/terms", &dearer).await.status, 303);
    assert_eq!(send(&visitor, "/boats/1/quote", "/boats/1/quote", &[("note", "")]).await.status, 303);
    let both = visitor.get("/boats/1/quote").await.text;
    assert!(both.contains(">Quote 2</a>") && both.contains(">Quote 1</a>"));
    assert_eq!(visitor.get("/boats/1/quote/3/pdf").await.status, 404);
    assert_eq!(visitor.get("/boats/2/quote/1/pdf").await.status, 404);
    let csv = visitor.get("/boats/1/invoice.csv").await.text;
    assert!(csv.starts_with("part,what,hours,rate,net,tax,gross,currency") && csv.contains(",99.00,"), "{csv}");
    drop(server);
}

#[tokio::test]
async fn an_owner_authorises_one_part_refuses_another_and_sees_nothing_else() {
    let (server, visitor) = quoted().await;
    let address = address(&visitor, "Agnes Holm").await;
    assert!(!visitor.get("/boats/1/owner").await.text.contains(&address), "it is shown once");
    // He has no session and needs none.
    let owner = Visitor::new(&server);
    let page = owner.get(&address).await;
    assert_eq!(page.status, 200);
    for foreign in ["Pennywort", "Lady Teasel", "/rack", "/stores", "Tobias Renn", "href=\"/boats", "/work"] {
        assert!(!page.text.contains(foreign), "{foreign}");
    }
    let parts = asked(&page.text).iter().map(|p| (*p).to_owned()).collect::<Vec<_>>();
    assert!(parts.len() >= 3, "{parts:?}");
    let say = async |decision: &str, word: &str, why: &str, quote: &str| {
        let fields = [("quote", quote), ("decision", decision), ("word", word), ("why", why)];
        let own: Vec<(String, String)> = fields.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
        owner.post(&format!("{address}/word"), &own).await
    };
    assert_eq!(say(&parts[0], "authorised", "", "1").await.status, 303);
    let no = say(&parts[1], "refused", "", "1").await;
    assert!(no.status == 422 && no.text.contains("say why"), "{}", no.text);
    assert_eq!(say(&parts[1], "refused", "not this winter", "1").await.status, 303);
    assert_eq!(say(&parts[2], "gossip", "", "1").await.status, 422);
    assert_eq!(say("999999", "authorised", "", "1").await.status, 422);
    assert_eq!(say(&parts[2], "authorised", "", "7").await.status, 409, "a quote he did not see");
    let after = owner.get(&address).await.text;
    assert_eq!(asked(&after).len(), parts.len() - 2, "what he answered asks no more");
    assert!(after.contains("Do not do it (quote 1, Agnes Holm") && after.contains("not this winter"));
    // A wish stands on the decision it touches, and on Today until the yard has looked.
    let fields = [("words", "keep the odd <chock>"), ("kind", "wish"), ("part", "")];
    let own: Vec<(String, String)> = fields.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
    assert_eq!(owner.post(&format!("{address}/note"), &own).await.status, 303);
    let today = visitor.get("/").await.text;
    assert!(today.contains("Agnes Holm</a>: keep the odd &#60;chock&#62;"), "{today}");
    let decide = visitor.get("/boats/1/decide").await.text;
    let part = decide.split("/boats/1/parts/").nth(1).unwrap().split('/').next().unwrap();
    let options = visitor.get(&format!("/boats/1/parts/{part}/decide")).await.text;
    assert!(options.contains("The owner wishes: keep the odd &#60;chock&#62;"));
    let yard = visitor.get("/boats/1/owner").await.text;
    assert!(yard.contains("keep the odd"));
    assert!(!visitor.get("/").await.text.contains("keep the odd"), "it was looked at");
    let quote = visitor.get("/boats/1/quote").await.text;
    assert!(quote.contains("Do it (quote 1, Agnes Holm"), "{quote}");
    // Empty words, and a part of another boat, are told at their field.
    for wrong in [[("words", ""), ("part", "")], [("words", "kept"), ("part", "999999")]] {
        let own: Vec<(String, String)> = wrong.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
        assert_eq!(owner.post(&format!("{address}/note"), &own).await.status, 422);
    }
    // Photographs of his boat, and of no other.
    assert!(after.contains(&format!("src=\"{address}/photos/")));
    let hash = after.split("/photos/").nth(1).unwrap().split('"').next().unwrap();
    assert_eq!(owner.get(&format!("{address}/photos/{hash}")).await.status, 200);
    assert_eq!(owner.get(&format!("{address}/photos/{}", "0".repeat(64))).await.status, 404);
}

#[tokio::test]
async fn an_address_that_was_withdrawn_or_has_run_out_is_dead() {
    let (server, visitor) = quoted().await;
    let (first, second) = (address(&visitor, "Agnes Holm").await, address(&visitor, "Per Lund").await);
    let owner = Visitor::new(&server);
    for alive in [&first, &second] {
        assert_eq!(owner.get(alive).await.status, 200);
    }
    let page = visitor.get("/boats/1/owner").await.text;
    let action =
        page.split("action=\"").find(|a| a.contains("/withdraw\"")).unwrap().split('"').next().unwrap().to_owned();
    let fields = with_keys(&keys(&page, &action), &[]);
    assert_eq!(visitor.post(&action, &fields).await.status, 303);
    let mut twice = fields.clone();
    twice.iter_mut().filter(|(n, _)| n == "once").for_each(|(_, v)| v.push('x'));
    assert_eq!(visitor.post(&action, &twice).await.status, 303, "withdrawing twice is once");
    let dead = [owner.get(&first).await.status, owner.get(&second).await.status];
    assert!(dead == [404, 200] || dead == [200, 404], "one of them: {dead:?}");
    server.sql("UPDATE owner_link SET expires_at = '2020-01-01T00:00:00Z'").await;
    for gone in [&first, &second] {
        assert_eq!(owner.get(gone).await.status, 404);
        assert_eq!(owner.post(&format!("{gone}/note"), &[("words".into(), "x".into())]).await.status, 404);
        assert_eq!(owner.get(&format!("{gone}/dossier.pdf")).await.status, 404);
    }
    for none in ["/o/", "/o/0", &format!("/o/{}", "f".repeat(64)), "/o/%27%20OR%201=1"] {
        assert_eq!(owner.get(none).await.status, 404, "{none}");
    }
    let days = send(&visitor, "/boats/1/owner", "/boats/1/owner/link", &[("name", ""), ("days", "9000")]).await;
    assert!(days.status == 422 && days.text.contains("must not be empty") && days.text.contains("between 1 and 730"));
}

#[tokio::test]
async fn a_guest_speaks_for_himself_and_sees_no_quote_page_of_the_yards() {
    let (server, visitor) = quoted().await;
    server.sql("UPDATE account SET role = 'guest', guest_boat = 1 WHERE login = 'ines'").await;
    let page = visitor.get("/boats/1/owner").await;
    assert!(page.status == 200 && !page.text.contains("Make an address"));
    let html = page.text;
    let decision = asked(&html)[0].to_owned();
    let own =
        with_keys(&keys(&html, "/boats/1/owner/word"), &[("decision", &decision), ("word", "authorised"), ("why", "")]);
    assert_eq!(visitor.post("/boats/1/owner/word", &own).await.status, 303);
    assert!(visitor.get("/boats/1/owner").await.text.contains("Do it (quote 1, Ines Varga"));
    for path in ["/boats/1/quote", "/boats/1/quote/1/pdf", "/boats/1/invoice.csv", "/yard/terms", "/boats/2/owner"] {
        assert_eq!(visitor.get(path).await.status, 403, "{path}");
    }
    let link = visitor.post("/boats/1/owner/link", &with_keys(&own, &[("name", "x"), ("days", "3")])).await;
    assert_eq!(link.status, 403);
}

#[tokio::test]
async fn an_owner_gives_his_word_on_his_phone() {
    let (server, visitor) = quoted().await;
    let address = address(&visitor, "Agnes Holm").await;
    let browser = Browser::open(&server, 390, 844).await;
    browser.go(&address).await;
    browser.comes_true("document.documentElement.scrollWidth <= window.innerWidth").await;
    assert_eq!(browser.axe().await, Vec::<String>::new());
    let before = asked(&visitor.get(&address).await.text).len();
    let button = browser.find_text(".word-row button", "Do it").await;
    browser.press(&button).await;
    browser.comes_true("document.body.textContent.includes('Do it (quote 1, Agnes Holm')").await;
    assert_eq!(asked(&visitor.get(&address).await.text).len(), before - 1);
    browser.close().await;
}
