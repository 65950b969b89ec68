//! What becomes of her: rot run forward on the pages, from what was measured and what is done about it.

use crate::support::{Server, Visitor};

/// What is told of a part on the page.
fn told<'p>(page: &'p str, part: &str) -> Option<&'p str> {
    let from = page.find(&format!("<b>{part}</b></a>"))?;
    let rest = &page[from..];
    Some(&rest[..rest.find("</li>")?])
}

async fn page(visitor: &Visitor, query: &str) -> String {
    let answer = visitor.get(&format!("/boats/1/decide/years{query}")).await;
    assert_eq!(answer.status, 200, "{query}: {}", answer.text);
    answer.text
}

#[tokio::test]
async fn rot_goes_on_at_worst_stands_still_at_best_and_today_is_as_it_was_graded() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    // S9: rot graded Mend, its cause treated, and nobody measured how wet it is.
    let (now, then) = (page(&visitor, "?year=0").await, page(&visitor, "?year=10").await);
    let of = |page: &str| told(page, "S9, bay 18 to stern").expect("S9").to_owned();
    assert!(of(&now).contains("Mend now, Mend today, Mend to Renew in ten years"), "{}", of(&now));
    assert!(of(&then).contains("Mend to Renew in 10 years") && of(&then).contains("perhaps never"));
    assert!(of(&then).contains("nobody measured how wet: it may stand still or run; its cause is treated: 0 to 60 mm"));
    // What lies against it is sound today, and may be reached.
    let beside = told(&then, "S8, bay 21 to stern").expect("S8").to_owned();
    assert!(beside.contains("Sound now") && beside.contains("rot may reach it from another part in year"), "{beside}");
    // The drawing grows at worst, and at best it is that of today.
    let foretold = |page: &str| page.matches("suspected").count();
    assert!(foretold(&then) > foretold(&now));
    let best = page(&visitor, "?year=10&pace=least").await;
    assert!(foretold(&best) <= foretold(&now) + 12, "only what was found is drawn, as it may be");
    // Farther than it runs is its end; a plan that is none is nothing done.
    assert!(page(&visitor, "?year=400&plan=gossip").await.contains("in 10 years, nothing is done, at worst"));
}

#[tokio::test]
async fn what_was_measured_dry_and_treated_stands_and_a_simulated_reading_is_no_measurement() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let frame = async || told(&page(&visitor, "?year=10").await, "Frame 11, port").unwrap().to_owned();
    assert!(frame().await.contains("measured 26 %, wet enough to run; its cause is treated: 0 to 36 mm"));
    server.sql("UPDATE reading SET simulated = 1 WHERE method = 'meter'").await;
    let without = frame().await;
    assert!(without.contains("nobody measured how wet"), "{without}");
    assert!(page(&visitor, "").await.contains("Simulated readings are left out"));
    server
        .sql("UPDATE reading SET simulated = 0, measure = json_set(measure, '$.shown', 9.0), value = 9.0 WHERE method = 'meter'")
        .await;
    let dry = frame().await;
    assert!(dry.contains("dry; its cause is treated: 0 to 0 mm a year"), "{dry}");
    assert!(dry.contains("Mend now, Mend in 10 years, Mend in ten years"), "{dry}");
    // Treated or not is all the difference: what let the water in is there again.
    server.sql("UPDATE finding SET cause_treated = NULL").await;
    let untreated = frame().await;
    assert!(
        untreated.contains("its cause is not treated: 0 to 36 mm") && untreated.contains("Mend to Renew"),
        "{untreated}"
    );
}

#[tokio::test]
async fn as_decided_new_wood_takes_the_rot_away_and_may_begin_anew_where_its_cause_is_not_treated() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    // Frame 7 is spliced by decision, and its cause is treated.
    let nothing = page(&visitor, "?year=5&plan=nothing").await;
    let decided = page(&visitor, "?year=5&plan=decided").await;
    assert!(told(&nothing, "Frame 7, port").unwrap().contains("Renew now"));
    assert!(told(&decided, "Frame 7, port").is_none_or(|t| t.contains("Sound now")), "it is new");
    server.sql("UPDATE finding SET cause_treated = NULL").await;
    let again = page(&visitor, "?year=5&plan=decided").await;
    let frame = told(&again, "Frame 7, port").expect("what did this will do it again");
    assert!(frame.contains("Sound now") && frame.contains("new wood in the old place"), "{frame}");
}

#[tokio::test]
async fn waiting_is_laid_out_for_a_part_and_a_part_of_another_boat_is_none() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let all = page(&visitor, "").await;
    let s9 = told(&all, "S9, bay 18 to stern").unwrap();
    let part = s9.split("part=").nth(1).unwrap().split('#').next().unwrap();
    let costs = page(&visitor, &format!("?part={part}")).await;
    let table = costs.split("id=\"waiting-costs\"").nth(1).unwrap().split("</table>").next().unwrap();
    for when in
        ["<td>now</td>", "<td>in 1 year</td>", "<td>in 3 years</td>", "<td>in 6 years</td>", "<td>in 10 years</td>"]
    {
        assert!(table.contains(when), "{when}");
    }
    let hours: Vec<f64> = table
        .split("class=\"num\">")
        .skip(1)
        .step_by(2)
        .map(|cell| cell.split(" h").next().unwrap().parse().unwrap())
        .collect();
    assert_eq!(hours.len(), 5);
    assert!(hours[4] >= hours[0], "it costs no less in ten years: {hours:?}");
    assert_eq!(visitor.get("/boats/2/decide/years?part=1").await.status, 404);
    assert_eq!(visitor.get("/boats/1/decide/years?part=999999").await.status, 404);
    // A boat without rot says so.
    assert!(visitor.get("/boats/2/decide/years").await.text.contains("No rot is open on her"));
}
