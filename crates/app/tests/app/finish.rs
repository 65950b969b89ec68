//! Finish by the forecast: fourteen days, coats placed, what forbids them, and times kept.

use crate::support::{Server, Visitor, keys, with_keys};

const PAGE: &str = "/boats/1/finish/weather";

/// A forecast file from an hour before now: the same weather for so many days.
fn file(days: i64, temperature: &str, humidity: &str, rain: &str) -> Vec<u8> {
    let mut out = String::from("time,temperature,humidity,rain,wind\n");
    for h in -1..days * 24 {
        let at = jiff::Timestamp::now() + jiff::SignedDuration::from_hours(h);
        out.push_str(&format!("{at},{temperature},{humidity},{rain},2\n"));
    }
    out.into_bytes()
}

async fn take(visitor: &Visitor, bytes: Vec<u8>) -> crate::support::Answer {
    let page = visitor.get(PAGE).await.text;
    visitor.post_file(PAGE, &keys(&page, PAGE), bytes).await
}

async fn plan(visitor: &Visitor, what: &str, area: &str) {
    let fields = [
        ("what", what),
        ("recipe", "paint_topsides"),
        ("area", area),
        ("place", "outside"),
        ("temperature", "18"),
        ("humidity", "60"),
        ("start", ""),
    ];
    assert_eq!(visitor.send("/boats/1/finish", "/boats/1/finish", &fields).await.status, 303);
}

/// What a plan says it is for: its heading, and the area after it.
async fn planned(visitor: &Visitor, fields: &[(&str, &str)]) -> (String, f64) {
    let usual =
        [("recipe", "paint_topsides"), ("temperature", "18"), ("humidity", "60"), ("place", "outside"), ("start", "")];
    let all: Vec<(&str, &str)> = usual.iter().chain(fields).copied().collect();
    let kept = visitor.send("/boats/1/finish", "/boats/1/finish", &all).await;
    assert_eq!(kept.status, 303, "{fields:?}: {}", kept.text);
    let page = visitor.get("/boats/1/finish").await.text;
    let last = page.split("<h2>").find(|s| s.contains(" m² ")).expect("a plan").to_owned();
    let name = last.split("</h2>").next().unwrap().to_owned();
    let area = last.split(" m² ").next().unwrap().rsplit(' ').next().unwrap().parse().unwrap();
    (name, area)
}

#[tokio::test]
async fn what_the_other_steps_left_holds_the_first_coat_back_and_is_answered() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/4/finish";
    let boat = visitor.send("/boats/new", "/boats/new", &crate::support::BOAT).await;
    assert_eq!(boat.location, "/boats/4");
    let fields = [
        ("recipe", "paint_topsides"),
        ("corner", "P5 F3"),
        ("other_corner", "P6 F9"),
        ("place", "outside"),
        ("temperature", "18"),
        ("humidity", "60"),
        ("start", ""),
    ];
    assert_eq!(visitor.send(page, page, &fields).await.status, 303);
    let clean = visitor.get(page).await.text;
    assert!(
        clean.contains("by a generated grid: nobody measured it") && clean.contains("its time has come"),
        "{clean}"
    );
    assert!(!clean.contains("Before the first coat"));

    // Outside of it nothing counts; on it what was found, a wet place and hard filler do.
    let rot = [("kind", "rot"), ("shape", "0, 20\n300, 20\n300, 90\n0, 90"), ("depth", "8")];
    visitor.found(4, "P2 F5", &rot).await;
    assert!(!visitor.get(page).await.text.contains("Before the first coat"));
    visitor.found(4, "P6 F5", &rot).await;
    let read = async |at: &str, fields: &[(&str, &str)]| {
        let (form, action) = (at.replace(' ', "+"), at.replace(' ', "%20"));
        let (form, action) = (format!("/boats/4/readings/new?at={form}"), format!("/boats/4/readings/new?at={action}"));
        assert_eq!(visitor.send(&form, &action, fields).await.status, 303, "{at}");
    };
    let meter = |percent: &'static str| [("method", "meter"), ("meter", percent), ("wood_temperature", "20")];
    read("P5 F4", &meter("21")).await;
    read(
        "P6 F8",
        &[("method", "feeler"), ("seam_width", "3"), ("seam_depth", "6"), ("filler", "hard"), ("x", "0"), ("y", "0")],
    )
    .await;
    let held = visitor.get(page).await.text;
    for said in ["held back", "found on it and not mended", "at P6 F5", "P5 F4 21 %", "P5/P6, hard filler in it"] {
        assert!(held.contains(said), "{said}: {held}");
    }
    assert!(!held.contains("at P2 F5") && !held.contains("its time has come"));
    // The newest reading of a place counts.
    read("P5 F4", &meter("13")).await;
    assert!(!visitor.get(page).await.text.contains("P5 F4 21 %"));

    let coat = format!("/boats/4/coats/{}", next_coat(&held));
    assert!(visitor.get(&coat).await.text.contains("found on it and not mended"));
    let refused = visitor.send(&coat, &format!("{coat}/lay"), &FAIR).await;
    assert!(refused.status == 422 && refused.text.contains("a rule stands against it"), "{}", refused.text);
    let answered: Vec<(&str, &str)> = FAIR.into_iter().chain([("why", "the plank is renewed next winter")]).collect();
    assert_eq!(visitor.send(&coat, &format!("{coat}/lay"), &answered).await.status, 303);
    let on = visitor.get(page).await.text;
    assert!(
        on.contains("against the rule, because the plank is renewed next winter: its seams are not finished"),
        "{on}"
    );
    assert!(!on.contains("Before the first coat"), "the coat is on");
}

