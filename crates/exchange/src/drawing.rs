//! A shape to be cut, as files and on paper at its true size: SVG 1:1, DXF, and PDF tiled over sheets.
//!
//! One unit is one millimetre; x runs to the right, y up. [`svg`] and [`paper`] turn y over for the page.

pub mod dxf;
pub mod outline;
pub mod paper;

use std::fmt::Write;

use mend_keel_core::geometry::{Point, extent};

/// What a line means; each is a layer of its own in a DXF.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Layer {
    /// To be cut to.
    Cut,
    /// A router's template, offset by the bush.
    Template,
    /// Stock to cut from.
    Blank,
    /// The plank or member it belongs to.
    Plank,
    /// Frames, stations, other sections.
    Frames,
    /// Fastenings.
    Holes,
    /// Joint lines, ticks and other marks.
    Marks,
    /// Where measurements begin.
    Datum,
}

impl Layer {
    pub const ALL: [Self; 8] =
        [Self::Cut, Self::Template, Self::Blank, Self::Plank, Self::Frames, Self::Holes, Self::Marks, Self::Datum];

    pub fn name(self) -> &'static str {
        match self {
            Self::Cut => "CUT",
            Self::Template => "TEMPLATE",
            Self::Blank => "BLANK",
            Self::Plank => "PLANK",
            Self::Frames => "FRAMES",
            Self::Holes => "HOLES",
            Self::Marks => "MARKS",
            Self::Datum => "DATUM",
        }
    }

    /// Width of its line on paper, mm, and its dashes.
    fn pen(self) -> (f64, &'static [f64]) {
        match self {
            Self::Cut => (0.5, &[]),
            Self::Template => (0.35, &[6.0, 2.0]),
            Self::Blank => (0.25, &[8.0, 3.0, 1.5, 3.0]),
            Self::Plank | Self::Frames => (0.18, &[3.0, 2.0]),
            Self::Holes | Self::Marks => (0.25, &[]),
            Self::Datum => (0.35, &[12.0, 3.0, 2.0, 3.0]),
        }
    }

    /// Index of its colour in a DXF.
    fn colour(self) -> u8 {
        match self {
            Self::Cut => 1,
            Self::Template => 3,
            Self::Blank => 8,
            Self::Plank | Self::Frames => 9,
            Self::Holes => 5,
            Self::Marks => 7,
            Self::Datum => 6,
        }
    }
}

/// A line or an outline.
#[derive(Debug, Clone, PartialEq)]
pub struct Line {
    pub layer: Layer,
    pub points: Vec<Point>,
    pub closed: bool,
}

/// Words beside it; `at` is their left foot.
#[derive(Debug, Clone, PartialEq)]
pub struct Label {
    pub at: Point,
    pub height: f64,
    pub text: String,
}

/// Everything that is drawn of a piece.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Drawing {
    pub name: String,
    /// What else must be known: timber, depth, datum.
    pub notes: Vec<String>,
    pub lines: Vec<Line>,
    pub labels: Vec<Label>,
    /// What stands across the whole of it, where it may not be used as it is.
    pub stamp: Option<String>,
}

/// A stamp on a drawing: where its words begin, how high they are, and how far they are turned, degrees.
pub(crate) struct Stamped<'d> {
    pub text: &'d str,
    pub at: Point,
    pub height: f64,
    pub turn: f64,
}

