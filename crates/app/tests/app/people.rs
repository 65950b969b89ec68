//! Who may do what: signing in, roles, tokens, headers.

use crate::support::{Answer, BOAT, CRACK, Server, Visitor, but};

pub async fn first_account(visitor: &Visitor) -> Answer {
    let fields = [("yard", "Mudlark Yard"), ("name", "Ada Brook"), ("login", "ada"), ("password", "a long enough one")];
    visitor.send("/first", "/first", &fields).await
}

#[tokio::test]
async fn nothing_is_shown_before_signing_in() {
    let server = Server::serve();
    let visitor = Visitor::new(&server);
    for path in [
        "/",
        "/boats",
        "/boats/1",
        "/boats/1/story",
        "/rack",
        "/bench",
        "/bench/scarf",
        "/practice",
        "/yard",
        "/boats/1/place?at=P1+F1",
        "/echo/length?text=3",
        "/photos/x",
    ] {
        let answer = visitor.get(path).await;
        assert_eq!((answer.status, answer.location.as_str()), (303, "/sign-in"), "{path}");
    }
    assert_eq!(visitor.post("/boats/new", &[]).await.location, "/sign-in");
}

#[tokio::test]
async fn the_first_start_makes_the_first_account_and_only_once() {
    let server = Server::serve();
    let visitor = Visitor::new(&server);
    assert_eq!(visitor.get("/sign-in").await.location, "/first");
    let weak = visitor
        .send("/first", "/first", &[("yard", "Mudlark Yard"), ("name", ""), ("login", "ada"), ("password", "short")])
        .await;
    assert_eq!(weak.status, 422);
    assert!(
        weak.text.contains("must have 10")
            && weak.text.contains("must not be empty")
            && weak.text.contains("Mudlark Yard")
    );
    assert_eq!(first_account(&visitor).await.location, "/");
    assert_eq!(visitor.get("/").await.status, 200);
    assert_eq!(Visitor::new(&server).get("/first").await.location, "/sign-in");
}

#[tokio::test]
async fn signing_in_needs_the_password_and_is_slowed_down() {
    let server = Server::serve();
    let own_device = Visitor::new(&server);
    first_account(&own_device).await;
    let visitor = Visitor::new(&server);
    for _ in 0..5 {
        let wrong = visitor.send("/sign-in", "/sign-in", &[("login", "ada"), ("password", "not this one")]).await;
        assert!(wrong.text.contains("do not belong together"));
    }
    let right_but_late =
        visitor.send("/sign-in", "/sign-in", &[("login", "ada"), ("password", "a long enough one")]).await;
    assert!(right_but_late.text.contains("too many tries; wait 1"), "{}", right_but_late.text);
    // A stranger's guesses keep nobody out of a device they signed in on before.
    let enters = own_device.send("/sign-in", "/sign-in", &[("login", "ada"), ("password", "a long enough one")]).await;
    assert_eq!(enters.location, "/", "{}", enters.text);
}

#[tokio::test]
async fn a_post_without_its_token_changes_nothing() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/boats").await;
    let fields: Vec<(String, String)> = BOAT.iter().map(|(k, v)| ((*k).into(), (*v).into())).collect();
    assert_eq!(visitor.post("/boats/new", &fields).await.status, 403);
    assert!(!visitor.get("/boats").await.text.contains("Test Plover"));
}

#[tokio::test]
async fn every_page_carries_the_policy_and_nothing_inline() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    for path in [
        "/",
        "/boats",
        "/boats/new",
        "/boats/1",
        "/boats/1?at=P5+F12",
        "/boats/1/survey",
        "/boats/1/decide",
        "/boats/1/shape",
        "/boats/1/timber",
        "/boats/1/fasten",
        "/boats/1/seams",
        "/boats/1/finish",
        "/boats/1/work",
        "/boats/1/story",
        "/boats/1/findings/1",
        "/boats/1/findings/new?at=P5+F12",
        "/rack",
        "/rack/new",
        "/rack/1",
        "/bench",
        "/bench/patch",
        "/bench/scarf",
        "/practice",
        "/yard",
        "/nowhere",
        "/boats/99",
    ] {
        let answer = visitor.get(path).await;
        assert!(answer.policy.contains("script-src 'self'") && !answer.policy.contains("unsafe"), "{path}");
        for inline in ["<script>", " style=\"", " onclick=", "javascript:", "<style"] {
            assert!(!answer.text.contains(inline), "{path} has {inline}");
        }
    }
}

