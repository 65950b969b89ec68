//! Pieces and shapes as drawings for files and paper.

use mend_keel_core::geometry::{Point, extent};
use mend_keel_core::shape::frame::{BevelAt, FrameShape};
use mend_keel_core::shape::pattern::{Pattern, Section, beside};
use mend_keel_exchange::drawing::{Drawing, Layer};

use super::Units;
use super::piece::datum_words;
use super::plank::PlankView;

/// Height of words on a drawing, mm.
const WORDS: f64 = 4.0;

/// A graving piece or a stretch on its plank: the outline, frames and fastenings round it, and where it is measured from.
pub fn piece(
    name: &str,
    view: &PlankView,
    outline: &[Point],
    template: Option<Vec<Point>>,
    datum: (u32, f64),
    units: Units,
) -> Drawing {
    let mut drawing = Drawing::new(name);
    drawing.outline(Layer::Cut, outline.to_vec());
    if let Some(template) = template {
        drawing.outline(Layer::Template, template);
    }
    let ((x0, x1), (y0, y1)) = extent(outline, 0).zip(extent(outline, 1)).unwrap_or_default();
    for (number, x) in view.frames.iter().filter(|(_, x)| *x > x0 - 60.0 && *x < x1 + 60.0) {
        drawing.line(Layer::Frames, vec![[*x, y0 - 12.0], [*x, y1 + 12.0]]);
        drawing.label([x + 1.5, y1 + 6.0], WORDS, format!("F{number}"));
    }
    for hole in view.holes.iter().filter(|h| h.x > x0 - 30.0 && h.x < x1 + 30.0) {
        drawing.circle(Layer::Holes, [hole.x, hole.y], hole.diameter / 2.0);
    }
    let (from, to) = (x0.max(view.from), x1.min(view.to));
    drawing.line(Layer::Plank, vec![[from - 30.0, 0.0], [to + 30.0, 0.0]]);
    drawing.line(Layer::Plank, view.upper.iter().copied().filter(|p| p[0] > x0 - 100.0 && p[0] < x1 + 100.0).collect());
    drawing.line(Layer::Datum, vec![[datum.1, y0 - 12.0], [datum.1, y1 + 12.0]]);
    drawing.label([datum.1 + 1.5, y0 - 10.0], WORDS, datum_words("0:", datum.0));
    for (i, p) in outline.iter().enumerate().filter(|_| outline.len() <= 12) {
        let words = format!("{}: {}, {}", i + 1, units.fine(p[0] - datum.1), units.fine(p[1]));
        drawing.label([p[0] + 2.0, p[1] + 2.0], WORDS * 0.8, words);
    }
    drawing
}

/// A frame by its template: the fore face to cut by, the after face that the bevels move, and each bevel where it was taken.
pub fn rib(
    name: &str,
    pattern: &Pattern,
    other_face: Option<Vec<Point>>,
    bevels: &[BevelAt],
    moulded: f64,
    units: Units,
) -> Drawing {
    let mut drawing = Drawing::new(name);
    drawing.outline(Layer::Cut, pattern.outline.clone());
    for point in &pattern.upper.measured {
        drawing.line(Layer::Marks, vec![[point[0], point[1] - 3.0], [point[0], point[1] + 3.0]]);
    }
    for bevel in bevels {
        drawing.label([bevel.height + 1.0, bevel.half_breadth + 6.0], WORDS, format!("{:+.1}°", bevel.bevel));
    }
    let ([x0, y0], _) = drawing.bounds().unwrap_or_default();
    drawing.label([x0 + 10.0, y0 - 6.0], WORDS, "Heel end. Fore face up.");
    drawing.notes = vec![
        "Outside to the inside of the planking.".to_owned(),
        "Bevels in degrees where they were taken: + the hull narrows going aft.".to_owned(),
    ];
    match other_face {
        Some(face) => {
            drawing.outline(Layer::Template, face);
            drawing.notes.push("Second outline: the after face. Turned over, it is the other side's frame.".to_owned());
        }
        None => {
            drawing
                .notes
                .push("Too few bevels were taken: this is the fore face alone, not to be sawn square.".to_owned());
            drawing.stamp = Some("bevels not taken: do not saw it square".to_owned());
        }
    }
    if pattern.lower.measured.is_empty() {
        drawing.notes.push(format!("The inside was not taken: it is laid {} inside.", units.len(moulded)));
    }
    drawing
}

/// A plank's pattern: the fair outline, the blank round it, stations and what was measured.
pub fn pattern(name: &str, pattern: &Pattern, section: Option<&Section>, units: Units) -> Drawing {
    let mut drawing = Drawing::new(name);
    drawing.outline(Layer::Cut, pattern.outline.clone());
    drawing.outline(Layer::Blank, pattern.blank_box.to_vec());
    for (edge, letter, side) in [(&pattern.lower, "L", -1.0), (&pattern.upper, "U", 1.0)] {
        for (point, row) in edge.measured.iter().zip(&edge.rows) {
            let [x, y] = *point;
            drawing.line(Layer::Marks, vec![[x, y - 3.0], [x, y + 3.0]]);
            if edge.measured.len() <= 24 {
                drawing.label([x + 1.0, y + side * 5.0 - 1.5], WORDS * 0.7, format!("{letter}{}", row + 1));
            }
        }
    }
    let ([x0, y0], _) = drawing.bounds().unwrap_or_default();
    drawing.label([x0 + 10.0, y0 - 6.0], WORDS, "Fore end. Frame side up: mark F here, C on the other face.");
    drawing.notes = vec![
        format!("Blank {} by {}", units.run(pattern.blank_length), units.len(pattern.blank_width)),
        format!("Grain along the blank; run-out at the ends {:.1}° and {:.1}°", pattern.run_out.0, pattern.run_out.1),
        "This is the frame side (F). The caulk side (C) is its other face.".to_owned(),
    ];
    if let Some(s) = section {
        drawing.notes.push(format!(
            "Edges lean out {:.1}°: caulk side {} where the frame side is {}; ease each edge {} over the outer {}",
            s.edge_bevel,
            units.len(s.caulk_side),
            units.len(s.frame_side),
            units.fine(s.eased),
            units.len(s.eased_depth)
        ));
    }
    drawing
}

/// A frame's mould: its outside as the section gives it, its inside the moulded depth away, bevels written along it.
pub fn mould(name: &str, frame: &FrameShape, moulded: f64) -> Drawing {
    let mut drawing = Drawing::new(name);
    // Inward is to the left of the way up.
    let inside = beside(&frame.section, |_| moulded);
    let mut around = frame.section.clone();
    around.extend(inside.iter().rev());
    drawing.outline(Layer::Cut, around);
    for bevel in &frame.bevels {
        drawing.line(
            Layer::Marks,
            vec![[bevel.half_breadth - 8.0, bevel.height], [bevel.half_breadth + 8.0, bevel.height]],
        );
        drawing.label([bevel.half_breadth + 10.0, bevel.height - 1.5], WORDS, format!("{:+.1}°", bevel.bevel));
    }
    drawing.notes = vec![
        "Outside of the frame, to the inside of the planking; moulded depth inside it.".to_owned(),
        "Bevels in degrees at the marks: + the hull narrows going aft.".to_owned(),
    ];
    drawing
}
