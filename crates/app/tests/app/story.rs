//! The story: told by hand, put right by later entries, and cut down to what is asked for.

use crate::support::{Server, Visitor, flat, keys, with_keys};

const STORY: &str = "/boats/1/story";

async fn tell(visitor: &Visitor, fields: &[(&str, &str)]) -> crate::support::Answer {
    let page = visitor.get(STORY).await.text;
    let mut own = keys(&page, STORY);
    own.retain(|(name, _)| name != "corrects");
    visitor.post(STORY, &with_keys(&own, fields)).await
}

#[tokio::test]
async fn what_is_told_by_hand_says_when_it_happened_and_a_later_entry_puts_it_right() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let coin = [("kind", "find"), ("words", "a <coin> under the mast step"), ("happened", "1962"), ("place", "P5 F12")];
    let kept = tell(&visitor, &coin).await;
    assert_eq!(kept.status, 303);
    let told = visitor.get(kept.location.split('#').next().unwrap()).await.text;
    assert!(told.contains("Something found: a &#60;coin&#62; under the mast step"));
    // It stands where it happened, and says when it was written down.
    assert!(told.contains("class=\"story-day\">1962<") && told.contains("entered "), "{told}");
    for (wrong, says) in [
        ([("kind", "find"), ("words", ""), ("happened", ""), ("place", "")], "say what happened"),
        ([("kind", "gossip"), ("words", "x"), ("happened", ""), ("place", "")], "is-invalid"),
        ([("kind", "note"), ("words", "kept words"), ("happened", ""), ("place", "P99 F99")], "kept words"),
    ] {
        let refused = tell(&visitor, &wrong).await;
        assert!(refused.status == 422 && refused.text.contains(says), "{says}: {}", refused.status);
    }
    // The entry stays; the one that puts it right shows what it said.
    let at = told.find("name=\"corrects\" value=\"").and_then(|first| {
        let rest = &told[first + 23..];
        rest.find("name=\"corrects\" value=\"").map(|next| first + 23 + next + 23)
    });
    let entry: String = told[at.expect("it can be put right")..].chars().take_while(char::is_ascii_digit).collect();
    let right =
        [("kind", "note"), ("words", "a token, not a coin"), ("happened", "1961"), ("place", ""), ("corrects", &entry)];
    let kept = tell(&visitor, &right).await;
    assert_eq!(kept.status, 303);
    let both = visitor.get(kept.location.split('#').next().unwrap()).await.text;
    assert!(both.contains("it said: <s>Something found: a &#60;coin&#62;") && both.contains("a token, not a coin"));
    // An entry of another kind, or of another boat, is not put right by hand.
    let foreign = [("kind", "note"), ("words", "x"), ("happened", ""), ("place", ""), ("corrects", "1")];
    assert_eq!(tell(&visitor, &foreign).await.status, 404);
    assert!(visitor.get(&format!("{STORY}?whole=1")).await.text.contains("Every entry is chained"));
}

#[tokio::test]
async fn a_story_is_told_in_the_order_things_happened() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    for (words, happened) in [
        ("sold to the estuary", "May 1971"),
        ("launched", "1936"),
        ("a new mast", "summer of 1971"),
        ("nobody knows when", "long ago"),
        ("laid up", "winter 1940"),
    ] {
        let told = [("kind", "note"), ("words", words), ("happened", happened), ("place", "")];
        assert_eq!(tell(&visitor, &told).await.status, 303);
    }
    let story = visitor.get(&format!("{STORY}?of=told")).await.text;
    let at = |words: &str| story.find(&format!("Note: {words}")).unwrap_or_else(|| panic!("{words}"));
    let order = ["nobody knows when", "a new mast", "sold to the estuary", "laid up", "launched"].map(at);
    assert!(order.windows(2).all(|w| w[0] < w[1]), "{order:?}");
    assert!(story.contains("happened long ago"), "what has no year stands where it was entered, and says so");
}

#[tokio::test]
async fn a_story_is_cut_down_by_kind_and_by_person() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let entries = |page: &str| page.matches("class=\"event kind-").count();
    let all = visitor.get(STORY).await.text;
    let decided = visitor.get(&format!("{STORY}?of=decide")).await.text;
    assert!(entries(&decided) > 0 && entries(&decided) < entries(&all));
    assert_eq!(decided.matches("class=\"event kind-decision\"").count(), entries(&decided));
    let ines = visitor.get(&format!("{STORY}?who=Ines+Varga")).await.text;
    assert!(entries(&ines) > 0 && entries(&ines) < entries(&all), "{} of {}", entries(&ines), entries(&all));
    assert_eq!(entries(&visitor.get(&format!("{STORY}?who=Nobody+%26+Co")).await.text), 0);
    // A kind that is none cuts nothing down.
    assert_eq!(entries(&visitor.get(&format!("{STORY}?of=%27%3B--")).await.text), entries(&all));
    // A day is told once, as people write it.
    let days: Vec<&str> = all.split("class=\"story-day\">").skip(1).map(|d| &d[..d.find('<').unwrap()]).collect();
    assert!(!days.is_empty() && days.windows(2).all(|d| d[0] != d[1]), "{days:?}");
    assert!(days.iter().all(|d| d.split(' ').count() == 3 && d.len() <= 11), "{days:?}");
}

