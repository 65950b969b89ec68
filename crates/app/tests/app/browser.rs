//! The main line of work through the real pages, by mouse, by keyboard, and on a phone.

use crate::support::{Browser, Server};

/// One boat through the whole job: received, surveyed, decided, shaped, cut, fastened, seamed, coated, worked, told.
#[tokio::test(flavor = "multi_thread")]
async fn one_boat_goes_through_the_whole_job() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;

    // 1. Boat and grid.
    b.go("/boats/new").await;
    for (name, value) in [
        ("name", "Sable Plover"),
        ("length", "7.2 m"),
        ("beam", "7' 6\""),
        ("depth", "1250"),
        ("plank_thickness", "22"),
    ] {
        b.fill(name, value).await;
    }
    // Nothing is preset that nobody said.
    b.choose("plank_species", "western_larch").await;
    b.choose("frame_species", "white_oak").await;
    b.click("form.sheet button[type=submit]").await;
    b.arrives("/boats/4").await;
    assert!(b.page.find_all(thirtyfour::By::Css("#map .plank")).await.unwrap().len() >= 24);

    // 2. Survey: a crack on port strake 5, found by address, drawn on the plank.
    b.fill("q", "P5 F9").await;
    b.click(".find button").await;
    b.find_text("#panel h2", "P5 F9").await;
    b.press(&b.find_text(".btn-mark", "crack").await).await;
    b.arrives("/findings/new").await;
    let plank = b.find("#plank").await;
    b.page
        .action_chain()
        .move_to_element_center(&plank)
        .click_and_hold()
        .move_by_offset(90, 4)
        .release()
        .perform()
        .await
        .unwrap();
    let shape = b.find("#f-shape").await.prop("value").await.unwrap().unwrap();
    assert_eq!(shape.lines().count(), 2, "a drag along a crack gives its two tips: {shape}");
    b.fill("depth", "3/8\"").await;
    b.click("input[name=grade][value=mend]").await;
    b.click("input[name=certainty][value=confirmed]").await;
    b.choose("method", "meter").await;
    b.fill("meter", "13").await;
    b.fill("wood_temperature", "15").await;
    b.choose("cause", "grounding").await;
    let photo = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/app/tiny.png");
    b.find("#f-photo").await.send_keys(photo).await.unwrap();
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text("#panel", "Crack, confirmed").await;
    b.find("#map .finding.mend.confirmed").await;

    // 3. Decide: the graving piece, with a reason; without one it is refused and the choice is kept.
    b.press(&b.find_text("#panel a", "Decide on this plank").await).await;
    b.find_text(".option", "Whole plank").await;
    b.click("input[name=option][value=graving]").await;
    b.press(&b.find_text("button", "Decide").await).await;
    b.find_text(".fault", "say why").await;
    assert!(b.find("input[name=option][value=graving]").await.is_selected().await.unwrap());
    b.fill("reason", "Small, dry, and the plank is good for another life.").await;
    b.press(&b.find_text("button", "Decide").await).await;
    b.arrives("/boats/4/shape").await;

    // 4. Shape: the drawing with its corners, and the check of butts.
    b.find_text("h2", "Shift of butts").await;
    b.press(&b.find_text("td a", "Graving piece").await).await;
    b.find_text("h2", "Corners").await;
    assert!(b.page.find_all(thirtyfour::By::Css(".corner")).await.unwrap().len() >= 4);

    // 5. Timber: the salvage goes back into the boat it came out of; a board is reserved, taken, its offcut back in the rack.
    b.press(&b.find_text("a", "Find a board").await).await;
    let first_fit = b.find(".fit").await.text().await.unwrap();
    assert!(first_fit.contains("L-01") && !first_fit.contains("salvage"), "{first_fit}");
    b.find_text(".rack-row.no[data-tag='L-03'] .rack-words", "came out of Brindle Wren, which is still here").await;
    b.press(&b.find_text(".fit button", "Reserve").await).await;
    b.find_text(".reserved", "L-01").await;
    b.press(&b.find_text("button", "Take from rack").await).await;
    b.arrives("/rack/").await;
    b.find_text("h2", "Its offcuts").await;
    b.find_text("li", "L-01/1").await;

    // 6. Fasten.
    b.go("/boats/4/fasten").await;
    assert!(b.text().await.contains("gauge 12"), "a 22 mm plank takes twelves");
    b.press(&b.find_text("button", "Keep this plan").await).await;
    b.find_text(".tag.done", "planned").await;

    // 7. Seams: what a working seam must not get is refused.
    b.go("/boats/4/seams").await;
    b.choose("treatment", "rigid_adhesive").await;
    b.press(&b.find_text("button", "Keep this treatment").await).await;
    b.find_text(".fault", "the planks buckle").await;
    b.choose("treatment", "cotton_compound").await;
    b.fill("length", "1.2 m").await;
    b.press(&b.find_text("button", "Keep this treatment").await).await;
    b.find_text(".tag.done", "Cotton").await;
    b.find_text("main", "2 cartridges of 310 ml with one in reserve").await;

    // 8. Finish.
    b.go("/boats/4/finish").await;
    b.fill("what", "the graving piece").await;
    b.fill("area", "0.4").await;
    b.press(&b.find_text("button", "Plan the coats").await).await;
    b.find_text("td", "Undercoat 2").await;
    b.press(&b.find_text("a", "Lay it").await).await;
    b.fill("temperature", "18").await;
    b.fill("humidity", "55").await;
    b.fill("wood", "12").await;
    b.press(&b.find("input[name=ready]").await).await;
    b.press(&b.find_text("button", "It is on").await).await;
    b.find_text(".state", "on").await;

    // 9. Work: a clock started and stopped, hours by hand, a task done.
    b.go("/boats/4/work").await;
    b.press(&b.find_text("button", "Start the clock").await).await;
    b.find(".task.running").await;
    b.press(&b.find_text("button", "Stop the clock").await).await;
    b.find_text("button", "Start the clock").await;
    b.fill("hours", "0,75").await;
    b.press(&b.find_text("button", "Book").await).await;
    b.find_text(".task", "booked 45 min").await;
    b.press(&b.find_text("button", "Done").await).await;
    b.find(".task.done").await;
    b.find_text("h2", "Planned against actual").await;

    // 10. Story: all of it, on the boat's line and on the plank's own.
    b.go("/boats/4/story").await;
    let told = b.text().await;
    for part in [
        "Received Sable Plover",
        "Found crack at P5 F9",
        "Decided on P5",
        "Reserved L-01",
        "Cut Graving piece",
        "Fastening planned",
        "Seams of P5",
        "Finish planned",
        "Laid primer 1 on",
        "45 min",
        "Every entry is chained",
    ] {
        assert!(told.contains(part), "the story does not tell “{part}”: {told}");
    }
    b.press(&b.find_text(".event-what a", "P5").await).await;
    let line = b.text().await;
    for part in ["Found crack", "Decided on", "Cut Graving piece", "45 min"] {
        assert!(line.contains(part), "the plank's own story does not tell “{part}”");
    }
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_map_is_walked_by_keyboard_and_a_letter_marks_a_finding() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/boats/1?at=P5+F12").await;
    let map = b.find("#map").await;
    map.focus().await.unwrap();
    use thirtyfour::Key;
    map.send_keys(Key::Right + "").await.unwrap();
    b.find_text("#panel h2", "P5 F13").await;
    map.send_keys(Key::Up + "").await.unwrap();
    b.find_text("#panel h2", "P6 F13").await;
    map.send_keys("[[[[[[[").await.unwrap();
    b.find_text("#panel h2", "P1 F13").await;
    map.send_keys(Key::Down + "").await.unwrap();
    b.find_text("#panel h2", "S1 F13").await;
    map.send_keys("r").await.unwrap();
    b.arrives("kind=rot").await;
    assert!(b.find("input[name=kind][value=rot]").await.is_selected().await.unwrap());
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_finding_is_entered_on_a_phone_with_a_tap() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    b.go("/boats/1/findings/new?at=S3+F10&kind=rot").await;
    let plank = b.find("#plank").await;
    b.page.action_chain().move_to_element_center(&plank).click().perform().await.unwrap();
    assert_eq!(b.find("#f-shape").await.prop("value").await.unwrap().unwrap().lines().count(), 4, "a tap gives a box");
    b.fill("depth", "6").await;
    b.choose("method", "spike").await;
    b.fill("spike", "5").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text("#panel", "Soft rot, suspected").await;
    b.find_text("#panel", "soft").await;
    let wide: bool = b
        .page
        .execute("return document.documentElement.scrollWidth > window.innerWidth", vec![])
        .await
        .unwrap()
        .convert()
        .unwrap();
    assert!(!wide, "the page is wider than the phone");
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_surface_is_kept_from_page_to_page() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/").await;
    b.open_menu().await;
    b.press(&b.find_text(".surface-pick button", "Bilge").await).await;
    b.find("html[data-surface=bilge]").await;
    b.go("/rack").await;
    b.find("html[data-surface=bilge] button[data-pick=bilge][aria-pressed=true]").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn no_serious_accessibility_fault_on_any_surface() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/").await;
    let mut faults: Vec<String> = Vec::new();
    for surface in ["floor", "daylight", "bilge"] {
        b.page.execute(&format!("document.cookie = 'surface={surface}; path=/'"), vec![]).await.unwrap();
        for path in [
            "/",
            "/boats/1?at=P5+F12",
            "/boats/1?surface=frames&layer=grade",
            "/boats/1?at=FR7P+1&layer=moisture",
            "/boats/1/crossing?at=P5+F12",
            "/boats/1/quick?at=P5+F12",
            "/boats/1/survey",
            "/boats/1/survey/coverage",
            "/boats/1/survey/sample",
            "/boats/1/survey/lines",
            "/boats/1/survey/causes",
            "/boats/1/survey/past",
            "/boats/1/survey/salvage",
            "/boats/1/survey/compare",
            "/boats/1/survey/files",
            "/boats/1/grid",
            "/boats/1/offsets",
            "/boats/1/members/3",
            "/boats/1/readings/new?at=P5+F12&method=feeler",
            "/boats/1/findings/1",
            "/boats/1/findings/new?at=P5+F12",
            "/boats/1/parts/9/decide",
            "/boats/1/together",
            "/boats/1/order",
            "/boats/1/frames/54",
            "/boats/1/pieces/1",
            "/boats/1/shapes/1",
            "/boats/1/shapes/new?way=batten",
            "/boats/1/shape",
            "/boats/1/seams",
            "/boats/1/story",
            "/rack",
            "/rack/1",
            "/rack/1/edit",
            "/rack/cut",
            "/rack/nest",
            "/rack/air",
            "/rack/buying",
            "/rack/files",
            "/boats/1/refasten",
            "/boats/1/refasten/1",
            "/boats/1/metals",
            "/boats/1/bolts",
            "/boats/1/seams/all",
            "/boats/1/grid-table",
            "/boats/3/finish/weather",
            "/search?boat=1&q=p5",
            "/boats/1/seams/samples",
            "/boats/1/seams/line/p12",
            "/boats/1/seams/deck",
            "/boats/1/seams/launch",
            "/bench/seam",
            "/boats/1/fasten",
            "/stores",
            "/stores/1",
            "/boats/1/timber",
            "/boats/new",
        ] {
            b.go(path).await;
            b.find("main").await;
            let found = b.axe().await.into_iter().map(|fault| format!("{path} on {surface}: {fault}"));
            faults.extend(found);
        }
    }
    assert!(faults.is_empty(), "{faults:#?}");
    b.close().await;
}
