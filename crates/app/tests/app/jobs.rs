//! Whole jobs through their pages: a deck, a spar, an edge, a template from a photograph, other work; kept, changed, booked, planned,
//! nested and handed on.

use image::{ImageFormat, Rgb, RgbImage};
use tempfile::NamedTempFile;

use crate::support::{Browser, Server, Visitor, keys, with_keys};

/// A page's words: its tags taken out, white space is one space.
fn words(html: &str) -> String {
    let text: String =
        html.split('<').map(|part| part.split_once('>').map_or(part, |(_, text)| text).to_owned() + " ").collect();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

async fn enter(server: &Server) -> Visitor {
    let visitor = Visitor::new(server);
    visitor.get("/").await;
    visitor
}

/// A box of a deck, 3 m by 2 m, on beams every half metre.
const DECK: [(&str, &str); 17] = [
    ("kind", "deck"),
    ("name", "Afterdeck"),
    ("outline", "0, 1000\n3000, 1000"),
    ("measured", "1"),
    ("beams", "500\n1000\n1500\n2000\n2500"),
    ("way", "straight"),
    ("king", "100"),
    ("cover", "100"),
    ("plank", "45"),
    ("thickness", "12"),
    ("longest", "4000"),
    ("species", "teak"),
    ("ring_angle", "90"),
    ("held", "screwed"),
    ("rule", "wide"),
    ("seam", "5"),
    ("note", "Laid over ply."),
];

async fn begin(visitor: &Visitor, kind: &str, fields: &[(&str, &str)]) -> crate::support::Answer {
    visitor.send(&format!("/boats/1/jobs/new?kind={kind}"), "/boats/1/jobs", fields).await
}

fn changed<'a>(fields: &[(&'a str, &'a str)], field: &'a str, value: &'a str) -> Vec<(&'a str, &'a str)> {
    let mut all: Vec<_> = fields.iter().copied().filter(|(f, _)| *f != field).collect();
    all.push((field, value));
    all
}

#[tokio::test]
async fn the_timber_of_a_job_is_said_by_somebody() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let page = visitor.get("/boats/3/jobs/new?kind=deck").await.text;
    let list = page.split("name=\"species\"").nth(1).unwrap().split("</select>").next().unwrap();
    assert!(list.contains("<option value=\"\">choose</option>") && !list.contains(" selected"), "{list}");
    let unsaid: Vec<(&str, &str)> = DECK.iter().map(|(f, v)| (*f, if *f == "species" { "" } else { *v })).collect();
    let refused = visitor.send("/boats/3/jobs/new?kind=deck", "/boats/3/jobs", &unsaid).await;
    assert!(refused.status == 422 && refused.text.contains("must not be empty"), "{}", refused.status);
    assert!(refused.text.contains("value=\"Afterdeck\""), "what was typed stays");
}

