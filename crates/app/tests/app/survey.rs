//! The survey through the real pages: quick entry, readings, the draw, photos, the grid, files in and out.

use reqwest::multipart::{Form, Part};
use thirtyfour::{By, Key};

use crate::support::{Answer, BOAT, Browser, CRACK, Server, Visitor, but, flat, keys, with_keys};

/// A finding as quick entry sends it.
const QUICK: [(&str, &str); 7] = [
    ("place", "P5 F9"),
    ("kind", "crack"),
    ("grade", "watch"),
    ("certainty", "suspected"),
    ("method", "look"),
    ("cause", "unknown"),
    ("note", ""),
];

async fn upload(visitor: &Visitor, page: &str, action: &str, file: &str) -> Answer {
    let keys = keys(&visitor.get(page).await.text, action);
    let mut form = Form::new();
    for (name, value) in keys {
        form = form.text(name, value);
    }
    let form = form.part("file", Part::text(file.to_owned()).file_name("rows.csv"));
    let sent = visitor.client.post(format!("{}{action}", visitor.base)).multipart(form).send().await.unwrap();
    let status = sent.status().as_u16();
    Answer { status, location: String::new(), policy: String::new(), text: flat(&sent.text().await.unwrap()) }
}

#[tokio::test]
async fn what_a_look_is_to_say_is_chosen_and_never_taken_for_granted() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (form, action) = ("/boats/1/readings/new?at=P5+F12", "/boats/1/readings/new?at=P5%20F12");
    let page = visitor.get(form).await.text;
    for field in ["ring", "fastening", "metal", "wood", "filler"] {
        let list = page.split(&format!("name=\"{field}\"")).nth(1).unwrap().split("</select>").next().unwrap();
        assert!(list.contains("<option value=\"\">choose</option>") && !list.contains(" selected"), "{field}: {list}");
    }
    let told = visitor.get("/boats/1/story").await.text.matches("P5 F12").count();
    for (fields, lacks) in [
        (vec![("method", "sound")], 1),
        (vec![("method", "feeler"), ("seam_width", "3")], 1),
        (vec![("method", "draw_fastening"), ("original_diameter", "6"), ("remaining_diameter", "5")], 3),
    ] {
        let refused = visitor.send(form, action, &fields).await;
        assert_eq!((refused.status, refused.text.matches(">choose one<").count()), (422, lacks), "{fields:?}");
    }
    assert_eq!(visitor.get("/boats/1/story").await.text.matches("P5 F12").count(), told, "nothing was written down");
    let said = [("method", "sound"), ("ring", "dull")];
    assert_eq!(visitor.send(form, action, &said).await.status, 303);
}

#[tokio::test]
async fn quick_entry_needs_a_place_and_a_kind_and_nothing_else() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = "/boats/1/quick";
    let kept = visitor.send(page, page, &QUICK).await;
    assert_eq!(kept.status, 303, "{}", kept.text);
    assert!(kept.location.starts_with("/boats/1/quick?at=P5+F9&like="));
    let again = visitor.get(&kept.location).await.text;
    assert!(again.contains("✓ Kept") && again.contains("value=\"P5 F9\""), "the same again is ready");
    for (field, value, told) in [
        ("place", "P99 F9", "strake"),
        ("place", "somewhere", "there is no SOMEWHERE on this boat"),
        ("place", "P5", "write a place as P7 F12"),
        ("place", "FR99P 1", "there is no FR99P on this boat"),
        ("kind", "hole", "choose one"),
        ("certainty", "confirmed", "how long is it?"),
        ("grade", "", "this reading alone does not give one"),
    ] {
        let fields = but(&but(&QUICK, "note", "typed before"), field, value);
        let answer = visitor.send(page, page, &fields).await;
        assert_eq!(answer.status, 422, "{field} {value}");
        assert!(answer.text.contains(told), "{field} {value}: {told}");
        assert!(answer.text.contains("typed before"), "nothing typed is lost");
    }
    let nothing: Vec<(&str, &str)> = but(&QUICK, "place", "KEEL 3").into_iter().chain([("nothing", "1")]).collect();
    assert_eq!(visitor.send(page, page, &nothing).await.status, 303);
    assert!(visitor.get("/boats/1/story").await.text.contains("Looked over KEEL metre 3, look: nothing found"));
    let confirmed: Vec<(&str, &str)> =
        but(&QUICK, "certainty", "confirmed").into_iter().chain([("along", "120"), ("depth", "6")]).collect();
    assert_eq!(visitor.send(page, page, &confirmed).await.status, 303);
}

