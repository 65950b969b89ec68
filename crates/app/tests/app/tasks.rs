//! Tasks by hand and the card by which a piece is hung: changed, in two, in one, in another order, taken off; ticked step by step, with
//! and without signal.

use crate::support::{Browser, Server, Visitor, keys, with_keys};

const WORK: &str = "/boats/1/work";

async fn enter(server: &Server) -> Visitor {
    let visitor = Visitor::new(server);
    visitor.get("/").await;
    visitor
}

/// Addresses of the tasks of a job of Work, in their order, with what they are called.
async fn tasks(visitor: &Visitor, job: &str) -> Vec<(String, String)> {
    let page = visitor.get(WORK).await.text;
    let section = page.split("<section class=\"sheet\">").find(|s| s.contains(job)).expect(job).to_owned();
    let links = section.split("class=\"plain-link\" href=\"").skip(1);
    links
        .map(|l| {
            let (to, rest) = l.split_once("\">").unwrap();
            (to.to_owned(), rest.split('<').next().unwrap().to_owned())
        })
        .collect()
}

/// The field of a form as it stands.
fn value(page: &str, name: &str) -> String {
    let at = page.find(&format!("name=\"{name}\"")).unwrap_or_else(|| panic!("no field {name}"));
    let rest = &page[at..];
    rest[rest.find("value=\"").unwrap() + 7..].split('"').next().unwrap().to_owned()
}

const JOB: &str = "Frame 13, port";

#[tokio::test]
async fn a_task_is_changed_and_the_second_to_change_it_sees_both() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let (task, what) = tasks(&visitor, JOB).await.remove(1);
    let page = visitor.get(&task).await.text;
    assert!(page.contains(&what) && page.contains("Place in its job") && page.contains("one person"));
    let version = value(&page, "version");
    let told = |hours: &'static str| {
        [("what", "Strip it with the <scraper>"), ("amount", "1.5"), ("hours", hours), ("rarely", "3"), ("wait", "12")]
    };
    let change = format!("{task}/change");
    let sent = |fields: [(&'static str, &'static str); 5], version: String| {
        let keyed = with_keys(&keys(&page, &change), &fields);
        let others = keyed.into_iter().filter(|(f, _)| f != "version").collect::<Vec<_>>();
        [others, vec![("version".to_owned(), version)]].concat()
    };
    assert_eq!(visitor.post(&change, &sent(told("2"), version.clone())).await.status, 303);
    let now = visitor.get(&task).await.text;
    assert_eq!(
        (value(&now, "hours"), value(&now, "rarely"), value(&now, "wait")),
        ("2".into(), "3".into(), "12".into())
    );
    assert!(now.contains("Strip it with the &#60;scraper&#62;"));
    // Another phone still shows the first version.
    let stale =
        visitor.send(&task, &change, &[("version", &version), ("what", "Mine"), ("amount", "1"), ("hours", "9")]).await;
    assert_eq!(stale.status, 303, "the form of the page carries the version that is kept");
    let page = visitor.get(&task).await.text;
    let fields: Vec<(String, String)> =
        with_keys(&keys(&page, &change), &[("what", "Mine too"), ("amount", "1"), ("hours", "4")])
            .into_iter()
            .map(|(f, v)| if f == "version" { (f, version.clone()) } else { (f, v) })
            .collect();
    let both = visitor.post(&change, &fields).await;
    assert!(both.status == 409 && both.text.contains("Somebody else changed it meanwhile"), "{}", both.status);
    assert!(both.text.contains("Mine too") && both.text.contains(">9<"), "{}", both.text);
    // Nothing that cannot be is kept.
    for (field, wrong, says) in [
        ("what", "", "must not be empty"),
        ("amount", "0", "must be between"),
        ("hours", "lots", "number"),
        ("rarely", "0.5", "must not be less than the hours"),
        ("wait", "-1", "must be between"),
    ] {
        let mut fields: Vec<(&str, &str)> = told("2").to_vec();
        fields.iter_mut().filter(|(f, _)| *f == field).for_each(|(_, v)| *v = wrong);
        let page = visitor.send(&task, &change, &fields).await;
        assert!(page.status == 422 && page.text.contains(says), "{field}: {}", page.status);
    }
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains("Task changed: Strip it with the &#60;scraper&#62;"));
}

