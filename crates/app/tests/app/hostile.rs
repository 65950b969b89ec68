//! What the pages must stand: nonsense, markup, huge input, two people at once, double taps.

use crate::support::{BOAT, CRACK, Server, Visitor, but, keys, with_keys};

const AT: &str = "/boats/1/findings/new?at=P5+F12";
const ACTION: &str = "/boats/1/findings/new?at=P5%20F12";

#[tokio::test]
async fn a_boat_of_nonsense_is_told_at_each_field_and_keeps_what_was_typed() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let fields = [
        ("name", ""),
        ("construction", "carvel_caulked"),
        ("year", "19x6"),
        ("boat_use", "coastal"),
        ("school", "conserve"),
        ("length", "-7 m"),
        ("beam", "wide"),
        ("depth", "0"),
        ("frames", "1e3"),
        ("strakes", "-2"),
        ("plank_thickness", "9999999"),
        ("plank_species", "balsa"),
        ("frame_species", "white_oak"),
    ];
    let answer = visitor.send("/boats/new", "/boats/new", &fields).await;
    assert_eq!(answer.status, 422);
    for (field, typed) in [("year", "19x6"), ("length", "-7 m"), ("beam", "wide"), ("frames", "1e3"), ("strakes", "-2")]
    {
        let at = answer.text.split(&format!("name=\"{field}\"")).nth(1).unwrap();
        let shown = &at[..at.find("</div>").unwrap()];
        assert!(shown.contains(&format!("value=\"{typed}\"")), "{field} lost what was typed");
        assert!(shown.contains("class=\"fault\"") || at.contains("class=\"fault\""), "{field} has no message");
    }
    assert!(answer.text.contains("must not be empty"));
}

#[tokio::test]
async fn markup_and_quotes_in_a_name_are_only_a_name() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let name = "<b onmouseover=x>Plover</b>'; DROP TABLE boat; --\"";
    let made = visitor.send("/boats/new", "/boats/new", &but(&BOAT, "name", name)).await;
    assert_eq!(made.status, 303);
    let map = visitor.get(&made.location).await.text;
    assert!(!map.contains("<b onmouseover") && map.contains("Plover"));
    assert!(visitor.get("/boats").await.text.contains("&#60;b onmouseover"));
    assert_eq!(visitor.get("/boats/1").await.status, 200, "the table is still there");
}

#[tokio::test]
async fn a_name_of_ten_thousand_characters_is_refused_at_its_field() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let long: &'static str = Box::leak("x".repeat(10_000).into_boxed_str());
    let answer = visitor.send("/boats/new", "/boats/new", &but(&BOAT, "name", long)).await;
    assert_eq!(answer.status, 422);
    assert!(answer.text.contains("must have no more than 120 characters") && answer.text.contains(long));
}

#[tokio::test]
async fn a_finding_off_the_plank_is_refused_and_a_frame_that_is_not_there_leads_back_to_the_map() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    for (field, value, told) in [
        ("shape", "30, 55\n170, 900", "mm wide there"),
        ("shape", "-90000, 55\n170, 60", "the part runs from"),
        ("shape", "30; DROP", "write a point as x, y"),
        ("shape", "", "mark at least one point"),
        ("depth", "-3", "more than 0"),
        ("depth", "0", "more than 0"),
        ("depth", "400", "thick"),
        ("depth", "deep", "cannot read"),
        ("kind", "barnacle", "choose one"),
        ("grade", "", "choose a grade"),
    ] {
        let answer = visitor.send(AT, ACTION, &but(&CRACK, field, value)).await;
        assert_eq!(answer.status, 422, "{field} = {value}");
        assert!(answer.text.contains(told), "{field} = {value} does not say “{told}”");
        assert!(field == "shape" || answer.text.contains("30, 55\n170, 60"), "{field}: the shape was lost");
    }
    for at in ["P5+F99", "P5+F0", "P99+F3", "X5", "P-1+F3", "%3Cscript%3E"] {
        let answer = visitor.get(&format!("/boats/1/findings/new?at={at}")).await;
        assert_eq!(answer.status, 303, "{at}");
        let map = visitor.get(&answer.location).await;
        assert_eq!(map.status, 200, "{at}");
        assert!(map.text.contains("is-invalid") && !map.text.contains("<script>alert"), "{at}");
    }
}

