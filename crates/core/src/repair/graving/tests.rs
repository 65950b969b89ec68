//! Cases a restorer would lay out by hand, and the rules of a right answer over random planks.

use proptest::prelude::*;

use super::search::EYE_DECIDES;
use super::*;
use crate::geometry::distance_to_segment;
use crate::repair::gluing;

fn crack(points: &[Point]) -> Damage {
    Damage { kind: DamageKind::Crack, points: points.to_vec(), depth: 8.0 }
}

fn rot(points: &[Point], depth: f64) -> Damage {
    Damage { kind: DamageKind::Rot, points: points.to_vec(), depth }
}

fn hole(id: &str, x: f64, y: f64, diameter: f64, live: bool) -> Hole {
    Hole { id: id.into(), x, y, diameter, live }
}

fn request(damage: Vec<Damage>, holes: Vec<Hole>) -> Request {
    Request {
        plank: Plank::parallel(3_000.0, 160.0, 25.0),
        damage,
        holes,
        frames: vec![],
        rules: GravingRules::default(),
        face_depth: None,
    }
}

/// Everything the contract calls a right answer, checked apart from the search.
fn faults(request: &Request, patch: &Patch) -> Vec<String> {
    let mut faults = Vec::new();
    let outline = &patch.outline;
    if outline.len() > 6 || outline.len() < 3 {
        faults.push(format!("{} corners", outline.len()));
    }
    let n = outline.len();
    for i in 0..n {
        let (a, b, c) = (outline[i], outline[(i + 1) % n], outline[(i + 2) % n]);
        if crate::geometry::cross(a, b, c) < -1e-6 {
            faults.push(format!("not convex at {b:?}"));
        }
    }
    for point in grown_damage(request).unwrap() {
        if !convex_contains(outline, point, 1e-6) {
            faults.push(format!("{point:?} of the grown damage is outside"));
        }
    }
    let plank = &request.plank;
    let on_edge = |p: Point| {
        (p[1] - polyline_at(&plank.lower, p[0])).abs() < 1e-6 || (p[1] - polyline_at(&plank.upper, p[0])).abs() < 1e-6
    };
    for (a, b) in edges(outline) {
        let along_edge = on_edge(a) && on_edge(b) && (a[1] - b[1]).abs() < (a[0] - b[0]).abs() / 6.5;
        let level = (a[1] - b[1]).abs() < 1e-6;
        if !along_edge && !level {
            let slope = ((b[0] - a[0]) / (b[1] - a[1])).abs();
            if !(2.0 - 1e-6..=6.0 + 1e-6).contains(&slope) {
                faults.push(format!("an end slopes {slope}"));
            }
        }
        if !along_edge {
            for hole in &request.holes {
                let centre = [hole.x, hole.y];
                let inside = convex_contains(outline, centre, 0.0);
                let least = hole.diameter / 2.0
                    + if hole.live && !inside {
                        LIVE_CLEARANCE.max(request.rules.hole_clearance)
                    } else {
                        request.rules.hole_clearance
                    };
                if distance_to_segment(centre, a, b) < least - 1e-5 {
                    faults.push(format!("hole {} is {} from the outline", hole.id, distance_to_segment(centre, a, b)));
                }
            }
        }
    }
    let land = request.rules.edge_land.max(plank.thickness);
    for p in outline {
        let runs_out = |edge| patch.to_edge == ToEdge::Both || patch.to_edge == edge;
        for (gap, edge) in [
            (p[1] - polyline_at(&plank.lower, p[0]), ToEdge::Lower),
            (polyline_at(&plank.upper, p[0]) - p[1], ToEdge::Upper),
        ] {
            if !runs_out(edge) && gap < land - 1e-6 {
                faults.push(format!("a land of {gap} at {p:?}"));
            }
        }
    }
    faults
}

#[test]
fn the_same_question_has_the_same_answer_and_another_its_own() {
    let asked =
        request(vec![rot(&[[1_000.0, 60.0], [1_200.0, 60.0], [1_200.0, 100.0], [1_000.0, 100.0]], 9.0)], vec![]);
    let first = plan(&asked).unwrap();
    assert_eq!(plan(&asked).unwrap(), first);
    let mut thicker = asked.clone();
    thicker.plank.thickness = 40.0;
    assert!(lately(&thicker).is_none());
    assert_ne!(plan(&thicker).unwrap().thickness, first.thickness);
    // What cannot be is not remembered.
    let mut wrong = asked;
    wrong.plank.thickness = f64::NAN;
    assert!(plan(&wrong).is_err() && lately(&wrong).is_none());
}

