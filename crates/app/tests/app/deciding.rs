//! Deciding through the pages: what is refused, what is answered elsewhere, and what stays visible.

use crate::support::{Server, Visitor};

/// A finding on a part, put down through its own form. Answers the part's page of options.
async fn found(visitor: &Visitor, place: &str, fields: &[(&str, &str)]) -> String {
    let page = format!("/boats/1/findings/new?at={}", place.replace(' ', "%20"));
    let common = [("method", "open_up"), ("certainty", "opened_up"), ("cause", "fresh_water")];
    let all: Vec<(&str, &str)> = common.into_iter().chain(fields.iter().copied()).collect();
    let answer = visitor.send(&page, &page, &all).await;
    assert_eq!(answer.status, 303, "{place}: {}", &answer.text[answer.text.find("class=\"fault\"").unwrap_or(0)..]);
    let finding = visitor.get(&answer.location).await.text;
    let ways = finding.split("\"/boats/1/parts/").skip(1).filter_map(|rest| rest.split_once("/decide\""));
    let part = ways.map(|(part, _)| part).find(|part| part.bytes().all(|b| b.is_ascii_digit()));
    format!("/boats/1/parts/{}/decide", part.unwrap_or_else(|| panic!("no way to the options in: {finding}")))
}

/// The part of a page that lays out one option.
fn option<'p>(page: &'p str, code: &str) -> &'p str {
    let at = page.find(&format!("name=\"option\" value=\"{code}\"")).unwrap_or_else(|| panic!("no {code} in: {page}"));
    let start = page[..at].rfind("<section").unwrap();
    &page[start..start + page[start..].find("</section>").unwrap()]
}

#[tokio::test]
async fn a_frame_rotten_through_is_never_left_or_treated_unless_somebody_says_why_and_that_stays_in_sight() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let rot = [("kind", "rot"), ("grade", "renew"), ("depth", "40"), ("shape", "0, 0\n140, 0\n140, 46\n0, 46")];
    let path = found(&visitor, "FR15P 1", &rot).await;
    let page = visitor.get(&path).await.text;
    for code in ["leave", "treat"] {
        assert!(option(&page, code).contains("refused by a rule"), "{code}: {}", option(&page, code));
    }
    let first = page.find("name=\"option\" value=\"").map(|at| &page[at + 21..at + 40]).unwrap();
    assert!(first.starts_with("splice_end"), "{first}");

    // A refused one needs its reason, and what was typed stays.
    let chosen = [("option", "treat"), ("reason", "The owner wants to sail in May.")];
    let refused = visitor.send(&path, &path, &chosen).await;
    assert_eq!(refused.status, 422);
    assert!(refused.text.contains("a rule speaks against this") && refused.text.contains("wants to sail in May"));
    let against = [chosen[0], chosen[1], ("against", "she comes out again in October")];
    assert_eq!(visitor.send(&path, &path, &against).await.status, 303);
    for later in ["/boats/1/shape", "/boats/1/timber", "/boats/1/work", "/boats/1/story", "/boats/1/decide"] {
        let page = visitor.get(later).await.text;
        assert!(page.contains("Against the rule") && page.contains("she comes out again in October"), "{later}");
    }

    // What is found afterwards marks the decision, and changes nothing of it.
    found(&visitor, "FR15P 1", &[("kind", "crack"), ("grade", "mend"), ("depth", "10"), ("shape", "200, 10\n260, 12")])
        .await;
    let again = visitor.get(&path).await.text;
    assert!(again.contains("Look again: crack at FR15P head was found after this was decided"), "{again}");
}

