//! Every seam on the planking itself: where planks will buckle, where a seam will open, and what has been done.

use std::fmt::Write;

use mend_keel_core::grid::Side;
use mend_keel_core::seam::balance::Fate;
use mend_keel_core::seam::line::SeamAt;
use mend_keel_store::boats::{Boat, Plank};

use super::map::{DRAWN_LENGTH, KEEL_BAND, MARGIN, Scale};
use super::svg;

/// A seam as it is drawn.
#[derive(Debug, Clone)]
pub struct SeamMark {
    pub at: SeamAt,
    /// `None`: not known.
    pub fate: Option<Fate>,
    /// What is written at its end.
    pub text: String,
    /// What becomes of it in words, for those who hear it.
    pub says: &'static str,
    pub done: bool,
}

/// Room for what is written at the stern, in the drawing's units.
const WRITING: f64 = 1_750.0;

/// The class and sign of what becomes of a seam.
pub fn class(fate: Option<Fate>) -> (&'static str, &'static str) {
    match fate {
        Some(Fate::Presses) => ("presses", "▲"),
        Some(Fate::Opens) => ("opens", "◇"),
        Some(Fate::Holds) => ("holds", "✓"),
        None => ("unknown", "?"),
    }
}

/// Both sides as on the map, each seam a link to its own page; planks beside a seam that presses are hatched.
pub fn draw(boat: &Boat, planks: &[Plank], marks: &[SeamMark]) -> String {
    let shell = &boat.shell;
    let scale = Scale::new(shell);
    let width = DRAWN_LENGTH + 2.0 * MARGIN + WRITING;
    let height = 2.0 * scale.girth * scale.per_mm + KEEL_BAND + 2.0 * MARGIN;
    let mut out = String::with_capacity(48 * 1024);
    let _ = write!(
        out,
        "<svg class=\"map seam-map\" viewBox=\"0 0 {width:.0} {height:.0}\" role=\"group\" aria-label=\"Seams of {}: those that press and those that open\">{}",
        svg::safe(&boat.name),
        svg::GLYPHS
    );
    for plank in planks {
        let (from, to) = plank.place().span(shell);
        let pressed = marks.iter().any(|m| m.fate == Some(Fate::Presses) && m.at.borders(plank.side, plank.strake));
        let _ = write!(
            out,
            "<polygon class=\"plank{}\" points=\"{}\"/>",
            if pressed { " pressed" } else { "" },
            svg::points(scale.stretch(plank.side, plank.strake, from, to))
        );
    }
    for mark in marks {
        let row = mark.at.row as usize;
        let line = svg::points(scale.run(mark.at.side, row, 0.0, shell.length()));
        let end = scale.edge(mark.at.side, row, shell.length());
        let (class, sign) = class(mark.fate);
        // Neighbouring seams run together at the stern: what is written there is spread out again.
        let y = spread(&scale, mark.at, shell.strake_count());
        // What is heard begins with what is seen.
        let shown = svg::safe(&format!("{sign} {}{}", mark.text, if mark.done { " · done" } else { "" }));
        let _ = write!(
            out,
            "<a href=\"/boats/{}/seams/line/{}\" class=\"seam-link\" aria-label=\"{shown}, {}\"><polyline class=\"seam-hit\" points=\"{line}\"/><polyline class=\"seam-fate {class}{}\" points=\"{line}\"/><path class=\"leader\" d=\"M{:.0} {end:.0}L{:.0} {y:.0}\"/><text class=\"seam-text {class}\" x=\"{:.0}\" y=\"{:.0}\">{shown}</text></a>",
            boat.id,
            mark.at,
            mark.says,
            if mark.done { " done" } else { "" },
            scale.x(shell.length()),
            scale.x(shell.length()) + 120.0,
            scale.x(shell.length()) + 140.0,
            y + 28.0
        );
    }
    for side in Side::BOTH {
        let y = if side == Side::Port { MARGIN - 60.0 } else { height - MARGIN + 110.0 };
        let _ = write!(out, "<text class=\"map-side\" x=\"{MARGIN:.0}\" y=\"{y:.0}\">◁ bow · {}</text>", side.label());
    }
    out + "</svg>"
}

/// Height of what is written of a seam: evenly from keel to sheer.
fn spread(scale: &Scale<'_>, at: SeamAt, strakes: u32) -> f64 {
    let share = (f64::from(at.row) + 0.3) / f64::from(strakes.max(1));
    let girth = share * scale.girth * scale.per_mm;
    let keel = MARGIN + scale.girth * scale.per_mm;
    match at.side {
        Side::Port => keel - girth,
        Side::Starboard => keel + KEEL_BAND + girth,
    }
}
