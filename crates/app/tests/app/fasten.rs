//! Fastenings, metals and seams through the real pages.

use crate::support::{Browser, Server, Visitor, flat, keys, with_keys};

#[tokio::test(flavor = "multi_thread")]
async fn a_region_is_refastened_and_ticked_off_also_without_signal() {
    let server = Server::demo();
    let b = Browser::open(&server, 390, 844).await;
    b.go("/boats/1/refasten/1").await;
    b.find(".crossing-cell").await;
    assert_eq!(b.page.find_all(thirtyfour::By::Css(".crossing-cell")).await.unwrap().len(), 4 * 19);
    assert_eq!(b.page.find_all(thirtyfour::By::Css(".crossing-cell.done")).await.unwrap().len(), 6);
    b.find(".crossing-drawing .new-screw").await;
    b.find_text("#crossing li", "plug with an epoxied dowel").await;
    b.fill("note", "nail drew clean").await;
    b.press(&b.find_text("#crossing button", "Tick it off").await).await;
    b.comes_true("document.querySelectorAll('.crossing-cell.done').length === 7").await;

    // Without signal: the server is gone, the crossings are walked through on the page, a tick waits and is sent once.
    b.comes_true("document.body.dataset.putBy === '1' || sessionStorage.getItem('put-by-1')").await;
    let port = server.port();
    let folder = server.kill();
    b.click("a[data-crossing='c-8-20']").await;
    b.find_text("#c-8-20 h2", "P8 F20").await;
    b.comes_true("document.querySelectorAll('.crossing-one:not([hidden])').length === 1").await;
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
async fn old_holes_as_they_were_found_are_tapped_on_the_drawing_and_planned_round() {
    let server = Server::demo();
    let b = Browser::open(&server, 1280, 1000).await;
    // The demo's apprentice found three here.
    b.go("/boats/1/refasten/1?at=7.15").await;
    assert_eq!(b.page.find_all(thirtyfour::By::Css("#c-7-15 .old-hole.recorded")).await.unwrap().len(), 3);
    b.go("/boats/1/refasten/1?at=8.20").await;
    let there = b.page.find_all(thirtyfour::By::Css("#c-8-20 .old-hole")).await.unwrap().len();
    b.click("#c-8-20 .crossing-drawing").await;
    let lines = "document.querySelector('#c-8-20 [name=holes]').value.trim().split('\\n').length";
    b.comes_true(&format!("{lines} === {}", there + 1)).await;
    b.press(&b.find_text("#c-8-20 button", "These are the old holes").await).await;
    b.find("#c-8-20 .old-hole.recorded").await;
    b.close().await;
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let page = "/boats/1/refasten/1?at=8.21";
    let at = [("strake", "8"), ("frame", "21")];
    for (holes, fault) in
        [("0, 40", "write x, y, diameter"), ("0, 900, 5", "is not on this crossing"), ("0, 40, 500", "is not on")]
    {
        let fields = [at[0], at[1], ("holes", holes)];
        let refused = visitor.send(page, "/boats/1/refasten/1/holes", &fields).await;
        assert!(refused.status == 422 && refused.text.contains(fault), "{holes}: {}", refused.status);
        assert!(refused.text.contains(&format!(">{holes}</textarea>")), "what was typed stays");
    }
    let crowded: Vec<String> = (0..9).map(|i| format!("0, {}, 9", 14 + 13 * i)).collect();
    let crowded = crowded.join("\n");
    let fields = [at[0], at[1], ("holes", crowded.as_str())];
    assert_eq!(visitor.send(page, "/boats/1/refasten/1/holes", &fields).await.status, 303);
    let planned = visitor.get(page).await.text;
    assert!(planned.contains("The rules cannot be met here") && planned.contains("Renew or splice: 1"));
    assert!(visitor.get("/boats/1/story").await.text.contains("Old holes at P8 F21: 9"));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_lapstrake_side_is_riveted_where_it_can_be_reached_and_in_its_laps() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let at = "/boats/2/refasten";
    let mut fields = vec![
        ("name", "Turn of the bilge"),
        ("side", "starboard"),
        ("strake_from", "2"),
        ("strake_to", "4"),
        ("frame_from", "3"),
        ("frame_to", "8"),
        ("original", "rivet"),
        ("kind", "rivet"),
        ("metal", ""),
        ("to_plane_off", "0"),
    ];
    let refused = visitor.send(at, at, &fields).await;
    assert!(refused.status == 422 && refused.text.contains("needs somebody inside"));
    fields.extend([("inside", "1"), ("in_lap", "3")]);
    fields[8].1 = "silicon_bronze";
    let refused = visitor.send(at, at, &fields).await;
    assert!(refused.status == 422 && refused.text.contains("too hard to rivet"));
    fields[7].1 = "";
    fields[8].1 = "";
    let planned = visitor.send(at, at, &fields).await;
    assert_eq!(planned.status, 303);
    let page = visitor.get(&planned.location).await.text;
    // 3 strakes × 5 bays × 3 in the laps.
    assert!(page.contains("45 of them, 3 to a bay"), "{page}");
    assert!(
        page.contains("copper nail and rove, copper")
            && page.contains("3 mm nail")
            && page.contains("length = plank + frame")
    );
    assert!(page.contains("✓ 520 free in the stores") || page.contains("520 free"));
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
    // Alkali-softened wood that the survey finds speaks for the metal near it: here screws that were just put in.
    let quick = [
        ("place", "P7 F8"),
        ("kind", "alkali"),
        ("grade", "mend"),
        ("certainty", "suspected"),
        ("method", "look"),
        ("cause", "unknown"),
        ("note", ""),
    ];
    assert!(!page.contains("<li>new fastenings at P7 F8</li>"));
    assert_eq!(visitor.send("/boats/1/quick", "/boats/1/quick", &quick).await.status, 303);
    assert!(visitor.get("/boats/1/metals").await.text.contains("<li>new fastenings at P7 F8</li>"));
    assert_eq!(visitor.send("/boats/1/metals", "/boats/1/metals", &fields).await.status, 303);
    assert!(visitor.get("/boats/1/metals").await.text.contains("yellow brass in wood loses its zinc"));
    // What wet wood joins counts however far apart; a place on the planking says where a piece is.
    assert!(page.contains("Rudder strap, lower (silicon bronze) eaten by Propeller shaft (stainless 316)"));
    assert!(page.contains("joined by wet wood to Propeller shaft"));
    let strap =
        [("name", "Bolt"), ("metal", "mild_steel"), ("zone", "below"), ("place", "P3 F99"), ("joined_to", "77")];
    let refused = visitor.send("/boats/1/metals", "/boats/1/metals", &strap).await;
    assert!(refused.status == 422 && refused.text.contains("choose one"));
    assert!(refused.text.contains("is not on her planking"));
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
    let deck = [
        ("name", "Deck cleat"),
        ("diameter", "8"),
        ("layers", "deck, 18\npad, 20"),
        ("surface", "wood"),
        ("cored", "1"),
        ("metal", "stainless_316"),
        ("below", "1"),
        ("place", "P13 F9"),
    ];
    assert_eq!(visitor.send("/boats/1/bolts", "/boats/1/bolts", &deck).await.status, 303);
    let page = visitor.get("/boats/1/bolts").await.text;
    assert!(page.contains("Bored oversize first: 16 mm") && page.contains("starved of oxygen"));
    let lost = [deck[0], deck[1], deck[2], deck[3], ("place", "P99 F9")];
    let refused = visitor.send("/boats/1/bolts", "/boats/1/bolts", &lost).await;
    assert!(refused.status == 422 && refused.text.contains("there is no strake 99"));
    let bad = [("name", "Cleat"), ("diameter", "7"), ("layers", "deck, 22"), ("surface", "wood")];
    let refused = visitor.send("/boats/1/bolts", "/boats/1/bolts", &bad).await;
    assert!(refused.status == 422 && refused.text.contains("must be one of 5, 6, 8"));
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
    for tool in ["fasten", "fasten-pattern", "metals", "seam", "deck-seam", "seam-balance", "tape"] {
        b.go(&format!("/bench/{tool}")).await;
        b.press(&b.find_text("button", "Work it out").await).await;
        b.find(".result dd").await;
        if tool == "fasten-pattern" {
            b.find(".result .new-screw").await;
        }
        if tool != "tape" {
            b.find(".result .reason").await;
        }
    }
    b.go("/bench/seam").await;
    b.choose("school", "glued").await;
    b.choose("treatment", "splined_glue").await;
    b.press(&b.find_text("button", "Work it out").await).await;
    b.find_text(".result .reason", "this one takes up").await;
    b.close().await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_piece_is_fastened_with_what_is_asked_for() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = visitor.get("/boats/1/fasten").await.text;
    let action = "/boats/1/fasten/";
    let at = page.find(&format!("{action}1")).or_else(|| page.find(&format!("action=\"{action}"))).unwrap();
    let from = page[at..].find(action).unwrap() + at;
    let action: String = page[from..].chars().take_while(|c| *c != '"').collect();
    assert!(page.contains("silicon bronze") && page.contains("Pilot in the frame"));
    let refused = visitor.send("/boats/1/fasten", &action, &[("to_plane_off", "90"), ("kind", "glue")]).await;
    assert!(refused.status == 422 && refused.text.contains("between 0 and 20") && refused.text.contains("choose one"));
    let kept = visitor.send("/boats/1/fasten", &action, &[("to_plane_off", "1"), ("kind", "clench")]).await;
    assert_eq!(kept.status, 303);
    let story = visitor.get("/boats/1/story").await.text;
    assert!(story.contains("Fastening planned for") && story.contains("mm nail ×"));
}

#[tokio::test]
async fn how_she_is_fastened_is_recorded_once_and_feeds_plans_metals_and_what_falls_due() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let form = "/boats/3/fastened";
    let bad = [("strake_from", "4"), ("strake_to", "2"), ("frame_from", "1"), ("frame_to", "9"), ("share", "all")];
    let refused = visitor.send(form, form, &bad).await;
    assert_eq!(refused.status, 422);
    assert!(refused.text.contains("must not be before the first"), "{}", refused.text);

    let strakes = [("strake_from", "1"), ("strake_to", "6"), ("frame_from", "1"), ("frame_to", "12")];
    let rivets = [("kind", "rivet"), ("metal", "copper"), ("share", "all"), ("year", "1938"), ("diameter", "4.5")];
    let iron =
        [("kind", "clench"), ("metal", "mild_steel"), ("share", "some"), ("year", "1971"), ("note", "yard bill")];
    for what in [rivets, iron] {
        let fields: Vec<(&str, &str)> = strakes.into_iter().chain(what).collect();
        assert_eq!(visitor.send(form, form, &fields).await.location, form);
    }
    // The place tells both, oldest first.
    let place = visitor.get("/boats/3/place?at=P3+F5").await.text;
    let (copper, steel) = (place.find("copper, 1938, all of them"), place.find("1971, some among others"));
    assert!(copper.is_some() && copper < steel, "{place}");
    // Iron beside copper in wet wood is told, and both fall due by their own years.
    let metals = visitor.get("/boats/3/metals").await.text;
    assert!(metals.contains("Clench nail of 1971 (mild steel) eaten by Copper nail and rove of 1938 (copper)"));
    assert!(metals.contains("<b>Copper nail and rove of 1938</b>") && metals.contains("draw some, nobody has"));
    // A region planned there keeps the kind that holds, and its old holes are as thick as recorded.
    let plan = [
        ("name", "Garboard, port"),
        ("side", "port"),
        ("strake_from", "2"),
        ("strake_to", "2"),
        ("frame_from", "3"),
        ("frame_to", "5"),
        ("inside", "1"),
        ("to_plane_off", "0"),
    ];
    let region = visitor.send("/boats/3/refasten", "/boats/3/refasten", &plan).await;
    let page = visitor.get(&region.location).await.text;
    assert!(page.contains("copper nail and rove, copper"), "{page}");
    assert!(page.contains("4.5 mm thick, as recorded"), "{page}");

    // Drawn good, its age no longer counts.
    for frame in [4, 5] {
        let reading = format!("/boats/3/readings/new?at=P3%20F{frame}");
        let drawn = [
            ("method", "draw_fastening"),
            ("original_diameter", "4.5"),
            ("remaining_diameter", "4.5"),
            ("fastening", "rivet"),
            ("metal", "copper"),
            ("wood", "sound"),
            ("nth", "1"),
        ];
        assert_eq!(visitor.send(&reading, &reading, &drawn).await.status, 303);
    }
    let metals = visitor.get("/boats/3/metals").await.text;
    assert!(metals.contains("✓ 2 drawn, all good: that counts, not their age"), "{metals}");
}