#[tokio::test]
async fn what_is_coated_is_picked_from_the_boat_and_its_area_reckoned() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    // Two parts of a stretch are the stretch, whichever corner is named first.
    let corners = |a: &'static str, b: &'static str| [("corner", a), ("other_corner", b)];
    let (name, whole) = planned(&visitor, &corners("P5 F3", "P8 F20")).await;
    assert_eq!(name, "Strakes 5 to 8, frames 3 to 20, port");
    let (_, turned) = planned(&visitor, &corners("P8 F20", "P5 F3")).await;
    let (_, low) = planned(&visitor, &corners("P5 F3", "P6 F20")).await;
    let (_, high) = planned(&visitor, &corners("P7 F3", "P8 F20")).await;
    assert!(whole > 0.5 && (whole - turned).abs() < 1e-9 && (whole - low - high).abs() < 0.011, "{whole} {low} {high}");
    let (both, sides) = planned(&visitor, &[&corners("P5 F3", "P8 F20")[..], &[("both", "1")]].concat()).await;
    assert!(both.ends_with("both sides") && (sides - 2.0 * whole).abs() < 0.1, "{both}: {sides}");
    let (faces, twice) = planned(&visitor, &[&corners("P5 F3", "P8 F20")[..], &[("faces", "1")]].concat()).await;
    assert!(faces.ends_with("both faces") && (twice - 2.0 * whole).abs() < 0.011);
    // Her deck, her transom and her mast, each said to be by likely sizes where nobody measured.
    let page = visitor.get("/boats/1/finish").await.text;
    assert!(page.contains("by likely sizes: measure it"), "what nobody measured says so");
    let (deck, m2) = planned(&visitor, &[("of", "deck")]).await;
    assert!(deck == "Deck" && m2 > 5.0 && m2 < 30.0, "{deck}: {m2}");
    // A corner alone, a place that is none, a stretch that is none.
    for (fields, field) in [
        (vec![("corner", "P5 F3")], "other_corner"),
        (vec![("other_corner", "P5 F3")], "corner"),
        (vec![("corner", "P99 F3"), ("other_corner", "P5 F3")], "corner"),
        (vec![("corner", "keel"), ("other_corner", "P5 F3")], "corner"),
        (vec![("of", "the moon")], "of"),
    ] {
        let all = [vec![("recipe", "paint_topsides"), ("temperature", "18"), ("humidity", "60")], fields].concat();
        let told = visitor.send("/boats/1/finish", "/boats/1/finish", &all).await;
        assert!(told.status == 422 && told.text.contains(&format!("class=\"fault\" id=\"d-{field}\"")), "{field}");
    }
}