#[tokio::test]
async fn a_task_in_two_and_in_one_again_loses_no_hour() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let before = tasks(&visitor, JOB).await;
    let (task, what) = before[1].clone();
    let whole: f64 = value(&visitor.get(&task).await.text, "amount").parse().unwrap();
    assert_eq!(visitor.send(WORK, &format!("{task}/book"), &[("hours", "0.5"), ("kind", "work")]).await.status, 303);
    let split = format!("{task}/split");
    for wrong in ["0", "1000", "all of it", ""] {
        assert_eq!(visitor.send(&task, &split, &[("first", wrong)]).await.status, 422, "{wrong}");
    }
    let half = format!("{}", whole / 2.0);
    let fields = [("first", half.as_str()), ("what_first", "The heel"), ("what_rest", "The head")];
    assert_eq!(visitor.send(&task, &split, &fields).await.status, 303);
    let now = tasks(&visitor, JOB).await;
    assert_eq!(now.len(), before.len() + 1);
    assert_eq!((now[1].1.as_str(), now[2].1.as_str()), ("The heel", "The head"));
    assert_eq!(now[3].1, before[2].1, "what followed follows still");
    let first = visitor.get(&now[1].0).await.text;
    assert!(first.contains("30 min") && first.contains("In one with: The head"));
    // An hour on the other part, then both in one: an hour and a half.
    assert_eq!(
        visitor.send(WORK, &format!("{}/book", now[2].0), &[("hours", "1"), ("kind", "work")]).await.status,
        303
    );
    assert_eq!(visitor.send(&now[1].0, &format!("{}/join", now[1].0), &[]).await.status, 303);
    let again = tasks(&visitor, JOB).await;
    assert_eq!(again.len(), before.len());
    let joined = visitor.get(&again[1].0).await.text;
    assert!(joined.contains("1 h 30 min"), "{joined}");
    assert!((value(&joined, "amount").parse::<f64>().unwrap() - whole).abs() < 0.011);
    assert_eq!(visitor.get(&now[2].0).await.status, 404, "the second is no task any more");
    assert_ne!(what, "");
}

#[tokio::test]
async fn the_order_may_be_changed_against_a_rule_only_with_a_reason_and_own_tasks_come_between() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let all = tasks(&visitor, JOB).await;
    let at = |word: &str| all.iter().position(|t| t.1.starts_with(word)).unwrap_or_else(|| panic!("{word} in {all:?}"));
    let cut = all[at("Cut out")].0.clone();
    let shift = format!("{cut}/move");
    let silent = visitor.send(&cut, &shift, &[("to", "earlier")]).await;
    assert!(silent.status == 422 && silent.text.contains("Take the shape and make the pattern comes before Cut out"));
    let fields = [("to", "earlier"), ("why", "the shape was taken last year")];
    assert_eq!(visitor.send(&cut, &shift, &fields).await.status, 303);
    let now = tasks(&visitor, JOB).await;
    let place = now.iter().position(|t| t.0 == cut).unwrap();
    assert_eq!(place, at("Cut out") - 1);
    assert!(visitor.get("/boats/1/story").await.text.contains("because the shape was taken last year"));
    // A task of one's own after it.
    let after = format!("{cut}/after");
    let wrong = visitor.send(&cut, &after, &[("operation", "juggle"), ("what", "Look behind")]).await;
    assert_eq!(wrong.status, 422);
    let own = [("operation", "inspect"), ("what", "Look behind with a mirror"), ("amount", "1"), ("hours", "0.5")];
    let made = visitor.send(&cut, &after, &own).await;
    assert_eq!(made.status, 303, "{}", made.text);
    let now = tasks(&visitor, JOB).await;
    assert_eq!(now[place + 1].1, "Look behind with a mirror");
    assert!(visitor.get(&made.location).await.text.contains("by hand"));
    // It is not needed: with a reason, and only as long as nobody booked on it.
    let take_off = format!("{}/drop", made.location);
    assert_eq!(visitor.send(&made.location, &take_off, &[]).await.status, 422);
    assert_eq!(
        visitor.send(WORK, &format!("{}/book", made.location), &[("hours", "0.25"), ("kind", "work")]).await.status,
        303
    );
    let booked = visitor.send(&made.location, &take_off, &[("because", "seen already")]).await;
    assert!(booked.status == 422 && booked.text.contains("hours are booked on it"));
    let other = visitor.send(&cut, &after, &own).await.location;
    assert_eq!(visitor.send(&other, &format!("{other}/drop"), &[("because", "seen already")]).await.status, 303);
    assert_eq!(visitor.get(&other).await.status, 404);
}

