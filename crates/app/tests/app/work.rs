//! The plan of work through its pages: made, moved, drifted; hours done over, and clocks that were forgotten.

use crate::support::{Server, Visitor, keys, with_keys};

const HOURS: [(&str, &str); 10] = [
    ("day0", "1"),
    ("day1", "1"),
    ("day2", "1"),
    ("day3", "1"),
    ("day4", "1"),
    ("from", "8"),
    ("to", "17"),
    ("people", "2"),
    ("clamps", "2"),
    ("steam", "1"),
];

async fn hours(visitor: &Visitor, changed: (&str, &str)) -> crate::support::Answer {
    let page = visitor.get("/plan").await.text;
    let at = page.find("name=\"version\" value=\"").expect("the form of the hours") + 22;
    let version: String = page[at..].chars().take_while(char::is_ascii_digit).collect();
    let mut fields = vec![("version", version.as_str())];
    fields.extend(HOURS.iter().map(|(f, v)| if *f == changed.0 { changed } else { (*f, *v) }));
    visitor.send("/plan", "/plan/hours", &fields).await
}

async fn plan(visitor: &Visitor) -> crate::support::Answer {
    visitor.send("/plan", "/plan", &[]).await
}

#[tokio::test]
async fn the_work_of_all_boats_is_planned_kept_and_planned_again() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    assert!(visitor.get("/plan").await.text.contains("Nothing is planned yet"));
    assert_eq!(hours(&visitor, ("", "")).await.status, 303);
    assert_eq!(plan(&visitor).await.status, 303);
    let made = visitor.get("/plan").await.text;
    assert!(made.contains("Done by ") && made.contains("as likely as not by") && made.contains("class=\"gantt\""));
    assert!(made.contains("One more pair of hands gains"));
    assert!(!made.contains("are not in this plan"));
    let people = visitor.get("/plan?by=people").await.text;
    assert!(people.contains("Ines Varga") && people.contains("class=\"bar work"));
    let calendar = visitor.get("/plan.ics").await.text;
    assert!(calendar.contains("BEGIN:VEVENT") && calendar.contains("Cut out to the lines"), "{calendar}");
    let table = visitor.get("/plan.csv").await.text;
    assert!(table.starts_with("from,to,boat,part,what,who,gear\n") && table.contains("Clamp set"));
    // Everything three days later, because the first task may not begin before: it says what moved.
    let at = made.find("/plan/tasks/").expect("a task can be set to a day");
    let action: String = made[at..].chars().take_while(|c| *c != '"').collect();
    let field = format!("day_of_{}", action.split('/').nth(4).unwrap());
    let day = jiff::Timestamp::now()
        .to_zoned_datetime(jiff::tz::TimeZone::system())
        .date()
        .saturating_add(jiff::ToSpan::days(9))
        .to_string();
    let wrong = visitor.send("/plan", &action, &[(&field, "next week")]).await;
    assert!(wrong.status == 422 && wrong.text.contains("write a day as 2026-03-01"));
    assert_eq!(visitor.send("/plan", &action, &[(&field, &day)]).await.status, 303);
    assert_eq!(plan(&visitor).await.status, 303);
    let moved = visitor.get("/plan").await.text;
    assert!(moved.contains("Moved since the plan before") && moved.contains(&format!("not before {day}")));
    assert!(visitor.get("/boats/1/story").await.status == 200);
}