#[tokio::test]
async fn coats_are_placed_by_a_forecast_out_of_a_file_and_their_times_kept() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    assert!(visitor.get(PAGE).await.text.contains("No coat waits to be laid"));
    plan(&visitor, "Topsides, port", "9").await;
    // The demo's forecast is simulated: it says so, and no time is kept by it.
    let simulated = visitor.get(PAGE).await.text;
    assert!(simulated.contains(">simulated</span>") && !simulated.contains("Keep these times"));

    assert_eq!(take(&visitor, file(14, "18", "60", "0")).await.status, 303);
    let fair = visitor.get(&format!("{PAGE}?saturday=1")).await.text;
    assert!(fair.contains("no plan finishes earlier") && fair.contains("Gloss 2") && fair.contains("Keep these times"));
    assert!(!fair.contains(">simulated</span>"));
    let keep = format!("{PAGE}/keep");
    let kept = visitor.post(&keep, &with_keys(&keys(&fair, &keep), &[])).await;
    assert_eq!(kept.status, 303);
    assert!(visitor.get("/boats/1/story").await.text.contains("coats placed by the forecast"));

    assert_eq!(take(&visitor, file(14, "18", "60", "0.4")).await.status, 303);
    let wet = visitor.get(PAGE).await.text;
    assert!(wet.contains("Primer 1 finds no place in this weather") && wet.contains("h rain"), "{wet}");
    assert!(!wet.contains("Keep these times"));
}

#[tokio::test]
async fn a_forecast_that_cannot_be_read_changes_nothing_and_says_where() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    plan(&visitor, "Topsides, port", "9").await;
    assert_eq!(take(&visitor, file(14, "18", "60", "0")).await.status, 303);
    for (bytes, says) in [
        (b"time,temperature,humidity,rain,wind\n2026-11-27T08:00,12,140,0,3\n".to_vec(), "must be between 0 and 100"),
        (b"time,temperature,humidity,rain,wind\nsoon,12,40,0,3\n".to_vec(), "is no date and time"),
        (b"time,temperature,humidity,rain,wind\n".to_vec(), "needs 1 to"),
        (b"when,warm\n".to_vec(), "temperature"),
        (Vec::new(), "file"),
    ] {
        let refused = take(&visitor, bytes).await;
        assert!(refused.status == 422 && refused.text.contains(says), "{says}: {}", refused.status);
        assert!(visitor.get(PAGE).await.text.contains("no plan finishes earlier"), "the one before is still there");
    }
    // Working hours that are none are told at their field, and the rest is kept.
    let wrong = visitor.get(&format!("{PAGE}?from=17&to=8&painters=2")).await;
    assert!(wrong.status == 422 && wrong.text.contains("must be after the hour work begins"));
    assert!(wrong.text.contains("value=\"17\""));
    let nothing = format!("{PAGE}/keep");
    let page = visitor.get(PAGE).await.text;
    let mut fields = keys(&page, &nothing);
    fields.retain(|(name, _)| name != "kept");
    assert!(visitor.post(&nothing, &fields).await.text.contains("no plan was shown that could be kept"));
}

/// The id of a boat's next coat, out of its page.
fn next_coat(page: &str) -> String {
    let at = page.rfind("/coats/").expect("a coat can be laid");
    page[at + 7..].chars().take_while(char::is_ascii_digit).collect()
}

async fn lay(visitor: &Visitor, coat: &str, fields: &[(&str, &str)]) -> crate::support::Answer {
    let page = format!("/boats/1/coats/{coat}");
    visitor.send(&page, &format!("{page}/lay"), fields).await
}

const FAIR: [(&str, &str); 4] = [("temperature", "18"), ("humidity", "55"), ("wood", "12"), ("ready", "1")];