#[tokio::test]
async fn a_yard_that_works_in_inches_bolts_with_inch_bolts() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let practice = [("name", "Saltmeadow Slip"), ("unit", "in"), ("inch_denominator", "16"), ("stand_ins", "1")];
    assert_eq!(visitor.send("/practice", "/practice", &practice).await.status, 303);
    let fields = |diameter| {
        [
            ("name", "Mooring cleat"),
            ("diameter", diameter),
            ("layers", "deck, 1\npad, 1"),
            ("washers", "1/8"),
            ("surface", "wood"),
            ("holes", ""),
            ("note", ""),
        ]
    };
    let odd = visitor.send("/boats/1/bolts", "/boats/1/bolts", &fields("0.4")).await;
    assert!(odd.status == 422 && odd.text.contains("an inch bolt from 1/4 to 1 in"), "{}", odd.text);
    let kept = visitor.send("/boats/1/bolts", "/boats/1/bolts", &fields("3/8")).await;
    assert_eq!(kept.status, 303, "{}", kept.text);
    let page = visitor.get("/boats/1/bolts").await.text;
    // Grip 2 1/8 in and bedding, nut 21/64, two threads of a sixteenth: 2.62 in, sold at 2 3/4.
    assert!(page.contains("3/8&quot; by 2 3/4&quot;") || page.contains("3/8&#34; by 2 3/4&#34;"), "{page}");
}

