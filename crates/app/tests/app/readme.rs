//! The README's first quarter of an hour, read out of the README and done word for word.

use thirtyfour::prelude::*;

use crate::support::{Browser, Server};

const README: &str = include_str!("../../../../README.md");

/// A numbered step: its text on one line.
fn step(n: usize) -> String {
    let from = README.find("## A first quarter of an hour").unwrap();
    let section = &README[from..from + README[from..].find("## What it looks like").unwrap()];
    let start = section.find(&format!("\n{n}. ")).unwrap_or_else(|| panic!("the README has no step {n}"));
    let end = section.find(&format!("\n{}. ", n + 1)).unwrap_or(section.len());
    section[start..end].split_whitespace().collect::<Vec<_>>().join(" ")
}

/// What a step puts in bold, or in code.
fn marked(step: &str, mark: &str) -> Vec<String> {
    step.split(mark).skip(1).step_by(2).map(str::to_owned).collect()
}

fn bold(n: usize) -> Vec<String> {
    marked(&step(n), "**")
}

fn code(n: usize) -> Vec<String> {
    marked(&step(n), "`")
}

/// A link of the line of work.
async fn go_on(b: &Browser, label: &str) {
    b.press(&b.find_text(".main-line a", label).await).await;
    b.find("main h1").await;
}

#[test]
fn steps_of_the_readme_are_read_with_what_they_name() {
    assert_eq!(bold(1), ["Brindle Wren"]);
    assert!(code(1)[0].starts_with('P') && code(1)[0].contains(" F"), "{}", code(1)[0]);
    assert!(bold(2).contains(&"Quick entry".to_owned()) && bold(8) == ["Work", "Whole jobs", "Plan", "Story"]);
}

#[tokio::test(flavor = "multi_thread")]
async fn the_first_quarter_of_an_hour_runs_as_it_is_written() {
    let place = code(1)[0].clone();
    let strake = place.split(' ').next().unwrap();
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;

    // 1. Open her, walk the map, type an address, ask for the keys.
    b.go("/boats").await;
    b.press(&b.find_text("h2", &bold(1)[0]).await).await;
    b.arrives("/boats/1").await;
    b.comes_true("document.activeElement && document.activeElement.id === 'map'").await;
    let keys = |b: &Browser| b.page.action_chain();
    keys(&b).send_keys(Key::Right + Key::Up).perform().await.unwrap();
    b.find("#panel h2[data-place]").await;
    let find = b.find("#find").await;
    find.send_keys(code(1)[0].as_str()).await.unwrap();
    find.send_keys(Key::Enter + "").await.unwrap();
    b.find_text("#panel h2", &code(1)[0]).await;
    b.comes_true("document.activeElement && document.activeElement.id === 'map'").await;
    keys(&b).send_keys(code(1)[1].as_str()).perform().await.unwrap();
    b.comes_true("document.querySelector('.keys-help').open").await;

    // 2. The letter marks a crack: drawn, measured, looked at, marked; on the map it is dashed.
    keys(&b).send_keys(code(2)[0].as_str()).perform().await.unwrap();
    b.arrives("/findings/new?kind=crack").await;
    let plank = b.find("#plank").await;
    let drag = b.page.action_chain().move_to_element_center(&plank).click_and_hold();
    drag.move_by_offset(80, 3).release().perform().await.unwrap();
    b.fill("depth", &code(2)[1]).await;
    b.choose("method", "look").await;
    b.click("input[name=grade][value=mend]").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find("#map .finding.suspected").await;
    b.find_text("#panel", "Crack, suspected").await;
    for page in ["Quick entry"] {
        b.find_text("a", page).await;
    }
    b.find_text(".main-line a", "Survey").await;

    // 3. Decide on it: the graving piece, and why.
    b.press(&b.find_text("#panel a", &bold(3)[0]).await).await;
    b.click("input[name=option][value=graving]").await;
    b.fill("reason", "It is short and dry.").await;
    b.press(&b.find_text("form button", "Decide").await).await;
    b.arrives("/boats/1/shape").await;
    go_on(&b, "Decide").await;
    for label in &bold(3)[1..] {
        b.find_text("main a", label).await;
    }

    // 4. Shape: the corners, and the shape with one tick that was misread.
    go_on(&b, &bold(4)[0]).await;
    let named = step(4);
    let shape = named.split('*').nth(5).unwrap_or_default();
    b.press(&b.find_text("main a", &format!("Graving piece, {strake}")).await).await;
    b.find_text("h2", "Corners").await;
    b.find("#piece-corners, .corner").await;
    go_on(&b, &bold(4)[0]).await;
    b.press(&b.find_text("main a", shape).await).await;
    assert_eq!(b.page.find_all(By::Css("#suspects li")).await.unwrap().len(), 1, "one tick was misread");

    // 5. Timber: salvage first; the board taken; all pieces for the saw.
    go_on(&b, &bold(5)[0]).await;
    b.press(&b.find_text(".fit button", "Reserve").await).await;
    b.press(&b.find_text("button", "Take from rack").await).await;
    b.find_text("h2", "Its offcuts").await;
    b.go("/rack").await;
    let saw = bold(5)[1].clone();
    b.press(&b.find_text("nav a", saw.rsplit(' ').next().unwrap()).await).await;
    b.find_text("h1", "saw").await;

    // 6. Fasten, the seams with a treatment that is refused, and the coats.
    b.go("/boats/1").await;
    for label in ["Fasten", "Seams", "Finish"] {
        assert!(bold(6).contains(&label.to_owned()), "{label}");
        go_on(&b, label).await;
    }
    go_on(&b, "Seams").await;
    b.choose("treatment", "rigid_adhesive").await;
    b.press(&b.find_text("button", "Keep this treatment").await).await;
    b.find(".fault").await;

    // 7. and 8. The handbook, the tasks with a clock, and the story of all of it.
    b.open_menu().await;
    b.press(&b.find_text(".yard-nav a", &bold(7)[0]).await).await;
    b.find_text("h1", "andbook").await;
    b.go("/boats/1").await;
    go_on(&b, &bold(8)[0]).await;
    b.press(&b.find_text(".task button", "Start the clock").await).await;
    b.press(&b.find_text("button", "Stop the clock").await).await;
    b.press(&b.find_text("main nav a", &bold(8)[1]).await).await;
    b.find_text("h1", &bold(8)[1]).await;
    b.open_menu().await;
    b.press(&b.find_text(".yard-nav a", &bold(8)[2]).await).await;
    b.press(&b.find_text("button", "Plan the work").await).await;
    b.find_text("h2", "Done by").await;
    b.go("/boats/1").await;
    go_on(&b, &bold(8)[3]).await;
    let told = b.text().await;
    assert!(told.contains(&format!("Decided on {strake}")), "{told}");
    b.close().await;
}
