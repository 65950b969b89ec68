//! The rack through the real pages: a board taken, cut by a plan, put back; labels; what is short; stores.

use crate::support::{Answer, Browser, Server, Visitor, but, flat, keys, with_keys};

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
/// What a page says of a mark on a piece's edges that nobody measured.
const UNMEASURED: &str = "nobody measured the edges it would be cut by";

#[tokio::test]
async fn no_board_is_cut_by_edges_nobody_measured_unless_somebody_says_why() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    assert!(
        !visitor.on_timber(1, "Graving piece, P6").await.1.contains(UNMEASURED),
        "its damage was drawn: it is its shape"
    );
    let (id, section) = visitor.on_timber(1, "Splice the end, Frame 7, port").await;
    assert!(section.contains(UNMEASURED), "{section}");
    let board =
        section.split_once("name=\"board\" value=\"").expect("a board that yields it").1.split('"').next().unwrap();
    let reserve = format!("/boats/1/pieces/{id}/reserve");
    let chosen = &format!("/boats/1/timber?piece={id}");
    assert_eq!(visitor.send(chosen, &reserve, &[("board", board)]).await.status, 303);

    // Whoever has a board is not told to buy one, nor shown what nearly serves.
    let (_, held) = visitor.on_timber(1, "Splice the end, Frame 7, port").await;
    assert!(!held.contains("To buy:") && !held.contains("does not yield it"), "{held}");

    let take = format!("/boats/1/pieces/{id}/take");
    for nothing in ["", "   "] {
        let refused = visitor.send(chosen, &take, &[("unmeasured", nothing)]).await;
        assert!(refused.status >= 400 && refused.text.contains(UNMEASURED), "{}", refused.text);
    }
    let long = "x".repeat(5000);
    let refused = visitor.send(chosen, &take, &[("unmeasured", &long)]).await;
    assert!(refused.status >= 400 && refused.text.contains("at most"), "{}", refused.text);
    assert!(visitor.on_timber(1, "Frame 7, port").await.1.contains("Reserved:"), "nothing was cut");

    let why = [("unmeasured", "it is cut 40 mm over all round and fitted in place")];
    assert_eq!(visitor.send(chosen, &take, &why).await.status, 303);
    let told = visitor.get("/boats/1/story").await.text;
    assert!(told.contains("was cut by edges nobody measured, because it is cut 40 mm over"), "{told}");
}

#[tokio::test]
async fn a_frame_whose_template_was_taken_is_cut_to_it_and_its_drawing_says_so() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (id, section) = visitor.on_timber(1, "Splice the end, Frame 9, port").await;
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

    assert!(!visitor.on_timber(1, "Splice the end, Frame 9, port").await.1.contains(UNMEASURED));
    assert!(
        visitor.on_timber(1, "Splice the end, Frame 7, port").await.1.contains(UNMEASURED),
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

/// What the server says to a piece held over the boards: whether each serves, and how.
async fn held_over(visitor: &Visitor, piece: i64) -> serde_json::Value {
    let told = visitor.get(&format!("/boats/1/timber/fits/{piece}")).await;
    assert_eq!(told.status, 200, "{}", told.text);
    serde_json::from_str(&told.text).expect("an answer for the page's script")
}

/// A larch board put in the rack, as these fields say and otherwise dry, straight and quarter-sawn; its number.
async fn put_in_rack(visitor: &Visitor, fields: &[(&str, &str)]) -> String {
    let usual = [
        ("species", "western_larch"),
        ("form", "board"),
        ("edges", "straight"),
        ("thickness", "30"),
        ("grain", "quarter"),
        ("drying", "air"),
        ("origin", "new"),
        ("moisture", "12"),
    ];
    let said = |name: &str| fields.iter().any(|(n, _)| *n == name);
    let all: Vec<(&str, &str)> = usual.into_iter().filter(|(n, _)| !said(n)).chain(fields.iter().copied()).collect();
    let put = visitor.send("/rack/new", "/rack/new", &all).await;
    assert_eq!(put.status, 303, "{}", put.text);
    put.location.rsplit('/').next().unwrap().to_owned()
}

/// What is sent for a piece with the keys of the form that is always there.
async fn by_hand(visitor: &Visitor, piece: i64, what: &str, fields: &[(&str, &str)]) -> Answer {
    let page = visitor.get(&format!("/boats/1/timber?piece={piece}")).await.text;
    let keys = keys(&page, &format!("/boats/1/pieces/{piece}/wants"));
    visitor.post(&format!("/boats/1/pieces/{piece}/{what}"), &with_keys(&keys, fields)).await
}

/// The row of a board on the timber page, by its tag.
fn row_of<'p>(page: &'p str, tag: &str) -> &'p str {
    let row = page.split("<section class=\"rack-row").skip(1).find(|r| r.contains(&format!("data-tag=\"{tag}\"")));
    row.unwrap_or_else(|| panic!("no row of {tag}: {page}")).split("</section>").next().unwrap()
}

