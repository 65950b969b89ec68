//! A board drawn to scale: its edges and defects, and, for the saw, pieces, cuts and what is left.

use std::fmt::Write;

use mend_keel_core::cutting::layout::{Area, Cut, Way};
use mend_keel_core::timber::board::{Details, Edges};

use super::{Units, svg};

/// A piece on a board, with what is written on it.
#[derive(Debug, Clone)]
pub struct OnBoard {
    pub area: Area,
    pub text: String,
    pub class: &'static str,
    /// The piece that is taken hold of by it.
    pub piece: Option<i64>,
}

/// A board, with what lies on it.
#[derive(Debug, Clone, Copy)]
pub struct Face<'b> {
    pub length: f64,
    pub width: f64,
    pub details: &'b Details,
    pub pieces: &'b [OnBoard],
    pub left: &'b [Area],
    pub cuts: &'b [Cut],
}

impl<'b> Face<'b> {
    /// A board that nothing lies on.
    pub fn bare(length: f64, width: f64, details: &'b Details) -> Self {
        Self { length, width, details, pieces: &[], left: &[], cuts: &[] }
    }
}

/// Draws a board by itself, with its size. One unit is one millimetre; y grows upward on the board and downward on the page.
pub fn draw(face: Face<'_>, units: Units) -> String {
    let em = size_of_words(face.length);
    let room = 3.2 * em;
    drawn(face, face.length, room, &sized(face, em, room, units), units)
}

/// Draws a board among others, the longest of which is so long: all at one scale, their sizes beside them.
pub fn draw_among(face: Face<'_>, longest: f64, units: Units) -> String {
    drawn(face, longest.max(face.length), size_of_words(longest), "", units)
}

/// Words keep their size whatever the board's.
fn size_of_words(across: f64) -> f64 {
    (across / 70.0).clamp(6.0, 90.0)
}

/// How long and how wide it is, in the room round it.
fn sized(face: Face<'_>, em: f64, room: f64, units: Units) -> String {
    let Face { length, width, .. } = face;
    let (x, y) = (|v: f64| room + v, |v: f64| room + width - v);
    format!(
        "<path class=\"dimension\" stroke-width=\"{:.1}\" d=\"M{:.1} {:.1}H{:.1}M{:.1} {:.1}V{:.1}\"/><text class=\"board-size\" font-size=\"{em:.1}\" x=\"{:.1}\" y=\"{:.1}\">{}</text>\
         <text class=\"board-size\" font-size=\"{em:.1}\" x=\"{:.1}\" y=\"{:.1}\" text-anchor=\"start\">{}</text>",
        em * 0.08,
        x(0.0),
        y(0.0) + em,
        x(length),
        x(length) + em,
        y(0.0),
        y(width),
        x(length / 2.0),
        y(0.0) + 2.3 * em,
        units.len(length),
        x(0.0),
        y(width) - 0.6 * em,
        units.len(width)
    )
}

