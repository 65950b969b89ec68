//! The rack through the real pages: a board taken, cut by a plan, put back; labels; what is short; stores.

use crate::support::{Browser, Server, Visitor, but, flat};

#[tokio::test(flavor = "multi_thread")]
async fn pieces_are_laid_on_boards_cut_at_their_real_size_and_a_wrong_cut_is_taken_back() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 1000).await;
    b.go("/rack/cut").await;
    b.press(&b.find_text("button", "Lay them out").await).await;
    b.arrives("/rack/cut").await;
    b.find_text("h2", "The plan").await;
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
