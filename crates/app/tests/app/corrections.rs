//! What was entered by mistake is taken back by correcting entries, through the pages; the story has both.

use crate::support::{Server, Visitor, but};

/// The first address of this form on a page: `/boats/1/coats/` with what follows up to the quote.
fn address(html: &str, start: &str, end: &str) -> String {
    let mut rest = html;
    while let Some(at) = rest.find(&format!("\"{start}")) {
        let found = &rest[at + 1..];
        let whole = &found[..found.find('"').unwrap()];
        if whole.ends_with(end) {
            return whole.to_owned();
        }
        rest = &rest[at + 1 + start.len()..];
    }
    panic!("no {start}…{end} in: {html}");
}

#[tokio::test]
async fn a_coat_ticked_by_mistake_and_a_plan_not_wanted_are_taken_back() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/2/finish";
    let plan = [
        ("what", "the middle thwart"),
        ("recipe", "bright"),
        ("area", "0.6"),
        ("temperature", "18"),
        ("humidity", "60"),
        ("start", ""),
    ];
    let codes: Vec<String> = visitor
        .get(page)
        .await
        .text
        .split("<option value=\"")
        .skip(1)
        .map(|o| o[..o.find('"').unwrap()].to_owned())
        .collect();
    let recipe: &'static str = Box::leak(codes[0].clone().into_boxed_str());
    let plan = but(&plan, "recipe", recipe);
    assert_eq!(visitor.send(page, page, &plan).await.location, page);
    let html = visitor.get(page).await.text;
    let section = |html: &str| -> String {
        let at = html.find("the middle thwart").unwrap();
        html[at..at + html[at..].find("</section>").unwrap()].to_owned()
    };
    let coat = address(&section(&html), "/boats/2/coats/", "");
    let read = [("temperature", "18"), ("humidity", "55"), ("wood", "12"), ("ready", "1")];
    assert_eq!(visitor.send(&coat, &format!("{coat}/lay"), &read).await.status, 303);

    // With a coat on, the plan stays; taking the coat back wants a reason, and keeps what was typed.
    let laid = section(&visitor.get(page).await.text);
    assert!(!laid.contains("Take this plan back"), "{laid}");
    let undo = address(&laid, "/boats/2/coats/", "/undo");
    let refused = visitor.send(page, &undo, &[("why", "")]).await;
    assert!(refused.status == 422 && refused.text.contains("say what was wrong"), "{}", refused.status);
    assert_eq!(visitor.send(page, &undo, &[("why", "that was the other boat")]).await.status, 303);
    let story = visitor.get("/boats/2/story").await.text;
    assert!(story.contains("Taken back, it was not laid on") && story.contains("that was the other boat"));

    let bare = section(&visitor.get(page).await.text);
    let withdraw = address(&bare, "/boats/2/finish/", "/withdraw");
    assert_eq!(visitor.send(page, &withdraw, &[]).await.status, 303);
    assert!(!visitor.get(page).await.text.contains("the middle thwart"));
    assert!(visitor.get("/boats/2/story").await.text.contains("Plan taken back: the middle thwart"));
}

#[tokio::test]
async fn hours_booked_too_many_are_taken_back_with_why_and_never_more_than_there_are() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/1/work";
    let book = address(&visitor.get(page).await.text, "/boats/1/tasks/", "/book");
    assert_eq!(visitor.send(page, &book, &[("hours", "3")]).await.status, 303);
    let no_reason = visitor.send(page, &book, &[("hours", "-1")]).await;
    assert!(no_reason.status == 422 && no_reason.text.contains("say why hours are taken back"));
    assert!(no_reason.text.contains("value=\"-1\""), "what was typed stays");
    let nothing = visitor.send(page, &book, &[("hours", "0")]).await;
    assert!(nothing.status == 422 && nothing.text.contains("must not be nothing"));
    let too_many = visitor.send(page, &book, &[("hours", "-20"), ("correction", "wrong task")]).await;
    assert!(too_many.status == 422 && too_many.text.contains("are booked on it"), "{}", too_many.status);
    assert_eq!(visitor.send(page, &book, &[("hours", "-1"), ("correction", "wrong task")]).await.status, 303);
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains("1 h 00 min taken back, because wrong task"));
}