#[tokio::test]
async fn a_photo_too_large_or_none_is_told_at_its_field() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let huge = visitor.send_photo(AT, ACTION, &CRACK, vec![7; 50 * 1024 * 1024]).await;
    assert_eq!(huge.status, 422);
    assert!(huge.text.contains("must not be larger than 20 MB") && huge.text.contains("30, 55"));
    let none = visitor.send_photo(AT, ACTION, &CRACK, b"<svg onload=alert(1)>".to_vec()).await;
    assert_eq!(none.status, 422);
    assert!(none.text.contains("is not a picture"));
    let tiny_png = include_bytes!("tiny.png").to_vec();
    assert_eq!(visitor.send_photo(AT, ACTION, &CRACK, tiny_png).await.status, 303);
    assert!(visitor.get("/boats/1/survey").await.text.contains("/photos/"));
    assert_eq!(visitor.get("/photos/..%2f..%2fmend-keel.db").await.status, 404);
}

#[tokio::test]
async fn the_same_form_sent_twice_counts_once() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let count =
        async || visitor.get("/boats/1/survey").await.text.matches("<td><a href=\"/boats/1?at=P5%20F12").count();
    let before = count().await;
    let form = with_keys(&keys(&visitor.get(AT).await.text, ACTION), &CRACK);
    let (first, second) = tokio::join!(visitor.post(ACTION, &form), visitor.post(ACTION, &form));
    assert_eq!((first.status, second.status), (303, 303));
    assert_eq!(first.location, second.location);
    assert_eq!(visitor.post(ACTION, &form).await.status, 303);
    assert_eq!(count().await, before + 1);
}

#[tokio::test]
async fn the_second_to_save_a_finding_gets_both_versions() {
    let server = Server::demo();
    let (tobias, maud) = (Visitor::new(&server), Visitor::new(&server));
    let path = "/boats/1/findings/1";
    let seen_by_both = (tobias.get(path).await.text, maud.get(path).await.text);
    let deeper = with_keys(&keys(&seen_by_both.0, path), &but(&CRACK, "depth", "11"));
    let shallower = with_keys(&keys(&seen_by_both.1, path), &but(&CRACK, "depth", "4"));
    assert_eq!(tobias.post(path, &deeper).await.status, 303);
    let both = maud.post(path, &shallower).await;
    assert_eq!(both.status, 409);
    assert!(
        both.text.contains("Somebody else saved") && both.text.contains("11 mm") && both.text.contains("value=\"4\"")
    );
    // Hers can still be saved over his, from the page that shows both.
    let over = with_keys(&keys(&both.text, path), &but(&CRACK, "depth", "4"));
    assert_eq!(maud.post(path, &over).await.status, 303);
    assert!(maud.get("/boats/1/story").await.text.matches("Corrected crack at P5 F12").count() >= 2);
}

#[tokio::test]
async fn a_withdrawn_finding_can_be_put_back() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let gone = visitor.send("/boats/1/findings/1", "/boats/1/findings/1/withdraw", &[]).await;
    assert_eq!(gone.location, "/boats/1/survey?undo=1");
    assert!(!visitor.get("/boats/1/survey").await.text.contains("/boats/1/findings/1\""));
    visitor.send(&gone.location, "/boats/1/findings/1/withdraw", &[]).await;
    assert!(visitor.get("/boats/1/survey").await.text.contains("/boats/1/findings/1\""));
}

#[tokio::test]
async fn a_refused_seam_treatment_says_why() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    // Pennywort is lapstrake, and one of her laps is open.
    let page = visitor.get("/boats/2/seams").await.text;
    let action = page
        .split("action=\"")
        .map(|a| a.split('"').next().unwrap())
        .find(|a| a.starts_with("/boats/2/seams/"))
        .map(str::to_owned)
        .unwrap();
    let driven = visitor.send("/boats/2/seams", &action, &[("treatment", "cotton_compound")]).await;
    assert_eq!(driven.status, 422);
    assert!(driven.text.contains("wedges it open and strips the fastenings"));
    let wide =
        visitor.send("/boats/2/seams", &action, &[("treatment", "flexible_lap_adhesive"), ("width", "wide")]).await;
    assert!(wide.status == 422 && wide.text.contains("cannot read “wide”"));
    assert_eq!(visitor.send("/boats/2/seams", &action, &[("treatment", "flexible_lap_adhesive")]).await.status, 303);
}