#[tokio::test]
async fn a_piece_lies_on_its_board_clear_of_what_spoils_it_and_the_rest_keeps_the_spoiled_end() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let knotted = ("defects", "knot, 0 mm, 700 mm, 0 mm, 150 mm");
    let id = put_in_rack(&visitor, &[("tag", "K-77"), ("length", "2000"), ("width", "150"), knotted]).await;
    let (piece, side) = visitor.on_timber(1, "Graving piece, P6").await;
    assert!(side.contains("Reserve K-77"), "{side}");
    let page = visitor.get("/boats/1/timber").await.text;
    let row = row_of(&page, "K-77");
    assert!(row.starts_with(" serves") && row.contains("✓") && row.contains("board-piece ghost"), "{row}");
    assert_eq!(held_over(&visitor, piece).await[&id][0], true);
    assert_eq!(by_hand(&visitor, piece, "reserve", &[("board", &id)]).await.status, 303);
    let page = visitor.get("/boats/1/timber").await.text;
    assert!(row_of(&page, "K-77").contains("kept for Graving piece, P6"));
    let taken =
        visitor.send(&format!("/boats/1/timber?piece={piece}"), &format!("/boats/1/pieces/{piece}/take"), &[]).await;
    assert_eq!(taken.status, 303, "{}", taken.text);
    // The knotted end goes back as it was, with its knot; the clear one beyond the piece has none.
    let rack = visitor.get("/rack").await.text;
    let offcut = |n: u32| {
        let at = rack.find(&format!(">K-77/{n}<")).unwrap_or_else(|| panic!("no K-77/{n}: {rack}"));
        rack[..at].rsplit_once("/rack/").unwrap().1.split('"').next().unwrap().to_owned()
    };
    let mut ends = Vec::new();
    for n in [1, 2] {
        let page = visitor.get(&format!("/rack/{}", offcut(n))).await.text;
        let size = page.split_once("<dt>Size</dt>").unwrap().1.split_once('>').unwrap().1.split('<').next().unwrap();
        ends.push((size.split(' ').next().unwrap().parse::<f64>().unwrap(), page.contains("board-defect severity-2")));
    }
    ends.sort_by(|a, b| a.0.total_cmp(&b.0));
    assert_eq!(ends[0], (697.0, true), "{ends:?}");
    assert!(ends[1].0 > 1_000.0 && !ends[1].1, "{ends:?}");
}

#[tokio::test]
async fn a_board_is_given_back_once_and_changes_hands_by_reserving_another() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (piece, side) = visitor.on_timber(1, "Splice the end, Frame 7, port").await;
    let boards: Vec<String> =
        side.split("name=\"board\" value=\"").skip(1).map(|r| r.split('"').next().unwrap().to_owned()).collect();
    let (one, other) = (boards.first().unwrap(), boards.iter().find(|b| *b != &boards[0]).expect("two that serve"));
    let page = format!("/boats/1/timber?piece={piece}");
    // By hand: the page has no form for what cannot be done.
    let send = async |what: &str, board: &str| by_hand(&visitor, piece, what, &[("board", board)]).await;
    assert_eq!(send("give-back", "").await.status, 409, "it has none");
    for board in [one, other] {
        let kept = send("reserve", board).await;
        assert_eq!((kept.status, kept.location.as_str()), (303, page.as_str()));
    }
    let free = held_over(&visitor, piece).await;
    assert!(free[one][0] == true && free[other][0] == true, "its own is among them, the first is free again: {free}");
    assert_eq!(send("give-back", "").await.status, 303);
    assert_eq!(send("give-back", "").await.status, 409, "once");
    assert!(visitor.on_timber(1, "Frame 7, port").await.1.contains("which serves best"));
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains(": not for Splice the end, Frame 7, port"), "{story}");
    // What does not yield it is refused by whatever way it comes, and says why on its row.
    let narrow = free.as_object().unwrap().iter().find(|(_, told)| told[0] == false).expect("one that does not serve");
    assert!(narrow.1[1].as_str().unwrap().starts_with('✕'), "{narrow:?}");
    let refused = send("reserve", narrow.0).await;
    assert!(refused.status == 409 && refused.text.contains("does not yield this piece"), "{}", refused.text);
}