#[tokio::test]
async fn several_tasks_are_done_at_once_in_their_order_or_none_is() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let all = tasks(&visitor, JOB).await;
    let field = |i: usize| format!("t{}", all[i].0.rsplit('/').next().unwrap());
    let (first, second, last) = (field(0), field(1), field(all.len() - 1));
    let done = async || visitor.get(WORK).await.text.matches("Open again").count();
    let before = done().await;
    let none = visitor.send(WORK, "/boats/1/tasks-at-once", &[]).await;
    assert!(none.status == 422 && none.text.contains("tick the tasks that are done"));
    let held = visitor.send(WORK, "/boats/1/tasks-at-once", &[(&first, "1"), (&last, "1")]).await;
    assert!(held.status == 422 && held.text.contains("It is not the turn of"), "{}", held.status);
    assert!(held.text.contains(&format!("name=\"{first}\" value=\"1\" checked")), "the ticks stay");
    assert_eq!(done().await, before, "none of them is done");
    assert_eq!(visitor.send(WORK, "/boats/1/tasks-at-once", &[(&first, "1"), (&second, "1")]).await.status, 303);
    assert_eq!(done().await, before + 2);
    let told = [(last.as_str(), "1"), ("why", "it was sealed at the mill")];
    assert_eq!(visitor.send(WORK, "/boats/1/tasks-at-once", &told).await.status, 303);
    assert!(visitor.get("/boats/1/story").await.text.contains("because it was sealed at the mill"));
}

#[tokio::test]
async fn hours_outlive_the_decision_they_were_booked_under() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let task = tasks(&visitor, JOB).await[1].0.clone();
    assert_eq!(visitor.send(WORK, &format!("{task}/book"), &[("hours", "3.25"), ("kind", "work")]).await.status, 303);
    assert_eq!(visitor.send(WORK, &format!("{}/start", tasks(&visitor, JOB).await[0].0), &[]).await.status, 303);
    let page = visitor.get(WORK).await.text;
    let part = page.split("href=\"/boats/1/planks/").find(|s| s.contains(JOB) && s.find(JOB) < s.find("</a>")).unwrap();
    let part: String = part.chars().take_while(char::is_ascii_digit).collect();
    let options = visitor.get(&format!("/boats/1/parts/{part}/decide")).await;
    let decide = format!("/boats/1/parts/{part}/decide");
    assert_eq!(options.status, 200);
    // Another of the options, against whatever speaks for the one in force.
    let was = value(&options.text, "was");
    let kinds: Vec<&str> =
        options.text.split("name=\"option\" value=\"").skip(1).map(|s| s.split('"').next().unwrap()).collect();
    let other = kinds.iter().find(|kind| **kind != "splice_end" && **kind != "leave").expect("another way");
    let fields =
        [("option", *other), ("reason", "seen again"), ("against", "the head is sound"), ("was", was.as_str())];
    let revised = visitor.send(&decide, &decide, &fields).await;
    assert_eq!(revised.status, 303, "{other} of {kinds:?}");
    let after = visitor.get(WORK).await.text;
    assert!(after.contains("Under decisions since revised") && after.contains("3 h 15 min"), "{after}");
    assert!(!after.contains("Stop the clock"), "the clock on what is no task any more was stopped, and booked");
}