/// A sick fastening, found by drawing it.
async fn drawn_sick(visitor: &Visitor, boat: i64, at: &str) {
    let page = format!("/boats/{boat}/findings/new?at={}", at.replace(' ', "%20"));
    let fields = [
        ("kind", "sick_fastening"),
        ("grade", "renew"),
        ("certainty", "confirmed"),
        ("method", "draw_fastening"),
        ("fastening", "screw"),
        ("metal", "bronze"),
        ("original_diameter", "5"),
        ("remaining_diameter", "2.4"),
        ("wood", "sound"),
        ("cause", "age"),
        ("depth", "0"),
        ("shape", "0, 30"),
    ];
    let answer = visitor.send(&page, &page, &fields).await;
    assert_eq!(answer.status, 303, "{at}: {}", answer.text);
}

#[tokio::test]
async fn sick_fastenings_are_gathered_into_regions_that_can_be_planned_and_then_ask_no_more() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    for at in ["P2 F5", "P3 F6", "P2 F5", "S4 F20"] {
        drawn_sick(&visitor, 3, at).await;
    }
    for page in ["/boats/3/fasten", "/boats/3/refasten"] {
        let text = flat(&visitor.get(page).await.text);
        assert!(text.contains("Port, strakes 2 to 3, frames 5 to 6: found at 2 crossings"), "{page}: {text}");
        assert!(text.contains("Starboard, strake 4, frame 20: found at 1 crossing"), "{page}: {text}");
    }
    // The form is begun with the region's bounds, and whatever else is asked for is only typed again.
    let bounds = "/boats/3/refasten?side=port&strake_from=2&strake_to=3&frame_from=5&frame_to=6";
    let form = visitor.get(bounds).await.text;
    for (field, value) in [("strake_from", "2"), ("strake_to", "3"), ("frame_from", "5"), ("frame_to", "6")] {
        let at = form.find(&format!("name=\"{field}\"")).unwrap();
        assert!(form[at..at + 90].contains(&format!("value=\"{value}\"")), "{field}: {}", &form[at..at + 90]);
    }
    assert!(form.contains("<option value=\"port\" selected>"));
    let odd = visitor.get("/boats/3/refasten?side=%3Cb%3E&strake_from=%22%3E%3Cscript%3E&frame_to=-1").await;
    assert!(odd.status == 200 && !odd.text.contains("\"><script>"), "{}", odd.text);

    let region = [
        ("name", "Port bow"),
        ("side", "port"),
        ("strake_from", "2"),
        ("strake_to", "3"),
        ("frame_from", "5"),
        ("frame_to", "6"),
        ("to_plane_off", "0"),
    ];
    let planned = visitor.send(bounds, "/boats/3/refasten", &region).await;
    assert_eq!(planned.status, 303, "{}", planned.text);
    let left = flat(&visitor.get("/boats/3/fasten").await.text);
    assert!(!left.contains("Port, strakes 2 to 3") && left.contains("Starboard, strake 4"), "{left}");
    // What is bored by a generated width says so, crossing by crossing.
    let crossing = visitor.get(&planned.location).await.text;
    assert!(crossing.contains("Measure the plank here first:") && crossing.contains("is generated"), "{crossing}");
}