impl Drawing {
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into(), ..Self::default() }
    }

    pub fn outline(&mut self, layer: Layer, points: Vec<Point>) {
        self.lines.push(Line { layer, points, closed: true });
    }

    pub fn line(&mut self, layer: Layer, points: Vec<Point>) {
        self.lines.push(Line { layer, points, closed: false });
    }

    /// A circle as an outline of many sides, true to a hundredth of a millimetre.
    pub fn circle(&mut self, layer: Layer, centre: Point, radius: f64) {
        let sides = (std::f64::consts::PI / (1.0 - 0.01 / radius.max(0.02)).acos()).ceil().clamp(12.0, 180.0);
        let at = |k: f64| {
            let angle = k / sides * std::f64::consts::TAU;
            [centre[0] + radius * angle.cos(), centre[1] + radius * angle.sin()]
        };
        self.outline(layer, (0..sides as u32).map(|k| at(f64::from(k))).collect());
    }

    pub fn label(&mut self, at: Point, height: f64, text: impl Into<String>) {
        self.labels.push(Label { at, height, text: text.into() });
    }

    /// The same, mirrored fore and aft: the piece for the other side, or the pattern seen from inside.
    pub fn mirrored(&self) -> Self {
        let Some(([x0, _], [x1, _])) = self.bounds() else { return self.clone() };
        let turn = |p: &Point| [x0 + x1 - p[0], p[1]];
        Self {
            name: format!("{}, mirrored", self.name),
            notes: self.notes.clone(),
            lines: self
                .lines
                .iter()
                .map(|l| Line { points: l.points.iter().map(turn).collect(), ..l.clone() })
                .collect(),
            labels: self.labels.iter().map(|l| Label { at: turn(&l.at), ..l.clone() }).collect(),
            stamp: self.stamp.clone(),
        }
    }

    /// The stamp from corner to corner, repeated along a long drawing so that no sheet of it is without.
    pub(crate) fn stamps(&self) -> Vec<Stamped<'_>> {
        const TURN: f64 = 15.0;
        const HEIGHTS: (f64, f64) = (8.0, 22.0);
        let Some((text, ([x0, y0], [x1, y1]))) = self.stamp.as_deref().zip(self.bounds()) else { return Vec::new() };
        let height = ((y1 - y0) / 4.0).clamp(HEIGHTS.0, HEIGHTS.1);
        // Letters are about six tenths as wide as high.
        let long = text.chars().count() as f64 * height * 0.6;
        let times = ((x1 - x0) / (long * 1.3)).floor().clamp(1.0, 40.0) as usize;
        let step = (x1 - x0) / times as f64;
        let y = (y0 + y1) / 2.0 - long * TURN.to_radians().sin() / 2.0;
        (0..times)
            .map(|i| {
                let x = x0 + (i as f64 + 0.5) * step - long * TURN.to_radians().cos() / 2.0;
                Stamped { text, at: [x, y], height, turn: TURN }
            })
            .collect()
    }

    /// Lowest and highest corner of all lines; `None` when there are none.
    pub fn bounds(&self) -> Option<(Point, Point)> {
        let points: Vec<Point> = self.lines.iter().flat_map(|l| l.points.iter().copied()).collect();
        let ((x0, x1), (y0, y1)) = extent(&points, 0).zip(extent(&points, 1))?;
        Some(([x0, y0], [x1, y1]))
    }
}

/// Room left round a drawing, mm.
const ROOM: f64 = 10.0;

/// Text that may stand in XML.
fn safe(text: &str) -> String {
    text.chars()
        .filter(|c| !c.is_control())
        .map(|c| match c {
            '&' => "&amp;".to_owned(),
            '<' => "&lt;".to_owned(),
            '>' => "&gt;".to_owned(),
            '"' => "&quot;".to_owned(),
            c => c.to_string(),
        })
        .collect()
}