#[tokio::test]
async fn a_guest_reads_one_boat_and_changes_nothing() {
    let server = Server::serve();
    let owner = Visitor::new(&server);
    first_account(&owner).await;
    for _ in 0..2 {
        assert_eq!(owner.send("/boats/new", "/boats/new", &BOAT).await.status, 303);
    }
    let guest = [
        ("name", "Owen Pell"),
        ("login", "owen"),
        ("password", "a guest's password"),
        ("role", "guest"),
        ("boat", "1"),
    ];
    assert_eq!(owner.send("/yard", "/yard/people", &guest).await.location, "/yard");
    let visitor = Visitor::new(&server);
    let entered = visitor.send("/sign-in", "/sign-in", &[("login", "owen"), ("password", "a guest's password")]).await;
    assert_eq!(entered.location, "/boats/1");
    assert_eq!(visitor.get("/boats/1").await.status, 200);
    assert_eq!(visitor.get("/boats/1/story").await.status, 200);
    for path in [
        "/boats/2",
        "/boats/2/story",
        "/boats",
        "/rack",
        "/yard",
        "/practice",
        "/boats/1/findings/new?at=P1+F2",
        "/bench",
    ] {
        assert_eq!(visitor.get(path).await.status, 403, "{path}");
    }
    // What a search finds is of that boat alone, whichever boat it asks for; people and stores are nobody's to a guest.
    let found = visitor.get("/search/as-typed?boat=2&q=test+plover").await.text;
    assert!(found.contains("class=\"hit\" href=\"/boats/1\"") && !found.contains("/boats/2"), "{found}");
    assert!(visitor.get("/search/as-typed?q=owen").await.text.contains("Nothing begins with"));
    assert!(owner.get("/search/as-typed?q=owen").await.text.contains("Owen Pell"));
    let token = owner.get("/boats/new").await.text;
    let stolen = crate::support::with_keys(&crate::support::keys(&token, "/boats/new"), &CRACK);
    assert_eq!(visitor.post("/boats/1/findings/new?at=P1+F2", &stolen).await.status, 403);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_handbook_is_read_searched_and_led_to_from_a_reason() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let contents = visitor.get("/handbook").await;
    assert!(contents.status == 200 && contents.text.contains("/handbook/04-repairs"));
    let chapter = visitor.get("/handbook/04-repairs").await;
    assert!(chapter.text.contains("id=\"graving.damage\"") && chapter.text.contains("<b class=\"value\">25 mm</b>"));
    let found = visitor.get("/handbook?q=stainless+oxygen").await.text;
    assert!(found.contains("/handbook/05-fastenings#metals.crevice"));
    assert!(visitor.get("/handbook?q=zzzz").await.text.contains("Nothing in the handbook has all of these words"));
    assert!(visitor.get("/handbook?q=%3Cscript%3E").await.text.contains("&#60;script&#62;"));
    assert_eq!(visitor.get("/handbook/99-moon").await.status, 404);
    let piece = visitor.get("/boats/1/pieces/1").await.text;
    assert!(piece.contains("href=\"/handbook/04-repairs#graving."), "a reason leads to its rule");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_limit_the_yard_set_itself_stands_in_the_handbook_beside_the_usual_one() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let rules = [
        ("crack_side", "6"),
        ("crack_tip", "40"),
        ("gouge", "6"),
        ("rot_along", "50"),
        ("rot_across", "25"),
        ("hole_clearance", "4"),
        ("end_slope", "3"),
        ("edge_land", "15"),
        ("proud", "2"),
        ("blank_margin", "6"),
        ("least_side", "15"),
        ("least_corner", "35"),
    ]
    .map(|(field, value)| (format!("g_{field}"), value));
    let form: Vec<(&str, &str)> = rules.iter().map(|(field, value)| (field.as_str(), *value)).collect();
    let kept = visitor.send("/practice", "/practice/graving", &form).await;
    assert_eq!(kept.status, 303, "{}", kept.text);
    assert!(visitor.get("/handbook/04-repairs").await.text.contains("40 mm (usual 25 mm)"));
}

