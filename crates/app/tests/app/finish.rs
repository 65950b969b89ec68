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