#[test]
fn a_lone_crack_gets_a_pointed_patch_well_under_its_box() {
    let request = request(vec![crack(&[[1_000.0, 70.0], [1_200.0, 78.0]])], vec![]);
    let patch = plan(&request).unwrap();
    assert_eq!(faults(&request, &patch), Vec::<String>::new());
    assert_eq!((patch.to_edge, patch.through, patch.depth), (ToEdge::None, false, 12.5));
    assert_eq!(patch.thickness, 14.5);
    let ((x0, x1), (y0, y1)) = extent(&patch.outline, 0).zip(extent(&patch.outline, 1)).unwrap();
    assert!(
        (patch.blank.length - (x1 - x0 + 12.0)).abs() < 1e-9 && (patch.blank.width - (y1 - y0 + 12.0)).abs() < 1e-9
    );
    assert!(patch.splice_instead.is_none() && patch.kept > 0.97);
}

#[test]
fn a_rot_box_gets_ends_at_the_flattest_slope_it_may() {
    // Grown to 200 × 70: the smallest allowed outline is the box with two points at slope 2.
    let request =
        request(vec![rot(&[[1_000.0, 70.0], [1_100.0, 70.0], [1_100.0, 90.0], [1_000.0, 90.0]], 10.0)], vec![]);
    let patch = plan(&request).unwrap();
    assert_eq!(faults(&request, &patch), Vec::<String>::new());
    let pointed_box = 200.0 * 70.0 + 70.0 * 70.0;
    assert!(patch.area <= pointed_box * EYE_DECIDES, "{} against {pointed_box}", patch.area);
}

#[test]
fn an_old_hole_at_the_edge_of_the_damage_disappears_or_is_spared() {
    let holes = vec![hole("h1", 990.0, 62.0, 10.0, false), hole("h2", 1_300.0, 80.0, 10.0, false)];
    let request = request(vec![crack(&[[1_000.0, 70.0], [1_200.0, 78.0]])], holes);
    let patch = plan(&request).unwrap();
    assert_eq!(faults(&request, &patch), Vec::<String>::new());
    assert!(!patch.swallowed.contains(&"h2".to_owned()));
}

#[test]
fn damage_by_the_edge_runs_out_to_it_rather_than_leave_a_sliver() {
    let request = request(vec![crack(&[[1_000.0, 22.0], [1_150.0, 26.0]])], vec![]);
    let patch = plan(&request).unwrap();
    assert_eq!(faults(&request, &patch), Vec::<String>::new());
    assert_eq!(patch.to_edge, ToEdge::Lower);
}

#[test]
fn a_tapering_edge_is_followed() {
    let mut request = request(vec![crack(&[[1_000.0, 18.0], [1_150.0, 24.0]])], vec![]);
    request.plank.lower = vec![[0.0, -30.0], [3_000.0, 20.0]];
    let patch = plan(&request).unwrap();
    assert_eq!(faults(&request, &patch), Vec::<String>::new());
}

#[test]
fn deep_damage_goes_right_through() {
    let deep = plan(&request(vec![rot(&[[1_000.0, 70.0], [1_100.0, 70.0], [1_050.0, 90.0]], 16.0)], vec![])).unwrap();
    assert!(deep.through && deep.depth == 25.0 && deep.thickness == 27.0);
    let shallow =
        plan(&request(vec![rot(&[[1_000.0, 70.0], [1_100.0, 70.0], [1_050.0, 90.0]], 13.0)], vec![])).unwrap();
    assert!(!shallow.through && shallow.depth == 14.0);
    assert_eq!(shallow.backing, None);
    let (((x0, x1), (y0, y1)), back) =
        (extent(&deep.outline, 0).zip(extent(&deep.outline, 1)).unwrap(), deep.backing.unwrap());
    assert_eq!((back.from, back.to, back.thickness), (x0 - 50.0, x1 + 50.0, 25.0));
    assert_eq!((back.low, back.high), ((y0 - 50.0).max(0.0), (y1 + 50.0).min(160.0)), "no farther than the plank goes");
    // A fastening every 75 mm round the middle of its lap.
    let round = 2.0 * (back.length() - 50.0 + back.width() - 50.0);
    assert_eq!(back.fastenings, (round / 75.0).ceil() as u32);
}