/// The page, the form on it, what is sent, and a part of the fault it is told.
type Case = (&'static str, &'static str, Vec<(&'static str, &'static str)>, &'static str);

#[tokio::test]
async fn every_form_of_the_survey_tells_its_fault_at_its_field() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let long: &'static str = Box::leak("x".repeat(5_000).into_boxed_str());
    let cases: [Case; 16] = [
        (
            "/boats/1/survey/coverage",
            "/boats/1/looked",
            vec![("from", "P99 F1"), ("method", "look"), ("typed", "1")],
            "they go from 1 to 13",
        ),
        (
            "/boats/1/survey/coverage",
            "/boats/1/looked",
            vec![("from", "P1 F1"), ("to", "P2 F9"), ("method", "look"), ("typed", "1")],
            "is not on the same part",
        ),
        ("/boats/1/survey/sample", "/boats/1/survey/sample/at-middle", vec![("count", "-4")], "must be"),
        (
            "/boats/1/survey/sample",
            "/boats/1/survey/sample/at-middle",
            vec![("count", "1e3")],
            "must be a whole number",
        ),
        (
            "/boats/1/survey/lines",
            "/boats/1/survey/lines",
            vec![("what", "keel"), ("points", "0, 0\n1000, 4")],
            "needs at least 3 points",
        ),
        (
            "/boats/1/survey/lines",
            "/boats/1/survey/lines",
            vec![("what", "keel"), ("points", "0, 0\n1000, 4\n900, 2")],
            "line 3: x must rise",
        ),
        (
            "/boats/1/survey/past",
            "/boats/1/survey/past",
            vec![("from", "P5 F9"), ("kind", "filler"), ("quality", "poor"), ("note", long)],
            "must have no more than 4000 characters",
        ),
        (
            "/boats/1/survey/past",
            "/boats/1/survey/past",
            vec![("from", ""), ("kind", "filler"), ("quality", "poor")],
            "write a place as",
        ),
        (
            "/boats/1/survey/salvage",
            "/boats/1/survey/salvage/fitting",
            vec![("place", "P5 F9"), ("name", "Cleat"), ("count", "-1")],
            "must be between 1 and 10000",
        ),
        (
            "/boats/1/survey/salvage",
            "/boats/1/survey/salvage/timber",
            vec![
                ("place", "P5 F9"),
                ("tag", "L-01"),
                ("species", "balsa"),
                ("grain", "quarter"),
                ("length", "900"),
                ("width", "100"),
                ("thickness", "20"),
            ],
            "choose one",
        ),
        (
            "/boats/1/readings/new?at=P5+F12",
            "/boats/1/readings/new?at=P5%20F12",
            vec![("method", "meter"), ("meter", "wet"), ("wood_temperature", "")],
            "must be a number",
        ),
        (
            "/boats/1/readings/new?at=P5+F12",
            "/boats/1/readings/new?at=P5%20F12",
            vec![
                ("method", "draw_fastening"),
                ("original_diameter", "4"),
                ("remaining_diameter", "5"),
                ("fastening", "screw"),
                ("metal", "bronze"),
                ("wood", "sound"),
            ],
            "must not be more than the original diameter",
        ),
        (
            "/boats/1/members/3?at=P1+F3",
            "/boats/1/members/3?at=P1%20F3",
            vec![("thickness", "9 m"), ("species", "western_larch"), ("version", "1")],
            "must be between 2 and 300 mm",
        ),
        ("/boats/1/grid", "/boats/1/grid/width", vec![("place", "P5 F9"), ("width", "-3")], "must be greater than 0"),
        (
            "/boats/1/grid",
            "/boats/1/grid/remove_frame",
            vec![("frame", "1")],
            "a frame between the ends can be taken out",
        ),
        (
            "/boats/1/grid",
            "/boats/1/grid/width",
            vec![("place", "P5 F9"), ("width", "150"), ("version", "1")],
            "somebody corrected the grid meanwhile",
        ),
    ];
    for (page, action, fields, told) in cases {
        // The form's own version would come first: what is sent here is meant.
        let own = keys(&visitor.get(page).await.text, action);
        let own: Vec<_> = own.into_iter().filter(|(k, _)| !fields.iter().any(|f| f.0 == k)).collect();
        let answer = visitor.post(action, &with_keys(&own, &fields)).await;
        assert_eq!(answer.status, 422, "{action} {fields:?}");
        let faults: Vec<&str> =
            answer.text.split("class=\"fault").skip(1).map(|f| &f[..f.find('<').unwrap()]).collect();
        assert!(faults.iter().any(|fault| fault.contains(told)), "{action}: no “{told}” in {faults:?}");
    }
}