#[tokio::test]
async fn a_deck_is_reckoned_drawn_and_changed_without_losing_what_was_done() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let made = begin(&visitor, "deck", &DECK).await;
    assert_eq!(made.status, 303, "{}", made.text);
    let here = made.location;
    let page = words(&visitor.get(&here).await.text);
    // By hand: a side is 1000 less half the king plank, the covering board and a seam each: 840, in rows of 50; the last is
    // narrower.
    for said in [
        "Rows on a side 17",
        "Planks 34",
        "Screws",
        "every screw is a way in for water",
        "quarter-sawn: it moves least",
    ] {
        assert!(page.contains(said), "{said}: {page}");
    }
    assert!(page.contains("Laid over ply.") && !page.contains("Generated, do not cut"));
    let dxf = visitor.get_bytes(&format!("{here}/file/dxf")).await;
    assert!(String::from_utf8_lossy(&dxf).contains("ENTITIES"));
    // The first task is done with hours on it; then the deck is to be glued instead.
    let work = visitor.get("/boats/1/work").await.text;
    let at = work.find("Hatches and what is below").expect("its first task stands on Work");
    let action = &work[at..][work[at..].find("/tasks/").unwrap()..];
    let task: String = action["/tasks/".len()..].chars().take_while(char::is_ascii_digit).collect();
    for (act, fields) in [("book", vec![("hours", "1.5"), ("kind", "work")]), ("done", Vec::new())] {
        let sent = visitor.send("/boats/1/work", &format!("/boats/1/tasks/{task}/{act}"), &fields).await;
        assert_eq!(sent.status, 303, "{act}: {}", sent.text);
    }
    let glued = changed(&DECK, "held", "glued");
    let sent = visitor.send(&format!("{here}/edit"), &here, &glued[1..]).await;
    assert_eq!(sent.status, 303, "{}", sent.text);
    let page = words(&visitor.get(&here).await.text);
    assert!(page.contains("Bags to weigh it down") && page.contains("no screw is left in it"), "{page}");
    assert!(page.contains("✓ Hatches and what is below") && page.contains("booked 1 h 30 min"), "{page}");
    assert_eq!(page.matches("Hatches and what is below").count(), 1, "what is done is not told anew");
    assert!(!page.contains("Bore, counterbore, screw and plug"));
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains("To be made, laid deck: Afterdeck") && story.contains("Changed: Afterdeck"));
    // Off the list: what was done stays in the story, nothing of it is open.
    let gone = visitor.send(&here, &format!("{here}/withdraw"), &[]).await;
    assert_eq!(gone.status, 303);
    assert_eq!(visitor.get(&here).await.status, 404);
    assert!(!visitor.get("/boats/1/work").await.text.contains("Afterdeck"));
    assert!(visitor.get("/boats/1/story").await.text.contains("Not to be made after all: Afterdeck"));
}

#[tokio::test]
async fn what_is_wrong_is_told_at_its_field_and_what_was_typed_stays() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    for (field, value, says) in [
        ("outline", "0, 1000\nthree metres", "line 2: write a point as x, y"),
        ("outline", "3000, 1000\n0, 1000", "must lie farther aft than the one before"),
        ("beams", "", "needs 1 to 300 beams"),
        ("seam", "9", "must be between 4 and 6"),
        ("longest", "600", "no joints on these beams keep planks short enough"),
        ("ring_angle", "120", "must be between 0 and 90"),
        ("species", "elfwood", "there is no species"),
        ("plank", "-5", "must be greater than 0"),
        ("name", "", "must not be empty"),
    ] {
        let wrong = begin(&visitor, "deck", &changed(&DECK, field, value)).await;
        assert_eq!(wrong.status, 422, "{field}: {}", wrong.text);
        let at = wrong.text.find(&format!("id=\"d-{field}\"")).map_or("", |at| &wrong.text[at..]);
        let near: String = at.chars().take(400).collect();
        assert!(field == "species" || near.contains(says), "{field}: {near}");
        assert!(wrong.text.contains(says) && wrong.text.contains("Laid over ply."), "{field}");
    }
    assert_eq!(visitor.get("/boats/1/jobs/new?kind=cathedral").await.status, 404);
    assert_eq!(visitor.get("/boats/1/jobs/999").await.status, 404);
    assert!(!visitor.get("/boats/1/jobs").await.text.contains("Afterdeck"));
}

#[tokio::test]
async fn an_outline_out_of_likely_lines_is_stamped_until_somebody_took_it() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    // Pennywort has no deck beams and no offsets: what stands in the form is a likely outline, and said to be one.
    let form = visitor.get("/boats/2/jobs/new?kind=edge").await.text;
    assert!(words(&form).contains("a likely one, generated from her length and beam"));
    assert!(!form.contains("name=\"measured\" value=\"1\" checked"));
    let unmeasured = changed(&DECK, "measured", "");
    let made = begin(&visitor, "deck", &unmeasured).await;
    let here = made.location;
    let page = visitor.get(&here).await.text;
    assert!(page.contains("Generated, do not cut") && page.contains("nobody took this outline on the boat"));
    let svg = String::from_utf8(visitor.get_bytes(&format!("{here}/file/svg")).await).unwrap();
    assert!(svg.contains("generated, do not cut"));
    assert!(page.contains("Take the deck’s outline on the boat"));
}