#[test]
fn a_patch_over_most_of_the_width_is_a_splice() {
    let wide = plan(&request(
        vec![rot(&[[1_000.0, 50.0], [1_100.0, 50.0], [1_100.0, 110.0], [1_000.0, 110.0]], 10.0)],
        vec![],
    ))
    .unwrap();
    assert!(wide.splice_instead.unwrap().contains("60 %"));
}

#[test]
fn damage_at_the_plank_end_says_that_there_is_no_room() {
    let end = plan(&request(vec![rot(&[[0.0, 60.0], [80.0, 60.0], [80.0, 90.0], [0.0, 90.0]], 10.0)], vec![])).unwrap();
    assert!(end.splice_instead.unwrap().contains("end of the plank"));
}

#[test]
fn corners_keep_off_a_frame_row_where_that_costs_little() {
    let free = request(vec![crack(&[[1_000.0, 70.0], [1_200.0, 78.0]])], vec![]);
    let corner = plan(&free).unwrap().outline[0][0];
    let framed = Request { frames: vec![corner], ..free };
    let patch = plan(&framed).unwrap();
    assert_eq!(faults(&framed, &patch), Vec::<String>::new());
    assert!(patch.outline.iter().all(|p| (p[0] - corner).abs() >= FRAME_ROW - 1e-6));
}

#[test]
fn a_corner_among_live_fastenings_still_finds_a_way_round_the_frame_row() {
    // A crack that ends beside a frame's fastenings: many outlines differ by a hair, few are clear of the row.
    let request = Request {
        frames: vec![755.0, 1_000.0],
        ..request(
            vec![crack(&[[820.0, 48.0], [950.0, 55.0]])],
            vec![hole("F14.1", 1_000.0, 41.0, 13.0, true), hole("F14.2", 1_000.0, 82.0, 13.0, true)],
        )
    };
    let patch = plan(&request).unwrap();
    assert_eq!(faults(&request, &patch), Vec::<String>::new());
    assert!(!patch.reasons.iter().any(|r| r.rule == "graving.frame_row"), "{:?}", patch.outline);
}

#[test]
fn a_plank_that_is_all_holes_is_told_so_and_a_round_gouge_of_many_points_is_laid_out() {
    let sieve = (0..2_000)
        .map(|i| hole(&i.to_string(), 400.0 + 17.0 * f64::from(i % 90), 4.0 + 7.0 * f64::from(i / 90), 12.0, false));
    let request_of_holes = request(vec![crack(&[[1_000.0, 70.0], [1_200.0, 78.0]])], sieve.collect());
    assert!(plan(&request_of_holes).unwrap().splice_instead.is_some());
    let round: Vec<Point> = (0..600)
        .map(|i| std::f64::consts::TAU * f64::from(i) / 600.0)
        .map(|a| [1_000.0 + 60.0 * a.cos(), 80.0 + 30.0 * a.sin()])
        .collect();
    let gouge = request(vec![Damage { kind: DamageKind::Gouge, points: round, depth: 5.0 }], vec![]);
    assert_eq!(faults(&gouge, &plan(&gouge).unwrap()), Vec::<String>::new());
    let many = (0..6_000).map(|i| hole(&i.to_string(), 1.0, 1.0, 5.0, false)).collect();
    assert_eq!(plan(&request(vec![crack(&[[1.0, 5.0], [99.0, 5.0]])], many)).unwrap_err().field, "holes");
}

#[test]
fn bad_input_is_named_where_it_was_given() {
    let field = |request: Request| plan(&request).unwrap_err().field;
    assert_eq!(field(request(vec![], vec![])), "damage");
    assert_eq!(field(request(vec![crack(&[[1.0, 1.0]])], vec![])), "damage[0].points");
    assert_eq!(field(request(vec![crack(&[[1.0, 1.0], [1.0, 1.0]])], vec![])), "damage[0].points");
    assert_eq!(field(request(vec![crack(&[[9_000.0, 1.0], [9_100.0, 1.0]])], vec![])), "damage[0].points");
    assert_eq!(field(request(vec![crack(&[[1.0, f64::NAN], [5.0, 1.0]])], vec![])), "damage[0].points[0]");
    assert_eq!(
        field(request(vec![crack(&[[1.0, 5.0], [99.0, 5.0]])], vec![hole("a", 1.0, 1.0, 0.0, false)])),
        "holes[0].diameter"
    );
    let mut thin = request(vec![crack(&[[1.0, 5.0], [99.0, 5.0]])], vec![]);
    thin.plank.thickness = -3.0;
    assert_eq!(plan(&thin).unwrap_err().to_string(), "plank.thickness: must be greater than 0, was -3");
}