#[tokio::test]
async fn people_change_roles_get_new_passwords_and_leave_and_the_yard_keeps_an_owner() {
    let server = Server::serve();
    let owner = Visitor::new(&server);
    first_account(&owner).await;
    owner.send("/boats/new", "/boats/new", &BOAT).await;
    let maud = [
        ("name", "Maud Okafor"),
        ("login", "maud"),
        ("password", "keel and garboard"),
        ("role", "shipwright"),
        ("boat", ""),
    ];
    assert_eq!(owner.send("/yard", "/yard/people", &maud).await.status, 303);
    let hers = Visitor::new(&server);
    let enter = |password: &'static str| [("login", "maud"), ("password", password)];
    assert_eq!(hers.send("/sign-in", "/sign-in", &enter("keel and garboard")).await.location, "/");

    // The last owner stays one.
    let refused = owner.send("/yard", "/yard/people/1/role", &[("role", "shipwright"), ("boat", "")]).await;
    assert!(refused.status == 422 && refused.text.contains("must keep an owner"), "{}", refused.text);
    let refused = owner.send("/yard", "/yard/people/1/remove", &[]).await;
    assert!(refused.status == 422 && refused.text.contains("must keep an owner"));

    // A guest needs a boat; as one she reads that boat and nothing else, at once.
    let nowhere = owner.send("/yard", "/yard/people/2/role", &[("role", "guest"), ("boat", "")]).await;
    assert!(nowhere.status == 422 && nowhere.text.contains("choose the boat this guest may read"));
    assert_eq!(owner.send("/yard", "/yard/people/2/role", &[("role", "guest"), ("boat", "1")]).await.status, 303);
    assert_eq!(hers.get("/rack").await.status, 403);
    assert_eq!(hers.get("/boats/1").await.status, 200);

    // A new password ends where she was signed in; only the owner gives it to somebody else.
    let short = owner.send("/yard", "/yard/people/2/password", &[("password", "short")]).await;
    assert!(short.status == 422 && short.text.contains("must have 10"));
    assert_eq!(owner.send("/yard", "/yard/people/2/password", &[("password", "another long one")]).await.status, 303);
    assert_eq!(hers.get("/boats/1").await.location, "/sign-in");
    assert_eq!(hers.send("/sign-in", "/sign-in", &enter("another long one")).await.location, "/boats/1");

    assert_eq!(owner.send("/yard", "/yard/people/2/remove", &[]).await.status, 303);
    assert_eq!(hers.get("/boats/1").await.location, "/sign-in");
    let gone = hers.send("/sign-in", "/sign-in", &enter("another long one")).await;
    assert!(gone.text.contains("do not belong together"));
    assert!(!owner.get("/yard").await.text.contains("Maud"));
    // Her login is free again, what she did stays told.
    assert_eq!(owner.send("/yard", "/yard/people", &maud).await.status, 303);
}

#[tokio::test]
async fn a_boats_papers_are_said_anew_and_one_that_left_comes_back_with_everything() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/1/papers";
    let papers = [
        ("name", "Brindle Wren II"),
        ("year", "1928"),
        ("owner", "R. Achterberg"),
        ("boat_use", "offshore"),
        ("school", "renew"),
        ("waterline_strake", "5"),
    ];
    let wrong = but(&papers, "waterline_strake", "99");
    let refused = visitor.send(page, page, &wrong).await;
    assert!(refused.status == 422 && refused.text.contains("R. Achterberg"), "what was typed stays");
    assert_eq!(visitor.send(page, page, &papers).await.location, page);
    let shown = visitor.get(page).await.text;
    assert!(shown.contains("value=\"Brindle Wren II\"") && shown.contains("value=\"1928\""));
    assert!(visitor.get("/boats/1/place?at=P6+F9").await.text.contains("above the waterline"));
    assert!(visitor.get("/boats/1/story").await.text.contains("Her papers: Brindle Wren II"));

    assert_eq!(visitor.send(page, "/boats/1/archive", &[]).await.location, "/boats");
    let boats = visitor.get("/boats").await.text;
    assert!(boats[boats.find("Left the yard").unwrap()..].contains("Brindle Wren II"));
    assert!(!visitor.get("/").await.text.contains("Brindle Wren II"), "she is on no list of work");
    assert_eq!(visitor.get("/boats/1/story").await.status, 200);
    assert_eq!(visitor.send(page, "/boats/1/archive", &[]).await.location, "/boats/1");
    assert!(visitor.get("/").await.text.contains("Brindle Wren II"));
}