#[tokio::test]
async fn a_part_is_given_its_name_and_one_that_is_not_there_goes_unless_something_hangs_on_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let place = visitor.get("/boats/1/place?at=SPAR3+1").await.text;
    let measure = address(&place, "/boats/1/members/", "at=SPAR3%201");
    let html = visitor.get(&measure).await.text;
    assert!(html.contains("value=\"Gaff\""), "{html}");
    let form = measure.clone();
    let fields = [
        ("name", "Topmast"),
        ("length", "6200"),
        ("width", "95"),
        ("thickness", "95"),
        ("species", "sitka_spruce"),
        ("year", ""),
        ("finish", ""),
        ("fastened", ""),
    ];
    assert_eq!(visitor.send(&form, &form, &fields).await.status, 303);
    assert!(visitor.get("/boats/1/place?at=SPAR3+1").await.text.contains("Topmast"));

    let number: String = measure.split('/').nth(4).unwrap().chars().take_while(char::is_ascii_digit).collect();
    let remove = format!("/boats/1/members/{number}/remove");
    assert_eq!(visitor.send(&form, &remove, &[]).await.location, "/boats/1?surface=spars");
    assert!(visitor.get("/boats/1/story").await.text.contains("There is no Topmast"));

    // A frame on which something was found stays.
    let new = "/boats/1/findings/new?at=FR9P%201";
    let crack = [
        ("kind", "crack"),
        ("method", "look"),
        ("grade", "watch"),
        ("certainty", "suspected"),
        ("cause", "unknown"),
        ("depth", "0"),
        ("shape", ""),
    ];
    assert_eq!(visitor.send(new, new, &crack).await.status, 303);
    let place = visitor.get("/boats/1/place?at=FR9P+1").await.text;
    let measure = address(&place, "/boats/1/members/", "at=FR9P%201");
    let number: String = measure.split('/').nth(4).unwrap().chars().take_while(char::is_ascii_digit).collect();
    let refused = visitor.send(&measure, &format!("/boats/1/members/{number}/remove"), &[]).await;
    assert!(
        refused.status == 422 && refused.text.contains("something was found or decided on it"),
        "{}",
        refused.status
    );
}

#[tokio::test]
async fn pages_come_packed_to_who_takes_it_and_the_map_is_small_on_the_wire() {
    let server = Server::demo();
    let client = reqwest::Client::new();
    let size = async |encoding: &str| {
        let asked = client.get(format!("{}/boats/1", server.base)).header("Accept-Encoding", encoding);
        let answer = asked.send().await.unwrap();
        let packed = answer.headers().get("content-encoding").map(|v| v.to_str().unwrap().to_owned());
        assert!(answer.headers().get_all("vary").iter().any(|v| v == "Accept-Encoding"));
        (packed, answer.bytes().await.unwrap().len())
    };
    let (plain, whole) = size("identity").await;
    let (packed, small) = size("gzip").await;
    assert_eq!((plain.as_deref(), packed.as_deref()), (None, Some("gzip")));
    assert!(small * 4 < whole && small < 150_000, "{small} of {whole}");
}

#[tokio::test]
async fn a_story_opens_at_any_entry_and_leads_back_to_the_newest() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let entries = |html: &str| -> Vec<i64> {
        html.split("id=\"e").skip(1).map(|part| part[..part.find('"').unwrap()].parse().unwrap()).collect()
    };
    let newest = visitor.get("/boats/1/story").await.text;
    assert!(newest.contains("Every entry is chained") && newest.contains("Prove all from the first"));
    let all = entries(&newest);
    let each: std::collections::HashSet<i64> = all.iter().copied().collect();
    assert!(all.len() > 3 && each.len() == all.len(), "{all:?}");
    let middle = all[all.len() / 2];
    let from_middle = visitor.get(&format!("/boats/1/story?upto={middle}")).await.text;
    assert_eq!(entries(&from_middle)[0], middle);
    let later = address(&from_middle, "/boats/1/story?upto=", &all[0].to_string());
    assert_eq!(entries(&visitor.get(&later).await.text), all, "the page before begins with the newest");
    let proven = visitor.get("/boats/1/story?whole=1").await.text;
    assert!(proven.contains("Every entry is chained") && entries(&proven) == all);
    let past = visitor.get("/boats/1/story?upto=0").await.text;
    assert!(past.contains("No more entries.") && entries(&past).is_empty());
}