#[test]
fn a_hand_sized_piece_takes_a_few_grams_of_glue() {
    // 200 × 50 × 12.5: bed 10 000 mm², edge 500 × 12.5 = 6 250 mm².
    let outline = [[0.0, 0.0], [200.0, 0.0], [200.0, 50.0], [0.0, 50.0]];
    assert!((glue_grams(&outline, 12.5, false) - 16_250.0 / 1e6 * 0.345 * 1000.0).abs() < 1e-9);
    assert_eq!((gluing::clamps(212.0, 62.0), gluing::clamps(212.0, 120.0)), (3, 6));
}

#[test]
fn a_router_template_stands_off_by_the_bush() {
    let patch = plan(&request(vec![crack(&[[1_000.0, 70.0], [1_200.0, 78.0]])], vec![])).unwrap();
    let template = patch.template(5.0);
    for (a, b) in edges(&template) {
        let middle = [(a[0] + b[0]) / 2.0, (a[1] + b[1]) / 2.0];
        let nearest =
            edges(&patch.outline).map(|(p, q)| distance_to_segment(middle, p, q)).fold(f64::INFINITY, f64::min);
        assert!((nearest - 5.0).abs() < 1e-6);
    }
}

#[test]
fn a_dragged_corner_is_told_which_rule_it_breaks_and_where() {
    let request = request(vec![crack(&[[1_000.0, 70.0], [1_200.0, 78.0]])], vec![hole("h1", 940.0, 120.0, 10.0, true)]);
    let rules = |outline: &[Point]| -> Vec<&'static str> {
        check::outline(&request, outline).unwrap().broken.iter().map(|b| b.reason.rule).collect()
    };
    let good = [[940.0, 55.0], [1_260.0, 55.0], [1_320.0, 75.0], [1_260.0, 95.0], [940.0, 95.0], [880.0, 75.0]];
    assert_eq!(rules(&good), Vec::<&str>::new());
    let mut square = good.to_vec();
    square.remove(2);
    assert_eq!(rules(&square), ["graving.slope"]);
    let mut low = good;
    (low[0][1], low[1][1]) = (20.0, 20.0);
    assert_eq!(rules(&low), ["graving.slope", "graving.slope", "graving.land"]);
    let mut near = good;
    (near[3][1], near[4][1]) = (110.0, 110.0);
    let checked = check::outline(&request, &near).unwrap();
    let hole = checked.broken.iter().find(|b| b.reason.rule == "graving.hole").unwrap();
    assert_eq!(hole.corners, [3, 4]);
    let clockwise: Vec<Point> = near.iter().rev().copied().collect();
    let turned = check::outline(&request, &clockwise).unwrap();
    let hole = turned.broken.iter().find(|b| b.reason.rule == "graving.hole").unwrap();
    assert_eq!(hole.corners, [2, 1], "the corners keep the numbers they were given in");
    assert_eq!(check::outline(&request, &good[..2]).unwrap_err().field, "outline");
}

#[test]
fn a_mirrored_piece_mirrored_again_is_itself() {
    let outline = vec![[0.0, 0.0], [300.0, 0.0], [360.0, 30.0], [40.0, 30.0]];
    let other = check::mirrored(&outline);
    assert!((signed_area(&other) - signed_area(&outline)).abs() < 1e-9 && other[0] != outline[0]);
    assert_eq!(check::mirrored(&other), outline);
}

