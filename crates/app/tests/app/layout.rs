//! The working bench: on every main screen the drawing is what is seen first, at a desk and in the hand.

use crate::support::{Browser, Server, Visitor};

/// Main screens with a drawing: where, and the drawing.
const SCREENS: [(&str, &str); 15] = [
    ("/boats/1?at=P5+F12", ".bench-drawing"),
    ("/boats/1?surface=frames", ".bench-drawing"),
    ("/boats/1?surface=deck", ".bench-drawing"),
    ("/boats/1/parts/10/decide", ".bench-drawing"),
    ("/boats/1/together?part=10&part=35&part=46", ".bench-drawing"),
    ("/boats/1/order", ".bench-drawing"),
    ("/boats/1/decide/years", ".bench-drawing"),
    ("/boats/1/pieces/1", ".bench-drawing"),
    ("/boats/1/shapes/1", ".bench-drawing"),
    ("/boats/1/refasten/1", ".bench-drawing"),
    ("/boats/1/metals", ".bench-drawing"),
    ("/boats/1/seams/all", ".bench-drawing"),
    ("/plan", ".bench-drawing"),
    ("/rack/cut", ".bench-drawing"),
    ("/boats/1/timber", ".bench-drawing"),
];

/// Left, top, width, height of an element in the window.
async fn box_of(b: &Browser, css: &str) -> [f64; 4] {
    b.find(css).await;
    let script = format!(
        "const r = document.querySelector('{css}').getBoundingClientRect(); return [r.x, r.y, r.width, r.height]"
    );
    b.page.execute(script, vec![]).await.unwrap().convert().unwrap()
}

/// Words that are wider than the box they stand in, where nothing scrolls or cuts them on purpose.
const TOO_WIDE: &str = "return [...document.querySelectorAll('button, a, h1, h2, summary, label, dt, dd, th, p')]
    .filter((e) => e.checkVisibility() && e.clientWidth > 0 && e.scrollWidth > e.clientWidth + 2)
    .filter((e) => !['auto', 'scroll', 'hidden'].includes(getComputedStyle(e).overflowX))
    .map((e) => `${e.tagName} ${e.className}: ${e.textContent.trim().slice(0, 60)}`)";