const CARD: &str = "/boats/1/pieces/2/card";

#[tokio::test]
async fn a_card_holds_each_step_until_what_comes_before_is_ticked() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    assert!(visitor.get(WORK).await.text.contains(&format!("href=\"{CARD}\"")), "Work leads to it");
    let page = visitor.get(CARD).await.text;
    assert!(page.contains("safety clamp, loosely") && page.contains("heel × 2") && page.contains("Not cut yet"));
    assert!(page.contains("nobody read the temperature"), "the open time is not told without a temperature");
    let warm = visitor.get(&format!("{CARD}?temperature=17&adhesive=epoxy")).await.text;
    assert!(warm.contains("The glue stays open 31 min here"), "{warm}");
    assert!(visitor.get(&format!("{CARD}?temperature=900")).await.text.contains("must be between -10 and 45"));
    // Not before its turn.
    let locate = format!("{CARD}/locate");
    let early = visitor.send(CARD, &locate, &[]).await;
    assert!(early.status == 422 && early.text.contains("do that, or say why it is done all the same"));
    for step in ["behind", "scarfs", "dry_fit", "clamps", "tools", "people"] {
        assert_eq!(visitor.send(CARD, &format!("{CARD}/{step}"), &[]).await.status, 303, "{step}");
    }
    // Nobody read the temperature: that step itself stands against going on.
    assert_eq!(visitor.send(CARD, &format!("{CARD}/open"), &[]).await.status, 422);
    let read = [("temperature", "17"), ("adhesive", "epoxy")];
    assert_eq!(visitor.send(&format!("{CARD}?temperature=17"), &format!("{CARD}/open"), &read).await.status, 303);
    assert_eq!(visitor.send(CARD, &locate, &[("note", "<b>tight</b>")]).await.status, 303);
    let photo = image_bytes();
    let squeeze = format!("{CARD}/squeeze");
    let sent = visitor.send_photo(CARD, &squeeze, &[("note", "all along")], photo).await;
    assert_eq!(sent.status, 303, "{}", sent.text);
    let page = visitor.get(CARD).await.text;
    assert!(page.contains("&#60;b&#62;tight") && page.contains("class=\"thumb\""));
    let hash = page.split("/photos/").nth(1).unwrap().split(['"', '/']).next().unwrap().to_owned();
    assert_eq!(visitor.get(&format!("/photos/{hash}")).await.status, 200);
    // Taken back it asks for it again, and the story keeps both.
    assert_eq!(visitor.send(CARD, &locate, &[("undo", "1")]).await.status, 303);
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains("taken back: Safety clamp on") && story.contains("Squeeze-out shows"));
    let no_step = visitor.post(&format!("{CARD}/juggle"), &keys(&visitor.get(CARD).await.text, &locate)).await;
    assert_eq!(no_step.status, 404);
    assert_eq!(visitor.get("/boats/1/pieces/1/card").await.status, 404, "a graving piece is let in, not hung");
    assert_eq!(visitor.get("/boats/2/pieces/2/card").await.status, 404);
}

fn image_bytes() -> Vec<u8> {
    std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/app/tiny.png")).unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn two_phones_tick_and_clock_one_job_without_signal() {
    let server = Server::demo();
    let port = server.port();
    let mut phones = Vec::new();
    for _ in 0..2 {
        let b = Browser::open(&server, 390, 844).await;
        b.go("/boats/1").await;
        b.comes_true("document.body.dataset.putBy === '1'").await;
        phones.push(b);
    }
    let folder = server.kill();
    for (b, step) in phones.iter().zip(["behind", "dry_fit"]) {
        b.go(CARD).await;
        b.find_text("h2", "Clamps in their order").await;
        b.press(&b.find(&format!("#step-{step} .hang-tick .btn")).await).await;
        b.find_text("#waiting summary", "1 entr").await;
    }
    // A clock is started without signal on one of them.
    phones[0].go(WORK).await;
    phones[0].press(&phones[0].find_text("button", "Start the clock").await).await;
    phones[0].find_text("#waiting summary", "2 entries wait").await;

    let server = Server::start_at("demo", folder, &port);
    for b in &phones {
        b.page.execute("window.dispatchEvent(new Event('online'))", vec![]).await.unwrap();
        b.comes_true("document.getElementById('waiting').hidden").await;
    }
    let visitor = enter(&server).await;
    let card = visitor.get(CARD).await.text;
    assert!(card.contains(">2 of 16<"), "{card}");
    assert!(visitor.get(WORK).await.text.contains("Stop the clock"));
    let story = visitor.get("/boats/1/story").await.text;
    assert_eq!(story.matches("It was fitted dry").count(), 1, "once");
    for b in phones {
        assert_eq!(b.axe().await, Vec::<String>::new());
        b.close().await;
    }
}