#[tokio::test]
async fn a_sheer_ticked_on_both_sides_becomes_one_line_and_a_wrong_tick_is_named() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let height = |i: i32| 900 - 8 * (16 - (i - 4) * (i - 4));
    let stations = |wrong: i32| -> String {
        let line = |i: i32| {
            let h = height(i) + if i == wrong { 15 } else { 0 };
            format!("{}; {}; {}\n", 700 * i, h + 1, h - 1)
        };
        (0..9).map(line).collect()
    };
    let (wrong, right) = (stations(5), stations(-1));
    let fields = |stations| {
        [
            ("kind", "sheer"),
            ("name", "Sheer of the stern"),
            ("stations", stations),
            ("tolerance", "1.5"),
            ("level", "1"),
            ("note", ""),
        ]
    };
    let told = begin(&visitor, "sheer", &fields(&wrong)).await;
    assert_eq!(told.status, 303, "{}", told.text);
    let page = words(&visitor.get(&told.location).await.text);
    assert!(page.contains("station 6 lies off the line of the others"), "{page}");
    let made = begin(&visitor, "sheer", &fields(&right)).await;
    let page = words(&visitor.get(&made.location).await.text);
    for said in [
        "no station speaks against the others",
        "both sides lie alike",
        "Hangs below its ends by",
        "Strike the mean line",
    ] {
        assert!(page.contains(said), "{said}: {page}");
    }
    let drawn = visitor.get(&made.location).await.text;
    assert!(drawn.contains("in true proportion") && drawn.contains("times larger"));
    let svg = visitor.get_bytes(&format!("{}/file/svg", made.location)).await;
    assert!(String::from_utf8_lossy(&svg).contains("5: 772 mm"));
    let bad = begin(&visitor, "sheer", &fields("0; 900; 900\nx; 1; 1")).await;
    assert!(bad.status == 422 && bad.text.contains("line 2: write"), "{}", bad.text);
}

#[tokio::test]
async fn the_second_to_change_a_job_sees_both() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let here = begin(&visitor, "deck", &DECK).await.location;
    let stale = visitor.get(&format!("{here}/edit")).await.text;
    let sent = visitor.send(&format!("{here}/edit"), &here, &changed(&DECK, "plank", "50")).await;
    assert_eq!(sent.status, 303);
    let fields = changed(&DECK, "plank", "40");
    let version = keys(&stale, &here);
    let mut mine = with_keys(&version, &fields);
    mine.push(("version".into(), "1".into()));
    let both = visitor.post(&here, &mine).await;
    assert_eq!(both.status, 422);
    let page = words(&both.text);
    assert!(page.contains("somebody else changed it meanwhile") && page.contains("Theirs, as saved"), "{page}");
    assert!(page.contains("50 mm") && page.contains("40"), "{page}");
    // Saved again it is taken.
    let again = visitor.post(&here, &with_keys(&keys(&both.text, &here), &changed(&fields, "version", "2"))).await;
    assert_eq!(again.status, 303, "{}", again.text);
}