#[tokio::test]
async fn a_foreign_name_is_not_answered_and_reading_without_a_cookie_keeps_nothing_on_the_server() {
    let server = Server::demo();
    let port = server.port();
    let client = reqwest::Client::new();
    let ask = async |host: &str| {
        let answer = client.get(format!("{}/boats/1", server.base)).header("Host", host).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    for host in ["rebound.example", "rebound.example:8000", "127.0.0.1.rebound.example", "keel.lan"] {
        let (status, text) = ask(host).await;
        assert_eq!(status, 421, "{host}");
        assert!(!text.contains("csrf"), "{host}");
    }
    for host in [format!("127.0.0.1:{port}"), format!("localhost:{port}"), "localhost".to_owned()] {
        assert_eq!(ask(&host).await.0, 200, "{host}");
    }
    // A form posted under a foreign name is not taken either.
    let posted =
        client.post(format!("{}/boats/new", server.base)).header("Host", "rebound.example").send().await.unwrap();
    assert_eq!(posted.status().as_u16(), 421);
}

/// Every link of a page that stays within the program.
fn links(html: &str) -> Vec<String> {
    let hrefs = html.split("href=\"").skip(1).filter_map(|rest| rest.split('"').next());
    let own = hrefs.filter(|h| h.starts_with('/') && !h.starts_with("/assets/") && !h.starts_with("/manifest"));
    own.map(|h| h.split('#').next().unwrap_or_default().replace("&amp;", "&")).collect()
}

#[tokio::test]
async fn a_guest_reads_all_of_the_boat_and_no_link_leads_anywhere_forbidden() {
    let server = Server::serve();
    let owner = Visitor::new(&server);
    first_account(&owner).await;
    for _ in 0..2 {
        owner.send("/boats/new", "/boats/new", &BOAT).await;
    }
    let finding = "/boats/1/findings/new?at=P5%20F9";
    assert_eq!(owner.send(finding, finding, &CRACK).await.status, 303);
    let other = "/boats/2/findings/new?at=P5%20F9";
    assert_eq!(owner.send(other, other, &CRACK).await.status, 303);
    let guest = [
        ("name", "Owen Pell"),
        ("login", "owen"),
        ("password", "a guest's password"),
        ("role", "guest"),
        ("boat", "1"),
    ];
    owner.send("/yard", "/yard/people", &guest).await;
    let visitor = Visitor::new(&server);
    visitor.send("/sign-in", "/sign-in", &[("login", "owen"), ("password", "a guest's password")]).await;

    let read = visitor.get("/boats/1/findings/1").await;
    assert_eq!(read.status, 200);
    assert!(read.text.contains("Grounding or blow") && !read.text.contains("<form method=\"post\" enctype"));
    assert_eq!(visitor.get("/boats/2/findings/2").await.status, 403);
    assert_eq!(visitor.get("/boats/1/findings/2").await.status, 404, "not by way of her own boat either");

    let (mut seen, mut waiting) = (std::collections::BTreeSet::new(), vec!["/boats/1".to_owned()]);
    let mut pages = 0;
    while let Some(path) = waiting.pop() {
        if !seen.insert(path.clone()) || pages > 160 {
            continue;
        }
        let answer = visitor.get(&path).await;
        assert!(matches!(answer.status, 200 | 303), "{path}: {}", answer.status);
        pages += 1;
        waiting.extend(links(&answer.text));
    }
    assert!(pages > 30, "only {pages} pages were reached");
}

#[tokio::test]
async fn a_guest_is_shown_neither_what_the_yard_has_nor_what_it_costs() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let boards = visitor.get("/rack").await.text;
    let tags: Vec<String> = boards
        .split("<a href=\"/rack/")
        .skip(1)
        .filter_map(|row| row.split_once('>')?.1.split_once('<'))
        .map(|(tag, _)| tag.to_owned())
        .filter(|tag| tag.contains('-'))
        .collect();
    assert!(tags.len() > 5, "{tags:?}");
    let options = visitor.get("/boats/1/parts/10/decide").await.text;
    assert!(options.contains(" EUR") && tags.iter().any(|tag| options.contains(tag)), "the yard itself sees both");
    server.sql("UPDATE account SET role = 'guest', guest_boat = 1 WHERE login = 'ines'").await;

    let (mut seen, mut waiting) = (std::collections::BTreeSet::new(), vec!["/boats/1".to_owned()]);
    for page in ["parts/10/decide", "timber", "story?of=decide", "story?of=wood", "decide", "work", "decide/years"] {
        waiting.push(format!("/boats/1/{page}"));
    }
    let own = ["EUR", "rarely over", "Hours, one time in two"];
    while let Some(path) = waiting.pop() {
        if seen.len() > 120 || !seen.insert(path.clone()) {
            continue;
        }
        let page = visitor.get(&path).await.text;
        let shown = own.iter().copied().chain(tags.iter().map(String::as_str)).find(|word| page.contains(word));
        assert!(shown.is_none(), "{path} shows {}: {}", shown.unwrap_or_default(), {
            let at = page.find(shown.unwrap_or_default()).unwrap_or_default();
            page.get(at.saturating_sub(200)..(at + 100).min(page.len())).unwrap_or_default()
        });
        waiting.extend(links(&page));
    }
    assert!(seen.len() > 60, "only {} pages were reached", seen.len());
}