#[tokio::test]
async fn a_sick_bolt_of_a_member_leads_to_the_bolts_and_not_to_a_region() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    drawn_sick(&visitor, 1, "BM5 1").await;
    let page = flat(&visitor.get("/boats/1/fasten").await.text);
    let asking = page.split_once("Found sick, not planned yet").expect("it asks").1;
    assert!(asking.contains("Beam 5 <a href=\"/boats/1/bolts\">"), "{asking}");
}

/// A part of the Fasten page: the sheet of the piece whose name begins so.
fn sheet<'t>(page: &'t str, name: &str) -> &'t str {
    let at = page.find(&format!(">{name}")).unwrap_or_else(|| panic!("{name}: {page}"));
    page[at..].split_once("</section>").expect("a sheet ends").0
}

fn action_of(sheet: &str) -> String {
    sheet.split_once("action=\"").expect("its form").1.split('"').next().unwrap().to_owned()
}

#[tokio::test]
async fn a_piece_of_a_frame_is_fastened_as_the_planking_on_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = visitor.get("/boats/1/fasten").await.text;
    let splice = sheet(&page, "Splice the end, Frame 7, port");
    assert!(flat(splice).contains("the planking is fastened to it anew"), "{splice}");
    // The planking is 25 mm thick: gauge 14, and under water no stainless.
    assert!(splice.contains("gauge 14") && !splice.contains("316 is allowed") && splice.contains("value=\"25 mm\""));
    let action = action_of(splice);
    let bad = [("to_plane_off", "0"), ("kind", "screw"), ("through", ""), ("into", "-3")];
    let refused = visitor.send("/boats/1/fasten", &action, &bad).await;
    assert_eq!(refused.status, 422);
    // Only its own form is marked, at both its fields.
    assert_eq!(refused.text.matches("is-invalid").count(), 2, "{}", refused.text);
    assert_eq!(sheet(&refused.text, "Splice the end, Frame 7, port").matches("is-invalid").count(), 2);
    let good = [("to_plane_off", "0"), ("kind", "rivet"), ("through", "25"), ("into", "60")];
    assert_eq!(visitor.send("/boats/1/fasten", &action, &good).await.status, 303);
    let page = visitor.get("/boats/1/fasten").await.text;
    let kept = sheet(&page, "Splice the end, Frame 7, port");
    assert!(kept.contains("value=\"60 mm\"") && kept.contains("✓ planned"), "{kept}");
    // Shank 4.5 for 25 mm: 25 + 60 + 1.5 × 4.5 + 1.2.
    assert!(kept.contains("4.5 mm nail × 93 mm"), "{kept}");
}