#[tokio::test]
async fn what_is_asked_of_the_timber_page_is_of_that_boat() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (piece, _) = visitor.on_timber(1, "Graving piece, P6").await;
    for path in [
        format!("/boats/2/timber?piece={piece}"),
        "/boats/1/timber?piece=999999".to_owned(),
        format!("/boats/2/timber/fits/{piece}"),
        "/boats/1/timber/fits/999999".to_owned(),
    ] {
        assert_eq!(visitor.get(&path).await.status, 404, "{path}");
    }
    // What is no number chooses nothing: the first that waits is shown.
    let page = visitor.get("/boats/1/timber?piece=larch").await;
    assert!(page.status == 200 && page.text.matches("aria-current=\"true\"").count() == 1, "{}", page.text);
}

#[tokio::test]
async fn a_board_that_was_kept_says_when_its_piece_asks_for_more_than_it_gives() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (piece, _) = visitor.on_timber(1, "Graving piece, P6").await;
    let page = format!("/boats/1/timber?piece={piece}");
    let hidden = [("quality", "hidden"), ("needed_by", "")];
    let wants = format!("/boats/1/pieces/{piece}/wants");
    assert_eq!(visitor.send(&page, &wants, &hidden).await.status, 303);
    let knotted = ("defects", "knot, 200 mm, 500 mm, 40 mm, 70 mm");
    let board = put_in_rack(&visitor, &[("tag", "K-78"), ("length", "700"), ("width", "110"), knotted]).await;
    assert_eq!(
        by_hand(&visitor, piece, "reserve", &[("board", &board)]).await.status,
        303,
        "where it is hidden it serves"
    );
    assert_eq!(visitor.send(&page, &wants, &[("quality", "clear"), ("needed_by", "")]).await.status, 303);
    let (_, side) = visitor.on_timber(1, "Graving piece, P6").await;
    assert!(side.contains("does not yield it any more") && !side.contains("Take from rack and cut"), "{side}");
    let drawn = visitor.get(&page).await.text;
    assert!(row_of(&drawn, "K-78").contains("leave no place"), "{}", row_of(&drawn, "K-78"));
    let taken = by_hand(&visitor, piece, "take", &[]).await;
    assert!(taken.status == 409 && taken.text.contains("leave no place"), "{}", taken.text);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_piece_is_drawn_over_the_boards_and_back_again() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 1000).await;
    b.go("/boats/1/timber").await;
    let chip = b.find_text(".chip", "Splice the end, Frame 7").await;
    let serves = b.find("[data-tag='O-01']").await;
    let no = b.find("[data-tag='L-03']").await;
    // Held, every board says how it serves; where it does not, it stays where it was.
    let held = b.page.action_chain().move_to_element_center(&chip).click_and_hold().move_to_element_center(&no);
    held.perform().await.unwrap();
    b.find_text(".rack-row.may-not.under .rack-words", "another timber").await;
    b.find(".rack-row.may[data-tag='O-01']").await;
    b.page.action_chain().move_to_element_center(&no).release().perform().await.unwrap();
    b.find_text("[role=status]", "L-03: ✕").await;
    assert!(b.page.find_all(thirtyfour::By::Css(".carried, .rack-row.may")).await.unwrap().is_empty());
    // Where it serves it is kept.
    let held = b.page.action_chain().move_to_element_center(&chip).click_and_hold().move_to_element_center(&serves);
    held.release().perform().await.unwrap();
    b.find_text("[data-tag='O-01'].kept .rack-words", "kept for Splice the end, Frame 7").await;
    b.find_text(".reserved", "O-01").await;
    // Let go where it lies it stays there.
    let lying = b.find("[data-tag='O-01'] .board-piece[data-piece]").await;
    let held = b.page.action_chain().move_to_element_center(&lying).click_and_hold().move_by_offset(40, 0);
    held.release().perform().await.unwrap();
    b.find_text("[data-tag='O-01'].kept .rack-words", "kept for Splice the end, Frame 7").await;
    // Taken hold of on the board and drawn back to the pieces, it is given back.
    let (lying, tray) = (b.find("[data-tag='O-01'] .board-piece[data-piece]").await, b.find(".tray").await);
    let held = b.page.action_chain().move_to_element_center(&lying).click_and_hold().move_to_element_center(&tray);
    held.release().perform().await.unwrap();
    b.find_text("button", "Reserve O-01, which serves best").await;
    b.close().await;
}