/// Something told of a place by hand, with a picture.
async fn told_with_photo(visitor: &Visitor, place: &str, happened: &str, words: &str) -> String {
    let page = "/boats/1/story";
    let fields = [("kind", "photo"), ("words", words), ("happened", happened), ("place", place), ("corrects", "")];
    let sent = visitor.send_photo(page, page, &fields, include_bytes!("tiny.png").to_vec()).await;
    assert_eq!(sent.status, 303, "{}", sent.text);
    sent.location
}

/// The part of a page that shows one part's photographs.
fn shown_of<'p>(page: &'p str, part: &str) -> &'p str {
    let section = page.split("<section class=\"sheet\">").find(|s| s.contains(&format!("<h2>{part}")));
    section.unwrap_or_else(|| panic!("nothing of {part} in: {page}"))
}

#[tokio::test]
async fn a_part_is_shown_before_and_after_only_where_there_are_both() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let path = "/boats/1/before-and-after";
    let page = flat(&visitor.get(path).await.text);
    assert!(shown_of(&page, "S9, bay 18").contains("No pair yet"), "only what was found there: {page}");

    // A picture of what was found years before the work is the first; what was told when it was done is the last.
    told_with_photo(&visitor, "S9 F20", "2031-05-02", "The new length, primed & faired").await;
    let page = flat(&visitor.get(path).await.text);
    let shown = shown_of(&page, "S9, bay 18");
    let (before, after) = (shown.find("<b>Before</b>").unwrap(), shown.find("<b>After</b>").unwrap());
    assert!(before < after && shown[before..after].contains("Soft rot"), "{shown}");
    assert!(shown[after..].contains("primed &#38; faired") && shown[after..].contains("2 May 2031"), "{shown}");
    assert!(page.find("S9, bay 18").unwrap() < page.find("No pair yet").unwrap(), "pairs come first");

    // An older picture takes its place, and the one between is shown beside them.
    told_with_photo(&visitor, "S9 F20", "1936", "As she was built").await;
    let page = flat(&visitor.get(path).await.text);
    let shown = shown_of(&page, "S9, bay 18");
    let after = shown.find("<b>After</b>").unwrap();
    assert!(shown[..after].contains("As she was built") && shown.contains("photo-row"), "{shown}");

    // Told by mistake: put right without its picture, it shows nothing any more.
    let wrong = told_with_photo(&visitor, "S9 F20", "2032-01-01", "The wrong boat").await;
    let entry = wrong.rsplit("#e").next().unwrap();
    assert!(flat(&visitor.get(path).await.text).contains("The wrong boat"));
    let right = [("kind", "note"), ("words", "No such picture"), ("happened", ""), ("place", ""), ("corrects", entry)];
    assert_eq!(tell(&visitor, &right).await.status, 303);
    let page = flat(&visitor.get(path).await.text);
    assert!(!page.contains("The wrong boat") && page.contains("primed &#38; faired"), "{page}");

    // On paper too, and nothing of it on another boat's page.
    let given = visitor.send("/boats/1/dossier", "/boats/1/dossier", &[("edition", "owner"), ("names", "")]).await;
    assert_eq!(given.status, 303, "{}", given.text);
    assert!(!visitor.get("/boats/2/before-and-after").await.text.contains("As she was built"));
    assert_eq!(visitor.get("/boats/99/before-and-after").await.status, 404);
}

#[tokio::test]
async fn an_entry_says_why_and_what_it_holds_in_words() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let mut seen = String::new();
    for kinds in ["survey", "decide", "wood", "fasten", "finish", "work"] {
        seen.push_str(&visitor.get(&format!("{STORY}?of={kinds}")).await.text);
    }
    // Why it was decided stands in the open, what it was reckoned with behind it.
    assert!(seen.contains("<div>One short crack in sound larch; the plank has been there since she was built.</div>"));
    assert!(seen.contains("<dt>Hours, one time in two</dt>") && seen.contains("<dt>Original kept</dt>"), "{seen}");
    // Nobody is shown how it is stored.
    for stored in ["&#34;:", "hours_p50", "_mm", "<pre>"] {
        assert!(!seen.contains(stored), "{stored}: {}", &seen[seen.find(stored).unwrap_or(0).saturating_sub(200)..]);
    }
}
