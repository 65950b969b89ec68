//! The rack through the real pages: a board taken, cut by a plan, put back; labels; what is short; stores.

use crate::support::{Browser, Server, Visitor, but, flat};

/// The saw's page with a plan of all that waits for a board.
async fn laid_out(server: &Server) -> Browser {
    let b = Browser::open(server, 1280, 1000).await;
    b.go("/rack/cut").await;
    b.press(&b.find_text("button", "Lay them out").await).await;
    b.arrives("/rack/cut").await;
    b.find_text("h2", "The plan").await;
    b
}

#[tokio::test(flavor = "multi_thread")]
async fn pieces_are_laid_on_boards_cut_at_their_real_size_and_a_wrong_cut_is_taken_back() {
    let server = Server::demo();
    let b = laid_out(&server).await;
    b.find(".saw-board .board-piece.open").await;
    b.find(".saw-cut").await;
    // The board the graving piece comes from: salvage before new timber.
    b.find_text(".saw-board h2", "salvage").await;
    b.click(".saw-board summary").await;
    let width = b.find(".saw-board input[name^=width]").await;
    let planned = width.prop("value").await.unwrap().unwrap();
    let planned: f64 = planned.split_whitespace().next().unwrap().parse().unwrap();
    width.clear().await.unwrap();
    width.send_keys("900").await.unwrap();
    b.press(&b.find_text("button", "It is cut").await).await;
    b.find_text(".fault", "is wider than the place it was cut from").await;
    let width = b.find(".saw-board input[name^=width]").await;
    assert_eq!(width.prop("value").await.unwrap().unwrap(), "900", "what was typed stays");
    width.clear().await.unwrap();
    // Sawn a little narrower than it was planned.
    let sawn = format!("{:.0}", (planned - 2.0).floor());
    width.send_keys(&sawn).await.unwrap();
    b.press(&b.find_text("button", "It is cut").await).await;
    b.find_text("h2", "Its offcuts, back in the rack").await;
    b.find_text("#cut li", &format!("{sawn} mm")).await;
    // Taken back: the board is whole, the story has both.
    b.press(&b.find_text("button", "Take the cut back").await).await;
    b.find_text(".fault", "say what was wrong").await;
    b.fill("why", "cut on the wrong side of the line").await;
    b.press(&b.find_text("button", "Take the cut back").await).await;
    b.find_text(".title-row .tag", "free").await;
    b.go("/boats/1/story").await;
    let told = b.text().await;
    assert!(
        told.contains("Cut Graving piece") && told.contains("is taken back: cut on the wrong side of the line"),
        "{told}"
    );
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_defect_is_drawn_on_a_board_and_a_label_opens_it() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 1000).await;
    b.go("/rack/6/edit").await;
    let board = b.find(".board-drawing").await;
    b.page
        .execute(
            "arguments[0].scrollIntoView({ block: 'center', behavior: 'instant' })",
            vec![board.to_json().unwrap()],
        )
        .await
        .unwrap();
    b.page
        .action_chain()
        .move_to_element_center(&board)
        .click_and_hold()
        .move_by_offset(60, 8)
        .release()
        .perform()
        .await
        .unwrap();
    let line = b.find("#f-defects").await.prop("value").await.unwrap().unwrap();
    assert!(line.starts_with("knot, "), "{line}");
    b.press(&b.find_text("button", "Keep it").await).await;
    b.find_text("li", "Knot").await;
    b.find(".board-defect.severity-2").await;
    // A meter reading makes a series.
    b.press(&b.find_text("button", "Read the simulated meter").await).await;
    b.find_text("li", "simulated").await;

    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let pdf = visitor.client.get(format!("{}/rack/labels.pdf?board=3", server.base)).send().await.unwrap();
    assert!(pdf.bytes().await.unwrap().starts_with(b"%PDF"));
    // What the code says leads to the board, however it is typed.
    for tag in ["L-03", "l-03"] {
        assert_eq!(visitor.get(&format!("/rack/tag/{tag}")).await.location, "/rack/3");
        assert_eq!(visitor.get(&format!("/rack?q={tag}")).await.location, "/rack/3");
    }
    assert_eq!(visitor.get("/rack/tag/none/such").await.status, 404);
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_rack_goes_out_as_a_file_and_a_faulty_one_is_told_by_line() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let csv = visitor.get("/rack.csv").await.text;
    assert!(csv.lines().count() > 10 && csv.contains("L-03"));
    let send = |body: String| {
        let visitor = visitor.clone();
        async move {
            let keys = crate::support::keys(&visitor.get("/rack/files").await.text, "/rack/files");
            let mut form = reqwest::multipart::Form::new();
            for (name, value) in keys {
                form = form.text(name, value);
            }
            form = form.part("file", reqwest::multipart::Part::bytes(body.into_bytes()).file_name("rack.csv"));
            let answer =
                visitor.client.post(format!("{}/rack/files", visitor.base)).multipart(form).send().await.unwrap();
            (answer.status().as_u16(), flat(&answer.text().await.unwrap()))
        }
    };
    // Every tag is there already: nothing is taken twice.
    let (status, told) = send(csv.clone()).await;
    assert_eq!(status, 422);
    assert!(told.contains("that tag is on another board"));
    let (status, told) = send("tag,species,length,width,thickness\nX-1,teak,900,120,-3\n".into()).await;
    assert!(status == 422 && told.contains("<td class=\"num\">2</td><td>thickness</td>"), "{told}");
    let (status, _) = send("tag,species,length,width,thickness\nX-1,teak,900,120,27\n".into()).await;
    assert_eq!(status, 303);
    assert!(visitor.get("/rack.csv").await.text.contains("X-1"));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_short_is_priced_and_stores_never_go_below_nothing() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let prices = visitor.send("/rack/buying", "/rack/prices", &[("simulated", "1")]).await;
    assert_eq!(prices.location, "/rack/buying");
    assert!(visitor.get("/rack/buying").await.text.contains("Hollin Quay timber"));
    let item = visitor.get("/stores").await.text;
    let href = item.split("href=\"/stores/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let (page, action) = (format!("/stores/{href}"), format!("/stores/{href}/move"));
    let refused = visitor.send(&page, &action, &[("kind", "used"), ("amount", "99999")]).await;
    assert!(refused.status == 422 && refused.text.contains("reserved"), "{}", refused.text);
    assert_eq!(visitor.send(&page, &action, &[("kind", "used"), ("amount", "3"), ("boat", "1")]).await.status, 303);
    assert!(visitor.get(&page).await.text.contains("used, Brindle Wren"));
    assert!(visitor.get("/boats/1/story").await.text.contains("3 pieces used"));
}