#[tokio::test]
async fn a_grid_is_corrected_and_what_was_found_is_still_found() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let grid = "/boats/1/grid";
    let send =
        async |edit: &str, fields: &[(&str, &str)]| visitor.send(grid, &format!("{grid}/{edit}"), fields).await.status;
    assert_eq!(send("width", &[("place", "P5 F9"), ("width", "151")]).await, 303);
    assert!(visitor.get("/boats/1/place?at=P5+F9").await.text.contains("151 mm, measured"));
    assert_eq!(send("add_frame", &[("frame", "3")]).await, 303);
    assert!(
        visitor.get("/boats/1/place?at=P5+F13").await.text.contains("Opened when the coating came off")
            || visitor.get("/boats/1/survey").await.text.contains("P5 F13")
    );
    assert_eq!(send("numbering", &[("frames_from", "aft"), ("strakes_from", "keel")]).await, 303);
    let survey = visitor.get("/boats/1/survey").await.text;
    // 35 frames now: what was frame 13 from forward is 23 from aft; links keep the grid's own numbers.
    assert!(survey.contains("P5 F23") && survey.contains("/boats/1?at=P5%20F13"));
    assert_eq!(visitor.get("/boats/1/find?q=P5+F23").await.location, "/boats/1?at=P5%20F13");

    let csv = visitor.get("/boats/1/grid.csv").await.text;
    let broken = csv.replacen("width,port,5,9,", "width,port,50,9,", 1);
    let refused = upload(&visitor, grid, "/boats/1/grid.csv", &broken).await;
    assert_eq!(refused.status, 422);
    assert!(refused.text.contains("they go from 1 to 13") && refused.text.contains("nothing was taken yet"));
    let offsets = [
        ("unit", "in"),
        ("table", "kind,name,at,0,36,72\nheight,Sheer,,2-1-0,1-11-4,2-0-0\nhalf_breadth,Sheer,,0-6-0,1-9-2,x\n"),
    ];
    let page = "/boats/2/offsets";
    let told = visitor.send(page, page, &offsets).await;
    assert!(told.status == 422 && told.text.contains("<td class=\"num\">3</td><td>6</td>"), "{}", told.text);
    let good: Vec<(&str, &str)> = offsets.into_iter().chain([("good", "1")]).collect();
    assert_eq!(visitor.send(page, page, &good).await.status, 303);
    assert!(visitor.get("/boats/2/offsets.csv").await.text.contains("Sheer"));
    assert!(visitor.get(page).await.text.contains("lines-plan"));
}

#[tokio::test]
async fn a_survey_goes_out_and_comes_back_without_loss() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    for name in ["Sable Plover", "Twin Plover"] {
        assert_eq!(visitor.send("/boats/new", "/boats/new", &but(&BOAT, "name", name)).await.status, 303);
    }
    let at = "/boats/4/findings/new?at=P5+F9";
    let marked: Vec<(&str, &str)> = but(&CRACK, "method", "spike")
        .into_iter()
        .chain([("spike", "4"), ("note", "=SUM(A1); “wet”,\n\"soft\"")])
        .collect();
    assert_eq!(visitor.send(at, "/boats/4/findings/new?at=P5%20F9", &marked).await.status, 303);
    let frame = "/boats/4/findings/new?at=FR7P+1";
    assert_eq!(
        visitor
            .send(
                frame,
                "/boats/4/findings/new?at=FR7P%201",
                &but(&but(&CRACK, "shape", "10, 10\n30, 12"), "kind", "rot")
            )
            .await
            .status,
        303
    );

    for file in ["findings", "readings"] {
        let out = visitor.get(&format!("/boats/4/survey/{file}.csv")).await.text;
        let page = "/boats/5/survey/files";
        let offer = upload(&visitor, page, page, &out).await;
        assert_eq!(offer.status, 200, "{}", offer.text);
        assert!(offer.text.contains(&format!("The file holds {file}")));
        let kept = keys(&offer.text, page);
        let taken = [("text", out.as_str())];
        assert_eq!(visitor.post(page, &with_keys(&kept, &taken)).await.status, 303);
        assert_eq!(visitor.get(&format!("/boats/5/survey/{file}.csv")).await.text, out, "{file}");
        // Taken once more, everything is here already.
        let again = upload(&visitor, page, page, &out).await.text;
        assert!(again.contains("<b>0</b> rows can be taken") && again.contains("here already"), "{again}");
    }
    let bad = "place,kind,grade,shape_mm,note\nP5 F9,crack,mend,30 50;90 52,good row\nP5 F9,crack,mend,9000 50,off the plank\nP55 F9,rot,mend,1 1,no such strake\n";
    let page = "/boats/5/survey/files";
    let offer = upload(&visitor, page, page, bad).await;
    assert_eq!(offer.status, 422);
    assert!(offer.text.contains("Take the 1 good row<") || offer.text.contains("Take the 1 good row"));
    for (line, column) in [(3, "shape_mm"), (4, "place")] {
        assert!(offer.text.contains(&format!("<td class=\"num\">{line}</td><td>{column}</td>")), "{}", offer.text);
    }
    let pdf = visitor.client.get(format!("{}/boats/1/survey.pdf", visitor.base)).send().await.unwrap();
    assert_eq!(pdf.headers()["content-type"], "application/pdf");
    assert!(pdf.bytes().await.unwrap().starts_with(b"%PDF-"));
}

