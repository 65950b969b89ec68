//! Practice hulls through their pages: made from a word, asked at a price, marked like any boat, uncovered once; and nothing of the truth
//! before that.

use std::collections::BTreeSet;

use mend_keel_core::grid::Address;
use mend_keel_core::hidden::exercise::{Kind, exercise};
use mend_keel_core::hidden::{Level, Seed, Size, Truth, truth};
use mend_keel_core::survey::Grade;
use tempfile::TempDir;

use crate::support::{Browser, Server, Visitor, keys, with_keys};

fn practise() -> Server {
    Server::start("practise", TempDir::new().unwrap())
}

fn hidden(word: &str, level: Level) -> Truth {
    truth(&Seed::new(word, Size::Small, level).unwrap()).unwrap()
}

async fn make(visitor: &Visitor, word: &str, level: &str) -> String {
    let made = visitor.send("/hulls", "/hulls", &[("word", word), ("size", "small"), ("level", level)]).await;
    assert_eq!(made.status, 303, "{}", made.text);
    made.location
}

/// Asks as the page does: with the form's token, and no one-time key.
async fn ask(visitor: &Visitor, boat: &str, tool: &str, at: &str) -> crate::support::Answer {
    let page = visitor.get("/hulls").await.text;
    let csrf = page.split("name=\"csrf\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let fields = [("csrf", csrf.as_str()), ("tool", tool), ("at", at)].map(|(k, v)| (k.to_owned(), v.to_owned()));
    visitor.post(&format!("{boat}/ask"), &fields).await
}

/// A bay to be renewed.
fn rotten(truth: &Truth) -> Address {
    truth.cells().find(|c| truth.grade(*c) == Grade::Renew).expect("a bay to be renewed")
}

#[tokio::test]
async fn the_same_word_is_the_same_hull_for_two_people_and_every_look_is_paid_for() {
    let (one, two) = (practise(), practise());
    let (a, b) = (Visitor::new(&one), Visitor::new(&two));
    for visitor in [&a, &b] {
        visitor.get("/hulls").await;
        assert_eq!(make(visitor, "heron", "plain").await, "/boats/1/hull");
    }
    let mut told = Vec::new();
    for (tool, at) in [
        ("mallet", "P2 F5"),
        ("spike", "S2 F7"),
        ("meter", "S2 F7"),
        ("meter", "S2 F7"),
        ("gauge", "P1 F2"),
        ("feeler", "P2 F4"),
        ("open", "S2 F7"),
        ("eye", "P3 F8"),
    ] {
        let (x, y) = (ask(&a, "/boats/1", tool, at).await, ask(&b, "/boats/1", tool, at).await);
        assert_eq!((x.status, &x.text), (200, &y.text), "{tool} at {at}");
        told.push(x.text);
    }
    assert_ne!(told[2], told[3], "a second reading is not the first again");
    assert!(told[6].contains("soft to"), "{}", told[6]);
    let page = a.get("/boats/1/hull").await.text;
    // By hand: 1 + 2 + 2.5 + 2.5 + 15 + 2 + 40 + 0.5 minutes.
    assert!(page.contains("Looked for 1 h 06 min") || page.contains("Looked for 1 h 05 min"), "{page}");
    for (tool, at) in [("crystal ball", "P1 F1"), ("mallet", "P99 F1"), ("mallet", "FR2P 1"), ("mallet", "")] {
        let refused = ask(&a, "/boats/1", tool, at).await;
        assert!(matches!(refused.status, 404 | 409), "{tool} at {at}: {} {}", refused.status, refused.text);
    }
    for wrong in ["", "two words", "…"] {
        let refused = a.send("/hulls", "/hulls", &[("word", wrong), ("size", "small"), ("level", "plain")]).await;
        assert!(refused.status == 422 && refused.text.contains("must be one word of letters"), "{wrong}");
    }
}

#[tokio::test]
async fn nothing_of_the_truth_is_told_before_she_is_uncovered() {
    let server = practise();
    let visitor = Visitor::new(&server);
    visitor.get("/hulls").await;
    make(&visitor, "curlew", "sly").await;
    let truth = hidden("curlew", Level::Sly);
    // Every figure of the truth, to as many places as tells it from any other, and what is only said once she is uncovered.
    let mut secrets: Vec<String> =
        ["under a past repair", "hull-renew", "hull-mend", "In ten years"].map(str::to_owned).into();
    for s in &truth.soft {
        secrets.extend([s.at, s.half, s.depth, s.wet, s.up].map(|v| format!("{v:.3}")));
    }
    secrets.extend(truth.sick.iter().map(|s| format!("{:.3}", s.loss)));
    let (mut waiting, mut seen) = (vec!["/".to_owned(), "/boats/1".into(), "/boats/1/hull".into()], BTreeSet::new());
    while let Some(path) = waiting.pop() {
        if seen.len() > 90 || !seen.insert(path.clone()) {
            continue;
        }
        let answer = visitor.get(&path).await;
        for secret in &secrets {
            assert!(!answer.text.contains(secret), "{path} tells {secret}");
        }
        let links = answer.text.split("href=\"").skip(1).filter_map(|rest| rest.split('"').next());
        waiting.extend(links.filter(|h| h.starts_with("/boats/1") || *h == "/plan").map(|h| h.replace("&amp;", "&")));
    }
    assert!(seen.len() > 40, "only {} pages were looked at", seen.len());
    assert_eq!(visitor.send("/boats/1/hull", "/boats/1/hull/uncover", &[]).await.status, 303);
    let page = visitor.get("/boats/1/hull").await.text;
    assert!(page.contains("hull-renew") && page.contains("nobody looked here"), "{page}");
    // Uncovered is uncovered: she cannot be asked, and cannot be uncovered into anything else.
    let late = ask(&visitor, "/boats/1", "open", "P1 F1").await;
    assert!(late.status == 409 && late.text.contains("she is uncovered"), "{} {}", late.status, late.text);
}

/// Marks soft rot at a bay of the hull, on nothing but a look.
async fn condemn(visitor: &Visitor, boat: &str, at: &str) {
    let form = format!("{boat}/findings/new?at={}", at.replace(' ', "%20"));
    let finding = [
        ("kind", "rot"),
        ("grade", "renew"),
        ("certainty", "confirmed"),
        ("cause", "fresh_water"),
        ("method", "look"),
        ("sign", ""),
        ("shape", "40, 40"),
        ("depth", "12"),
        ("note", ""),
    ];
    let kept = visitor.send(&form, &form, &finding).await;
    assert_eq!(kept.status, 303, "{}", kept.text);
}

#[tokio::test]
async fn the_coach_tells_of_a_wrong_step_and_an_exam_does_not() {
    let server = practise();
    let visitor = Visitor::new(&server);
    visitor.get("/hulls").await;
    let with = async |with: &str| {
        let fields = [("word", "plover"), ("size", "small"), ("level", "plain"), ("with", with)];
        visitor.send("/hulls", "/hulls", &fields).await.location
    };
    let (coached, exam) = (with("coach").await, with("exam").await);
    let first = visitor.get(&coached).await.text;
    assert!(first.contains("What the coach says") && first.contains("Nothing so far"), "{first}");
    let says = "called bad, and nothing was asked there";
    for hull in [&coached, &exam] {
        condemn(&visitor, hull.trim_end_matches("/hull"), "P2 F5").await;
    }
    let told = visitor.get(&coached).await.text;
    assert!(told.contains(says) && told.contains(">P2 F5</a>"), "{told}");
    let silent = visitor.get(&exam).await.text;
    assert!(silent.contains("an exam") && !silent.contains("coach says") && !silent.contains(says), "{silent}");
    // Asked as it should have been, the wrong step is put right.
    ask(&visitor, coached.trim_end_matches("/hull"), "mallet", "P2 F5").await;
    assert!(visitor.get(&coached).await.text.contains("only sounds dull"));
    ask(&visitor, coached.trim_end_matches("/hull"), "spike", "P2 F5").await;
    let right = visitor.get(&coached).await.text;
    assert!(!right.contains("only sounds dull") && !right.contains(says), "{right}");
    let list = visitor.get("/hulls").await.text;
    assert!(list.contains("with the coach") && list.contains("as an exam"));

    // The same hull worked twice is held beside itself, once both are uncovered and not before.
    let uncover = async |hull: &str| visitor.send(hull, &format!("{hull}/uncover"), &[]).await.status;
    assert_eq!(uncover(&coached).await, 303);
    assert!(!visitor.get(&coached).await.text.contains("worked by others"));
    assert_eq!(uncover(&exam).await, 303);
    let both = visitor.get(&coached).await.text;
    assert!(both.contains("worked by others") && both.contains("<b>this one</b>"), "{both}");
    assert!(both.contains(&format!("href=\"{exam}\"")), "{both}");
    assert!(!both.contains("coach says"), "it is over");
}

#[tokio::test]
async fn drills_say_what_is_right_and_why_and_the_weakest_comes_next() {
    let server = practise();
    let visitor = Visitor::new(&server);
    visitor.get("/hulls").await;
    for (n, kind) in ["line", "butts", "fastening", "coat", "board", "choose", "out"].into_iter().enumerate() {
        let page = visitor.get("/hulls/drills").await.text;
        assert!(page.contains(&format!("name=\"kind\" value=\"{kind}\"")), "each kind once before any twice: {n}");
        let number = n.to_string();
        let none = [("kind", kind), ("n", number.as_str()), ("answer", "99")];
        assert_eq!(visitor.send("/hulls/drills", "/hulls/drills", &none).await.status, 422);
        let right = exercise(Kind::from_code(kind).unwrap(), "Learner", n as u32).unwrap().right;
        // Of the first two the wrong answer is given.
        let given = if n < 2 { usize::from(right == 0) } else { right }.to_string();
        let told =
            visitor.send("/hulls/drills", "/hulls/drills", &[("kind", kind), ("n", &number), ("answer", &given)]).await;
        assert_eq!(told.status, 200);
        let says = if n < 2 { "▲ Not" } else { "✓ Right" };
        assert!(told.text.contains(says) && told.text.contains("handbook"), "{kind}: {}", told.text);
    }
    let next = visitor.get("/hulls/drills").await.text;
    assert!(next.contains("name=\"kind\" value=\"line\""), "what went wrong comes again");
    assert!(next.contains("0 of 1") && next.contains("1 of 1"));
    // The form's own kind would stand before another one.
    let token = keys(&next, "/hulls/drills").into_iter().filter(|(name, _)| name == "csrf").collect::<Vec<_>>();
    let unknown = visitor.post("/hulls/drills", &with_keys(&token, &[("kind", "juggling"), ("answer", "0")])).await;
    assert_eq!(unknown.status, 404);
}

#[tokio::test]
async fn real_yards_have_no_practice_hulls_and_a_yards_folder_is_left_alone() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    for path in ["/hulls", "/boats/1/hull"] {
        let refused = visitor.get(path).await;
        assert!(refused.status == 409 && refused.text.contains("mend-keel practise"), "{path}: {}", refused.status);
    }
    assert!(!visitor.get("/").await.text.contains("href=\"/hulls\""));
    let folder = server.kill();
    let told = std::process::Command::new(env!("CARGO_BIN_EXE_mend-keel"))
        .args(["practise", "--port", "0", "--data"])
        .arg(folder.path())
        .output()
        .unwrap();
    let says = String::from_utf8_lossy(&told.stderr);
    assert!(!told.status.success() && says.contains("was not made by practise"), "{says}");
}