#[tokio::test]
async fn a_coat_is_held_back_by_each_rule_it_breaks_and_laid_against_it_only_with_a_reason() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    plan(&visitor, "Rudder", "2").await;
    // The first of a plan that begins later waits for its time, not for a coat below.
    server.sql("UPDATE coat SET earliest_at = '2099-01-01T06:00:00Z', latest_at = NULL WHERE boat_id = 1").await;
    let later = crate::support::flat(&visitor.get("/boats/1/finish").await.text);
    assert_eq!(
        (later.matches("not before its time").count(), later.matches("waits for the coat below").count()),
        (1, 5)
    );
    server.sql("UPDATE coat SET earliest_at = '2026-01-01T06:00:00Z', latest_at = NULL WHERE boat_id = 1").await;
    let planned = crate::support::flat(&visitor.get("/boats/1/finish").await.text);
    assert_eq!(planned.matches("its time has come").count(), 1, "none goes on before the one below it: {planned}");
    assert_eq!(planned.matches("waits for the coat below").count(), 5);
    let coat = next_coat(&visitor.get("/boats/1/finish").await.text);
    let with = |changed: (&'static str, &'static str)| {
        FAIR.into_iter()
            .map(|(field, value)| if field == changed.0 { changed } else { (field, value) })
            .collect::<Vec<_>>()
    };
    for (wrong, says) in [
        (("temperature", "4"), "too cold for this product"),
        (("humidity", "88"), "the air is too damp for this product"),
        (("wood", "19"), "the wood is too wet"),
        (("wood", ""), "nobody measured how wet the wood is"),
        (("ready", "0"), "say that it is so"),
    ] {
        let held = lay(&visitor, &coat, &with(wrong)).await;
        assert!(held.status == 422 && held.text.contains(says), "{says}: {}", held.status);
        assert!(held.text.contains("a rule stands against it") && held.text.contains("name=\"why\""));
    }
    let bad = lay(&visitor, &coat, &with(("humidity", "140"))).await;
    assert!(bad.status == 422 && bad.text.contains("must be between 1 and 100"), "{}", bad.text);
    assert!(visitor.get("/boats/1/finish").await.text.contains("0 of 6 on"), "nothing was laid");

    let mut against = with(("wood", "19"));
    against.push(("why", "a test patch for the owner"));
    assert_eq!(lay(&visitor, &coat, &against).await.status, 303);
    let after = visitor.get("/boats/1/finish").await.text;
    assert!(after.contains("1 of 6 on") && after.contains("against the rule, because a test patch for the owner"));
    assert!(visitor.get("/boats/1/story").await.text.contains("Laid against the rule"));

    // The next one goes on sixteen hours later at 20 °C: not now, and not twice.
    let second = next_coat(&after);
    assert_ne!(second, coat);
    let early = lay(&visitor, &second, &FAIR).await;
    assert!(early.status == 422 && early.text.contains("the coat below is not ready"));
    let first = format!("/boats/1/coats/{coat}");
    let on = visitor.get(&first).await.text;
    assert!(on.contains("✓ On since") && !on.contains("/lay\""));
    assert!(visitor.get("/").await.text.contains("wet until"));
}

#[tokio::test]
async fn a_coat_takes_its_batch_from_the_stores_and_tells_what_was_seen() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    plan(&visitor, "Rudder", "2").await;
    let coat = next_coat(&visitor.get("/boats/1/finish").await.text);
    let page = visitor.get(&format!("/boats/1/coats/{coat}")).await.text;
    let at = page.find("batch V-610").expect("the demo has an open tin of varnish");
    let lot: String = {
        let option = &page[page[..at].rfind("value=\"").unwrap() + 7..];
        option.chars().take_while(char::is_ascii_digit).collect()
    };
    let with = |litres: &'static str, lot: &str| {
        let mut fields: Vec<(&'static str, String)> = FAIR.iter().map(|(f, v)| (*f, (*v).to_owned())).collect();
        fields.extend([("lot", lot.to_owned()), ("litres", litres.to_owned()), ("seen_runs", "1".to_owned())]);
        fields
    };
    let send = async |litres, lot: &str| {
        let fields = with(litres, lot);
        let fields: Vec<(&str, &str)> = fields.iter().map(|(f, v)| (*f, v.as_str())).collect();
        lay(&visitor, &coat, &fields).await
    };
    let too_much = send("900", &lot).await;
    assert!(too_much.status == 422 && too_much.text.contains("of it, "), "{}", too_much.text);
    assert!(too_much.text.contains("name=\"seen_runs\" value=\"1\" checked"), "what was ticked stays");
    assert_eq!(send("0.25", &lot).await.status, 303);
    let after = visitor.get("/boats/1/finish").await.text;
    assert!(after.contains("18 °C, 55 %, wood 12 %, batch V-610, runs"), "{after}");
    assert!(after.contains("0.25 l"));
}

#[tokio::test]
async fn a_simulated_forecast_keeps_no_times_whoever_asks() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    plan(&visitor, "Topsides, port", "9").await;
    let keep = format!("{PAGE}/keep");
    let coat = next_coat(&visitor.get("/boats/1/finish").await.text);
    let page = visitor.get(PAGE).await.text;
    let mut fields = keys(&page, PAGE);
    fields.retain(|(name, _)| name == "csrf");
    fields.push(("once".into(), "forged-once".into()));
    fields.push(("kept".into(), format!("{coat}:2026-12-01T10:00:00Z")));
    let refused = visitor.post(&keep, &fields).await;
    assert!(
        refused.status == 409 && refused.text.contains("the forecast is simulated"),
        "{} {}",
        refused.status,
        refused.text
    );
}