#[tokio::test]
async fn a_plan_that_cannot_be_says_why_and_the_one_before_stays() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    hours(&visitor, ("", "")).await;
    plan(&visitor).await;
    assert_eq!(hours(&visitor, ("clamps", "0")).await.status, 303);
    let none = plan(&visitor).await;
    assert!(none.status == 422 && none.text.contains("it needs more people or gear than there are"), "{}", none.status);
    assert!(none.text.contains("Done by "), "the plan before is still there");
    for (field, value, says) in [
        ("people", "0", "must be between 1 and 200"),
        ("to", "7", "must be after the hour work begins"),
        ("from", "half past", "must be a whole number"),
    ] {
        let refused = hours(&visitor, (field, value)).await;
        assert!(refused.status == 422 && refused.text.contains(says), "{field}: {} {}", refused.status, refused.text);
    }
    // Two people set the hours: the second sees that.
    let stale = visitor.get("/plan").await.text;
    assert_eq!(hours(&visitor, ("people", "3")).await.status, 303);
    let mut fields = keys(&stale, "/plan/hours");
    let at = stale.find("name=\"version\" value=\"").unwrap() + 22;
    fields.retain(|(n, _)| n == "csrf" || n == "once");
    fields.push(("version".into(), stale[at..].chars().take_while(char::is_ascii_digit).collect()));
    fields.extend(HOURS.iter().map(|(f, v)| ((*f).to_owned(), (*v).to_owned())));
    let late = visitor.post("/plan/hours", &fields).await;
    assert!(late.status == 422 && late.text.contains("somebody else set the yard’s hours"), "{}", late.status);
}

#[tokio::test]
async fn an_appointment_stands_in_the_plan_and_on_its_day_and_a_closed_day_moves_the_work() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    hours(&visitor, ("", "")).await;
    let today = jiff::Timestamp::now().to_zoned_datetime(jiff::tz::TimeZone::system()).date();
    let errand = |what: &'static str, at: String| {
        vec![
            ("what", what.to_owned()),
            ("kind", "crane".into()),
            ("boat", "3".into()),
            ("hours", "2".into()),
            ("hands", "2".into()),
            ("at", at),
            ("not_before", String::new()),
        ]
    };
    let send = async |fields: Vec<(&'static str, String)>| {
        let fields: Vec<(&str, &str)> = fields.iter().map(|(f, v)| (*f, v.as_str())).collect();
        visitor.send("/plan", "/plan/errands", &fields).await
    };
    let wrong = send(errand("Crane", "Tuesday".into())).await;
    assert!(wrong.status == 422 && wrong.text.contains("write a date and time as"));
    assert_eq!(send(errand("Crane for the <mast>", format!("{today}T23:30"))).await.status, 303);
    assert!(visitor.get("/").await.text.contains("23:30</b> Crane for the &#60;mast&#62;"), "it stands on Today");
    plan(&visitor).await;
    let before = visitor.get("/plan").await.text;
    assert!(before.contains("class=\"bar errand"));
    // Close the next ten days: nothing is done on them.
    for n in 0..10 {
        let day = today.saturating_add(jiff::ToSpan::days(n)).to_string();
        let closed = visitor.send("/plan", "/plan/closed", &[("closed", &day), ("closed_why", "winter")]).await;
        assert_eq!(closed.status, 303);
    }
    assert_eq!(plan(&visitor).await.status, 303);
    let table = visitor.get("/plan.csv").await.text;
    let opens = today.saturating_add(jiff::ToSpan::days(10)).to_string();
    for row in table.lines().skip(1).filter(|r| !r.contains("Cures") && !r.contains("Crane")) {
        assert!(row[..10] >= *opens, "{row}");
    }
    let page = visitor.get("/plan").await.text;
    let at = page.find("/plan/errands/").unwrap();
    let over: String = page[at..].chars().take_while(|c| *c != '"').collect();
    assert_eq!(visitor.send("/plan", &over, &[]).await.status, 303);
    assert!(!visitor.get("/").await.text.contains("Crane for the"));
}

/// Address of the first task whose clock can be started.
fn first_task(page: &str) -> String {
    let end = page.find("/start\"").expect("a task can be started");
    page[page[..end].rfind('"').unwrap() + 1..end].to_owned()
}