#[tokio::test]
async fn a_small_hull_is_worked_from_the_first_look_to_the_uncovered_map() {
    let server = practise();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/hulls").await;
    b.fill("word", "heron").await;
    b.press(&b.find_text("button", "Make her").await).await;
    b.arrives("/boats/1/hull").await;
    let at = rotten(&hidden("heron", Level::Plain));
    b.go(&format!("/boats/1/findings/new?at={}&kind=rot", at.to_string().replace(' ', "+"))).await;
    let plank = b.find("#plank").await;
    let drag = b.page.action_chain().move_to_element_center(&plank).click_and_hold().move_by_offset(60, 12);
    drag.release().perform().await.unwrap();
    b.choose("method", "spike").await;
    b.press(&b.find("[data-ask]").await).await;
    b.find_text("[data-told]", "mm in").await;
    let spike = b.find("[name=spike]").await.prop("value").await.unwrap().unwrap();
    let mm: f64 = spike.trim_end_matches(" mm").parse().unwrap();
    assert!(mm > 3.0, "a rotten bay is soft under the spike: {spike}");
    b.fill("depth", &spike).await;
    b.click("input[name=grade][value=renew]").await;
    b.click("input[name=certainty][value=confirmed]").await;
    b.choose("cause", "dissimilar_metals").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text("#panel", "confirmed").await;
    b.press(&b.find_text("#panel a", "Decide on this plank").await).await;
    b.click("input[name=option][value=whole_plank]").await;
    b.fill("reason", "Soft for most of its thickness.").await;
    b.press(&b.find_text("button", "Decide").await).await;
    b.arrives("/boats/1/shape").await;
    b.press(&b.find_text("nav a", "Uncover").await).await;
    b.find_text("dd", "1 times, 2 min").await;
    b.press(&b.find_text("button", "Uncover her").await).await;
    b.find_text("h2", "Uncovered").await;
    let marks = b.page.find_all(thirtyfour::By::Css(".hull-mark")).await.unwrap();
    let mut found = 0;
    for mark in &marks {
        found += usize::from(mark.text().await.unwrap() == "✓");
    }
    assert!(found >= 1 && marks.len() > found, "one was found, others were missed");
    let told = b.text().await;
    assert!(told.contains("comes again"), "its cause was named and not treated: {told}");
    assert!(b.axe().await.is_empty(), "{:?}", b.axe().await);
    b.close().await;
}