/// A hand that counts what it does: taps, drags, and fields typed into.
struct Hand<'b> {
    b: &'b Browser,
    taps: u32,
    typed: u32,
}

impl Hand<'_> {
    async fn tap(&mut self, element: &thirtyfour::WebElement) {
        self.b.press(element).await;
        self.taps += 1;
    }

    async fn types(&mut self, field: &thirtyfour::WebElement, text: &str) {
        field.send_keys(text).await.unwrap();
        self.typed += 1;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn from_the_phones_home_screen_a_common_finding_takes_four_taps_and_one_address() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    b.go("/").await;
    let mut hand = Hand { b: &b, taps: 0, typed: 0 };
    hand.tap(&b.find_text("h2 a", "Brindle Wren").await).await;
    b.arrives("/boats/1").await;
    hand.tap(&b.find(".quick-link").await).await;
    b.arrives("/quick").await;
    // The page begins in its first field.
    b.comes_true("document.activeElement && document.activeElement.name === 'place'").await;
    hand.types(&b.find("input[name=place]").await, "p3 f9").await;
    hand.tap(&b.find("input[name=kind][value=crack]").await).await;
    hand.tap(&b.find_text("button", "Mark it").await).await;
    b.find_text(".note-bar", "Kept: Crack at P3 F9").await;
    assert_eq!((hand.taps, hand.typed), (4, 1));
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn on_a_desk_a_common_finding_takes_six_actions_from_the_map() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 800).await;
    b.go("/boats/1").await;
    b.comes_true("document.activeElement && document.activeElement.id === 'map'").await;
    let mut hand = Hand { b: &b, taps: 0, typed: 0 };
    hand.types(&b.find("#find").await, "S6 F20\u{e007}").await;
    b.find_text("#panel h2", "S6 F20").await;
    b.comes_true("document.activeElement && document.activeElement.id === 'map'").await;
    b.page.action_chain().send_keys("c").perform().await.unwrap();
    hand.typed += 1;
    b.arrives("/findings/new?kind=crack").await;
    let plank = b.find("#plank").await;
    let drag = b.page.action_chain().move_to_element_center(&plank).click_and_hold();
    drag.move_by_offset(70, 2).release().perform().await.unwrap();
    hand.taps += 1;
    hand.types(&b.find("input[name=depth]").await, "7").await;
    hand.tap(&b.find("input[name=grade][value=mend]").await).await;
    hand.tap(&b.find_text("button", "Mark it").await).await;
    b.arrives("/boats/1?at=S6").await;
    assert!(hand.taps + hand.typed <= 6, "{} taps, {} typed", hand.taps, hand.typed);
    b.find_text("#panel", "Crack").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn the_common_finding_takes_a_phone_two_taps() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    b.go("/boats/1?at=S6+F20").await;
    b.press(&b.find(".quick-link").await).await;
    b.arrives("/quick").await;
    b.fill("place", "s6 f20").await;
    b.click("input[name=kind][value=split]").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text(".note-bar", "Kept: Split at S6 F20").await;
    // Same again, one frame aft and one strake up.
    b.click("[aria-label='One frame aft']").await;
    b.click("[aria-label='One strake higher']").await;
    assert_eq!(b.find("#q-place").await.prop("value").await.unwrap().unwrap(), "S7 F21");
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text(".note-bar", "Kept: Split at S7 F21").await;
    // Held by hand, the page is no wider than the phone and every button large enough for a glove.
    let small = "return [...document.querySelectorAll('.quick button, .quick .pick')].filter(e => e.offsetParent && e.getBoundingClientRect().height < 44).length
        + (document.documentElement.scrollWidth > window.innerWidth ? 100 : 0)";
    assert_eq!(b.page.execute(small, vec![]).await.unwrap().convert::<u32>().unwrap(), 0);
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn every_surface_is_walked_by_keyboard_and_looked_at_by_layer() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/boats/1?surface=frames").await;
    let map = b.find("#map").await;
    map.focus().await.unwrap();
    map.send_keys(Key::Right + "").await.unwrap();
    b.find_text("#panel h2", "FR1P head").await;
    map.send_keys(Key::Right + "").await.unwrap();
    b.find_text("#panel h2", "FR2P head").await;
    map.send_keys(Key::Down + "").await.unwrap();
    b.find_text("#panel h2", "FR2P middle").await;
    map.send_keys("d").await.unwrap();
    b.arrives("kind=dry_rot").await;
    b.find_text("h1", "FR2P middle").await;

    b.go("/boats/1?at=P13+F8").await;
    b.click("#layer option[value=moisture]").await;
    b.find("#map[data-layer=moisture]").await;
    b.find_text("[data-legend=moisture]", "nobody measured near").await;
    let map = b.find("#map").await;
    map.focus().await.unwrap();
    map.send_keys("+++").await.unwrap();
    b.find("#map[data-zoom='3']").await;
    map.send_keys("+++").await.unwrap();
    b.arrives("/crossing?at=P13").await;
    b.find("#crossing .hole").await;
    b.press(&b.find_text("a", "Mark here").await).await;
    assert_eq!(b.find("#q-place").await.prop("value").await.unwrap().unwrap(), "P13 F8");
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_simulated_instrument_fills_the_fields_and_readings_make_a_series() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    for n in 1..=2 {
        b.go("/boats/1/findings/1").await;
        b.press(&b.find_text("a", "Read again").await).await;
        b.press(&b.find_text("button", "Read the meter").await).await;
        b.comes_true("document.querySelector('[name=meter]').value").await;
        assert!(b.find("[data-simulated-tag]").await.is_displayed().await.unwrap());
        if n == 2 {
            // A figure typed over is no longer the instrument's.
            b.fill("meter", "21").await;
            b.comes_true("document.querySelector('[data-simulated-tag]').hidden").await;
        }
        b.press(&b.find_text("button", "Keep the reading").await).await;
        b.arrives("/boats/1/findings/1").await;
    }
    assert_eq!(b.page.find_all(By::Css(".record .tag")).await.unwrap().len(), 1, "one of the two is simulated");
    b.find(".series-figure .series-line").await;

    // A circle drawn on the photo is kept beside it.
    let marks = "JSON.parse(document.querySelector('.photo-form').dataset.marks).length";
    b.comes_true(&format!("{marks} === 2")).await;
    b.comes_true("document.querySelector('.photo-frame img').naturalWidth > 0").await;
    let photo = b.find(".photo-frame svg").await;
    photo.scroll_into_view().await.unwrap();
    b.page
        .action_chain()
        .move_to_element_center(&photo)
        .click_and_hold()
        .move_by_offset(40, 10)
        .release()
        .perform()
        .await
        .unwrap();
    b.press(&b.find_text("button", "Keep the marks").await).await;
    b.comes_true(&format!("document.readyState === 'complete' && {marks} === 3")).await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn fastenings_are_picked_at_random_shown_on_the_map_and_drawn() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/boats/1/survey/sample").await;
    b.find_text("td", "36").await;
    let picks = b.page.find_all(By::Css(".picks li")).await.unwrap().len();
    b.fill("count", "3").await;
    b.click("form[action$='sample/above-ends'] button").await;
    b.comes_true(&format!("document.querySelectorAll('.picks li').length === {}", picks + 3)).await;
    b.go("/boats/1?layer=fastenings").await;
    // One more stands in the legend.
    b.comes_true(&format!("document.querySelectorAll(\"use[href='#g-pick']\").length === {}", picks + 4)).await;
    b.go("/boats/1/survey/sample").await;
    b.click(".picks a").await;
    b.press(&b.find_text("button", "Read the gauge").await).await;
    b.comes_true("document.querySelector('[name=remaining_diameter]').value").await;
    // A gauge does not know what it measures.
    b.choose("fastening", "boat_nail").await;
    b.choose("metal", "galvanised").await;
    b.press(&b.find_text("button", "Keep the reading").await).await;
    b.arrives("/survey/sample").await;
    b.comes_true(&format!("document.querySelectorAll('.picks li').length === {}", picks + 2)).await;
    b.close().await;
}