#[tokio::test]
async fn a_spar_is_mended_stave_by_stave_from_the_lengths_there_are() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let page = words(&visitor.get("/boats/1/jobs/1").await.text);
    // Staves 2 and 3 are neighbours: they come out in turns, and the second waits for the first to cure.
    for said in [
        "Taken out in turns 2",
        "mending takes fewer hours than a new spar of wood",
        "Wall 18 mm",
        "Once the turn before has cured, saw out stave 3",
    ] {
        assert!(page.contains(said), "{said}: {page}");
    }
    // No quote holds it, and the page of the quote says so.
    let quote = words(&visitor.get("/boats/1/quote").await.text);
    assert!(quote.contains("Whole jobs are not in this quote, agree on them apart: Topmast, three staves,"), "{quote}");
    let work = words(&visitor.get("/boats/1/work").await.text);
    assert!(work.contains("Topmast, three staves") && work.contains("Cracks along paint or cloth opened"));
    let short = [
        ("kind", "spar"),
        ("name", "Boom"),
        ("length", "3 m"),
        ("staves", "8"),
        ("taper", "0, 90"),
        ("ratio", "12"),
        ("species", "sitka_spruce"),
        ("soft", "1, 200, 900"),
        ("stock", "400"),
    ];
    let here = begin(&visitor, "spar", &short).await.location;
    let page = words(&visitor.get(&here).await.text);
    assert!(page.contains("it cannot be mended so: the stock does not reach"), "{page}");
    let wrong = begin(&visitor, "spar", &changed(&short, "soft", "9, 200, 900")).await;
    assert!(wrong.status == 422 && wrong.text.contains("there are staves 1 to 8"));
}

#[tokio::test]
async fn other_work_is_written_down_reordered_booked_and_planned() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let own = [
        ("kind", "own"),
        ("name", "Haul out the engine"),
        ("what0", "Clear the hatch"),
        ("operation0", "inspect"),
        ("hours0", "2"),
        ("what2", "Lift it"),
        ("operation2", "shore"),
        ("hours2", "3"),
        ("wait2", "12"),
        ("heavy2", "1"),
    ];
    let here = begin(&visitor, "own", &own).await.location;
    let page = words(&visitor.get(&here).await.text);
    assert!(page.contains("Clear the hatch 2") && page.contains("Lift it 3") && page.contains("then 12 h"), "{page}");
    // Rows left empty close up; what is wrong is told at its own row.
    let wrong = begin(&visitor, "own", &changed(&own, "hours2", "none")).await;
    assert!(wrong.status == 422 && wrong.text.contains("Lift it"));
    let at = wrong.text.find("name=\"hours2\"").unwrap();
    assert!(wrong.text[at - 200..at].contains("is-invalid"));
    assert_eq!(begin(&visitor, "own", &own[..2]).await.status, 422);
    // Both stand in the yard's plan, and the wait is a wait.
    let hours = [
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
        ("version", "1"),
    ];
    visitor.send("/plan", "/plan/hours", &hours).await;
    assert_eq!(visitor.send("/plan", "/plan", &[]).await.status, 303);
    let table = visitor.get("/plan.csv").await.text;
    let of_job: Vec<&str> = table.lines().filter(|l| l.contains("Haul out the engine")).collect();
    assert!(
        of_job.iter().any(|l| l.contains("Clear the hatch")) && of_job.iter().any(|l| l.contains("Cures")),
        "{table}"
    );
    // What is kept where it is done is planned with it: the demo's refastening, her seam, and the varnish.
    for said in ["crossings to refasten", "m of seams", "Lady Teasel"] {
        assert!(table.contains(said), "{said}: {table}");
    }
    let work = words(&visitor.get("/boats/1/work").await.text);
    assert!(work.contains("Also open, and in the plan") && work.contains("crossings to refasten"), "{work}");
    assert!(!visitor.get("/plan").await.text.contains("are not in this plan"));
}

#[tokio::test]
async fn jobs_travel_with_her_dossier_and_a_guest_reads_his_own() {
    let server = Server::demo();
    let visitor = enter(&server).await;
    let csv = visitor.get("/boats/1/lists/job.csv").await;
    assert!(csv.status == 200 && csv.text.contains("Topmast, three staves"), "{}", csv.text);
    let list = words(&visitor.get("/boats/3/jobs").await.text);
    assert!(list.contains("Foredeck Laid deck 0 of") && list.contains("Covering board, foredeck"), "{list}");
    let edge = words(&visitor.get("/boats/3/jobs/4").await.text);
    // Her sides differ by 3 mm at one station, where starboard leaves its own line.
    assert!(edge.contains("starboard leaves its own line: move starboard"), "{edge}");
    assert!(edge.contains("Landing of constant width 19 mm"), "{edge}");
}