#[tokio::test]
async fn an_opening_says_what_it_is_to_show_and_a_thing_to_be_drawn_whether_there_is_room() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let at = "/boats/1/openings";
    for (fields, field) in [
        (vec![], "what"),
        (vec![("what", "The ceiling")], "shows"),
        (vec![("what", "The rudder"), ("thing", "rudder")], "length"),
        (vec![("what", "The rudder"), ("thing", "rudder"), ("length", "0")], "length"),
        (vec![("what", "The rudder"), ("thing", "rudder"), ("length", "900"), ("room", "far")], "room"),
    ] {
        let told = visitor.send(at, at, &fields).await;
        assert!(told.status == 422 && told.text.contains(&format!("id=\"d-{field}\"")), "{field}");
    }
    let look = [("what", "The ceiling by frame 12"), ("shows", "the heels <11 to 13>"), ("decides", "splice or renew")];
    assert_eq!(visitor.send(at, at, &look).await.status, 303);
    let rudder = [("what", "Rudder off"), ("thing", "rudder"), ("length", "900 mm"), ("room", ""), ("weight", "")];
    assert_eq!(visitor.send(at, at, &rudder).await.status, 303);
    let page = visitor.get(at).await.text;
    assert!(page.contains("the heels &#60;11 to 13&#62;") && page.contains("nobody measured the room below: 1050 mm"));
    assert!(page.contains("its weight is not known"));
    // Opened: what was seen stays, and a second word is added to it.
    let start = page.find("/boats/1/openings/").unwrap();
    let seen: String = page[start..].chars().take_while(|c| *c != '"').collect();
    assert_eq!(visitor.send(at, &seen, &[("seen", "")]).await.status, 422);
    for word in ["soft at the heel of 12", "and of 13"] {
        assert_eq!(visitor.send(at, &seen, &[("seen", word)]).await.status, 303);
    }
    let page = visitor.get(at).await.text;
    assert!(page.contains("soft at the heel of 12; ") && page.contains("and of 13"));
    let away =
        page[page.find("<h2>To be opened").unwrap()..].split("action=\"").find(|s| s.contains("/withdraw\"")).unwrap();
    let away = away.split('"').next().unwrap().to_owned();
    let form = keys(&page, &away);
    for _ in 0..2 {
        assert_eq!(visitor.post(&away, &form).await.status, 303, "twice is once");
    }
    let page = visitor.get(at).await.text;
    assert!(!page.contains("Rudder off") && page.contains("Nothing is to be opened"));
    let story = visitor.get("/boats/1/story").await.text;
    assert!(
        story.contains("Opened: The ceiling by frame 12. soft at the heel") && story.contains("after all: Rudder off")
    );
}