#[tokio::test]
async fn a_place_is_read_as_the_pages_print_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    for (typed, shown) in
        [("FR9P%20head", "FR9P head"), ("bm4%20Starboard", "BM4 starboard"), ("KEEL%20metre%203", "KEEL metre 3")]
    {
        let page = visitor.get(&format!("/boats/1?at={typed}")).await.text;
        let (code, cell) = shown.split_once(' ').unwrap();
        assert!(page.contains(code) && page.contains(cell) && !page.contains("there is no"), "{typed}: {page}");
        assert!(!page.contains("write a place as"), "{typed}");
    }
    let page = visitor.get("/boats/1?at=FR9P%20elbow").await.text;
    assert!(page.contains("write a place as"), "an unknown part of it is told: {page}");
}

#[tokio::test]
async fn a_joint_nobody_saw_is_assumed_and_no_conflict_until_somebody_sees_it() {
    let server = Server::serve();
    let visitor = Visitor::new(&server);
    crate::people::first_account(&visitor).await;
    let boat = visitor.send("/boats/new", "/boats/new", &crate::support::BOAT).await;
    assert_eq!(boat.status, 303, "{}", boat.text);
    let map = visitor.get("/boats/1").await.text;
    let assumed = map.matches("class=\"joint assumed\"").count();
    assert!(assumed > 4, "{assumed} joints of a planked hull of 7 m");
    assert!(map.contains("joint, assumed: nobody saw it"));
    assert!(!map.contains("joints too close"));
    let shape = visitor.get("/boats/1/shape").await.text;
    assert!(shape.contains("0 joints on both sides were seen"), "{shape}");

    // The bay of the first one, and the strake in which it lies.
    let bay = map.split("<title>joint in bay ").nth(1).unwrap().split(':').next().unwrap().to_owned();
    let mut place = String::new();
    for strake in 1..=11 {
        let at = format!("P{strake}+F{bay}");
        if visitor.get(&format!("/boats/1/place?at={at}")).await.text.contains("I see the joint") {
            place = at;
            break;
        }
    }
    assert!(!place.is_empty(), "no strake offers its joint in bay {bay}");
    let page = format!("/boats/1?at={place}");
    let seen = visitor.send(&page, "/boats/1/grid/see", &[("kind", "scarf_aft")]).await;
    assert!(seen.location.starts_with("/boats/1?at=P"), "{}: {}", seen.status, seen.text);
    let after = visitor.get(&page).await.text;
    assert_eq!(after.matches("class=\"joint assumed\"").count(), assumed - 1);
    assert!(after.contains(&format!("in bay {bay}</dd>")) && !after.contains("I see the joint"));
    assert!(visitor.get("/boats/1/shape").await.text.contains("1 joints on both sides were seen"));
}