/// The drawing as wide as `across` and the room round it, with `words` about it.
fn drawn(face: Face<'_>, across: f64, room: f64, words: &str, units: Units) -> String {
    let Face { length, width, details, pieces, left, cuts } = face;
    let em = size_of_words(across);
    let (w, h) = (across + 2.0 * room, width + 2.0 * room);
    let y = |v: f64| room + width - v;
    let x = |v: f64| room + v;
    let mut out = format!(
        "<svg class=\"board-drawing\" viewBox=\"0 0 {w:.0} {h:.0}\" role=\"img\" aria-label=\"The board to scale, butt end left\" \
         data-room=\"{room:.2}\" data-width=\"{width:.2}\" data-length=\"{length:.2}\">{}",
        svg::GLYPHS
    );
    if details.edges == Edges::Waney {
        let waves = |level: f64, up: f64| {
            let steps = 24;
            (0..=steps)
                .map(|i| {
                    let along = length * f64::from(i) / f64::from(steps);
                    let wave = em * 0.35 * (f64::from(i) * 1.7).sin() * up;
                    format!("{:.1},{:.1}", x(along), y(level) - wave)
                })
                .collect::<Vec<_>>()
        };
        let mut all = waves(0.0, 1.0);
        all.extend(waves(width, -1.0).into_iter().rev());
        let _ = write!(out, "<polygon class=\"board-face waney\" points=\"{}\"/>", all.join(" "));
    } else {
        let _ = write!(
            out,
            "<rect class=\"board-face\" x=\"{:.1}\" y=\"{:.1}\" width=\"{length:.1}\" height=\"{width:.1}\"/>",
            x(0.0),
            y(width)
        );
    }
    if details.sweep != 0.0 {
        let rise = details.sweep.clamp(-width * 0.45, width * 0.45);
        let _ = write!(
            out,
            "<path class=\"sweep\" d=\"M{:.1} {:.1}Q{:.1} {:.1} {:.1} {:.1}\"><title>natural sweep {}</title></path>",
            x(0.0),
            y(width / 2.0),
            x(length / 2.0),
            y(width / 2.0 + 2.0 * rise),
            x(length),
            y(width / 2.0),
            units.len(details.sweep.abs())
        );
    }
    let rect = |out: &mut String, a: &Area, class: &str, title: &str, piece: Option<i64>| {
        let held = piece.map_or(String::new(), |id| format!(" data-piece=\"{id}\""));
        let _ = write!(
            out,
            "<rect class=\"{class}\"{held} x=\"{:.1}\" y=\"{:.1}\" width=\"{:.1}\" height=\"{:.1}\"><title>{}</title></rect>",
            x(a.x0),
            y(a.y1),
            a.length(),
            a.width(),
            svg::safe(title)
        );
    };
    for area in left {
        rect(&mut out, area, "board-left", &format!("offcut {}", units.dims(&[area.length(), area.width()])), None);
    }
    for piece in pieces {
        rect(&mut out, &piece.area, &format!("board-piece {}", piece.class), &piece.text, piece.piece);
    }
    for d in &details.defects {
        let area = Area { x0: d.x0, y0: d.y0, x1: d.x1, y1: d.y1 };
        rect(&mut out, &area, &format!("board-defect severity-{}", d.kind.severity()), d.kind.label(), None);
    }
    for (i, cut) in cuts.iter().enumerate() {
        let (a, b) = match cut.way {
            Way::Cross => ((cut.at, cut.from), (cut.at, cut.to)),
            Way::Rip => ((cut.from, cut.at), (cut.to, cut.at)),
        };
        let middle = ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
        let _ = write!(
            out,
            "<path class=\"saw-cut\" d=\"M{:.1} {:.1}L{:.1} {:.1}\"/><g class=\"cut-number\"><circle cx=\"{:.1}\" cy=\"{:.1}\" r=\"{:.1}\"/><text x=\"{:.1}\" y=\"{:.1}\" font-size=\"{:.1}\">{}</text></g>",
            x(a.0),
            y(a.1),
            x(b.0),
            y(b.1),
            x(middle.0),
            y(middle.1),
            em * 0.72,
            x(middle.0),
            y(middle.1) + em * 0.32,
            em * 0.9,
            i + 1
        );
    }
    for piece in pieces {
        let size = em.min(piece.area.width() * 0.6);
        let letters = (piece.area.length() / (size * 0.6)).floor().max(1.0) as usize;
        let shown: String = piece.text.chars().take(letters).collect();
        let _ = write!(
            out,
            "<text class=\"board-word\" font-size=\"{size:.1}\" x=\"{:.1}\" y=\"{:.1}\">{}</text>",
            x((piece.area.x0 + piece.area.x1) / 2.0),
            y((piece.area.y0 + piece.area.y1) / 2.0) + size * 0.35,
            svg::safe(&shown)
        );
    }
    out.push_str(words);
    out.push_str("</svg>");
    out
}

#[cfg(test)]
mod tests {
    use mend_keel_core::timber::board::{Defect, DefectKind};

    use super::*;

    const MM: Units = Units { unit: mend_keel_core::units::LengthUnit::Millimetre, denominator: 16 };

    fn view_box(svg: &str) -> Vec<f64> {
        let of = svg.split_once("viewBox=\"").unwrap().1.split('"').next().unwrap();
        of.split(' ').map(|v| v.parse().unwrap()).collect()
    }

    #[test]
    fn boards_among_others_are_drawn_to_one_scale_with_nothing_beyond_their_frame() {
        let details = Details::default();
        let among = |length, width| draw_among(Face::bare(length, width, &details), 5_400.0, MM);
        let (long, short) = (among(5_400.0, 230.0), among(900.0, 120.0));
        assert_eq!(view_box(&long)[2], view_box(&short)[2], "one scale");
        assert!((view_box(&long)[3] - view_box(&short)[3] - 110.0).abs() < 1.0, "as wide as it is");
        assert!(!short.contains("board-size") && !short.contains("dimension"), "its size stands beside it");
        // Alone it is as large as there is room, with its size.
        let alone = draw(Face::bare(900.0, 120.0, &details), MM);
        assert!(view_box(&alone)[2] < 1_100.0 && alone.contains("900 mm") && alone.contains("120 mm"), "{alone}");
    }

    #[test]
    fn only_what_may_be_taken_hold_of_is_marked_and_names_are_no_markup() {
        let knot = Defect { kind: DefectKind::Knot, x0: 10.0, x1: 40.0, y0: 5.0, y1: 30.0 };
        let details = Details { defects: vec![knot], ..Details::default() };
        let area = Area { x0: 100.0, y0: 0.0, x1: 500.0, y1: 60.0 };
        let on = |piece, text: &str| OnBoard { area, text: text.to_owned(), class: "open", piece };
        let pieces = [on(Some(7), "<b>\"plank\"</b>"), on(None, "")];
        let left = [Area { x0: 503.0, y0: 0.0, x1: 2_000.0, y1: 150.0 }];
        let face = Face { pieces: &pieces, left: &left, ..Face::bare(2_000.0, 150.0, &details) };
        let svg = draw_among(face, 2_000.0, MM);
        assert_eq!(svg.matches("data-piece=\"7\"").count(), 1);
        assert_eq!(svg.matches("data-piece").count(), 1, "a defect, an offcut and a thought are not: {svg}");
        assert!(!svg.contains("<b>") && svg.contains("board-left") && svg.contains("board-defect severity-2"), "{svg}");
        assert_eq!(svg.matches("<svg").count(), svg.matches("</svg>").count());
    }
}