#[tokio::test]
async fn a_planks_card_names_what_lies_behind_it_and_the_edge_that_springs() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let mark = "/boats/1/findings/new?at=P8%20F8";
    let rot = [
        ("kind", "rot"),
        ("method", "look"),
        ("grade", "renew"),
        ("certainty", "confirmed"),
        ("cause", "fresh_water"),
        ("depth", "20"),
        ("shape", "-500, 20\n900, 20\n900, 90\n-500, 90"),
    ];
    let marked = visitor.send(mark, mark, &rot).await;
    assert_eq!(marked.status, 303, "{}", marked.text);
    let place = visitor.get("/boats/1?at=P8+F8").await.text;
    let part: String = place.split("/parts/").nth(1).unwrap().chars().take_while(char::is_ascii_digit).collect();
    let decide = format!("/boats/1/parts/{part}/decide");
    let options = visitor.get(&decide).await.text;
    let was = value(&options, "was");
    let fields =
        [("option", "butt_piece"), ("reason", "a new length"), ("against", "no other board"), ("was", was.as_str())];
    assert_eq!(visitor.send(&decide, &decide, &fields).await.status, 303);
    let work = visitor.get(WORK).await.text;
    let before = &work[..work.find("Hang it step by step: Part plank with butts, P8").expect("its card")];
    let start = before.rfind("href=\"").unwrap() + 6;
    let card: String = before[start..].chars().take_while(|c| *c != '"').collect();
    let page = visitor.get(&card).await.text;
    // Frames 7 and 9 are being spliced: nothing is closed over them.
    for frame in ["Frame 7, port", "Frame 9, port"] {
        assert!(page.contains(&format!("behind it and not ready: {frame}: splice the end")), "{frame}");
    }
    let behind = format!("{card}/behind");
    let held = visitor.send(&card, &behind, &[]).await;
    assert!(held.status == 422 && held.text.contains("behind it and not ready"), "{}", held.status);
    let told = [("why", "they are in, and not ticked off yet")];
    assert_eq!(visitor.send(&card, &behind, &told).await.status, 303);
    assert!(visitor.get(&card).await.text.contains("All the same, because they are in, and not ticked off yet"));
    // Its shape was taken by nobody, but her table of offsets says how she leans.
    assert!(page.contains("cut to no shape that somebody took") && !page.contains("which edge springs is not known"));
    assert!(page.contains("butts") && page.contains("Butts tight before it is bent home"));
    // What is let in has no card, and a piece that is no more neither.
    let leave = [("option", "leave"), ("reason", "not this year"), ("against", "she is laid up"), ("was", "")];
    let was = value(&visitor.get(&decide).await.text, "was");
    let leave = leave.map(|(f, v)| (f, if f == "was" { was.as_str() } else { v }));
    assert_eq!(visitor.send(&decide, &decide, &leave).await.status, 303);
    assert_eq!(visitor.get(&card).await.status, 404);
}

/// The form at the end of a job whose part is called so; empty where none is asked.
fn ending(page: &str, part: &str) -> String {
    let section =
        page.split("<section").find(|s| s.contains(&format!(">{part}</a>"))).unwrap_or_else(|| panic!("{page}"));
    section.split_once("/mended\"").map_or(String::new(), |(before, rest)| {
        let from = before.rfind("action=\"").unwrap() + 8;
        format!("{}/mended {}", &before[from..], rest.split("</form>").next().unwrap())
    })
}

/// Ticks every task of the boat's work as done, against the hours that things take to cure.
async fn all_done(visitor: &Visitor, work: &str) {
    let page = visitor.get(work).await.text;
    let ticks: Vec<String> = page
        .split("name=\"t")
        .skip(1)
        .map(|rest| format!("t{}", rest.split('"').next().unwrap()))
        .filter(|name| name[1..].bytes().all(|b| b.is_ascii_digit()))
        .collect();
    assert!(!ticks.is_empty(), "{page}");
    let mut fields: Vec<(&str, &str)> = ticks.iter().map(|t| (t.as_str(), "1")).collect();
    fields.push(("why", "it cured over the week nobody wrote anything down"));
    let answer = visitor.send(work, &work.replace("/work", "/tasks-at-once"), &fields).await;
    assert_eq!(answer.status, 303, "{}", answer.text);
}

/// Addresses of the tasks of the job whose part is called so.
fn tasks_of(page: &str, part: &str) -> Vec<String> {
    let section = page.split("<section").find(|s| s.contains(&format!(">{part}</a>"))).expect("its job");
    let forms = section.split("action=\"").skip(1).filter_map(|r| r.split('"').next()?.strip_suffix("/done"));
    forms.map(str::to_owned).collect()
}