#[tokio::test]
async fn simulated_instruments_are_off_in_a_real_yard_until_it_turns_them_on_and_then_only_count_while_they_are() {
    let server = Server::serve();
    let visitor = Visitor::new(&server);
    crate::people::first_account(&visitor).await;
    visitor.send("/boats/new", "/boats/new", &crate::support::BOAT).await;
    let reading = "/boats/1/readings/new?at=P3%20F9";
    let simulate = "/boats/1/simulate/meter?at=P3%20F9";
    assert!(!visitor.get(reading).await.text.contains("data-instrument"));
    let refused = visitor.get(simulate).await;
    assert!(refused.status == 409 && refused.text.contains("turns them on in Practice"), "{}", refused.status);
    assert_eq!(visitor.get("/rack/prices.csv").await.status, 409);

    let yard = [("name", "Test Yard"), ("unit", "mm"), ("inch_denominator", "16")];
    let on = [yard[0], yard[1], yard[2], ("stand_ins", "1")];
    assert_eq!(visitor.send("/practice", "/practice", &on).await.status, 303);
    assert!(visitor.get(reading).await.text.contains("data-instrument=\"meter\""));
    let fields: serde_json::Value = serde_json::from_str(&visitor.get(simulate).await.text).unwrap();
    let shown = fields["meter"].as_str().unwrap();
    let taken = [("method", "meter"), ("meter", shown), ("wood_temperature", "12"), ("simulated", "1")];
    // The page's script marks the hidden field; without it the field says nothing.
    let mut keys = crate::support::keys(&visitor.get(reading).await.text, reading);
    keys.retain(|(name, _)| name != "simulated");
    assert_eq!(visitor.post(reading, &crate::support::with_keys(&keys, &taken)).await.status, 303);
    let place = "/boats/1/place?at=P3+F9";
    assert!(visitor.get(place).await.text.contains("<span class=\"tag\">simulated</span>"));
    let spots = |page: &str| page.matches("class=\"spot-dot\"").count();
    assert_eq!(spots(&visitor.get("/boats/1").await.text), 1);

    assert_eq!(visitor.send("/practice", "/practice", &yard).await.status, 303);
    assert!(!visitor.get(place).await.text.contains("simulated"), "off again: it counts nowhere");
    assert_eq!(spots(&visitor.get("/boats/1").await.text), 0);
}