#[tokio::test]
async fn an_invitation_is_used_once_and_sessions_are_listed_and_ended() {
    let server = Server::serve();
    let owner = Visitor::new(&server);
    first_account(&owner).await;
    let wrong =
        owner.send("/yard/people", "/yard/invites", &[("name", ""), ("role", "guest"), ("boat", ""), ("days", "900")]);
    let wrong = wrong.await;
    assert_eq!(wrong.status, 422);
    for says in ["must not be empty", "between 1 and 90", "choose the boat this guest may read"] {
        assert!(wrong.text.contains(says), "{says}");
    }
    let invite = async |name: &str| {
        let fields = [("name", name), ("role", "shipwright"), ("boat", ""), ("days", "7")];
        let made = owner.send("/yard/people", "/yard/invites", &fields).await;
        assert_eq!(made.status, 200, "{}", made.text);
        let at = made.text.find("/invited/").unwrap();
        made.text[at..].chars().take_while(|c| c.is_ascii_alphanumeric() || *c == '/').collect::<String>()
    };
    let address = invite("Nils Berg").await;
    assert!(!owner.get("/yard/people").await.text.contains(&address), "it is shown once");
    let guest = Visitor::new(&server);
    let page = guest.get(&address).await;
    assert!(page.status == 200 && page.text.contains("Nils Berg, you are invited as shipwright"));
    let come = async |who: &Visitor, login: &str, password: &str| {
        let fields = [("login", login), ("password", password)];
        let own: Vec<(String, String)> = fields.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
        who.post(&address, &own).await
    };
    let weak = come(&guest, "nils", "short").await;
    assert!(weak.status == 422 && weak.text.contains("must have 10") && weak.text.contains("value=\"nils\""));
    let taken = come(&guest, "ada", "a long enough one").await;
    assert!(taken.status == 422 && taken.text.contains("that login is taken"));
    let (one, other) = (Visitor::new(&server), Visitor::new(&server));
    let both = tokio::join!(come(&one, "nils", "a long enough one"), come(&other, "nils2", "a long enough one"));
    let mut statuses = [both.0.status, both.1.status];
    statuses.sort_unstable();
    assert_eq!(statuses, [303, 404], "it is used once, however many send it");
    assert_eq!(guest.get(&address).await.status, 404);
    // An invitation that was withdrawn is dead.
    let second = invite("Somebody Else").await;
    let page = owner.get("/yard/people").await.text;
    let action = page.split("action=\"").find(|a| a.contains("/withdraw\"")).unwrap().split('"').next().unwrap();
    assert_eq!(owner.send("/yard/people", action, &[]).await.status, 303);
    assert_eq!(guest.get(&second).await.status, 404);
    // Where he is signed in is listed with his device, and ended there.
    let inside = if both.0.status == 303 { &one } else { &other };
    assert_eq!(inside.get("/boats").await.status, 200);
    let stranger = Visitor::new(&server);
    let guess = stranger.send("/sign-in", "/sign-in", &[("login", "ada<b>"), ("password", "not this one")]).await;
    assert_eq!(guess.status, 422);
    let page = owner.get("/yard/people").await.text;
    assert!(page.contains("<b>Nils Berg</b>, something else, since"), "{page}");
    assert!(page.contains("ada&#60;b&#62;, something else: <b class=\"against-text\">▲ wrong password"), "{page}");
    let before = page.find("<b>Nils Berg</b>").unwrap();
    let action = page[before..].split("action=\"").nth(1).unwrap().split('"').next().unwrap();
    assert_eq!(owner.send("/yard/people", action, &[]).await.status, 303);
    assert_eq!(inside.get("/boats").await.location, "/sign-in", "he signs in anew");
    assert_eq!(owner.get("/boats").await.status, 200);
    assert_eq!(inside.get("/yard/people").await.location, "/sign-in");
}