#[tokio::test]
async fn a_bench_calculator_shows_the_cores_own_number() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let good =
        visitor.send("/bench/scarf", "/bench/scarf", &[("thickness", "1\""), ("width", "150"), ("ratio", "8")]).await;
    assert!(good.status == 200 && good.text.contains("203.2"));
    let bad =
        visitor.send("/bench/scarf", "/bench/scarf", &[("thickness", "-1"), ("width", "wide"), ("ratio", "8")]).await;
    assert_eq!(bad.status, 422);
    assert!(bad.text.contains("cannot read “wide”"));
}

/// Fields of a form, with what is typed into them.
type Fields = &'static [(&'static str, &'static str)];

/// Every thing that people edit without a version of its own: page, action, what one saves, what the other saves from the same page.
const EDITED: [(&str, &str, Fields, Fields); 8] = [
    (
        "/practice",
        "/practice",
        &[("name", "Mudlark Slip"), ("unit", "mm"), ("inch_denominator", "16"), ("stand_ins", "1")],
        &[("name", "Saltmeadow Yard"), ("unit", "in"), ("inch_denominator", "32"), ("stand_ins", "1")],
    ),
    (
        "/practice",
        "/practice/meter",
        &[("species", "white_oak"), ("points", "2")],
        &[("species", "white_oak"), ("points", "-3")],
    ),
    ("/boats/1/order", "/boats/1/order", &[("moulds", "1"), ("deck", "planks_first")], &[("deck", "covering_first")]),
    (
        "/boats/1/seams/all",
        "/boats/1/seams/all",
        &[("school", "soft"), ("order", "garboard_last"), ("stays_dry", "1")],
        &[("school", "soft"), ("order", "keel_up")],
    ),
    (
        "/boats/1/survey/causes",
        "/boats/1/survey/causes/fresh_water",
        &[("how", "The deck was sheathed.")],
        &[("how", "New coamings.")],
    ),
    (
        "/boats/1/findings/1",
        "/boats/1/findings/1/outcome",
        &[("outcome", "mended")],
        // The hidden field of the form that was shown says the same.
        &[("outcome", "mended")],
    ),
    (
        "/boats/1/timber",
        "wants",
        &[("quality", "clear"), ("needed_by", "2027-03-01")],
        &[("quality", "clear"), ("needed_by", "2027-05-09")],
    ),
    (
        "/boats/1/seams/samples",
        "judge",
        &[("hold", "held"), ("cured_after", "9"), ("good", "yes")],
        &[("hold", "let_go"), ("cured_after", "4"), ("good", "no")],
    ),
];

#[tokio::test]
async fn whoever_saves_second_sees_both_versions_and_loses_nothing() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    for (page, action, first, second) in EDITED {
        let html = visitor.get(page).await.text;
        // The first form of this kind on the page.
        let action = if action.starts_with('/') {
            action.to_owned()
        } else {
            let end = html.find(&format!("/{action}\"")).unwrap_or_else(|| panic!("no {action} on {page}: {html}"));
            let start = html[..end].rfind('"').unwrap() + 1;
            html[start..=end + action.len()].to_owned()
        };
        let keys = crate::support::keys(&html, &action);
        assert!(
            keys.iter().any(|(k, v)| k == "was" && v.len() == 16),
            "{action}: the form says with what it was shown"
        );
        let saved = visitor.send(page, &action, first).await;
        assert_eq!(saved.status, 303, "{action}: {}", saved.text);

        let late = visitor.post(&action, &crate::support::with_keys(&keys, second)).await;
        assert_eq!(late.status, 409, "{action}: {}", late.text);
        assert!(late.text.contains("was changed meanwhile") && late.text.contains("<th>Yours</th>"), "{action}");
        for (field, typed) in second {
            let kept = format!("name=\"{field}\" value=\"{typed}\"");
            assert!(late.text.contains(&kept), "{action}: {field} is not lost: {}", late.text);
        }
        // Theirs stands until mine is saved over it, knowingly.
        let over = visitor.post(&action, &crate::support::keys(&late.text, &action)).await;
        assert_eq!(over.status, 303, "{action}: {}", over.text);
    }
}