/// The value of a hidden field of a page.
fn hidden(html: &str, name: &str) -> String {
    let at = html.find(&format!("name=\"{name}\"")).unwrap_or_else(|| panic!("no {name}: {html}"));
    html[at..].split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned()
}

#[tokio::test]
async fn a_photo_that_came_with_a_form_stays_with_it_when_a_field_is_wrong() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/1/findings/new?at=P5%20F9";
    let tiny = include_bytes!("tiny.png").to_vec();
    let wrong = but(&CRACK, "depth", "deep");
    let back = visitor.send_photo(page, page, &wrong, tiny).await;
    assert_eq!(back.status, 422, "{}", back.text);
    let kept = hidden(&back.text, "kept_photos");
    assert!(kept.len() == 64 && back.text.contains("need not be picked again"), "{}", back.text);
    // The same form mended, without a file.
    let mut mended = CRACK.to_vec();
    mended.push(("kept_photos", &kept));
    let marks = "[[{\"kind\":\"circle\",\"from\":[0.2,0.2],\"to\":[0.4,0.4]}]]";
    mended.push(("kept_marks", marks));
    // What the page that came back holds in its hidden fields, and not what a new one would.
    let mut all = keys(&back.text, page);
    all.retain(|(name, _)| !name.starts_with("kept_"));
    let made = visitor.post(page, &with_keys(&all, &mended)).await;
    assert_eq!(made.status, 303, "{}", made.text);
    let list = visitor.get("/boats/1/survey").await.text;
    let newest = list
        .split("/boats/1/findings/")
        .skip(1)
        .filter_map(|rest| rest.chars().take_while(char::is_ascii_digit).collect::<String>().parse::<i64>().ok());
    let finding = newest.max().unwrap();
    let shown = visitor.get(&format!("/boats/1/findings/{finding}")).await.text;
    assert!(shown.contains(&format!("/photos/{kept}")), "{shown}");
    // Somebody else's invention is no photo.
    let mut invented = but(&CRACK, "depth", "deep");
    invented.push(("kept_photos", "../../mend-keel.db 0123"));
    let refused = visitor.post(page, &with_keys(&all, &invented)).await;
    assert!(refused.status == 422 && hidden(&refused.text, "kept_photos").is_empty());
}