/// A mark: where it is in the picture, px, and on the panel, mm.
type Seen = ([f64; 2], [f64; 2]);

/// A picture of a panel of 600 × 400 mm on a dark bench, seen a little askew, with six marks on it. Gives the file and the marks.
fn photograph() -> (NamedTempFile, Vec<Seen>) {
    // The camera: mm to px.
    let seen = |x: f64, y: f64| {
        let w = 1.0 + 0.000_12 * x + 0.000_08 * y;
        [(180.0 + 1.1 * x + 0.08 * y) / w, (760.0 - 0.05 * x - 1.15 * y) / w]
    };
    let corners = [[0.0, 0.0], [600.0, 0.0], [600.0, 400.0], [0.0, 400.0]].map(|[x, y]| seen(x, y));
    let inside = |p: [f64; 2]| {
        (0..4).all(|i| {
            let (a, b) = (corners[i], corners[(i + 1) % 4]);
            (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]) <= 0.0
        })
    };
    let picture = RgbImage::from_fn(1_000, 900, |x, y| {
        if inside([f64::from(x), f64::from(y)]) { Rgb([214, 190, 150]) } else { Rgb([60, 60, 66]) }
    });
    let file = tempfile::Builder::new().suffix(".png").tempfile().unwrap();
    picture.save_with_format(file.path(), ImageFormat::Png).unwrap();
    let places = [[50.0, 50.0], [550.0, 60.0], [540.0, 350.0], [40.0, 340.0], [300.0, 30.0], [310.0, 370.0]];
    (file, places.map(|[x, y]| (seen(x, y), [x, y])).into())
}

#[tokio::test]
async fn a_template_is_traced_from_a_photograph_and_nested_on_a_sheet() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    let (file, marks) = photograph();
    b.go("/boats/2/jobs").await;
    b.choose("kind", "template").await;
    b.press(&b.find_text("button", "Begin it").await).await;
    b.arrives("/jobs/new").await;
    b.fill("name", "Locker front").await;
    b.find("#f-photo").await.send_keys(file.path().to_str().unwrap()).await.unwrap();
    b.press(&b.find_text("button", "Work it out").await).await;
    b.find_text(".fault", "the picture is here").await;
    b.comes_true("document.querySelector('.trace-picture img').naturalWidth > 0").await;
    // A click writes where it is in the picture; where the mark lies is typed behind it.
    b.click(".trace-picture").await;
    let clicked = b.find("#f-marks").await.prop("value").await.unwrap().unwrap();
    let px: Vec<f64> = clicked.split(';').filter_map(|t| t.trim().parse().ok()).collect();
    assert!(
        px.len() == 2 && (px[0] - 500.0).abs() < 5.0 && (200.0..700.0).contains(&px[1]),
        "in the middle of what is seen of it: {clicked}"
    );
    b.press(&b.find_text("button", "Take the last one off").await).await;
    assert_eq!(b.find("#f-marks").await.prop("value").await.unwrap().unwrap(), "");
    let lines = |list: &[String]| list.join("\n");
    let typed: Vec<String> =
        marks.iter().map(|(px, mm)| format!("{:.1}; {:.1}; {}; {}", px[0], px[1], mm[0], mm[1])).collect();
    b.fill("marks", &lines(&typed)).await;
    // The panel's own corners, as the camera sees them.
    let w = |x: f64, y: f64| 1.0 + 0.000_12 * x + 0.000_08 * y;
    let corner = |x: f64, y: f64| {
        format!("{:.1}; {:.1}", (180.0 + 1.1 * x + 0.08 * y) / w(x, y), (760.0 - 0.05 * x - 1.15 * y) / w(x, y))
    };
    let outline = [corner(0.0, 0.0), corner(600.0, 0.0), corner(600.0, 400.0), corner(0.0, 400.0)];
    b.fill("traced", &lines(&outline)).await;
    b.press(&b.find_text("button", "Work it out").await).await;
    b.arrives("/boats/2/jobs/").await;
    // Nobody said that it is flat: it is not cut to.
    b.find_text(".against-text", "Generated, do not cut").await;
    b.press(&b.find_text("a", "Change it").await).await;
    b.arrives("/edit").await;
    b.click("input[name=flat]").await;
    b.press(&b.find_text("button", "Work it out").await).await;
    b.find_text("dt", "Least sure point").await;
    let facts = words(&b.text().await);
    assert!(!facts.contains("Generated, do not cut"), "{facts}");
    assert!(facts.contains("0.60 m") && facts.contains("0.40 m"), "600 by 400 mm: {facts}");
    b.comes_true("document.querySelector('.job-drawing image')?.getBoundingClientRect().height > 100").await;
    // On the rack it lies among what may be nested, and one is cut from a sheet.
    b.go("/rack/nest").await;
    let row = b.find_text("tr", "Locker front").await;
    let field = row.find(thirtyfour::By::Css("input")).await.unwrap();
    field.clear().await.unwrap();
    field.send_keys("2").await.unwrap();
    b.fill("seconds", "1").await;
    b.press(&b.find_text("form button", "Nest").await).await;
    b.find_text("h1", "Sheets").await;
    b.find(".board-piece").await;
    assert!(b.text().await.contains("1 of 2440 × 1220"), "{}", b.text().await);
    b.close().await;
}