async fn says(b: &Browser, script: &str) -> Vec<String> {
    b.page.execute(script, vec![]).await.unwrap().convert().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn at_a_desk_the_drawing_begins_high_and_is_tall_on_every_main_screen() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 800).await;
    let inner = "return [innerWidth - 1280, innerHeight - 800]";
    b.go("/").await;
    let [wide, high] = b.page.execute(inner, vec![]).await.unwrap().convert::<[f64; 2]>().unwrap();
    b.page.set_window_rect(0, 0, (1280.0 - wide) as u32, (800.0 - high) as u32).await.unwrap();
    let mut wrong = Vec::new();
    for (path, css) in SCREENS {
        b.go(path).await;
        let [_, top, _, height] = box_of(&b, css).await;
        if top >= 140.0 || height < 560.0 {
            wrong.push(format!("{path}: the drawing begins at {top} and is {height} high"));
        }
        let [_, _, header_width, header] = box_of(&b, ".top").await;
        if header > 49.0 {
            wrong.push(format!("{path}: a header of {header}"));
        }
        let across: f64 =
            b.page.execute("return document.documentElement.scrollWidth", vec![]).await.unwrap().convert().unwrap();
        if across > header_width + 1.0 {
            wrong.push(format!("{path}: {across} wide"));
        }
        wrong.extend(says(&b, TOO_WIDE).await.into_iter().map(|what| format!("{path}: too wide for its box: {what}")));
    }
    // Both sides of the hull, whole.
    b.go("/boats/1").await;
    let sides: Vec<[f64; 2]> = b
        .page
        .execute(
            "return [...document.querySelectorAll('#map .plank')].map((p) => p.getBoundingClientRect()).map((r) => [r.top, r.bottom])",
            vec![],
        )
        .await
        .unwrap()
        .convert()
        .unwrap();
    let [_, top, _, height] = box_of(&b, ".bench-drawing").await;
    if sides.iter().any(|[above, below]| *above < top || *below > top + height) || sides.len() < 26 {
        wrong.push("a side of the hull is not whole in the window".to_owned());
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn in_the_hand_the_drawing_lies_under_the_head_and_nothing_is_cut() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    let mut wrong = Vec::new();
    for (path, css) in SCREENS {
        b.go(path).await;
        let [_, top, _, _] = box_of(&b, css).await;
        if top >= 80.0 {
            wrong.push(format!("{path}: the drawing begins at {top}"));
        }
        wrong.extend(says(&b, TOO_WIDE).await.into_iter().map(|what| format!("{path}: too wide for its box: {what}")));
        let across: f64 = b
            .page
            .execute("return document.documentElement.scrollWidth - document.documentElement.clientWidth", vec![])
            .await
            .unwrap()
            .convert()
            .unwrap();
        if across > 0.0 {
            wrong.push(format!("{path}: {across} wider than the phone"));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
    // The sheet slides, the steps open under the one that is here, and one is a tap away.
    b.go("/boats/1?at=P5+F12").await;
    let [_, low, _, half] = box_of(&b, ".bench-side").await;
    b.click(".fold").await;
    b.find(".bench[data-sheet=high]").await;
    let [_, lower, _, high] = box_of(&b, ".bench-side").await;
    assert!(high > half + 100.0 && lower < low, "{half} {high}");
    b.click(".steps-open").await;
    b.press(&b.find_text(".main-line a", "Decide").await).await;
    b.arrives("/boats/1/decide").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn search_answers_as_one_types_and_is_walked_by_keys() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 800).await;
    b.go("/boats/1").await;
    b.comes_true("document.activeElement && document.activeElement.id === 'map'").await;
    b.page.action_chain().send_keys("/").perform().await.unwrap();
    b.arrives("/search?boat=1").await;
    let field = b.find("#q").await;
    field.send_keys("p5 f12").await.unwrap();
    b.find_text(".hit-group", "P5 F12").await;
    let first = b.find(".hit").await;
    assert!(first.attr("href").await.unwrap().unwrap().starts_with("/boats/1?at=P5"));
    field.clear().await.unwrap();
    field.send_keys("every se").await.unwrap();
    b.find_text(".hit", "Every seam").await;
    b.page.action_chain().send_keys(thirtyfour::Key::Down + "").perform().await.unwrap();
    b.comes_true("document.activeElement.classList.contains('hit')").await;
    b.page.action_chain().send_keys(thirtyfour::Key::Enter + "").perform().await.unwrap();
    b.arrives("/boats/1/seams/all").await;
    b.close().await;
}

#[tokio::test]
async fn a_search_finds_each_kind_of_thing_and_what_is_withdrawn_no_more() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let answer = async |q: &str| visitor.get(&format!("/search/as-typed?boat=1&q={q}")).await.text;
    for (typed, link, word) in [
        ("soft+rot", "/boats/1/findings/", "Rot"),
        ("brindle", "href=\"/boats/1\"", "Brindle Wren"),
        ("L-01", "/rack/", "L-01"),
        ("cotton", "/stores/", "Caulking cotton"),
        ("maud", "/yard", "Maud Okafor"),
        ("old+holes", "/handbook/04-repairs#graving.hole", "handbook"),
        ("struct", "/boats/1/order", "Structural order"),
        ("covering", "/boats/1/planks/", "Covering board"),
    ] {
        let told = answer(typed).await;
        assert!(told.contains(link) && told.contains(word), "{typed}: {told}");
    }
    // Nothing typed, nothing that means anything to the search, and nothing there.
    for (typed, says) in
        [("", "Type an address"), ("%22%2A%29", "Nothing begins with"), ("zzzz", "Nothing begins with")]
    {
        assert!(answer(typed).await.contains(says), "{typed}");
    }
    let before = answer("gouge").await;
    let at = before.find("/boats/1/findings/").expect("a gouge is there");
    let path: String = before[at..].chars().take_while(|c| *c != '"').collect();
    let gone = visitor.send(&path, &format!("{path}/withdraw"), &[]).await;
    assert_eq!(gone.status, 303);
    assert!(!answer("gouge").await.contains(&format!("href=\"{path}\"")), "it was withdrawn");
}

#[tokio::test]
async fn widths_are_typed_as_a_table_and_only_what_was_typed_over_is_measured() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = "/boats/1/grid-table";
    let shown = visitor.get(page).await.text;
    let value = |field: &str| {
        let at = shown.find(&format!("name=\"{field}\"")).unwrap_or_else(|| panic!("no cell {field}"));
        shown[at..].split("value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned()
    };
    let same = value("wP4.9");
    let form = |width: &'static str, spacing: &'static str| {
        vec![("wP4.9", same.clone()), ("wP6.9", width.into()), ("s12", spacing.into())]
    };
    let send = async |fields: Vec<(&'static str, String)>| {
        let fields: Vec<(&str, &str)> = fields.iter().map(|(k, v)| (*k, v.as_str())).collect();
        visitor.send(page, page, &fields).await
    };
    let refused = send(form("a hand", "9 m")).await;
    assert_eq!(refused.status, 422);
    assert!(
        refused.text.contains("2 cells do not fit") && refused.text.contains("value=\"a hand\""),
        "what was typed stays"
    );
    let nothing = send(vec![("wP4.9", same.clone())]).await;
    assert!(nothing.status == 422 && nothing.text.contains("no measurement"));
    assert_eq!(send(form("143", "251")).await.status, 303);
    let now = visitor.get(page).await.text;
    let cell = |field: &str| {
        let at = now.find(&format!("name=\"{field}\"")).unwrap();
        let from = now[..at].rfind("<input").unwrap();
        now[from..from + now[from..].find('>').unwrap()].to_owned()
    };
    assert!(cell("wP6.9").contains("143 mm") && cell("wP6.9").contains("measured-cell"));
    assert!(cell("s12").contains("251 mm") && cell("s12").contains("measured-cell"));
    assert!(!cell("wP4.9").contains("measured-cell"), "left as it stood, it is no measurement");
    // The page as it stood before: its version is old by now.
    let old = crate::support::keys(&shown, page);
    let stale = visitor.post(page, &crate::support::with_keys(&old, &[("wP6.9", "150")])).await;
    assert!(stale.status == 422 && stale.text.contains("somebody corrected the grid meanwhile"), "{}", stale.status);
    assert!(stale.text.contains("value=\"150\""), "what was typed stays");
}