/// The drawing as an SVG document of its true size: width and height in mm, one unit a millimetre.
pub fn svg(drawing: &Drawing) -> String {
    let ([x0, y0], [x1, y1]) = drawing.bounds().unwrap_or(([0.0, 0.0], [100.0, 100.0]));
    let (width, height) = (x1 - x0 + 2.0 * ROOM, y1 - y0 + 2.0 * ROOM);
    let place = |p: &Point| (p[0] - x0 + ROOM, y1 - p[1] + ROOM);
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width:.3}mm\" height=\"{height:.3}mm\" viewBox=\"0 0 {width:.3} {height:.3}\">\n<title>{}</title>\n",
        safe(&drawing.name)
    );
    for layer in Layer::ALL {
        let of_layer: Vec<&Line> = drawing.lines.iter().filter(|l| l.layer == layer && !l.points.is_empty()).collect();
        if of_layer.is_empty() {
            continue;
        }
        let (pen, dashes) = layer.pen();
        let dashes: Vec<String> = dashes.iter().map(f64::to_string).collect();
        let dashed =
            if dashes.is_empty() { String::new() } else { format!(" stroke-dasharray=\"{}\"", dashes.join(" ")) };
        let _ =
            writeln!(out, "<g id=\"{}\" fill=\"none\" stroke=\"#000\" stroke-width=\"{pen}\"{dashed}>", layer.name());
        for line in of_layer {
            let steps: Vec<String> = line
                .points
                .iter()
                .map(|p| {
                    let (x, y) = place(p);
                    format!("{x:.4} {y:.4}")
                })
                .collect();
            let _ = writeln!(out, "<path d=\"M{}{}\"/>", steps.join("L"), if line.closed { "Z" } else { "" });
        }
        out.push_str("</g>\n");
    }
    out.push_str("<g id=\"TEXT\" font-family=\"sans-serif\">\n");
    for label in &drawing.labels {
        let (x, y) = place(&label.at);
        let _ = writeln!(
            out,
            "<text x=\"{x:.3}\" y=\"{y:.3}\" font-size=\"{}\">{}</text>",
            label.height,
            safe(&label.text)
        );
    }
    out.push_str("</g>\n");
    for stamp in drawing.stamps() {
        let (x, y) = place(&stamp.at);
        let _ = writeln!(
            out,
            "<text class=\"stamp\" x=\"{x:.3}\" y=\"{y:.3}\" font-family=\"sans-serif\" font-weight=\"700\" font-size=\"{:.1}\" transform=\"rotate({} {x:.3} {y:.3})\">{}</text>",
            stamp.height,
            -stamp.turn,
            safe(stamp.text)
        );
    }
    out.push_str("</svg>\n");
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    pub(super) fn piece() -> Drawing {
        let mut drawing = Drawing::new("Graving piece, P5 <stem>");
        drawing.outline(
            Layer::Cut,
            vec![[0.0, 0.0], [300.0, 0.0], [360.0, 30.25], [300.0, 60.0], [0.0, 60.0], [-60.0, 30.0]],
        );
        drawing.line(Layer::Frames, vec![[100.0, -20.0], [100.0, 80.0]]);
        drawing.circle(Layer::Holes, [50.0, 20.0], 6.5);
        drawing.label([0.0, -10.0], 5.0, "F12 & aft");
        drawing
    }

    #[test]
    fn a_stamp_stands_across_the_drawing_in_every_kind_of_file() {
        let stamped = Drawing { stamp: Some("generated, do not cut".to_owned()), ..piece() };
        assert!(svg(&stamped).contains("generated, do not cut</text>") && !svg(&piece()).contains("do not cut"));
        assert!(svg(&stamped.mirrored()).contains("do not cut"));
        let dxf = String::from_utf8_lossy(&dxf::write(&stamped).unwrap()).into_owned();
        assert!(dxf.contains("generated, do not cut") && dxf.contains("STAMP"));
        // A long one has it more than once, so that no sheet is without.
        let mut long = stamped.clone();
        long.outline(Layer::Cut, vec![[0.0, 0.0], [6_000.0, 0.0], [6_000.0, 120.0], [0.0, 120.0]]);
        assert!(long.stamps().len() > 5);
        assert_ne!(paper::pdf(&stamped, paper::Sheet::A4).unwrap(), paper::pdf(&piece(), paper::Sheet::A4).unwrap());
    }

    #[test]
    fn an_svg_says_how_large_it_is_and_keeps_words_as_words() {
        let text = svg(&piece());
        assert!(text.contains("width=\"440.000mm\" height=\"120.000mm\" viewBox=\"0 0 440.000 120.000\""));
        assert!(text.contains("<g id=\"CUT\"") && text.contains("F12 &amp; aft") && text.contains("P5 &lt;stem&gt;"));
        // The fore tip: 60 forward of the datum, 30 up from the lower edge, below 80 of drawing.
        assert!(text.contains("10.0000 60.0000"), "{text}");
        assert!(svg(&Drawing::new("nothing")).contains("width=\"120.000mm\""));
    }

    #[test]
    fn a_mirrored_drawing_keeps_its_size_and_is_itself_when_turned_again() {
        let there = piece().mirrored();
        assert_eq!(there.bounds(), piece().bounds());
        let back = there.mirrored();
        let close = |a: &Line, b: &Line| {
            a.points.iter().zip(&b.points).all(|(p, q)| (p[0] - q[0]).abs() < 1e-9 && p[1] == q[1])
        };
        assert!(back.lines.iter().zip(&piece().lines).all(|(a, b)| close(a, b)));
    }
}
