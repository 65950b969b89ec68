//! Any surface but the shell: its members cell by cell, with what was found on them.

use std::collections::HashMap;
use std::fmt::Write;

use mend_keel_core::geometry::Point;
use mend_keel_core::grid::member::{self, Surface};
use mend_keel_core::grid::{Place, Side};
use mend_keel_core::timber::moisture::MoistureClass;
use mend_keel_store::boats::Boat;
use mend_keel_store::findings::Finding;
use mend_keel_store::members::MemberRow;
use serde_json::json;

use super::layers::{self, Cells};
use super::svg;

/// Length of the drawing, units; everything below is in the same units.
const DRAWN_LENGTH: f64 = 8_000.0;
const MARGIN: f64 = 220.0;
const GLYPH: f64 = 110.0;
/// Narrow members (frames, beams) are drawn at least this wide, so that a finger finds them.
const NARROWEST: f64 = 70.0;

/// What a surface's drawing shows.
#[derive(Debug)]
pub struct SurfaceView<'b> {
    pub boat: &'b Boat,
    pub surface: Surface,
    pub members: &'b [MemberRow],
    pub findings: &'b [Finding],
    pub cells: &'b Cells,
    pub selected: Option<&'b Place>,
    pub layer: &'b str,
    /// Only this member and what lies round it.
    pub close_to: Option<i64>,
}