/// What of the shape a hand could not cut, told apart from the search: sides, corners, and wood left before an edge.
fn unshapely(request: &Request, patch: &Patch) -> Vec<String> {
    let outline = &patch.outline;
    let plank = &request.plank;
    let n = outline.len();
    let on = |p: Point, edge: &[Point]| (p[1] - polyline_at(edge, p[0])).abs() < 1.0;
    let mut faults = Vec::new();
    for i in 0..n {
        let (a, b, c) = (outline[i], outline[(i + 1) % n], outline[(i + 2) % n]);
        let long = ((b[0] - a[0]).powi(2) + (b[1] - a[1]).powi(2)).sqrt();
        if long < 15.0 - 1e-6 {
            faults.push(format!("a side of {long} mm"));
        }
        let turn =
            ((c[1] - b[1]).atan2(c[0] - b[0]) - (b[1] - a[1]).atan2(b[0] - a[0])).rem_euclid(std::f64::consts::TAU);
        let inner = 180.0 - turn.to_degrees();
        let at_edge = on(b, &plank.lower) || on(b, &plank.upper);
        if !at_edge && inner < 35.0 - 1e-4 {
            faults.push(format!("a corner of {inner}°"));
        }
        if at_edge && patch.to_edge != ToEdge::Both && inner > 90.01 {
            faults.push(format!("{inner}° at the edge: an undercut"));
        }
    }
    faults
}

#[test]
fn a_piece_has_no_short_side_no_sharp_corner_and_does_not_undercut_the_edge() {
    // A crack aslant is smallest in a sharp-cornered parallelogram; one by the edge in a piece pointed over the edge.
    let aslant = request(vec![crack(&[[1_000.0, 50.0], [1_240.0, 110.0]])], vec![]);
    let low = request(vec![crack(&[[1_000.0, 22.0], [1_150.0, 26.0]])], vec![]);
    for shapely in [aslant, low] {
        let smallest = Request { rules: shapely.rules.of_any_shape(), ..shapely.clone() };
        let (least, patch) = (plan(&smallest).unwrap(), plan(&shapely).unwrap());
        assert!(!unshapely(&shapely, &least).is_empty(), "{:?}", least.outline);
        assert_eq!(unshapely(&shapely, &patch), Vec::<String>::new(), "{:?}", patch.outline);
        assert_eq!(faults(&shapely, &patch), Vec::<String>::new());
        assert!(patch.area >= least.area / EYE_DECIDES);
        let told = check::outline(&shapely, &least.outline).unwrap();
        assert!(told.broken.iter().all(|b| b.reason.rule == "graving.shape"), "{:?}", told.broken);
        assert!(!told.broken.is_empty());
    }
}

#[test]
fn damage_beside_the_plank_is_told_at_its_field_even_where_its_clearance_reaches_the_plank() {
    let beside = request(vec![rot(&[[1_000.0, 170.0], [1_100.0, 170.0], [1_050.0, 180.0]], 5.0)], vec![]);
    let fault = plan(&beside).unwrap_err();
    assert_eq!((fault.field.as_str(), fault.message.as_str()), ("damage[0].points", "none of it lies on the plank"));
    let across = request(vec![crack(&[[1_000.0, -20.0], [1_010.0, 180.0]])], vec![]);
    assert_ne!(plan(&across).map(|p| p.to_edge), Ok(ToEdge::None), "it lies across the plank with both ends beyond it");
    let around = vec![[-10.0, -10.0], [3_010.0, -10.0], [3_010.0, 170.0], [-10.0, 170.0]];
    assert!(plan(&request(vec![rot(&around, 5.0)], vec![])).unwrap().splice_instead.is_some());
}

prop_compose! {
    fn any_damage()(kind in 0..3, x in 700.0..1_500.0f64, y in 45.0..115.0f64, long in 10.0..200.0f64, tall in 2.0..25.0f64, depth in 1.0..24.0f64) -> Damage {
        let points = vec![[x, y - tall / 2.0], [x + long, y - tall / 3.0], [x + long * 0.8, y + tall / 2.0], [x + long * 0.1, y + tall / 3.0]];
        match kind {
            0 => Damage { kind: DamageKind::Crack, points: points[..2].to_vec(), depth },
            1 => Damage { kind: DamageKind::Gouge, points, depth },
            _ => Damage { kind: DamageKind::Rot, points, depth },
        }
    }
}