#[tokio::test]
async fn the_second_to_decide_on_a_part_sees_what_the_first_decided() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/1/findings/new?at=P9%20F10";
    let found = [
        ("kind", "gouge"),
        ("method", "look"),
        ("grade", "mend"),
        ("certainty", "confirmed"),
        ("cause", "grounding"),
        ("depth", "6"),
        ("shape", "20, 40\n90, 40\n90, 70\n20, 70"),
    ];
    let finding = visitor.send(page, page, &found).await.location;
    let html = visitor.get(&finding).await.text;
    let start = html.find("\"/boats/1/parts/").unwrap() + 1;
    let path = html[start..start + html[start..].find('"').unwrap()].to_owned();
    let keys = crate::support::keys(&visitor.get(&path).await.text, &path);
    let graving = [("option", "graving"), ("reason", "It is small.")];
    assert_eq!(visitor.send(&path, &path, &graving).await.status, 303);
    let late = [("option", "leave"), ("reason", "No time this winter.")];
    let late = visitor.post(&path, &crate::support::with_keys(&keys, &late)).await;
    assert_eq!(late.status, 409, "{}", late.text);
    assert!(late.text.contains("It is small.") && late.text.contains("No time this winter."), "{}", late.text);
    assert!(late.text.contains("<td class=\"pre\">Graving piece</td>"), "{}", late.text);
}

#[tokio::test]
async fn limits_changed_by_two_show_both_and_what_is_withdrawn_twice_is_withdrawn_once() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let html = visitor.get("/practice").await.text;
    let fields = |value: &'static str| {
        let at = html.find("action=\"/practice/prices\"").unwrap();
        let form = &html[at..at + html[at..].find("</form>").unwrap()];
        let mut all: Vec<(String, String)> = form
            .split("name=\"p_")
            .skip(1)
            .map(|part| {
                let name = format!("p_{}", &part[..part.find('"').unwrap()]);
                let shown = part.split("value=\"").nth(1).unwrap();
                (name, shown[..shown.find('"').unwrap()].to_owned())
            })
            .collect();
        all[0].1 = value.to_owned();
        all
    };
    let keys = crate::support::keys(&html, "/practice/prices");
    let with = |value: &'static str| keys.iter().cloned().chain(fields(value)).collect::<Vec<_>>();
    assert_eq!(visitor.post("/practice/prices", &with("1234")).await.status, 303);
    // From the same page, by somebody else: with a one-time key of their own.
    let second: Vec<(String, String)> =
        with("2345").into_iter().map(|(k, v)| if k == "once" { (k, format!("{v}b")) } else { (k, v) }).collect();
    let late = visitor.post("/practice/prices", &second).await;
    assert_eq!(late.status, 409);
    assert!(late.text.contains("<td class=\"pre\">1234</td>") && late.text.contains("2345"), "{}", late.text);
    let over = visitor.post("/practice/prices", &crate::support::keys(&late.text, "/practice/prices")).await;
    assert_eq!(over.status, 303, "{}", over.text);
    assert!(visitor.get("/practice").await.text.contains("value=\"2345\""));

    let page = "/boats/1/findings/1";
    let action = "/boats/1/findings/1/withdraw";
    let keys = crate::support::keys(&visitor.get(page).await.text, action);
    for n in 0..2 {
        let own: Vec<(String, String)> =
            keys.iter().cloned().map(|(k, v)| if k == "once" { (k, format!("{v}{n}")) } else { (k, v) }).collect();
        assert_eq!(visitor.post(action, &own).await.status, 303);
    }
    let story = visitor.get("/boats/1/story").await.text;
    assert_eq!(story.matches("Withdrew the").count(), 1, "told once");
}