#[tokio::test]
async fn a_long_survey_is_printed_beside_the_pages_and_crowded_cells_are_gathered() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let small = visitor.get_bytes("/boats/1/survey.pdf").await;
    assert!(small.starts_with(b"%PDF"));
    assert!(!visitor.get("/boats/1").await.text.contains("class=\"gathered\""), "no cell has many");
    server
        .sql(
            "INSERT INTO finding (boat_id, member_id, place, kind, method, shape, depth, grade, certainty, cause, note, by_name, at)
             WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 60)
             SELECT boat_id, member_id, place, kind, method, shape, depth, grade, certainty, cause, note, by_name, at
             FROM finding, n WHERE boat_id = 1 AND withdrawn = 0",
        )
        .await;
    let map = visitor.get("/boats/1").await.text;
    let gathered = map.matches("class=\"gathered\"").count();
    let drawn = map.matches("class=\"finding ").count();
    assert!(gathered > 5 && drawn < 100, "{gathered} gathered, {drawn} drawn");
    assert!(map.contains("61 findings, the worst"), "{map}");
    let begun = visitor.get("/boats/1/survey.pdf").await;
    assert!(begun.status == 303 && begun.location.starts_with("/jobs/"), "{}", begun.text);
    let began = std::time::Instant::now();
    let done = loop {
        let state: serde_json::Value =
            serde_json::from_str(&visitor.get(&format!("{}/state", begun.location)).await.text).unwrap();
        assert_eq!(state["failed"], serde_json::Value::Null, "{state}");
        if let Some(location) = state["location"].as_str() {
            break location.to_owned();
        }
        assert!(began.elapsed().as_secs() < 120, "{state}");
    };
    let pdf = visitor.get_bytes(&done).await;
    assert!(pdf.starts_with(b"%PDF") && pdf.len() > small.len());
}

#[tokio::test(flavor = "multi_thread")]
async fn going_back_to_a_form_finds_what_was_typed_and_rot_along_a_plank_is_drawn_on_the_whole_of_it() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/boats/1/findings/new?at=P5+F9").await;
    b.fill("depth", "14").await;
    b.fill("note", "Soft along the lower edge.").await;
    b.choose("cause", "standing_water").await;
    b.press(&b.find_text("a", "Draw on the whole part").await).await;
    b.arrives("whole=1").await;
    // The whole plank has more frames on it than the stretch round a place.
    let frames = "return document.querySelectorAll('#plank .frame-band').length";
    let whole: i64 = b.page.execute(frames, Vec::new()).await.unwrap().convert().unwrap();
    assert!(whole >= 15, "{whole}");
    b.page.back().await.unwrap();
    b.comes_true("document.querySelector('[name=note]')?.value === 'Soft along the lower edge.'").await;
    b.comes_true("document.querySelector('[name=depth]').value === '14'").await;
    b.comes_true("document.querySelector('[name=cause]').value === 'standing_water'").await;
    // A new visit is a new form.
    b.go("/boats/1/findings/new?at=P5+F9").await;
    b.comes_true("document.querySelector('[name=note]').value === ''").await;
    b.close().await;
}

/// The places a survey is told to look at next, as its crew call them.
async fn look_next(visitor: &Visitor) -> Vec<String> {
    let page = visitor.get("/boats/1/survey/coverage").await.text;
    let told = page.split("Look next:").nth(1).expect("the advice").split("</p>").next().unwrap();
    told.split("</a>").filter_map(|a| a.rsplit('>').next().map(str::to_owned)).filter(|a| !a.is_empty()).collect()
}

#[tokio::test]
async fn where_to_look_next_begins_beside_what_is_soft_and_leaves_out_what_was_seen() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let before = look_next(&visitor).await;
    assert!(before.len() >= 8, "{before:?}");
    // Looked over, the first one is told no more, and the others move up.
    let looked = [("method", "look"), ("from", before[0].as_str()), ("to", before[0].as_str()), ("typed", "1")];
    let over = visitor.send("/boats/1/survey/coverage", "/boats/1/looked", &looked).await;
    assert_eq!(over.status, 303, "{}", over.text);
    let after = look_next(&visitor).await;
    assert_eq!(after[..7], before[1..8]);
    // A soft place found where nobody looked: its neighbours come first, which were to come in the second half only.
    let (strake, frame) = after[6].split_once(" F").unwrap();
    let frame: u32 = frame.parse().unwrap();
    let path = format!("/boats/1/findings/new?at={strake}%20F{frame}");
    let rot = [
        ("kind", "rot"),
        ("method", "look"),
        ("grade", "mend"),
        ("certainty", "confirmed"),
        ("cause", "fresh_water"),
        ("depth", "6"),
        ("shape", "30, 40\n120, 40\n120, 90"),
    ];
    assert_eq!(visitor.send(&path, &path, &rot).await.status, 303);
    let beside = look_next(&visitor).await;
    for neighbour in [format!("{strake} F{}", frame - 1), format!("{strake} F{}", frame + 1)] {
        assert!(!after.contains(&neighbour) && beside.contains(&neighbour), "{neighbour} in {beside:?}");
    }
    assert!(!beside.contains(&after[6]), "where it was found somebody looked");
}