#[tokio::test]
async fn a_deck_goes_from_its_outline_to_bags_and_a_mast_from_bad_staves_to_its_stock() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/boats/3/jobs/new?kind=deck").await;
    b.fill("name", "Side deck").await;
    b.fill("outline", "0, 900\n1500, 1000\n3000, 950").await;
    b.click("input[name=measured]").await;
    b.fill("beams", "400\n800\n1200\n1600\n2000\n2400\n2800").await;
    b.choose("species", "teak").await;
    b.press(&b.find_text("button", "Work it out").await).await;
    b.find_text("dt", "Bags to weigh it down").await;
    b.find(".job-drawing .deck-seam").await;
    assert!(b.axe().await.is_empty(), "{:?}", b.axe().await);
    b.press(&b.find_text("a", "Do the work").await).await;
    b.find_text("h2", "Side deck").await;
    b.find_text("b", "Hatches and what is below").await;

    b.go("/boats/1/jobs/1/edit").await;
    b.fill("soft", "2; 350; 1150\n6; 600; 1000").await;
    b.fill("stock", "1800\n1500").await;
    b.press(&b.find_text("button", "Work it out").await).await;
    b.find_text("dt", "Taken out in turns").await;
    let told = words(&b.text().await);
    assert!(told.contains("saw out staves 2, 6"), "they are no neighbours: one turn: {told}");
    assert_eq!(b.page.find_all(thirtyfour::By::Css(".spar-new")).await.unwrap().len(), 2);
    assert!(b.axe().await.is_empty());
    b.close().await;
}

#[tokio::test]
async fn a_job_is_of_the_parts_its_kind_is_made_of() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let parts = async |boat: i64, kind: &str| -> Vec<String> {
        let page = visitor.get(&format!("/boats/{boat}/jobs/new?kind={kind}")).await.text;
        let select = page.split_once("name=\"part\"").expect("what it is of").1.split("</select>").next().unwrap();
        select
            .split("<option")
            .skip(2)
            .map(|o| o.split_once('>').unwrap().1.split('<').next().unwrap().to_owned())
            .collect()
    };
    let spars = parts(1, "spar").await;
    assert!(
        !spars.is_empty() && spars.iter().all(|name| !name.contains("Frame") && !name.contains("Beam")),
        "{spars:?}"
    );
    let deck = parts(3, "deck").await;
    assert!(deck.iter().any(|name| name.starts_with("Covering board")), "{deck:?}");
    assert!(deck.iter().all(|name| !name.starts_with("Frame") && !name.starts_with("Keel")), "{deck:?}");
    // A fitting may bear on anything.
    assert!(parts(3, "fitting").await.iter().any(|name| name.starts_with("Frame 1")));
}