#[tokio::test]
async fn what_a_new_beam_is_fastened_to_is_asked_and_not_made_up() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    visitor.found(1, "BM5 1", &[("kind", "broken"), ("shape", "300, 30"), ("depth", "20")]).await;
    visitor.decided(1, "Beam 5", "saw").await;
    let page = visitor.get("/boats/1/fasten").await.text;
    let beam = sheet(&page, "Saw new, Beam 5");
    assert!(beam.contains("nobody recorded it") && !beam.contains("Pilot"), "{beam}");
    let told = [("to_plane_off", "0"), ("kind", "screw"), ("through", "22"), ("into", "60")];
    assert_eq!(visitor.send("/boats/1/fasten", &action_of(beam), &told).await.status, 303);
    let page = visitor.get("/boats/1/fasten").await.text;
    assert!(sheet(&page, "Saw new, Beam 5").contains("gauge 12"), "22 mm takes gauge 12");
}

#[tokio::test]
async fn a_patch_in_a_lap_counts_its_rivets_and_an_unknown_timber_hides_no_page() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    let page = visitor.get("/boats/new").await.text;
    let fields = [
        ("name", "Knotgrass"),
        ("construction", "lapstrake"),
        ("boat_use", "coastal"),
        ("school", "conserve"),
        ("length", "5.2 m"),
        ("beam", "1.75 m"),
        ("depth", "0.62 m"),
        ("frames", "16"),
        ("strakes", "8"),
        ("plank_thickness", "10"),
        ("plank_species", "western_larch"),
        ("frame_species", "unknown"),
        ("deck", "open"),
        ("rig", "none"),
        ("year", "1961"),
    ];
    let made = visitor.post("/boats/new", &with_keys(&keys(&page, "/boats/new"), &fields)).await;
    assert_eq!(made.status, 303, "{}", made.text);
    let boat: i64 = made.location.rsplit('/').next().unwrap().parse().unwrap();
    visitor.found(boat, "P4 F7", &[("kind", "split"), ("shape", "-40, 14\n340, 17"), ("depth", "10")]).await;
    visitor.decided(boat, "P4, stem", "graving").await;
    let page = visitor.get(&format!("/boats/{boat}/fasten")).await;
    assert_eq!(page.status, 200);
    let patch = sheet(&page.text, "Graving piece, P4, stem");
    assert!(patch.contains("the timber is not known"), "{patch}");
    let work = flat(&visitor.get(&format!("/boats/{boat}/work")).await.text);
    assert!(
        work.contains("Open the laps and clean them to bare wood") && !work.to_lowercase().contains("caulk"),
        "{work}"
    );
    let seams = flat(&visitor.get(&format!("/boats/{boat}/seams")).await.text);
    assert!(seams.contains("Open the lap without wedging it") && !seams.contains("Reef out"), "{seams}");
    // Its drawing holds it as deep as it was laid out: half the plank.
    let shape = visitor.get(&format!("/boats/{boat}/shape")).await.text;
    let piece = shape.split_once(&format!("/boats/{boat}/pieces/")).unwrap().1.split('"').next().unwrap();
    let shown = visitor.get(&format!("/boats/{boat}/pieces/{piece}")).await.text;
    assert!(!shown.contains(">10 mm<") && shown.matches("× 7 mm").count() >= 2, "{shown}");
}

#[tokio::test]
async fn a_backing_piece_is_fastened_into_itself_and_into_no_frame() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    // Right through planking of 19 mm, with a school that goes through.
    visitor.found(3, "P6 F10", &[("kind", "crack"), ("shape", "60, 60\n200, 64"), ("depth", "19")]).await;
    visitor.decided(3, "P6 F10", "graving").await;
    let page = visitor.get("/boats/3/fasten").await.text;
    // Head 6 mm deep: 13 mm of plank under it, 19 of backing, 6 left behind the point; 25 mm is the longest that stays inside.
    let backing = sheet(&page, "Backing piece");
    assert!(backing.contains("gauge 10 × 25 mm") && !backing.contains("name=\"through\""), "{backing}");
}