#[tokio::test]
async fn nothing_of_a_new_board_is_preset_and_what_nobody_knows_is_kept_as_not_known() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let empty = visitor.get("/rack/new").await.text;
    let species = &empty[empty.find("id=\"f-species\"").unwrap()..];
    assert!(!species[..species.find("</select>").unwrap()].contains(" selected"), "no timber is preset");
    let board = [
        ("tag", "UNK-1"),
        ("form", "board"),
        ("species", ""),
        ("length", "2400"),
        ("width", "150"),
        ("thickness", "25"),
        ("edges", "straight"),
        ("grain", "unknown"),
        ("drying", "unknown"),
        ("origin", "salvage"),
    ];
    let refused = visitor.send("/rack/new", "/rack/new", &board).await;
    assert!(refused.status == 422 && refused.text.contains("choose one") && refused.text.contains("UNK-1"));
    let kept = visitor.send("/rack/new", "/rack/new", &but(&board, "species", "white_oak")).await;
    assert_eq!(kept.status, 303);
    let shown = visitor.get(&kept.location).await.text;
    assert!(flat(&shown).contains("Not known"), "{shown}");
    let csv = visitor.get("/rack.csv").await.text;
    assert!(csv.lines().any(|l| l.contains("UNK-1") && l.matches("unknown").count() == 2), "{csv}");
}

/// The id of the piece whose name a page of timber shows, and its section.
fn piece_called<'p>(page: &'p str, name: &str) -> (i64, &'p str) {
    let section = page.split("<section class=\"sheet\">").find(|s| s.contains(name));
    let section = section.unwrap_or_else(|| panic!("no {name} in: {page}"));
    let id = section.split_once("/pieces/").unwrap().1.split('"').next().unwrap();
    (id.parse().unwrap(), section)
}

/// What a page says of a mark on a piece's edges that nobody measured.
const UNMEASURED: &str = "nobody measured the edges it would be cut by";

