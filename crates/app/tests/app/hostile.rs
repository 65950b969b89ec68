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
        ("shape", "-90000, 55\n170, 60", "this plank runs from"),
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
        async || visitor.get("/boats/1/survey").await.text.matches("<tr><td><a href=\"/boats/1?at=P5%20F12").count();
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