#[tokio::test]
async fn what_came_out_of_a_boat_that_is_here_is_offered_to_no_other() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let (piece, before) = visitor.on_timber(1, "Graving piece, P6").await;
    let title = visitor.get("/boats/2").await.text;
    let title = title.split_once("<title>").unwrap().1.split('<').next().unwrap().to_owned();
    let other = title.split(" · ").nth(1).expect("her name");
    let mut ids = Vec::new();
    for (tag, from) in [("S-31", other), ("S-32", "Long Gone")] {
        let size = [("length", "600"), ("width", "90"), ("thickness", "24")];
        let salvaged =
            [("tag", tag), ("from_boat", from), ("form", "salvage"), ("origin", "salvage"), ("moisture", "11")];
        ids.push(put_in_rack(&visitor, &[&size[..], &salvaged].concat()).await);
    }
    let told = held_over(&visitor, piece).await;
    assert!(told[&ids[0]][0] == false && told[&ids[0]][1].as_str().unwrap().contains("goes back into her"), "{told}");
    assert_eq!(told[&ids[1]][0], true, "she has gone: it is anybody's");
    let (_, side) = visitor.on_timber(1, "Graving piece, P6").await;
    assert!(!before.contains("S-32") && side.contains("Reserve S-32") && !side.contains("Reserve S-31"), "{side}");
    let refused = by_hand(&visitor, piece, "reserve", &[("board", &ids[0])]).await;
    assert!(refused.status == 409 && refused.text.contains("goes back into her"), "{}", refused.text);
    // What is thought of on its way says the same.
    let options = visitor.get("/boats/1/parts/35/decide").await.text;
    assert!(!options.contains("S-31"), "{options}");
}

/// A finger on the page, by the browser's own protocol.
async fn finger(b: &Browser, kind: &str, at: Option<[f64; 2]>) {
    let points: Vec<_> = at.into_iter().map(|[x, y]| serde_json::json!({ "x": x, "y": y })).collect();
    let touch = serde_json::json!({ "type": kind, "touchPoints": points });
    b.page.cdp().send_raw("Input.dispatchTouchEvent", touch).await.unwrap();
}

/// The middle of an element in the window.
async fn middle(b: &Browser, css: &str) -> [f64; 2] {
    b.find(css).await;
    let script = format!(
        "const r = document.querySelector(\"{css}\").getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]"
    );
    b.page.execute(script, vec![]).await.unwrap().convert().unwrap()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_finger_scrolls_until_it_rests_on_a_piece() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 1000).await;
    b.go("/boats/1/timber?piece=2").await;
    let (chip, board) = (middle(&b, ".chip[data-piece='2']").await, middle(&b, "[data-tag='O-01']").await);
    // Moved at once it scrolls, and nothing is carried.
    finger(&b, "touchStart", Some(chip)).await;
    finger(&b, "touchMove", Some([chip[0], chip[1] + 40.0])).await;
    finger(&b, "touchMove", Some(board)).await;
    finger(&b, "touchEnd", None).await;
    let carried = "return document.querySelectorAll('.carried, .carrying, .rack-row.kept').length";
    let none: u32 = b.page.execute(carried, vec![]).await.unwrap().convert().unwrap();
    assert_eq!(none, 0, "nothing was taken hold of");
    // At rest on it for a moment it takes hold, and each board says how it serves.
    let (chip, board) = (middle(&b, ".chip[data-piece='2']").await, middle(&b, "[data-tag='O-01']").await);
    finger(&b, "touchStart", Some(chip)).await;
    b.find(".carried").await;
    finger(&b, "touchMove", Some(board)).await;
    b.find(".rack-row.may.under[data-tag='O-01']").await;
    finger(&b, "touchEnd", None).await;
    b.find_text("[data-tag='O-01'].kept .rack-words", "kept for Splice the end, Frame 7").await;
    b.close().await;
}
