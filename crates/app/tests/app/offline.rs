//! Under the hull without signal: the server is really gone, pages open from the device, and what is marked there is
//! sent once when it is back.

use crate::support::{Browser, CRACK, Server, Visitor};

/// Rows of the boat's findings file.
async fn findings(server: &Server) -> Vec<String> {
    let csv = Visitor::new(server).get("/boats/1/survey/findings.csv").await.text;
    csv.lines().skip(1).map(str::to_owned).collect()
}

/// A browser that has opened the boat once, so that her pages are put by.
async fn prepared(server: &Server, width: u32, height: u32) -> Browser {
    let b = Browser::open(server, width, height).await;
    b.go("/boats/1").await;
    b.comes_true("document.body.dataset.putBy === '1'").await;
    b
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_marked_without_signal_waits_and_is_sent_exactly_once() {
    let server = Server::demo();
    let port = server.port();
    let before = findings(&server).await.len();
    let b = prepared(&server, 390, 844).await;
    let folder = server.kill();

    // Quick entry opens from the device, takes its place from the address, and keeps a finding with its photo.
    b.go("/boats/1/quick?at=P5+F12").await;
    assert_eq!(b.find("#q-place").await.prop("value").await.unwrap().unwrap(), "P5 F12");
    b.click("input[name=kind][value=rot]").await;
    b.fill("note", "“soft”, said aloud <b>").await;
    let photo = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/app/tiny.png");
    b.find("#f-photo").await.send_keys(photo).await.unwrap();
    b.press(&b.find_text(".photo-tools button", "Mark the middle").await).await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text(".sent-note", "Kept on this device: Soft rot at P5 F12").await;
    // The same again, one frame aft, from the same page.
    b.click("[aria-label='One frame aft']").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text("#waiting summary", "2 entries wait").await;
    // A frame head, and nothing found elsewhere.
    b.fill("place", "FR12P 1").await;
    b.press(&b.find_text("button", "Nothing here").await).await;
    b.find_text("#waiting summary", "3 entries wait").await;

    // And a reading by itself.
    b.fill("place", "S2 F8").await;
    b.click(".quick-more summary").await;
    b.choose("method", "spike").await;
    b.fill("spike", "4").await;
    b.press(&b.find_text("button", "Keep the reading alone").await).await;
    b.find_text("#waiting summary", "4 entries wait").await;

    // It outlives a reload, and the survey's pages open.
    for (path, text) in [
        ("/boats/1/survey", "Survey"),
        ("/boats/1/survey/sample", "Fastening sample"),
        ("/boats/1/survey/lines", "Hog and sheer"),
    ] {
        b.go(path).await;
        b.find_text("h1", text).await;
        b.find_text("#waiting summary", "4 entries wait").await;
    }
    b.go("/boats/1/shape").await;
    b.find_text("h1", "No signal").await;
    b.go("/boats/1").await;
    b.find("#map .plank").await;

    let server = Server::start_at("demo", folder, &port);
    b.page.execute("window.dispatchEvent(new Event('online'))", vec![]).await.unwrap();
    b.comes_true("document.getElementById('waiting').hidden").await;
    let after = findings(&server).await;
    assert_eq!(after.len(), before + 2, "{after:#?}");
    assert!(after.iter().any(|row| row.contains("P5 F13") && row.contains("said aloud <b>")));
    // Sent again, nothing is there twice.
    b.go("/boats/1/survey").await;
    b.page.execute("return window.keelOffline.send()", vec![]).await.unwrap();
    assert_eq!(findings(&server).await.len(), before + 2);
    let shown = b.find_text("tr", "P5 F12").await;
    assert!(shown.text().await.unwrap().contains("Soft rot") || b.text().await.contains("Soft rot"));
    assert!(!b.page.find_all(thirtyfour::By::Css("img.thumb")).await.unwrap().is_empty());
    assert!(Visitor::new(&server).get("/boats/1/survey/readings.csv").await.text.contains("S2 F8"));
    let looked = Visitor::new(&server).get("/boats/1/story").await.text;
    assert_eq!(looked.matches("Looked over FR12P head, look: nothing found").count(), 1);
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_change_made_without_signal_meets_one_made_meanwhile() {
    let server = Server::demo();
    let port = server.port();
    let b = prepared(&server, 1280, 900).await;
    b.go("/boats/1/findings/1").await;
    b.comes_true("navigator.serviceWorker.controller").await;
    let folder = server.kill();
    b.fill("note", "mine, from under the hull").await;
    b.press(&b.find_text("button", "Save the finding").await).await;
    b.find_text("#waiting summary", "1 entry waits").await;

    let server = Server::start_at("demo", folder, &port);
    let visitor = Visitor::new(&server);
    let keys = crate::support::keys(&visitor.get("/boats/1/findings/1").await.text, "/boats/1/findings/1");
    let fields: Vec<(&str, &str)> = CRACK.iter().copied().chain([("note", "theirs, at the desk")]).collect();
    assert_eq!(visitor.post("/boats/1/findings/1", &crate::support::with_keys(&keys, &fields)).await.status, 303);
    b.page.execute("window.dispatchEvent(new Event('online'))", vec![]).await.unwrap();
    b.find_text("#waiting li", "changed by somebody else").await;
    b.press(&b.find_text("#waiting button", "Look at both").await).await;
    let conflict = b.find("section.conflict").await.text().await.unwrap();
    assert!(conflict.contains("theirs, at the desk") && conflict.contains("mine, from under the hull"), "{conflict}");
    b.press(&b.find_text("button", "Save mine over theirs").await).await;
    b.arrives("/boats/1?at=P5").await;
    let rows = findings(&server).await;
    assert!(rows.iter().any(|row| row.contains("mine, from under the hull")));
    // Twice pressed, so that nothing goes by a slip of a glove.
    b.press(&b.find_text("#waiting button", "Strike off").await).await;
    b.press(&b.find_text("#waiting button", "Strike off for good?").await).await;
    b.comes_true("document.getElementById('waiting').hidden").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn signed_out_gone_or_full_nothing_is_lost_silently() {
    let server = Server::demo();
    let port = server.port();
    let before = findings(&server).await.len();
    let b = prepared(&server, 390, 844).await;
    let folder = server.kill();
    b.go("/boats/1/quick?at=S3+F9").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text("#waiting summary", "1 entry waits").await;
    // The boat it belongs to is not there when it is sent.
    b.page.execute("document.querySelector('form.quick').action = '/boats/99/quick'", vec![]).await.unwrap();
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text("#waiting summary", "2 entries wait").await;

    // Signed out meanwhile: it waits for whoever made it.
    let server = Server::start_at("serve", folder, &port);
    b.page.delete_all_cookies().await.unwrap();
    b.page.execute("window.dispatchEvent(new Event('online'))", vec![]).await.unwrap();
    b.find_text("#waiting li", "waits for sign-in").await;
    let folder = server.kill();
    let server = Server::start_at("demo", folder, &port);
    b.page.execute("window.dispatchEvent(new Event('online'))", vec![]).await.unwrap();
    b.find_text("#waiting summary", "1 entry waits").await;
    b.find_text("#waiting li", "its place is gone").await;
    b.find_text("#waiting button", "Save as a file").await;
    assert_eq!(findings(&server).await.len(), before + 1);

    // No room left on the device: told, and what was typed stays.
    server.kill();
    b.go("/boats/1/quick?at=S3+F9").await;
    let full = "IDBObjectStore.prototype.add = () => { throw new DOMException('full', 'QuotaExceededError'); }";
    b.page.execute(full, vec![]).await.unwrap();
    b.fill("note", "no room for this").await;
    b.press(&b.find_text("button", "Mark it").await).await;
    b.find_text(".sent-note", "NOT saved").await;
    assert_eq!(b.find("#f-note").await.prop("value").await.unwrap().unwrap(), "no room for this");
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_coat_laid_without_signal_counts_once_and_from_when_it_was_laid() {
    let server = Server::demo();
    let port = server.port();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let plan = [
        ("what", "Rudder"),
        ("recipe", "paint_topsides"),
        ("area", "2"),
        ("place", "outside"),
        ("temperature", "18"),
        ("humidity", "60"),
        ("start", ""),
    ];
    assert_eq!(visitor.send("/boats/1/finish", "/boats/1/finish", &plan).await.status, 303);
    let page = visitor.get("/boats/1/finish").await.text;
    let at = page.find("/boats/1/coats/").unwrap();
    let coat: String = page[at..].chars().take_while(|c| *c != '"').collect();

    let b = prepared(&server, 390, 844).await;
    b.go(&coat).await;
    b.find_text("h1", "Primer 1").await;
    let folder = server.kill();
    b.go(&coat).await;
    for (field, value) in [("temperature", "18"), ("humidity", "55"), ("wood", "12")] {
        b.fill(field, value).await;
    }
    b.press(&b.find("input[name=ready]").await).await;
    b.press(&b.find_text("button", "It is on").await).await;
    b.find_text("#waiting summary", "1 entr").await;

    let server = Server::start_at("demo", folder, &port);
    b.page.execute("window.dispatchEvent(new Event('online'))", vec![]).await.unwrap();
    b.comes_true("document.getElementById('waiting').hidden").await;
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let finish = visitor.get("/boats/1/finish").await.text;
    assert!(finish.contains("1 of 6 on") && finish.contains("18 °C, 55 %, wood 12 %"), "{finish}");
    b.go("/boats/1/finish").await;
    b.page.execute("return window.keelOffline.send()", vec![]).await.unwrap();
    let story = visitor.get("/boats/1/story").await.text;
    assert_eq!(story.matches("Laid primer 1 on").count(), 1, "once");
    b.close().await;
}