impl SurfaceView<'_> {
    /// The whole drawing.
    pub fn draw(&self) -> String {
        let form = self.boat.form();
        let here: Vec<&MemberRow> = self.members.iter().filter(|m| m.kind.surface() == self.surface).collect();
        let core: Vec<member::Member> = here.iter().map(|m| m.core()).collect();
        let [wide, high] = member::extent(&form, self.surface, &core);
        // A tall surface (a transom) is not drawn longer than a wide one.
        let per_mm = (DRAWN_LENGTH / wide.max(1.0)).min(DRAWN_LENGTH * 0.55 / high.max(1.0));
        let (width, height) = (wide * per_mm + 2.0 * MARGIN, high * per_mm + 2.0 * MARGIN);
        let mut out = String::with_capacity(64 * 1024);
        let data = json!({ "boat": self.boat.id, "selected": self.selected.map(ToString::to_string) });
        let [x, y, seen_wide, seen_high] = self.window(&here, &core, per_mm).unwrap_or([0.0, 0.0, width, height]);
        let _ = write!(
            out,
            "<svg id=\"map\" class=\"map surface-map\" viewBox=\"{x:.0} {y:.0} {seen_wide:.0} {seen_high:.0}\" role=\"application\" tabindex=\"0\" \
             aria-label=\"{} of {}: arrow keys walk from part to part, question mark shows the keys\" data-surface='{}' \
             data-layer=\"{}\">{}",
            self.surface.label(),
            svg::safe(&self.boat.name),
            svg::safe(&data.to_string()),
            svg::safe(self.layer),
            svg::GLYPHS
        );
        let mut middles: HashMap<(i64, u32), Point> = HashMap::new();
        let mut patterns: [String; 5] = Default::default();
        for (row, member) in here.iter().zip(&core) {
            for cell in 1..=member.cells {
                let drawn: Vec<Point> = member::outline(&form, member, cell)
                    .into_iter()
                    .map(|p| [MARGIN + p[0] * per_mm, MARGIN + p[1] * per_mm])
                    .collect();
                let Some(drawn) = widened(drawn) else {
                    continue;
                };
                let middle = middle_of(&drawn);
                middles.insert((row.id, cell), middle);
                let points = svg::points(drawn);
                let place = format!("{} {cell}", row.code);
                let _ = write!(
                    out,
                    "<polygon class=\"cell kind-{}{}{}{}\" data-cell=\"{place}\" data-x=\"{:.0}\" data-y=\"{:.0}\" points=\"{points}\"><title>{}</title></polygon>",
                    row.kind.code(),
                    if row.year.is_some() { " renewed" } else { "" },
                    if row.measured { " measured-part" } else { "" },
                    if self.close_to == Some(row.id) { " asked" } else { "" },
                    middle[0],
                    middle[1],
                    svg::safe(&row.cell_name(cell))
                );
                let Some(state) = self.cells.get(&(row.id, cell)) else {
                    continue;
                };
                let fills = [
                    state.grade.map(layers::grade_pattern),
                    state.moisture.map(|m| layers::moisture_pattern(MoistureClass::of(m))),
                    state.past.map(|(_, quality)| layers::past_pattern(quality)),
                    layers::coverage_pattern(&state.looked),
                    state.wood.and_then(layers::wood_pattern),
                ];
                for (group, fill) in patterns.iter_mut().zip(fills) {
                    if let Some(fill) = fill {
                        let _ = write!(group, "<polygon fill=\"url(#{fill})\" points=\"{points}\"/>");
                    }
                }
                if let Some(moisture) = state.moisture {
                    let _ = write!(
                        patterns[1],
                        "<text class=\"spot-number\" x=\"{:.0}\" y=\"{:.0}\">{moisture:.0}</text>",
                        middle[0],
                        middle[1] + 30.0
                    );
                }
            }
        }
        for (layer, group) in ["grade", "moisture", "past", "coverage", "age"].into_iter().zip(patterns) {
            let _ = write!(out, "<g class=\"layer layer-{layer}\">{group}</g>");
        }
        self.draw_findings(&mut out, &middles);
        self.draw_labels(&mut out, &here, &middles, [width, height]);
        out.push_str("<path id=\"map-cursor\" class=\"map-cursor\" d=\"\"/></svg>");
        out
    }

    /// What of the drawing is shown, where it is close to one member: left, top, width, height.
    fn window(&self, here: &[&MemberRow], core: &[member::Member], per_mm: f64) -> Option<[f64; 4]> {
        /// Shown at least, units: a short member keeps its neighbours beside it.
        const LEAST: f64 = 1_600.0;
        let close_to = self.close_to?;
        let form = self.boat.form();
        let (_, asked) = here.iter().zip(core).find(|(row, _)| row.id == close_to)?;
        let drawn: Vec<Point> = (1..=asked.cells)
            .flat_map(|cell| member::outline(&form, asked, cell))
            .map(|p| [MARGIN + p[0] * per_mm, MARGIN + p[1] * per_mm])
            .collect();
        let spans = [0, 1].map(|axis| mend_keel_core::geometry::extent(&drawn, axis));
        let [(x0, x1), (y0, y1)] = [spans[0]?, spans[1]?];
        let (wide, high) = ((x1 - x0 + 2.0 * MARGIN).max(LEAST), (y1 - y0 + 2.0 * MARGIN).max(LEAST * 0.5));
        Some([(x0 + x1 - wide) / 2.0, (y0 + y1 - high) / 2.0, wide, high])
    }

    fn draw_findings(&self, out: &mut String, middles: &HashMap<(i64, u32), Point>) {
        let mut stacked: HashMap<(i64, u32), u32> = HashMap::new();
        for finding in self.findings {
            let Place::Member(at) = &finding.place else {
                continue;
            };
            let key = (finding.member_id, at.cell);
            let Some([x, y]) = middles.get(&key) else {
                continue;
            };
            let n = stacked.entry(key).or_default();
            // Several findings on one cell stand beside each other.
            let shift = f64::from(*n % 4) * GLYPH * 0.55;
            *n += 1;
            let _ = write!(
                out,
                "<g class=\"finding {} {} {}\" data-cell=\"{}\"><title>{}, {}, {}</title>{}</g>",
                finding.grade.code(),
                finding.certainty.code(),
                finding.outcome.code(),
                finding.place,
                finding.kind.label(),
                finding.grade.label(),
                finding.certainty.label(),
                svg::glyph(finding.kind, finding.certainty, [x + shift, y + shift * 0.4], GLYPH)
            );
        }
    }

    fn draw_labels(&self, out: &mut String, here: &[&MemberRow], middles: &HashMap<(i64, u32), Point>, size: Point) {
        let mut label = |x: f64, y: f64, class: &str, text: &str| {
            let _ = write!(out, "<text class=\"{class}\" x=\"{x:.0}\" y=\"{y:.0}\">{}</text>", svg::safe(text));
        };
        match self.surface {
            Surface::Frames => {
                let every = if self.boat.shell.frame_count() > 40 { 5 } else { 2 };
                let floors = here.iter().filter(|m| m.side.is_none() && (m.number == 1 || m.number % every == 0));
                for floor in floors {
                    if let Some([x, y]) = middles.get(&(floor.id, 2)) {
                        label(*x, *y + 30.0, "map-number haloed", &floor.number.to_string());
                    }
                }
            }
            // One name for a member, over its middle cell; a deck has too many planks to name.
            Surface::Backbone | Surface::Interior | Surface::Transom | Surface::Spars => {
                for member in here {
                    if let Some([x, y]) = middles.get(&(member.id, member.cells.div_ceil(2))) {
                        let name = member.name.split(',').next().unwrap_or_default();
                        label(*x, *y + 30.0, "map-member haloed", name);
                    }
                }
            }
            Surface::Deck | Surface::Shell => {}
        }
        if matches!(self.surface, Surface::Frames | Surface::Interior | Surface::Deck) {
            for side in Side::BOTH {
                let y = if side == Side::Port { MARGIN - 60.0 } else { size[1] - MARGIN + 150.0 };
                label(MARGIN, y, "map-side", &format!("◁ bow · {}", side.label()));
            }
        } else if matches!(self.surface, Surface::Backbone | Surface::Spars) {
            label(
                MARGIN,
                MARGIN - 60.0,
                "map-side",
                if self.surface == Surface::Spars { "◁ heel · head ▷" } else { "◁ bow" },
            );
        } else {
            label(MARGIN, MARGIN - 60.0, "map-side", "Looking forward from astern");
        }
    }
}

/// The same shape, made wide enough for a finger; `None` when there is none.
fn widened(mut drawn: Vec<Point>) -> Option<Vec<Point>> {
    let (low, high) = mend_keel_core::geometry::extent(&drawn, 0)?;
    if drawn.len() == 4 && high - low < NARROWEST {
        let (middle, factor) = ((low + high) / 2.0, NARROWEST / (high - low).max(1.0));
        drawn.iter_mut().for_each(|p| p[0] = middle + (p[0] - middle) * factor);
    }
    Some(drawn)
}

fn middle_of(points: &[Point]) -> Point {
    let n = points.len().max(1) as f64;
    [points.iter().map(|p| p[0]).sum::<f64>() / n, points.iter().map(|p| p[1]).sum::<f64>() / n]
}