#[tokio::test]
async fn hours_done_over_say_what_went_wrong_and_twice_asks_for_another_method() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let work = "/boats/1/work";
    let book = format!("{}/book", first_task(&visitor.get(work).await.text));
    let silent = visitor.send(work, &book, &[("hours", "1.5"), ("kind", "rework")]).await;
    assert!(silent.status == 422 && silent.text.contains("say what the doing over was for"));
    for _ in 0..2 {
        let told = [("hours", "1.5"), ("kind", "rework"), ("correction", "it split in the steam")];
        assert_eq!(visitor.send(work, &book, &told).await.status, 303);
    }
    let page = visitor.get(work).await.text;
    assert!(page.contains("Twice done over") && page.contains("1 h 30 min of doing over"));
    assert!(page.contains("it split in the steam"));
    // Waiting is told apart and asks for no other method.
    assert_eq!(
        visitor.send(work, &book, &[("hours", "1"), ("kind", "idle"), ("correction", "no glue")]).await.status,
        303
    );
    assert!(visitor.get(work).await.text.contains("1 h 00 min of waiting"));
}

#[tokio::test]
async fn a_clock_that_was_forgotten_asks_how_long_it_was_before_another_starts() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let work = "/boats/1/work";
    let task = first_task(&visitor.get(work).await.text);
    let start = format!("{task}/start");
    assert_eq!(visitor.send(work, &start, &[]).await.status, 303);
    server.sql("UPDATE clock SET started_at = '2026-01-01T06:00:00Z' WHERE stopped_at IS NULL").await;
    let page = visitor.get(work).await.text;
    assert!(page.contains("it was forgotten, it seems"));
    let stop = format!("{task}/stop");
    let field = visitor.post(&stop, &with_keys(&keys(&page, &stop), &[("worked", "31")])).await;
    assert!(field.status == 422 && field.text.contains("must be between 0 and 24"), "{}", field.status);
    let page = visitor.get(work).await.text;
    assert_eq!(visitor.post(&stop, &with_keys(&keys(&page, &stop), &[("worked", "2.5")])).await.status, 303);
    let after = visitor.get(work).await.text;
    assert!(!after.contains("it was forgotten") && after.contains("booked 2 h 30 min"), "{after}");
}

/// The row of a table whose first cell names a thing, its tags taken out.
fn row(page: &str, what: &str) -> String {
    let row = page
        .split("<tr>")
        .find(|r| r.contains(&format!("<b>{what}</b>")))
        .unwrap_or_else(|| panic!("{what} in {page}"));
    crate::support::flat(row)
}