prop_compose! {
    fn any_hole()(x in 500.0..1_900.0f64, y in 12.0..148.0f64, diameter in 4.0..14.0f64, live: bool) -> (f64, f64, f64, bool) {
        (x, y, diameter, live)
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    #[test]
    fn a_patch_that_is_no_splice_breaks_no_rule(
        damage in proptest::collection::vec(any_damage(), 1..3),
        holes in proptest::collection::vec(any_hole(), 0..8),
        taper in -20.0..20.0f64,
    ) {
        let holes = holes.into_iter().enumerate().map(|(i, (x, y, d, live))| hole(&format!("h{i}"), x, y, d, live)).collect();
        let mut request = request(damage, holes);
        request.plank.upper = vec![[0.0, 170.0 + taper], [3_000.0, 170.0 - taper]];
        let patch = plan(&request).unwrap();
        let checked = check::outline(&request, &patch.outline).unwrap();
        prop_assert_eq!((&checked.patch.swallowed, checked.patch.depth), (&patch.swallowed, patch.depth));
        if patch.splice_instead.is_none() {
            prop_assert_eq!(faults(&request, &patch), Vec::<String>::new());
            let forbidden: Vec<_> = checked.broken.iter().filter(|b| b.reason.verdict == Verdict::Forbids).collect();
            prop_assert!(forbidden.is_empty(), "{:?}", forbidden);
            let told = patch.reasons.iter().any(|r| r.rule == "graving.shape");
            prop_assert_eq!(told, !unshapely(&request, &patch).is_empty(), "{:?}", patch.outline);
        }
    }

    #[test]
    fn a_corner_pushed_into_the_damage_is_found_out(damage in any_damage(), corner in 0usize..6, share in 0.3..0.9f64) {
        let request = request(vec![damage], vec![]);
        let mut outline = plan(&request).unwrap().outline;
        let must = convex_hull(&grown_damage(&request).unwrap());
        let middle = [must.iter().map(|p| p[0]).sum::<f64>() / must.len() as f64, must.iter().map(|p| p[1]).sum::<f64>() / must.len() as f64];
        let corner = corner % outline.len();
        let p = outline[corner];
        outline[corner] = [p[0] + share * (middle[0] - p[0]), p[1] + share * (middle[1] - p[1])];
        let checked = check::outline(&request, &outline).unwrap();
        let outside = must.iter().any(|p| !convex_contains(&outline, *p, 0.02));
        prop_assert!(!outside || !checked.broken.is_empty());
    }

    #[test]
    fn without_holes_it_is_never_larger_than_the_bounding_hexagon(damage in any_damage()) {
        let request = request(vec![damage], vec![]);
        let patch = plan(&request).unwrap();
        let must = grown_damage(&request).unwrap();
        let ((x0, x1), (y0, y1)) = extent(&must, 0).zip(extent(&must, 1)).unwrap();
        let clear = y0 >= 25.0 && y1 <= 135.0;
        // Under 13.4 mm of height two sides of 15 mm want a flatter slope than 2.
        let flat = if y1 - y0 < 13.5 { 1.6 } else { 1.0 };
        let hexagon = (x1 - x0) * (y1 - y0) + flat * (y1 - y0) * (y1 - y0);
        if clear {
            prop_assert!(patch.area <= hexagon * EYE_DECIDES, "{} against {}", patch.area, hexagon);
        }
    }
}

/// By hand: 12 mm is let into a keel for a gouge 5 mm deep, 31 for one of 30; a plank as thick would be let into by half. The land beside it
/// is as wide as it is deep, not as the keel is thick: 20 mm stay below the gouge and its 6.
#[test]
fn heavy_timber_is_let_into_no_deeper_than_its_damage_asks() {
    let gouge = |depth| Damage {
        kind: DamageKind::Gouge,
        points: vec![[1_000.0, 26.0], [1_200.0, 26.0], [1_200.0, 60.0], [1_000.0, 60.0]],
        depth,
    };
    let keel = |depth| {
        let of_planks = request(vec![gouge(depth)], vec![]);
        Request { plank: Plank::parallel(7_000.0, 180.0, 100.0), face_depth: Some(12.0), ..of_planks }
    };
    let of = |asked: &Request| plan(asked).map(|p| (p.depth, p.through, p.to_edge)).unwrap();
    assert_eq!(of(&keel(5.0)), (12.0, false, ToEdge::None));
    assert_eq!(of(&keel(15.0)), (16.0, false, ToEdge::None));
    // 31 mm deep with a land of 20: it runs out to the edge.
    assert_eq!(of(&keel(30.0)), (31.0, false, ToEdge::Lower));
    assert_eq!(of(&Request { face_depth: None, ..keel(5.0) }), (50.0, false, ToEdge::Lower));
    assert_eq!(plan(&Request { face_depth: Some(101.0), ..keel(5.0) }).unwrap_err().field, "face_depth");
}
