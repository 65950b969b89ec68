//! Seams through the real pages: what becomes of them, what they may get, the work through its gates, and the launch.

use crate::support::{Browser, Server, Visitor, keys, with_keys};

#[tokio::test(flavor = "multi_thread")]
async fn a_hull_planked_too_dry_is_told_to_buckle_and_one_at_service_moisture_holds() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    // Lady Teasel: nobody measured her seams or her moisture below.
    b.go("/boats/3/seams/all?now=8&below=28&above=16").await;
    b.find_text(".fate.presses", "planks buckle").await;
    b.find(".seam-fate.presses").await;
    b.find(".plank.pressed").await;
    b.find_text(".row-line", "because of hard filler").await;
    b.go("/boats/3/seams/all?now=16&below=16&above=16").await;
    b.find(".seam-fate.holds").await;
    let pressing = b.page.find_all(thirtyfour::By::Css(".seam-fate.presses")).await.unwrap().len();
    // Only where a feeler found hard filler may it still press.
    assert!(pressing <= 4, "{pressing} seams press at their service moisture");
    // A seam of the drawing leads to its own page.
    b.click("a[href='/boats/3/seams/line/p0'] .seam-text").await;
    b.find_text("h1", "Seam keel/P1").await;
    // Pennywort's laps slide; one was filled with hard putty once.
    b.go("/boats/2/seams/all?now=8&below=28").await;
    b.find_text(".seam-text.presses", "P2/P3 wedged").await;
    assert_eq!(b.page.find_all(thirtyfour::By::Css(".seam-fate.presses")).await.unwrap().len(), 1);
    b.go("/boats/3/seams/all?now=wet").await;
    b.find_text(".fault", "must be between").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_seam_is_walked_through_its_gates_and_what_is_forbidden_is_refused() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    b.go("/boats/1/seams/line/p10").await;
    b.choose("treatment", "rigid_adhesive").await;
    b.press(&b.find_text("button", "Decide").await).await;
    b.find_text(".fault", "not on this boat").await;
    b.choose("treatment", "cotton_compound").await;
    b.press(&b.find_text("button", "Decide").await).await;
    b.find_text("form[data-offline] button", "Tick it off").await;
    let tick = async || b.press(&b.find_text("form[data-offline] button", "Tick it off").await).await;
    tick().await;
    b.find_text(".steps li.done", "Reef out").await;
    tick().await;
    b.find_text(".fault", "no dust, old filler or oil").await;
    b.click("[name=clean]").await;
    tick().await;
    b.find_text(".steps li.done", "Scrape").await;
    b.fill("moisture", "19").await;
    tick().await;
    b.find_text(".fault", "19.0 % is too wet").await;
    b.fill("moisture", "14.5").await;
    tick().await;
    b.find_text(".steps li.done", "Prime the edges").await;
    b.choose("step", "caulk").await;
    tick().await;
    b.find_text(".steps li.done", "Drive the cotton").await;
    tick().await;
    b.find_text(".steps li.done", "Prime over").await;
    b.choose("step", "fill").await;
    b.fill("temperature", "18").await;
    tick().await;
    b.find_text(".steps li.done", "Fill from the bottom").await;
    b.choose("step", "flush").await;
    tick().await;
    // The demo's good sample board took three days.
    b.find_text(".fault", "still curing: 72 h more").await;
    b.press(&b.find_text("button", "Take back: fill").await).await;
    b.find_text("button", "Take back: prime over").await;
    b.go("/boats/1/story").await;
    assert!(b.text().await.contains("Seam P10/P11, taken back: fill from the bottom"));
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn half_the_seams_are_never_glued_and_only_a_dry_hull_is_glued_at_all() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let ways = "/boats/1/seams/all";
    visitor.get("/").await;
    let wet = [("school", "glued"), ("order", "keel_up")];
    let refused = visitor.send(ways, ways, &wet).await;
    assert!(refused.status == 422 && refused.text.contains("only in a hull that stays dry"));
    let dry = [wet[0], wet[1], ("stays_dry", "1")];
    assert_eq!(visitor.send(ways, ways, &dry).await.status, 303);
    let page = visitor.get("/boats/1/seams/line/s4").await.text;
    assert!(page.contains("every seam, not some"), "her school shows");
    let line = "/boats/1/seams/line/s4";
    let refused = visitor.send(line, line, &[("treatment", "splined_glue"), ("version", "0")]).await;
    assert!(refused.status == 422 && refused.text.contains("glue every seam, or none"), "two of hers are caulked");
    // On a hull where none is decided it goes, and a stale second hand does not.
    let (all, line) = ("/boats/3/seams/all", "/boats/3/seams/line/s4");
    assert_eq!(visitor.send(all, all, &dry).await.status, 303);
    let first = visitor.send(line, line, &[("treatment", "splined_glue"), ("cures_in", "1")]).await;
    assert_eq!(first.status, 303);
    let (csrf, once) = ("csrf", "once");
    let keys = visitor.get(line).await.text;
    let value = |name: &str| {
        let at = keys.find(&format!("name=\"{name}\" value=\"")).unwrap() + name.len() + 15;
        keys[at..].split('"').next().unwrap().to_owned()
    };
    let stale = [
        (csrf, value(csrf)),
        (once, format!("{}x", value(once))),
        ("treatment", "splined_glue".into()),
        ("version", "0".into()),
    ]
    .map(|(k, v)| (k.to_owned(), v));
    let refused = visitor.post(line, &stale).await;
    assert!(refused.status == 422 && refused.text.contains("somebody else decided on this seam"));
    let wrong =
        visitor.send(line, line, &[("treatment", "cotton_compound"), ("width", "900"), ("cures_in", "soon")]).await;
    assert!(
        wrong.status == 422 && wrong.text.contains("between 0.1 and 60 mm") && wrong.text.contains("must be a number")
    );
    for path in ["/boats/1/seams/line/p99", "/boats/1/seams/line/x", "/boats/1/seams/line/p-1"] {
        assert_eq!(visitor.get(path).await.status, 404, "{path}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_launch_has_its_days_and_how_she_takes_up_is_told_from_the_pumps() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let at = "/boats/3/seams/launch";
    let bad = [("on_day", "spring"), ("wet_days", "90"), ("pumps", "many")];
    let refused = visitor.send(at, at, &bad).await;
    assert_eq!(refused.status, 422);
    for fault in ["write a day as 2026-03-01", "between 0 and 60", "must be a number"] {
        assert!(refused.text.contains(fault), "{fault}");
    }
    let good = [("on_day", "2027-04-10"), ("wet_days", "5"), ("pumps", "2000")];
    assert_eq!(visitor.send(at, at, &good).await.status, 303);
    let page = visitor.get(at).await.text;
    assert!(page.contains("2027-04-05") && page.contains("2027-04-17"), "wetted before, tight within a week");
    let log = format!("{at}/log");
    for (hours, litres, course) in [
        ("1", "1100", "the pumps have no reserve"),
        ("12", "600", "taking up"),
        ("70", "90", "tight"),
        ("90", "150", "making more water than before"),
    ] {
        assert_eq!(visitor.send(at, &log, &[("hours", hours), ("litres", litres)]).await.status, 303);
        assert!(visitor.get(at).await.text.contains(&format!(">{course}</span>")), "{course}");
    }
    let refused = visitor.send(at, &log, &[("hours", "-1"), ("litres", "")]).await;
    assert_eq!(refused.status, 422);
    let ready = format!("{at}/ready");
    // The first of the list, as its own button sends it; pressed again it is taken back.
    assert_eq!(visitor.send(at, &ready, &[]).await.status, 303);
    assert_eq!(visitor.send(at, &ready, &[]).await.status, 303);
    let story = visitor.get("/boats/3/story").await.text;
    assert!(
        story.contains("For the launch: She was wetted") && story.contains("For the launch, not yet: She was wetted")
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_deck_is_told_its_bond_breaker_and_refuses_a_seam_too_wide() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = visitor.get("/boats/3/seams/deck").await.text;
    assert!(
        page.contains("deck planks on the grid")
            && page.contains("Bond breaker")
            && page.contains("cotton, low and tight")
    );
    // Where no deck is laid nothing is bought for a length that nobody gave.
    let none = visitor.get("/boats/2/seams/deck").await.text;
    assert!(
        none.contains("give the length of the seams") && !none.contains("To buy") && none.contains("Order of work")
    );
    assert!(visitor.get("/boats/2/seams/deck?length=12%20m").await.text.contains("To buy"));
    let glued = visitor.get("/boats/3/seams/deck?kind=panels&width=5&depth=5").await.text;
    assert!(glued.contains("nothing driven") && !glued.contains("Drive the cotton"));
    let wide = visitor.get("/boats/3/seams/deck?width=9").await;
    assert!(wide.status == 422 && wide.text.contains("must be between 4 and 6"));
    let deep = visitor.get("/boats/3/seams/deck?width=5&depth=9&length=20%20m").await;
    assert!(deep.status == 422 && deep.text.contains("must be between 5 and 7.5"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_sample_board_is_written_down_and_only_one_that_held_is_found_good() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let at = "/boats/1/seams/samples";
    let mut fields = [
        ("compound", "Polysulphide, lot <9>"),
        ("seam_width", "5"),
        ("laid_on", "soon"),
        ("hold", "soft"),
        ("cured_after", "-1"),
        ("good", "yes"),
    ];
    let refused = visitor.send(at, at, &fields).await;
    assert_eq!(refused.status, 422);
    for fault in ["write a day as 2026-03-01", "only a seam that held to both sides", "lot &#60;9&#62;"] {
        assert!(refused.text.contains(fault), "{fault}");
    }
    (fields[2].1, fields[4].1, fields[5].1) = ("2026-11-20", "", "");
    assert_eq!(visitor.send(at, at, &fields).await.status, 303);
    let judge = format!("{at}/3/judge");
    let bad = visitor.send(at, &judge, &[("hold", "tore"), ("cured_after", "2"), ("good", "yes")]).await;
    assert!(bad.status == 422 && bad.text.contains("id=\"gd-3\""), "the fault stands at that board");
    let good = [("hold", "held"), ("cured_after", "2.5"), ("good", "yes")];
    assert_eq!(visitor.send(at, &judge, &good).await.status, 303);
    let page = visitor.get(at).await.text;
    assert_eq!(page.matches("✓ goes on the boat").count(), 2, "the demo's and this one");
    assert!(page.contains("value=\"2.5\""));
    assert!(visitor.get("/boats/2/seams/samples").await.text.contains("No sample board"));
    assert_eq!(visitor.send(at, &format!("{at}/3/withdraw"), &[]).await.status, 303);
    assert!(!visitor.get(at).await.text.contains("lot &#60;9&#62;"));
    assert!(visitor.get("/boats/1/story").await.text.contains("set aside"));
}

#[tokio::test]
async fn which_way_the_rings_run_is_asked_where_it_decides_and_read_from_the_planks() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let asked = |rings: &str| format!("/boats/3/seams/all?now=10&below=18&above=18&ring_angle={rings}");
    let turned = "look how the rings run";
    let open = visitor.get(&asked("")).await.text;
    assert!(open.contains(turned) && open.contains("nobody looked which way the rings run"), "{open}");
    // Said for all of them, nothing hangs on it any more; flat-sawn wood moves more than quarter-sawn.
    let (flat, quartered) = (visitor.get(&asked("0")).await.text, visitor.get(&asked("90")).await.text);
    let buckle = |page: &str| page.matches("planks buckle").count();
    assert!(!flat.contains(turned) && !quartered.contains(turned));
    assert!(buckle(&flat) > buckle(&quartered), "{} and {}", buckle(&flat), buckle(&quartered));
    let refused = visitor.get(&asked("91")).await.text;
    assert!(refused.contains("must be between 0 and 90") && refused.contains("value=\"91\""));
    // What nobody measured or saw is said to be a rule, or supposed.
    assert!(open.contains("yard rule") && open.contains("supposed"));
    let line = visitor.get("/boats/3/seams/line/s6").await.text;
    assert!(line.contains("supposed: nobody looked") && line.contains(", yard rule"), "{line}");
    assert!(line.contains("by generated widths"), "{line}");
    for place in ["S6 F9", "S7 F9"] {
        let version = keys(&visitor.get("/boats/3/grid").await.text, "/boats/3/grid/width");
        let width = [("place", place), ("width", "120")];
        assert_eq!(visitor.post("/boats/3/grid/width", &with_keys(&version, &width)).await.status, 303, "{place}");
    }
    let measured = visitor.get("/boats/3/seams/line/s6").await.text;
    assert!(measured.contains("moves it<") && !measured.contains("by generated widths"), "{measured}");
}

#[tokio::test]
async fn hard_filler_is_told_on_its_seams_own_page_whatever_the_planks_do() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (page, hard) = ("/boats/3/readings/new?at=S8+F9", "Hard filler was found in it");
    let line = "/boats/3/seams/line/s7";
    assert!(!visitor.get(line).await.text.contains(hard));
    let feeler =
        [("method", "feeler"), ("seam_width", "2.8"), ("seam_depth", "6"), ("filler", "hard"), ("x", "0"), ("y", "0")];
    assert_eq!(visitor.send(page, "/boats/3/readings/new?at=S8%20F9", &feeler).await.status, 303);
    assert!(visitor.get(line).await.text.contains(hard));
    // Reefed out it is empty, and nothing is said of it any more.
    assert_eq!(visitor.send(line, line, &[("treatment", "cotton_compound")]).await.status, 303);
    assert!(visitor.get(line).await.text.contains(hard), "deciding takes nothing out");
    assert_eq!(visitor.send(line, &format!("{line}/step"), &[("step", "reef")]).await.status, 303);
    let reefed = visitor.get(line).await.text;
    assert!(!reefed.contains(hard) && reefed.contains("<dd>empty</dd>"), "{reefed}");
}

#[tokio::test]
async fn a_seam_that_is_done_asks_what_was_mended_by_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (line, step) = ("/boats/3/seams/line/s7", "/boats/3/seams/line/s7/step");
    let mended = format!("{line}/mended");
    let open = [
        ("kind", "open_seam"),
        ("method", "feeler"),
        ("seam_width", "3"),
        ("shape", "0, 2\n150, 2"),
        ("grade", "mend"),
    ];
    visitor.found(3, "S8 F9", &open).await;
    assert_eq!(visitor.send(line, line, &[("treatment", "cotton_compound"), ("cures_in", "0")]).await.status, 303);
    let steps: [(&str, &[(&str, &str)]); 6] = [
        ("reef", &[]),
        ("scrape", &[("clean", "1")]),
        ("prime", &[("moisture", "14")]),
        ("caulk", &[]),
        ("prime_over", &[]),
        ("fill", &[("temperature", "18")]),
    ];
    for (kind, said) in steps {
        let fields: Vec<(&str, &str)> = std::iter::once(("step", kind)).chain(said.iter().copied()).collect();
        let done = visitor.send(line, step, &fields).await;
        assert_eq!(done.status, 303, "{kind}: {}", done.text);
    }
    let page = visitor.get(line).await.text;
    assert!(!page.contains("/mended\""), "nothing is asked before all of it is done");
    let form = keys(&page, step);
    assert_eq!(visitor.send(line, step, &[("step", "flush")]).await.status, 303);
    let done = visitor.get(line).await.text;
    let id = done.split("/mended\"").nth(1).unwrap().split("name=\"f").nth(1).unwrap().split('"').next().unwrap();
    let found = format!("f{id}");
    assert!(done.contains("Open seam at S8 F9, Renew"), "{}", done.split("/mended\"").nth(1).unwrap());
    let none = visitor.send(line, &mended, &[]).await;
    assert!(none.status == 422 && none.text.contains("tick what is mended by it"), "{}", none.text);
    // The last step taken back meanwhile, it is not over.
    let end = keys(&done, &mended);
    assert_eq!(visitor.send(line, &format!("{line}/undo"), &[]).await.status, 303);
    let early = visitor.post(&mended, &with_keys(&end, &[(&found, "1")])).await;
    assert!(early.status == 422 && !early.text.contains("This seam is done"), "{}", early.status);
    assert_eq!(visitor.post(step, &with_keys(&form, &[("step", "flush")])).await.status, 303);
    assert_eq!(visitor.send(line, &mended, &[(&found, "1")]).await.status, 303);
    let over = visitor.get(line).await.text;
    assert!(over.contains("This seam is done") && !over.contains("/mended\""), "{over}");
    assert!(visitor.get("/boats/3/story").await.text.contains("The open seam at S8 F9: mended"));
    // Told twice it is told once.
    assert_eq!(visitor.post(&mended, &with_keys(&keys(&over, line), &[(&found, "1")])).await.status, 303);
}

#[tokio::test]
async fn without_a_reading_nothing_is_told_of_a_seam_but_what_would_tell_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = visitor.get("/boats/3/seams/all").await.text;
    assert!(page.contains("Not known for") && page.contains("nobody measured the moisture"), "{page}");
    assert!(!page.contains("No plank is told to buckle"), "nothing is promised of what nobody measured");
    let supposed = visitor.get("/boats/3/seams/all?now=8&below=28&above=16").await.text;
    assert!(supposed.contains("planks buckle") && supposed.contains("(supposed)"));
}