#[tokio::test]
async fn like_damage_on_like_frames_is_decided_at_once() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let rot = [("kind", "rot"), ("grade", "renew"), ("depth", "40"), ("shape", "0, 0\n120, 0\n120, 46\n0, 46")];
    let mut paths = Vec::new();
    for code in ["FR17S 1", "FR20S 1", "FR23S 1"] {
        paths.push(found(&visitor, code, &rot).await);
    }
    let page = visitor.get(&paths[0]).await.text;
    let id = |path: &str| path.split('/').nth(4).unwrap().to_owned();
    let others: Vec<String> = paths[1..].iter().map(|p| format!("also_{}", id(p))).collect();
    assert!(others.iter().all(|o| page.contains(o.as_str())), "{page}");
    let mut fields = vec![("option", "splice_end"), ("reason", "The heads only; the rest is sound.")];
    fields.extend(others.iter().map(|o| (o.as_str(), "1")));
    assert_eq!(visitor.send(&paths[0], &paths[0], &fields).await.location, "/boats/1/shape");
    for path in &paths {
        assert!(visitor.get(path).await.text.contains("In force: <b>Splice the end</b>"), "{path}");
    }
}

#[tokio::test]
async fn every_kind_of_finding_gets_an_option_or_the_step_that_answers_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let line = "0, 60\n300, 60";
    let area = "0, 40\n200, 40\n200, 80\n0, 80";
    for (place, kind, shape, wanted) in [
        ("P9 F4", "open_seam", "0, 0\n300, 0", "Go on in Seams"),
        ("P9 F8", "stain", area, "Go on in Survey"),
        ("P9 F20", "sun", area, "Go on in Finish"),
        ("P10 F6", "buckled", "0, 0\n300, 0", "value=\"free_and_flatten\""),
        ("P10 F20", "forced", area, "value=\"free_and_flatten\""),
        ("S10 F6", "wrong_material", area, "value=\"graving\""),
        ("S10 F20", "delamination", area, "value=\"inject\""),
        ("S9 F4", "gouge", "100, 60", "value=\"graving\""),
        ("KEEL 3", "open_scarf", line, "value=\"refit_scarf\""),
        ("BM5 1", "rot", "0, 0\n150, 0\n150, 30\n0, 30", "value=\"splice_end\""),
    ] {
        let depth = if matches!(kind, "gouge" | "rot" | "delamination") { "8" } else { "0" };
        let path =
            found(&visitor, place, &[("kind", kind), ("grade", "mend"), ("depth", depth), ("shape", shape)]).await;
        let page = visitor.get(&path).await.text;
        assert!(page.contains(wanted), "{kind} at {place}: no {wanted} in {page}");
    }
}

#[tokio::test]
async fn a_drawing_with_an_edge_nobody_measured_is_stamped_and_one_of_what_was_drawn_is_not() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let list = visitor.get("/boats/1/shape").await.text;
    let ids = list.split("\"/boats/1/pieces/").skip(1).filter_map(|rest| rest.split('"').next()?.parse::<i64>().ok());
    let (mut stamped, mut plain) = (0, 0);
    for id in ids.collect::<std::collections::BTreeSet<i64>>() {
        let page = visitor.get(&format!("/boats/1/pieces/{id}")).await.text;
        let generated = page.contains("Generated, do not cut");
        for kind in ["svg", "dxf"] {
            let drawing = visitor.get(&format!("/boats/1/pieces/{id}/file/{kind}")).await.text;
            assert_eq!(drawing.contains("GENERATED, DO NOT CUT"), generated, "piece {id} as {kind}");
        }
        assert!(!generated || page.contains("nobody measured them"), "{page}");
        (stamped, plain) = if generated { (stamped + 1, plain) } else { (stamped, plain + 1) };
    }
    assert!(stamped >= 3 && plain >= 1, "{stamped} stamped, {plain} not");
}