#[tokio::test]
async fn what_runs_short_is_told_with_the_last_day_to_order_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let unplanned = visitor.get("/plan/materials").await.text;
    assert!(unplanned.contains("Nothing is planned yet, so nothing has a day"));
    hours(&visitor, ("", "")).await;
    plan(&visitor).await;
    let page = visitor.get("/plan/materials").await.text;
    assert!(!page.contains("so nothing has a day"));
    // Little glue is asked for and 5.5 kg of it are good: the resorcinol past its day does not count.
    let glue = row(&page, "Glue, mixed");
    assert!(glue.contains("5.50 kg") && page.contains("Enough is there"), "{glue}");
    assert!(page.contains("fastenings for") && page.contains("not chosen yet"), "an amount nobody said is no number");
    assert!(page.contains("Timber no board is kept for") && page.contains("yields it: reserve it"));
    // Almost all of it is used up: it runs short on the day the first glue is spread, less what is left.
    let stores = visitor.get("/stores").await.text;
    let at = stores.find(">Epoxy, slow<").unwrap();
    let start = stores[..at].rfind("href=\"").unwrap() + 6;
    let item: String = stores[start..].chars().take_while(|c| *c != '"').collect();
    let used = [("kind", "used"), ("amount", "5.49")];
    assert_eq!(visitor.send(&item, &format!("{item}/move"), &used).await.status, 303);
    let page = visitor.get("/plan/materials").await.text;
    let short = row(&page, "Glue, mixed");
    assert!(page.contains("Runs short") && short.contains("0.01 kg"), "{short}");
    // Six days on the way: the plan's first glue is sooner than that, so it is late already.
    assert!(short.contains("days ago") || short.contains("today"), "{short}");
    // Nobody says how long it takes any more: the day is not known, and is not made up.
    let ordering = format!("{item}/ordering");
    for (field, value, says) in [("lead_days", "-1", "must be between"), ("reorder_at", "lots", "number")] {
        let told = visitor.send(&item, &ordering, &[(field, value)]).await;
        assert!(told.status == 422 && told.text.contains(says), "{field}: {}", told.status);
    }
    let unknown = [("reorder_at", "2"), ("lead_days", "")];
    let before = visitor.get(&item).await.text;
    assert_eq!(visitor.send(&item, &ordering, &unknown).await.status, 303);
    // The other glue is past its day, but it could be had: its time counts as long as it is said.
    assert!(!row(&visitor.get("/plan/materials").await.text, "Glue, mixed").contains("nobody said how long"));
    let other = stores[..stores.find(">Resorcinol glue<").unwrap()].rsplit("href=\"").next().unwrap();
    let other: String = other.chars().take_while(|c| *c != '"').collect();
    assert_eq!(visitor.send(&other, &format!("{other}/ordering"), &unknown).await.status, 303);
    assert!(row(&visitor.get("/plan/materials").await.text, "Glue, mixed").contains("nobody said how long"));
    // The second to change it sees both.
    let stale = visitor
        .post(&ordering, &with_keys(&keys(&before, &ordering), &[("reorder_at", "7"), ("lead_days", "3")]))
        .await;
    assert_eq!(stale.status, 409);
    assert!(stale.text.contains("Somebody else changed it meanwhile") && stale.text.contains(">7<"), "{}", stale.text);
}

/// A day so many days from today.
fn in_days(days: i32) -> String {
    let today = jiff::Timestamp::now().to_zoned_datetime(jiff::tz::TimeZone::system()).date();
    today.saturating_add(jiff::ToSpan::days(days)).to_string()
}

#[tokio::test]
async fn a_plan_says_whether_a_boat_is_ready_before_she_is_launched() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    assert_eq!(hours(&visitor, ("", "")).await.status, 303);
    assert_eq!(plan(&visitor).await.status, 303);
    let known = visitor.get("/plan").await.text;
    assert!(known.contains("Brindle Wren is launched on") && !known.contains("Pennywort is launched on"), "{known}");

    let launch = async |boat: i64, day: &str| {
        let at = format!("/boats/{boat}/seams/launch");
        let version = [("on_day", day), ("wet_days", "3"), ("pumps", "1500")];
        assert_eq!(visitor.send(&at, &at, &version).await.status, 303);
    };
    launch(1, &in_days(1)).await;
    launch(2, &in_days(900)).await;
    let page = crate::support::flat(&visitor.get("/plan").await.text);
    let said = |name: &str| {
        let at = page.find(&format!("{name} is launched on")).unwrap_or_else(|| panic!("nothing of {name}: {page}"));
        let start = page[..at].rfind("<p").unwrap();
        page[start..at + page[at..].find("</p>").unwrap()].to_owned()
    };
    let late = said("Brindle Wren");
    assert!(late.contains("▲") && late.contains(" days after.") && late.contains("/boats/1/seams/launch"), "{late}");
    let early = said("Pennywort");
    assert!(!early.contains('▲') && early.contains(" days before."), "{early}");
    assert!(
        page.find("Brindle Wren is launched").unwrap() < page.find("Pennywort is launched").unwrap(),
        "the next first"
    );

    // A launch that has gone by holds nothing any more.
    launch(1, &in_days(-2)).await;
    assert!(!visitor.get("/plan").await.text.contains("Brindle Wren is launched"));
}