#[tokio::test]
async fn a_new_frame_is_told_to_be_in_and_the_boat_is_as_she_is_now() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let (work, frame) = ("/boats/2/work", "Frame 12, port");
    visitor.found(2, "FR12P 2", &[("kind", "broken"), ("shape", "20, 8"), ("depth", "6")]).await;
    visitor.found(2, "FR12P 1", &[("kind", "split"), ("shape", "0, 6\n60, 8"), ("depth", "4")]).await;
    let part = visitor.decided(2, frame, "steam").await;
    assert_eq!(ending(&visitor.get(work).await.text, frame), "", "nothing is done yet");
    all_done(&visitor, work).await;

    let asked = ending(&visitor.get(work).await.text, frame);
    assert!(asked.contains("Broken through at FR12P") && asked.contains("Split at FR12P"), "{asked}");
    assert!(asked.contains("no board of the rack was cut for it"), "{asked}");
    let action = asked.split(' ').next().unwrap().to_owned();
    let ids: Vec<&str> = asked.split("name=\"f").skip(1).map(|r| r.split('"').next().unwrap()).collect();
    assert_eq!(ids.len(), 2, "{asked}");
    // Opened again by somebody else, it is not over.
    let page = visitor.get(work).await.text;
    let form = keys(&page, &action);
    let task = tasks_of(&page, frame).pop().expect("a task that is done");
    let again = format!("{task}/done");
    assert_eq!(visitor.send(work, &again, &[("again", "1")]).await.status, 303);
    let early = visitor.post(&action, &with_keys(&form, &[(&format!("f{}", ids[0]), "1"), ("year", "2021")])).await;
    assert!(early.status == 422 && ending(&early.text, frame).is_empty(), "{}", early.text);
    all_done(&visitor, work).await;
    // Nothing ticked, and a year that is no year, are told there; what was typed stays.
    let refused = visitor.send(work, &action, &[("year", "2999")]).await;
    assert!(refused.status == 422 && refused.text.contains("tick what is mended by it"), "{}", refused.text);
    assert!(refused.text.contains("value=\"2999\"") && refused.text.contains("is-invalid"));
    assert!(!ending(&refused.text, frame).contains(" checked"), "nothing was ticked");
    let (one, other) = (format!("f{}", ids[0]), format!("f{}", ids[1]));
    let told = [(one.as_str(), "1"), (other.as_str(), "1"), ("year", "2021")];
    assert_eq!(visitor.send(work, &action, &told).await.status, 303);

    assert_eq!(ending(&visitor.get(work).await.text, frame), "");
    let here = visitor.get("/boats/2?at=FR12P%202").await.text;
    assert!(here.contains("renewed 2021"), "{here}");
    assert!(!visitor.get("/boats/2/decide").await.text.contains(frame), "it asks for nothing any more");
    let timber = visitor.get("/boats/2/timber").await.text;
    let cut = timber.split_once("<h2>Cut</h2>").expect("what is cut").1.split("</nav>").next().unwrap();
    assert!(cut.contains(frame), "it asks for no wood: {cut}");
    assert!(!timber.contains("<h2>Waiting for a board</h2>"), "{timber}");
    let life = visitor.get(&format!("/boats/2/planks/{part}")).await.text;
    for said in ["Found broken through", "Decided on", "new wood of 2021", "mended"] {
        assert!(life.contains(said), "{said}: {life}");
    }
}