#[tokio::test]
async fn a_plank_that_cannot_take_part_is_left_out_with_its_reason() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let part = |path: &str| path.split('/').nth(4).unwrap().to_owned();
    let rot = [("kind", "rot"), ("grade", "renew"), ("depth", "15"), ("shape", "0, 30\n400, 30\n400, 100\n0, 100")];
    let can = part(&found(&visitor, "S9 F20", &rot).await);
    let suspected = [("kind", "rot"), ("grade", "renew"), ("certainty", "suspected"), ("depth", "0"), ("shape", "")];
    let page = "/boats/1/findings/new?at=S11%20F20";
    let common = [("method", "look"), ("cause", "fresh_water")];
    let all: Vec<(&str, &str)> = common.into_iter().chain(suspected).collect();
    assert_eq!(visitor.send(page, page, &all).await.status, 303);
    let list = visitor.get("/boats/1/decide").await.text;
    let mut rows = list.split("/boats/1/parts/");
    let row = rows.find(|rest| rest.split_once("/decide\">").is_some_and(|(_, name)| name.starts_with("S11,")));
    let cannot = row.unwrap_or_else(|| panic!("S11 does not ask: {list}")).split('/').next().unwrap().to_owned();
    let laid = visitor.get(&format!("/boats/1/together?part={can}&part={cannot}")).await.text;
    assert!(laid.contains("is left out: nobody knows how deep") && laid.contains("Decide on these planks"), "{laid}");
}

#[tokio::test]
async fn a_coat_that_a_rule_forbids_is_not_put_down() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let coat = |humidity| {
        [
            ("what", "Topsides, port"),
            ("recipe", "varnish"),
            ("area", "6"),
            ("temperature", "14"),
            ("humidity", humidity),
            ("start", ""),
        ]
    };
    let recipe = visitor.get("/boats/1/finish").await.text;
    let code = recipe
        .split("name=\"recipe\"")
        .nth(1)
        .unwrap()
        .split("value=\"")
        .nth(1)
        .unwrap()
        .split('"')
        .next()
        .unwrap()
        .to_owned();
    let mut damp = coat("92");
    damp[1].1 = code.as_str();
    let refused = visitor.send("/boats/1/finish", "/boats/1/finish", &damp).await;
    assert_eq!(refused.status, 422);
    assert!(refused.text.contains("no coat goes on so") && refused.text.contains("Topsides, port"), "{}", refused.text);
    let mut dry = coat("55");
    dry[1].1 = code.as_str();
    assert_eq!(visitor.send("/boats/1/finish", "/boats/1/finish", &dry).await.status, 303);
}

#[tokio::test]
async fn a_task_waits_for_its_turn_unless_somebody_says_why_and_the_story_tells_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let rot = [("kind", "rot"), ("grade", "renew"), ("depth", "40"), ("shape", "0, 0\n120, 0\n120, 46\n0, 46")];
    let path = found(&visitor, "FR21P 1", &rot).await;
    let chosen = [("option", "splice_end"), ("reason", "The head only.")];
    assert_eq!(visitor.send(&path, &path, &chosen).await.status, 303);

    let work = visitor.get("/boats/1/work").await.text;
    let job = &work[work.find("Frame 21, port").unwrap()..];
    let job = &job[..job.find("</section>").unwrap()];
    let task = |word: &str| -> &str {
        let at = job.find(word).unwrap_or_else(|| panic!("no {word} in: {job}"));
        let start = job[..at].rfind("<li class=\"task").unwrap();
        let end = job[at..].find("<li class=\"task").map_or(job.len(), |next| at + next);
        &job[start..end]
    };
    let cut = task(">Cut out to the lines</a></b>");
    assert!(cut.contains("Waits for its turn: first: Shore and batten"), "{cut}");
    assert!(!task(">Shore and batten").contains("Waits for its turn"));
    let action = |item: &str| {
        let at = item.find("/done\"").unwrap();
        item[item[..at].rfind('"').unwrap() + 1..at + 5].to_owned()
    };
    let done = action(cut);
    let refused = visitor.send("/boats/1/work", &done, &[("why", "")]).await;
    assert_eq!(refused.status, 422);
    assert!(refused.text.contains("it is not its turn: say why"), "{}", refused.text);
    let start = done.replace("/done", "/start");
    let keys = crate::support::keys(&visitor.get("/boats/1/work").await.text, &done);
    let clock = visitor.post(&start, &crate::support::with_keys(&keys, &[])).await;
    assert_eq!(clock.status, 422, "no clock runs on it either");

    assert_eq!(visitor.send("/boats/1/work", &done, &[("why", "she hangs in the slings")]).await.status, 303);
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains("Against the order, done: Cut out to the lines, because she hangs in the slings"));

    // What is its turn needs no reason.
    let shore = action(task(">Shore and batten"));
    assert_eq!(visitor.send("/boats/1/work", &shore, &[]).await.status, 303);
}