#[tokio::test]
async fn an_own_recipe_has_versions_and_a_plan_keeps_the_coats_it_was_made_with() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let at = "/boats/1/finish/recipes";
    let from = format!("{at}?from=sole");
    let sole = visitor.get(&from).await.text;
    assert!(sole.contains("value=\"Sole, two-part, ours\"") && sole.contains("name=\"touch_dry_2\" value=\"3\""));
    let mut fields = typed_over(&sole, at);
    let set = |fields: &mut Vec<(String, String)>, name: &str, value: &str| {
        fields.iter_mut().find(|(n, _)| n == name).unwrap_or_else(|| panic!("{name}")).1 = value.to_owned();
    };
    set(&mut fields, "recoat_min_1", "1");
    let wrong = visitor.post(at, &fields).await;
    assert!(
        wrong.status == 422 && wrong.text.contains("no coat goes on before the one below is dry"),
        "{}",
        wrong.text
    );
    assert!(wrong.text.contains("name=\"recoat_min_1\" value=\"1\""), "what was typed stays");

    let mut fields = typed_over(&visitor.get(&from).await.text, at);
    set(&mut fields, "name", "Sole, our way");
    set(&mut fields, "step_2", "");
    let kept = visitor.post(at, &fields).await;
    assert_eq!(kept.status, 303);
    let page = visitor.get("/boats/1/finish").await.text;
    assert!(page.contains("Sole, our way"));
    let code = kept.location.rsplit('=').next().unwrap().to_owned();
    let asked = [
        ("what", "Sole"),
        ("recipe", code.as_str()),
        ("area", "4"),
        ("place", "shed"),
        ("temperature", "18"),
        ("humidity", "50"),
        ("start", ""),
    ];
    assert_eq!(visitor.send("/boats/1/finish", "/boats/1/finish", &asked).await.status, 303);
    assert!(visitor.get("/boats/1/finish").await.text.contains("0 of 2 on"));

    // A change makes a new version; the plan stays as it was. The old page cannot be kept over it.
    let open = visitor.get(&format!("{at}?from={code}")).await.text;
    let (mut change, mut stale) =
        (typed_over(&open, at), typed_over(&visitor.get(&format!("{at}?from={code}")).await.text, at));
    set(&mut change, "step_1", "");
    assert_eq!(visitor.post(at, &change).await.status, 303);
    set(&mut stale, "product_0", "something else");
    let late = visitor.post(at, &stale).await;
    assert!(late.status == 422 && late.text.contains("somebody else changed this recipe"));
    let finish = visitor.get("/boats/1/finish").await.text;
    assert!(finish.contains("0 of 2 on") && finish.contains("Two-part polyurethane 2"));
}

/// Every field of a form as it stands on the page.
fn typed_over(page: &str, action: &str) -> Vec<(String, String)> {
    let mut fields = keys(page, action);
    fields.retain(|(name, _)| name == "csrf" || name == "once");
    let form = &page[page.find(&format!("action=\"{action}\" class=\"sheet\"")).expect("the form")..];
    let form = &form[..form.find("</form>").unwrap()];
    let attribute = |tag: &str, name: &str| {
        let from = tag.find(&format!("{name}=\""))? + name.len() + 2;
        Some(tag[from..from + tag[from..].find('"')?].to_owned())
    };
    for tag in form.split("<input").skip(1) {
        let tag = &tag[..tag.find('>').unwrap()];
        let (Some(name), Some(value)) =
            (attribute(tag, " name").or_else(|| attribute(tag, "name")), attribute(tag, "value"))
        else {
            continue;
        };
        if name != "csrf" && name != "once" {
            fields.push((name, value));
        }
    }
    for select in form.split("<select").skip(1) {
        let name = attribute(select, "name").unwrap();
        let end = select.find("</select>").unwrap();
        let picked = select[..end]
            .split("<option")
            .skip(1)
            .find(|o| o.contains(" selected"))
            .and_then(|o| attribute(o, "value"));
        fields.push((name, picked.unwrap_or_else(|| "one_part".into())));
    }
    fields
}