#[tokio::test]
async fn a_piece_that_split_is_made_again_and_says_why() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let timber = "/boats/1/timber";
    let page = visitor.get(timber).await.text;
    let at = page.find("/reserve\"").expect("a piece that a board yields");
    let reserve = page[page[..at].rfind('"').unwrap() + 1..at + 8].to_owned();
    let piece = reserve.trim_end_matches("/reserve").to_owned();
    let board = page[at..].split_once("name=\"board\"").unwrap().1.split("value=\"").nth(1).unwrap();
    let board: String = board.chars().take_while(char::is_ascii_digit).collect();
    assert_eq!(visitor.send(timber, &reserve, &[("board", &board)]).await.status, 303);
    let timber = &format!("{timber}?piece={}", piece.rsplit('/').next().unwrap());
    let taken =
        visitor.send(timber, &format!("{piece}/take"), &[("unmeasured", "its edges are scribed on the boat")]).await;
    assert_eq!(taken.status, 303, "{}", taken.text);

    let spoiled = format!("{piece}/spoiled");
    let silent = visitor.send(timber, &spoiled, &[("spoiled", " ")]).await;
    assert!(silent.status == 422 && silent.text.matches("is-invalid").count() == 1, "{}", silent.text);
    assert!(silent.text.contains("say what went wrong"));
    assert_eq!(visitor.send(timber, &spoiled, &[("spoiled", "it split at the hood end")]).await.status, 303);
    let page = visitor.get(timber).await.text;
    assert!(page.contains(&reserve) && !page.contains(&spoiled), "it asks for a board once more: {page}");
    assert!(visitor.get("/boats/1/story").await.text.contains("spoiled, and made again: it split at the hood end"));
}

#[tokio::test]
async fn a_length_that_is_in_stands_on_the_grid_with_its_joints_and_its_year() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let work = "/boats/3/work";
    visitor.found(3, "P4 F20", &[("kind", "rot"), ("shape", "0, 20\n300, 20\n300, 90\n0, 90"), ("depth", "18")]).await;
    visitor.found(3, "P4 F20", &[("kind", "split"), ("shape", "20, 60\n90, 62"), ("depth", "4")]).await;
    let list = visitor.get("/boats/3/decide").await.text;
    let row = list.split("<tr").find(|row| row.contains("P4 F20")).expect("its row");
    let name = row.split_once("/decide\">").unwrap().1.split('<').next().unwrap().trim().to_owned();
    let part = visitor.decided(3, "P4 F20", "butt_piece").await;
    all_done(&visitor, work).await;
    let asked = ending(&visitor.get(work).await.text, &name);
    assert!(asked.contains("New wood of the year"), "a length of plank is a plank of its own: {asked}");
    let findings: Vec<String> =
        asked.split("name=\"f").skip(1).map(|r| format!("f{}", r.split('"').next().unwrap())).collect();
    let [rot, split] = &findings[..] else { panic!("{asked}") };
    let action = asked.split(' ').next().unwrap();
    let is_new = async |at: &str| visitor.get(&format!("/boats/3?at={at}")).await.text.contains("renewed 2024");
    assert!(!is_new("P4%20F20").await);
    let lengths = async || visitor.get("/boats/3/shape").await.text.matches(">P4, ").count();
    let before = lengths().await;
    let once = visitor.send(work, action, &[(rot, "1"), ("year", "2024")]).await;
    assert_eq!(once.status, 303, "{}", once.text);
    assert!(is_new("P4%20F20").await);
    let parted = lengths().await;
    assert!(parted > before, "its new joint makes planks of the old one");
    // What was not ticked is asked for still, and told later: her planks are parted by it no second time. The new wood has a
    // name of its own.
    let page = visitor.get(work).await.text;
    let name = page.split_once(&format!("/planks/{part}\">")).unwrap().1.split('<').next().unwrap();
    let rest = ending(&page, name);
    assert!(rest.contains(split) && !rest.contains(&format!("\"{rot}\"")), "{rest}");
    let twice = visitor.send(work, action, &[(split, "1"), ("year", "2024")]).await;
    assert_eq!(twice.status, 303, "{}", twice.text);
    assert_eq!((lengths().await, ending(&visitor.get(work).await.text, name).as_str()), (parted, ""));
    assert!(!is_new("P4%20F2").await, "the old wood stays as old as it is");
    let life = visitor.get(&format!("/boats/3/planks/{part}")).await.text;
    assert!(life.contains("new wood with joints of its own") && life.contains("new wood of 2024"), "{life}");
    // Her other pages read the new grid.
    for page in ["/boats/3", "/boats/3/shape", "/boats/3/decide", "/boats/3/seams", "/boats/3/fasten", "/boats/3/story"]
    {
        assert_eq!(visitor.get(page).await.status, 200, "{page}");
    }
}