/// What stands in a page between two words, as a number.
fn figure(page: &str, before: &str, after: &str) -> f64 {
    let page = crate::support::flat(page);
    let from = page.find(before).unwrap_or_else(|| panic!("no {before} in: {page}")) + before.len();
    let text = page[from..].split(after).next().unwrap().trim();
    text.rsplit('>').next().unwrap().trim().parse().unwrap_or_else(|_| panic!("no number after {before}: {text}"))
}

#[tokio::test]
async fn a_beam_of_a_likely_section_says_so_until_it_is_measured_and_is_scarfed_and_held_as_a_beam() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let rot = [("kind", "rot"), ("grade", "renew"), ("depth", "30"), ("shape", "0, 0\n200, 0\n200, 40\n0, 40")];
    let path = found(&visitor, "BM5 1", &rot).await;
    let page = visitor.get(&path).await.text;
    assert!(page.contains("Its section is generated"), "{page}");
    assert!(page.contains("by generated sizes: nobody measured them"), "what new wood it takes is no measure either");
    assert!(page.contains("serves best") && !page.contains("of 100</span>"), "words, with the figure behind them");
    let small = [("kind", "gouge"), ("grade", "mend"), ("depth", "5"), ("shape", "0, 20\n60, 20\n60, 34\n0, 34")];
    let gouged = visitor.get(&found(&visitor, "P7 F16", &small).await).await.text;
    assert!(option(&gouged, "leave").contains("may wait, never first"), "{}", option(&gouged, "leave"));
    assert!(page.contains(" EUR"), "what it costs is in the yard's money");

    let part = path.split('/').nth(4).unwrap();
    let member = format!("/boats/1/members/{part}?at=");
    let measured = [
        ("name", "Beam 5"),
        ("length", "1900"),
        ("width", "60"),
        ("thickness", "45"),
        ("species", "white_oak"),
        ("grain", ""),
        ("year", ""),
        ("finish", ""),
        ("fastened", ""),
    ];
    let form = format!("/boats/1/members/{part}");
    let kept = visitor.send(&form, &member, &measured).await;
    assert_eq!(kept.status, 303, "{}", kept.text);
    let page = visitor.get(&path).await.text;
    assert!(!page.contains("Its section is generated") && !page.contains("nobody measured them"), "{page}");

    let chosen = [("option", "splice_end"), ("reason", "sound inboard")];
    assert_eq!(visitor.send(&path, &path, &chosen).await.status, 303);
    let shape = visitor.get("/boats/1/shape").await.text;
    let row = shape.split("/boats/1/pieces/").find(|rest| rest.contains("Splice the end, Beam 5")).unwrap();
    let piece = visitor.get(&format!("/boats/1/pieces/{}", row.split('"').next().unwrap())).await.text;
    // By hand: 12 × 60 = 720 long, 45 broad: 45 × √(720² + 60²) = 325 cm², as the glue has it too.
    assert_eq!(figure(&piece, "<dt>Glue area</dt><dd>", "cm²"), 325.0);
    assert_eq!(figure(&piece, "<dt>Joint</dt><dd>", "cm²"), 325.0);
    assert!(!piece.contains("outer edge aft"), "a beam has no outside that water runs over");
    let work = visitor.get("/boats/1/work").await.text;
    let tasks = &work[work.find("Beam 5").unwrap()..];
    assert!(tasks.contains("Stanchion the deck and brace her across"), "{tasks}");
}