#[tokio::test]
async fn several_findings_are_mended_at_once_and_the_map_shows_her_as_she_was() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let list = visitor.get("/boats/1/survey").await.text;
    let ticks: Vec<(String, String)> = list
        .split("class=\"tick\"")
        .skip(1)
        .take(2)
        .map(|part| {
            let of =
                |name: &str| part.split(&format!("{name}=\"")).nth(1).unwrap().split('"').next().unwrap().to_owned();
            (of(" name"), of("value"))
        })
        .collect();
    let send =
        async |fields: &[(&str, &str)]| visitor.send("/boats/1/survey", "/boats/1/findings-at-once", fields).await;
    let none = send(&[("outcome", "mended"), ("show", "open")]).await;
    assert!(none.status == 422 && none.text.contains("tick the findings it is true of"));
    let [(first, v1), (second, v2)] = ticks.as_slice() else { panic!("two findings to tick") };
    let stale = send(&[("outcome", "mended"), ("show", "open"), (first, v1), (second, "99")]).await;
    assert!(stale.status == 422 && stale.text.contains("somebody changed what was found at"));
    let both = [("outcome", "mended"), ("show", "open"), (first.as_str(), v1.as_str()), (second.as_str(), v2.as_str())];
    assert_eq!(send(&both).await.status, 303);
    let open = visitor.get("/boats/1/survey").await.text;
    assert!(!open.contains(&format!("name=\"{first}\"")) && !open.contains(&format!("name=\"{second}\"")));

    // Long ago nothing was found; today's map has what is open; a day that is none is today.
    let findings = |html: &str| html.matches("<g class=\"finding ").count();
    let now = findings(&visitor.get("/boats/1").await.text);
    let long_ago = visitor.get("/boats/1?day=1990-01-01").await.text;
    assert!(now > 5 && findings(&long_ago) == 0 && long_ago.contains("As she was at the end of <b>1 Jan 1990</b>"));
    assert!(!long_ago.contains("<polygon class=\"piece"), "nothing was planned then");
    assert_eq!(findings(&visitor.get("/boats/1?day=the+day+after").await.text), now);
}

#[tokio::test]
async fn a_new_boat_leads_through_her_first_day_until_something_is_found() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let made = visitor.send("/boats/new", "/boats/new", &crate::support::BOAT).await;
    let home = made.location.clone();
    let first = visitor.get(&home).await.text;
    assert!(first.contains("The first day"));
    for step in ["papers", "survey/lines", "grid-table", "survey/sample", "survey/coverage"] {
        let link = format!("{home}/{step}");
        assert!(first.contains(&format!("href=\"{link}\"")), "{link}");
        assert_eq!(visitor.get(&link).await.status, 200, "{link}");
    }
    let place = format!("{home}/findings/new?at=P5%20F9");
    assert_eq!(visitor.send(&place, &place, &crate::support::CRACK).await.status, 303);
    assert!(!visitor.get(&home).await.text.contains("The first day"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_key_opens_the_drawing_in_the_whole_window_and_escape_brings_the_rest_back() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 800).await;
    for path in ["/boats/1", "/boats/1/order", "/boats/1/decide/years"] {
        b.go(path).await;
        let [_, _, before, _] = box_of(&b, ".bench-drawing").await;
        let body = b.find("body").await;
        body.send_keys("v").await.unwrap();
        b.comes_true("document.querySelector('.bench-drawing').getBoundingClientRect().width >= 1270").await;
        b.comes_true("document.querySelector('.bench-drawing').getBoundingClientRect().top <= 2").await;
        body.send_keys(thirtyfour::Key::Escape).await.unwrap();
        b.comes_true(&format!(
            "document.querySelector('.bench-drawing').getBoundingClientRect().width < {}",
            before + 2.0
        ))
        .await;
    }
    b.close().await;
}