#[tokio::test]
async fn no_board_is_cut_by_edges_nobody_measured_unless_somebody_says_why() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let timber = visitor.get("/boats/1/timber").await.text;
    assert!(
        !piece_called(&timber, "Graving piece, P6").1.contains(UNMEASURED),
        "its damage was drawn: it is its shape"
    );
    let (id, section) = piece_called(&timber, "Splice the end, Frame 7, port");
    assert!(section.contains(UNMEASURED), "{section}");
    let board =
        section.split_once("name=\"board\" value=\"").expect("a board that yields it").1.split('"').next().unwrap();
    let reserve = format!("/boats/1/pieces/{id}/reserve");
    assert_eq!(visitor.send("/boats/1/timber", &reserve, &[("board", board)]).await.status, 303);

    // Whoever has a board is not told to buy one, nor shown what nearly serves.
    let held = visitor.get("/boats/1/timber").await.text;
    let held = piece_called(&held, "Splice the end, Frame 7, port").1;
    assert!(!held.contains("To buy:") && !held.contains("does not yield it"), "{held}");

    let take = format!("/boats/1/pieces/{id}/take");
    for nothing in ["", "   "] {
        let refused = visitor.send("/boats/1/timber", &take, &[("unmeasured", nothing)]).await;
        assert!(refused.status >= 400 && refused.text.contains(UNMEASURED), "{}", refused.text);
    }
    let long = "x".repeat(5000);
    let refused = visitor.send("/boats/1/timber", &take, &[("unmeasured", &long)]).await;
    assert!(refused.status >= 400 && refused.text.contains("at most"), "{}", refused.text);
    let (_, section) = (0, visitor.get("/boats/1/timber").await.text);
    assert!(piece_called(&section, "Frame 7, port").1.contains("Reserved:"), "nothing was cut");

    let why = [("unmeasured", "it is cut 40 mm over all round and fitted in place")];
    assert_eq!(visitor.send("/boats/1/timber", &take, &why).await.status, 303);
    let told = visitor.get("/boats/1/story").await.text;
    assert!(told.contains("was cut by edges nobody measured, because it is cut 40 mm over"), "{told}");
}

#[tokio::test]
async fn a_frame_whose_template_was_taken_is_cut_to_it_and_its_drawing_says_so() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let timber = visitor.get("/boats/1/timber").await.text;
    let (id, section) = piece_called(&timber, "Splice the end, Frame 9, port");
    let part = section.split_once("shapes/new?part=").expect("the way to take its shape").1.split('"').next().unwrap();
    let page = format!("/boats/1/shapes/new?way=rib&part={part}");
    let head = [("way", "rib"), ("part", part), ("tolerance", "1.5"), ("moulded", "46"), ("note", "")];
    let mut fields: Vec<(String, String)> = head.map(|(n, v)| (n.to_owned(), v.to_owned())).into();
    fields.push(("name".into(), "Frame 9 by straight edge".into()));
    for i in 0..7_u32 {
        let x = f64::from(i) * 150.0;
        fields.push((format!("x{i}"), format!("{x}")));
        fields.push((format!("u{i}"), format!("{:.1}", 120.0 - (x - 450.0).powi(2) / 4_000.0)));
    }
    let fields: Vec<(&str, &str)> = fields.iter().map(|(n, v)| (n.as_str(), v.as_str())).collect();
    let kept = visitor.send(&page, "/boats/1/shapes/new", &fields).await;
    assert_eq!(kept.status, 303, "{}", kept.text);

    let timber = visitor.get("/boats/1/timber").await.text;
    assert!(!piece_called(&timber, "Splice the end, Frame 9, port").1.contains(UNMEASURED));
    assert!(
        piece_called(&timber, "Splice the end, Frame 7, port").1.contains(UNMEASURED),
        "only its own template counts"
    );
    let shown = visitor.get(&format!("/boats/1/pieces/{id}")).await.text;
    assert!(shown.contains("cut it to its template") && shown.contains("Frame 9 by straight edge"), "{shown}");
    assert!(!shown.contains("Generated, do not cut"));
    let drawing = visitor.get(&format!("/boats/1/pieces/{id}/file/svg")).await.text;
    assert!(drawing.contains("ONLY A BOX ROUND IT"), "{drawing}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_saws_plan_does_not_tick_what_nobody_measured() {
    let server = Server::demo();
    let b = laid_out(&server).await;
    b.page
        .execute("for (const d of document.querySelectorAll('.saw-board details')) d.open = true", vec![])
        .await
        .unwrap();
    let row = b.find_text(".saw-board tbody tr", "nobody measured its edges").await;
    let script = "const row = arguments[0], form = row.closest('form'); \
        for (const t of form.querySelectorAll('input[type=checkbox]')) t.checked = false; \
        const tick = row.querySelector('input[type=checkbox]'); const was = row.dataset.was = tick.defaultChecked; \
        tick.checked = true; form.querySelector('button[type=submit]').dataset.under = '1'; return was;";
    let was = b.page.execute(script, vec![row.to_json().unwrap()]).await.unwrap();
    assert_eq!(was.json(), &serde_json::Value::Bool(false), "it was ticked before anybody looked");
    b.press(&b.find("button[data-under]").await).await;
    b.find_text(".fault", "say why, or take their shape first").await;
    b.close().await;
}
