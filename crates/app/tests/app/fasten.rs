//! Fastenings, metals and seams through the real pages.

use crate::support::{Browser, Server, Visitor};

#[tokio::test(flavor = "multi_thread")]
async fn a_region_is_refastened_and_ticked_off_also_without_signal() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    b.go("/boats/1/refasten/1").await;
    assert_eq!(b.page.find_all(thirtyfour::By::Css(".crossing-cell")).await.unwrap().len(), 4 * 19);
    assert_eq!(b.page.find_all(thirtyfour::By::Css(".crossing-cell.done")).await.unwrap().len(), 6);
    b.find(".crossing-drawing .new-screw").await;
    b.find_text("#crossing li", "plug with an epoxied dowel").await;
    b.fill("note", "nail drew clean").await;
    b.press(&b.find_text("#crossing button", "Tick it off").await).await;
    b.comes_true("document.querySelectorAll('.crossing-cell.done').length === 7").await;

    // Without signal: the server is gone, the tick waits and is sent once.
    b.comes_true("document.body.dataset.putBy === '1' || sessionStorage.getItem('put-by-1')").await;
    let port = server.port();
    let folder = server.kill();
    let strake = b.find("input[name=strake]:not([type=hidden])").await;
    strake.send_keys("9").await.unwrap();
    b.find("input[name=frame]:not([type=hidden])").await.send_keys("20").await.unwrap();
    b.press(&b.find_text("form[data-stay] button", "Tick it off").await).await;
    b.find_text("#waiting summary", "1 entry waits").await;
    let server = Server::start_at("demo", folder, &port);
    b.page.execute("window.keelOffline.send()", vec![]).await.unwrap();
    b.comes_true("document.querySelector('#waiting').hidden").await;
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let story = visitor.get("/boats/1/story").await.text;
    assert_eq!(story.matches("Refastened P9 F20").count(), 1);
    assert_eq!(story.matches("F8: nail drew clean").count(), 1);
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_region_is_planned_and_stainless_under_water_is_refused() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let mut fields = [
        ("name", "Garboards"),
        ("side", "port"),
        ("strake_from", "1"),
        ("strake_to", "2"),
        ("frame_from", "5"),
        ("frame_to", "4"),
        ("metal", "stainless_316"),
        ("to_plane_off", "2"),
    ];
    let refused = visitor.send("/boats/1/refasten", "/boats/1/refasten", &fields).await;
    assert_eq!(refused.status, 422);
    assert!(
        refused.text.contains("must not be before the first") && refused.text.contains("bronze below the waterline")
    );
    assert!(refused.text.contains("value=\"Garboards\""), "what was typed stays");
    (fields[5].1, fields[6].1) = ("30", "silicon_bronze");
    let planned = visitor.send("/boats/1/refasten", "/boats/1/refasten", &fields).await;
    assert_eq!(planned.location, "/boats/1/refasten/2");
    let page = visitor.get("/boats/1/refasten/2").await.text;
    assert!(page.contains("with spares") && page.contains("in the stores"));
    assert_eq!(visitor.get("/boats/2/refasten/2").await.status, 404);
}

#[tokio::test(flavor = "multi_thread")]
async fn metals_that_eat_each_other_are_told_with_what_to_do() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = visitor.get("/boats/1/metals").await.text;
    assert!(
        page.contains(
            "Boat nails round it (galvanised steel) eaten by Skin fitting of the cockpit drain (silicon bronze)"
        ),
        "{page}"
    );
    assert!(page.contains("alkali from over-protection") && page.contains("years past its usual life"));
    let fields =
        [("name", "Bilge pump screw"), ("metal", "yellow_brass"), ("zone", "bilge"), ("x", "3 m"), ("in_wood", "1")];
    assert_eq!(visitor.send("/boats/1/metals", "/boats/1/metals", &fields).await.status, 303);
    assert!(visitor.get("/boats/1/metals").await.text.contains("yellow brass in wood loses its zinc"));
    let bad = visitor
        .send("/boats/1/metals", "/boats/1/metals", &[("name", "x"), ("metal", "tin"), ("zone", "dry"), ("x", "long")])
        .await;
    assert_eq!(bad.status, 422);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_fitting_is_bored_only_when_two_have_signed() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = visitor.get("/boats/1/bolts").await.text;
    assert!(page.contains("Port chainplate") && page.contains("not to be bored yet") && page.contains("10 mm by"));
    assert_eq!(visitor.send("/boats/1/bolts", "/boats/1/bolts/1/sign", &[]).await.status, 303);
    let signed = visitor.get("/boats/1/bolts").await.text;
    assert!(signed.contains("signed by two: bore") && signed.contains("Tobias Renn") && signed.contains("Ines Varga"));
    let dxf = visitor.get("/boats/1/bolts/1/dxf").await;
    assert!(dxf.status == 200 && dxf.text.contains("LWPOLYLINE"));
    let bad = [("name", "Cleat"), ("diameter", "7"), ("layers", "deck, 22"), ("surface", "wood")];
    let refused = visitor.send("/boats/1/bolts", "/boats/1/bolts", &bad).await;
    assert!(refused.status == 422 && refused.text.contains("must be one of 5, 6, 8"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_hull_planked_too_dry_is_told_to_buckle_and_one_at_service_moisture_holds() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    // Lady Teasel: nobody measured her seams or her moisture below.
    b.go("/boats/3/seams/all?now=8&below=28&above=16").await;
    b.find_text(".fate.presses", "planks buckle").await;
    b.find(".seam-bar.presses").await;
    b.go("/boats/3/seams/all?now=16&below=16&above=16").await;
    b.find(".seam-bar.holds").await;
    let pressing = b.page.find_all(thirtyfour::By::Css(".seam-bar.presses")).await.unwrap().len();
    // Only where a feeler found hard filler may it still press.
    assert!(pressing <= 4, "{pressing} seams press at their service moisture");
    b.go("/boats/3/seams/all?now=wet").await;
    b.find_text(".fault", "must be between").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn an_answer_of_the_bench_is_pinned_to_a_boat() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 900).await;
    b.go("/bench/bolt").await;
    b.press(&b.find_text("button", "Work it out").await).await;
    b.find_text(".result dd", "60").await;
    b.choose("pin", "1").await;
    b.press(&b.find_text("button", "Pin it").await).await;
    b.find_text(".note-bar", "Pinned to Brindle Wren").await;
    b.go("/boats/1/story").await;
    assert!(b.text().await.contains("From the bench, a bolt for a stack"));
    for tool in ["fasten", "fasten-pattern", "metals", "seam", "seam-balance", "tape"] {
        b.go(&format!("/bench/{tool}")).await;
        b.press(&b.find_text("button", "Work it out").await).await;
        b.find(".result dd").await;
    }
    b.close().await;
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