#[tokio::test]
async fn upkeep_says_when_each_coat_is_due_and_an_inspection_moves_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let at = "/boats/1/finish/upkeep";
    let empty = visitor.get(at).await.text;
    assert!(empty.contains("Say where she lies") && !empty.contains("A coated face"));
    let wrong = visitor.send(at, "/boats/1/finish/berth", &[("latitude", "120"), ("bow", "")]).await;
    assert!(wrong.status == 422 && wrong.text.contains("value=\"120\""));
    assert_eq!(visitor.send(at, "/boats/1/finish/berth", &[("latitude", "50"), ("bow", "")]).await.status, 303);
    let face = |on_day: &'static str| {
        [
            ("what", "Hatch"),
            ("coat", "varnish"),
            ("area", "1.5"),
            ("looks", "around"),
            ("tilt", "0"),
            ("shade", "0"),
            ("height", "0"),
            ("on_day", on_day),
        ]
    };
    let later = visitor.send(at, at, &face("2199-01-01")).await;
    assert!(later.status == 422 && later.text.contains("is yet to come"));
    assert_eq!(visitor.send(at, at, &face("2026-01-01")).await.status, 303);
    let due = visitor.get(at).await.text;
    // Flat at 50°: two years of life, two fifths of it are 292 days.
    assert!(
        due.contains("since 20 Oct 2026") && due.contains("nobody looked yet") && due.contains("12 times"),
        "{due}"
    );
    let calendar = visitor.get("/boats/1/finish/upkeep.ics").await.text;
    assert!(calendar.contains("BEGIN:VCALENDAR") && calendar.contains("DTSTART;VALUE=DATE:20261020"), "{calendar}");

    let form = due.find("/seen\"").map(|end| due[due[..end].rfind('"').unwrap() + 1..end + 5].to_owned()).unwrap();
    let id: String = form.rsplit('/').nth(1).unwrap().to_owned();
    let (worn, day) = (format!("worn{id}"), format!("day{id}"));
    let before = visitor.send(at, &form, &[(&worn, "20"), (&day, "2025-06-01"), ("note", "")]).await;
    assert!(before.status == 422 && before.text.contains("is before the coat"));
    assert_eq!(
        visitor.send(at, &form, &[(&worn, "10"), (&day, "2026-11-01"), ("note", "still bright")]).await.status,
        303
    );
    let seen = visitor.get(at).await.text;
    assert!(
        seen.contains("moved by what was seen")
            && seen.contains("still bright")
            && !seen.contains("To be refreshed since")
    );
}

#[tokio::test]
async fn looks_after_the_launch_anodes_and_old_fastenings_fall_due_and_go_into_the_calendar() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    server.sql("UPDATE launch SET on_day = date('now', '-10 days') WHERE boat_id = 1").await;
    let due = async || {
        let page = visitor.get("/boats/1/finish/upkeep").await.text;
        let from = page.split("id=\"due\"").nth(1).map(|rest| rest.split("</section>").next().unwrap().to_owned());
        from.unwrap_or_default()
    };
    let list = due().await;
    // A day and a week after have gone by and still stand; a month and a year are to come.
    for late in ["a day afloat", "a week afloat"] {
        let row = list.split("<li").find(|row| row.contains(late)).expect(late);
        assert!(row.contains(">now</b>"), "{row}");
    }
    for to_come in ["a month afloat", "a year afloat"] {
        let row = list.split("<li").find(|row| row.contains(to_come)).expect(to_come);
        assert!(!row.contains(">now</b>"), "{row}");
    }
    let ics = visitor.get("/boats/1/finish/upkeep.ics").await.text;
    assert!(ics.contains("a year afloat") && ics.contains("boat-1-launch-365"));
    // Long after, the first looks are no more, and the next anodes are those of the year to come.
    server.sql("UPDATE launch SET on_day = date('now', '-400 days') WHERE boat_id = 1").await;
    let later = due().await;
    assert!(!later.contains("a day afloat") && !later.contains("a month afloat"), "{later}");
    assert_eq!(later.contains("anodes: how much is left"), list.contains("anodes: how much is left"));
    // Without a launch nothing is counted from it.
    server.sql("DELETE FROM launch").await;
    assert!(!due().await.contains("afloat"));
}
