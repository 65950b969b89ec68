//! A drawing on paper at its true size: tiled over sheets with overlaps, register marks on them, and a check square to measure
//! before the first cut.

use krilla::Document;
use krilla::color::rgb;
use krilla::geom::{PathBuilder, Point as At, Rect, Transform};
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla::paint::{FillRule, Stroke, StrokeDash};
use krilla::surface::Surface;
use krilla::text::TextDirection;
use mend_keel_core::geometry::Point;

use crate::report::{TEXT, Type, ink};

use super::{Drawing, ROOM};

/// A sheet, as it goes into the printer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sheet {
    A4,
    Letter,
    A3,
    A0,
}

impl Sheet {
    pub const ALL: [Self; 4] = [Self::A4, Self::Letter, Self::A3, Self::A0];

    pub fn code(self) -> &'static str {
        match self {
            Self::A4 => "a4",
            Self::Letter => "letter",
            Self::A3 => "a3",
            Self::A0 => "a0",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Self::A4 => "A4",
            Self::Letter => "Letter",
            Self::A3 => "A3",
            Self::A0 => "A0",
        }
    }

    pub fn from_code(code: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|s| s.code() == code)
    }

    /// Width and height lying on its long side, mm.
    pub fn size(self) -> (f64, f64) {
        match self {
            Self::A4 => (297.0, 210.0),
            Self::Letter => (279.4, 215.9),
            Self::A3 => (420.0, 297.0),
            Self::A0 => (1_189.0, 841.0),
        }
    }
}

/// No printer reaches nearer to the edge, mm.
const MARGIN: f64 = 12.0;
/// Neighbouring sheets show this much of the same, mm.
pub const OVERLAP: f64 = 15.0;
/// Side of the square to be measured, mm.
pub const CHECK: f64 = 100.0;
/// Room for the words at the foot, mm.
const FOOT: f64 = 8.0;
/// Most sheets printed of one drawing.
const MOST: usize = 400;

/// Where the sheets lie: each shows `[x0, x0 + width]` by `[y0, y0 + height]` of the drawing.
#[derive(Debug, Clone, PartialEq)]
pub struct Tiling {
    pub columns: usize,
    pub rows: usize,
    /// What one sheet shows.
    pub width: f64,
    pub height: f64,
    /// Lower left corner of the first sheet.
    pub from: Point,
}

impl Tiling {
    pub fn sheets(&self) -> usize {
        self.columns * self.rows
    }

    /// Lower left corner of a sheet, columns from the left and rows from the top.
    pub fn corner(&self, column: usize, row: usize) -> Point {
        [
            self.from[0] + column as f64 * (self.width - OVERLAP),
            self.from[1] + (self.rows - 1 - row) as f64 * (self.height - OVERLAP),
        ]
    }

    /// `A1`: the row by a letter, the column by a number.
    pub fn name(&self, column: usize, row: usize) -> String {
        let letter = |n: usize| char::from(b'A' + (n % 26) as u8);
        let rows = if row < 26 { letter(row).to_string() } else { format!("{}{}", letter(row / 26 - 1), letter(row)) };
        format!("{rows}{}", column + 1)
    }
}

/// Lays sheets over a drawing: as few as its size needs, spread evenly round it.
pub fn tile(drawing: &Drawing, sheet: Sheet) -> Result<Tiling, String> {
    let ([x0, y0], [x1, y1]) = drawing.bounds().ok_or("there is nothing to print")?;
    let (paper_width, paper_height) = sheet.size();
    let (width, height) = (paper_width - 2.0 * MARGIN, paper_height - 2.0 * MARGIN - FOOT);
    let needed = |long: f64, shown: f64| (((long + 2.0 * ROOM - OVERLAP) / (shown - OVERLAP)).ceil().max(1.0)) as usize;
    let (columns, rows) = (needed(x1 - x0, width), needed(y1 - y0, height));
    if columns.saturating_mul(rows) > MOST {
        return Err(format!("it would take {} sheets: choose larger paper", columns.saturating_mul(rows)));
    }
    let covered = |count: usize, shown: f64| count as f64 * (shown - OVERLAP) + OVERLAP;
    let from = [(x0 + x1 - covered(columns, width)) / 2.0, (y0 + y1 - covered(rows, height)) / 2.0];
    Ok(Tiling { columns, rows, width, height, from })
}

/// Points to the millimetre.
const PT: f64 = 72.0 / 25.4;

struct Page<'p> {
    paper: (f64, f64),
    text: &'p Type,
}

impl Page<'_> {
    /// A place on the paper, mm from its lower left corner, as the PDF counts: points from the top.
    fn at(&self, p: Point) -> (f32, f32) {
        ((p[0] * PT) as f32, ((self.paper.1 - p[1]) * PT) as f32)
    }

    fn line(&self, surface: &mut Surface<'_>, points: &[Point], closed: bool, pen: f64, dashes: &[f64]) {
        let mut path = PathBuilder::new();
        for (i, p) in points.iter().enumerate() {
            let (x, y) = self.at(*p);
            if i == 0 { path.move_to(x, y) } else { path.line_to(x, y) }
        }
        if closed {
            path.close();
        }
        let Some(path) = path.finish() else { return };
        let dash = (!dashes.is_empty())
            .then(|| StrokeDash { array: dashes.iter().map(|d| (d * PT) as f32).collect(), offset: 0.0 });
        surface.set_fill(None);
        surface.set_stroke(Some(Stroke {
            paint: rgb::Color::new(0, 0, 0).into(),
            width: (pen * PT) as f32,
            dash,
            ..Stroke::default()
        }));
        surface.draw_path(&path);
        surface.set_stroke(None);
    }

    fn words(&self, surface: &mut Surface<'_>, at: Point, height: f64, text: &str) {
        let (x, y) = self.at(at);
        surface.set_stroke(None);
        surface.set_fill(Some(ink(0, 0, 0)));
        let shown = self.text.shown(text);
        surface.draw_text(
            At::from_xy(x, y),
            self.text.font.clone(),
            (height * PT) as f32,
            &shown,
            false,
            TextDirection::Auto,
        );
    }

    fn check_square(&self, surface: &mut Surface<'_>, corner: Point) {
        let [x, y] = corner;
        self.line(surface, &[[x, y], [x + CHECK, y], [x + CHECK, y + CHECK], [x, y + CHECK]], true, 0.3, &[]);
        self.words(surface, [x + 6.0, y + CHECK - 12.0], 4.5, "Check square: 100 × 100 mm");
        self.words(
            surface,
            [x + 6.0, y + CHECK - 19.0],
            3.2,
            "Measure both sides before you cut. If they are not 100 mm,",
        );
        self.words(surface, [x + 6.0, y + CHECK - 24.0], 3.2, "print again at “actual size”, not “fit to page”.");
        self.words(surface, [x + 6.0, y + 6.0], 3.2, "4 inches is 101.6 mm: not this square.");
    }
}

/// The drawing as a PDF: a first sheet with the check square, the notes and how the sheets lie; then the sheets.
pub fn pdf(drawing: &Drawing, sheet: Sheet) -> Result<Vec<u8>, String> {
    let tiling = tile(drawing, sheet)?;
    let text = Type::new(TEXT)?;
    let mut document = Document::new();
    document.set_metadata(Metadata::new().title(drawing.name.clone()).language("en".into()));
    let paper = sheet.size();
    let page = Page { paper, text: &text };
    let settings = || PageSettings::from_wh((paper.0 * PT) as f32, (paper.1 * PT) as f32).ok_or("no such page");
    let mut first = document.start_page_with(settings()?);
    let mut surface = first.surface();
    cover(&page, &mut surface, drawing, sheet, &tiling);
    surface.finish();
    first.finish();
    for row in 0..tiling.rows {
        for column in 0..tiling.columns {
            let mut next = document.start_page_with(settings()?);
            let mut surface = next.surface();
            tile_page(&page, &mut surface, drawing, &tiling, column, row)?;
            surface.finish();
            next.finish();
        }
    }
    document.finish().map_err(|e| format!("the PDF could not be written: {e:?}"))
}

fn cover(page: &Page<'_>, surface: &mut Surface<'_>, drawing: &Drawing, sheet: Sheet, tiling: &Tiling) {
    let (width, height) = page.paper;
    let mut y = height - MARGIN - 8.0;
    for line in page.text.wrap(&drawing.name, 20.0, ((width - 2.0 * MARGIN) * PT) as f32).iter().take(2) {
        page.words(surface, [MARGIN, y], 7.0, line);
        y -= 9.0;
    }
    if let Some(stamp) = &drawing.stamp {
        page.words(surface, [MARGIN, y], 7.0, stamp);
        y -= 9.0;
    }
    let count = tiling.sheets();
    let sheets = if count == 1 {
        "1 sheet".to_owned()
    } else {
        format!("{count} sheets, {} across and {} down", tiling.columns, tiling.rows)
    };
    page.words(
        surface,
        [MARGIN, y],
        4.0,
        &format!("True size, 1:1. {} {}. Sheets overlap by {OVERLAP:.0} mm.", sheet.label(), sheets),
    );
    let column = MARGIN + CHECK + 12.0;
    let mut note_y = y - 12.0;
    for note in &drawing.notes {
        for line in page.text.wrap(note, 9.5, ((width - column - MARGIN) * PT) as f32) {
            if note_y < MARGIN + 60.0 {
                break;
            }
            page.words(surface, [column, note_y], 3.4, &line);
            note_y -= 5.0;
        }
    }
    page.check_square(surface, [MARGIN, (y - 10.0 - CHECK).max(MARGIN)]);
    // How the sheets lie: a small plan with each sheet's name.
    let room = (width - column - MARGIN, (note_y - MARGIN - 6.0).max(30.0));
    let whole = (
        tiling.columns as f64 * (tiling.width - OVERLAP) + OVERLAP,
        tiling.rows as f64 * (tiling.height - OVERLAP) + OVERLAP,
    );
    let scale = (room.0 / whole.0).min(room.1 / whole.1).min(0.2);
    let place = |p: Point| [column + (p[0] - tiling.from[0]) * scale, MARGIN + (p[1] - tiling.from[1]) * scale];
    for row in 0..tiling.rows {
        for at in 0..tiling.columns {
            let [x, y] = tiling.corner(at, row);
            let corners =
                [[x, y], [x + tiling.width, y], [x + tiling.width, y + tiling.height], [x, y + tiling.height]];
            page.line(surface, &corners.map(place), true, 0.15, &[1.5, 1.0]);
            let [left, foot] = place([x, y]);
            page.words(surface, [left + 1.0, foot + 1.0], 2.6, &tiling.name(at, row));
        }
    }
    for line in &drawing.lines {
        let points: Vec<Point> = line.points.iter().map(|p| place(*p)).collect();
        page.line(surface, &points, line.closed, 0.15, &[]);
    }
}

fn tile_page(
    page: &Page<'_>,
    surface: &mut Surface<'_>,
    drawing: &Drawing,
    tiling: &Tiling,
    column: usize,
    row: usize,
) -> Result<(), String> {
    let from = tiling.corner(column, row);
    let base = [MARGIN, MARGIN + FOOT];
    let place = |p: Point| [p[0] - from[0] + base[0], p[1] - from[1] + base[1]];
    let (left, top) = page.at([base[0], base[1] + tiling.height]);
    let frame =
        Rect::from_xywh(left, top, (tiling.width * PT) as f32, (tiling.height * PT) as f32).ok_or("no such sheet")?;
    let mut around = PathBuilder::new();
    around.push_rect(frame);
    let around = around.finish().ok_or("no such sheet")?;
    surface.push_clip_path(&around, &FillRule::NonZero);
    for line in &drawing.lines {
        let points: Vec<Point> = line.points.iter().map(|p| place(*p)).collect();
        let (pen, dashes) = line.layer.pen();
        page.line(surface, &points, line.closed, pen, dashes);
    }
    for label in &drawing.labels {
        page.words(surface, place(label.at), label.height, &label.text);
    }
    for stamp in drawing.stamps() {
        let (x, y) = page.at(place(stamp.at));
        surface.push_transform(&Transform::from_rotate_at(-stamp.turn as f32, x, y));
        page.words(surface, place(stamp.at), stamp.height, stamp.text);
        surface.pop();
    }
    surface.pop();
    register_marks(page, surface, tiling, base, column, row);
    let foot = format!(
        "{} · sheet {} of {} · 1:1, measure the check square first",
        tiling.name(column, row),
        row * tiling.columns + column + 1,
        tiling.sheets()
    );
    page.words(surface, [MARGIN, MARGIN], 3.2, &foot);
    let name: String = drawing.name.chars().take(60).collect();
    page.words(surface, [MARGIN + tiling.width * 0.55, MARGIN], 3.2, &name);
    Ok(())
}

/// Crosses in the middle of each overlap, on the same places of the drawing on both sheets; and how far the sheet shows.
fn register_marks(page: &Page<'_>, surface: &mut Surface<'_>, tiling: &Tiling, base: Point, column: usize, row: usize) {
    let (w, h) = (tiling.width, tiling.height);
    let corners = [[0.0, 0.0], [w, 0.0], [w, h], [0.0, h]].map(|p| [p[0] + base[0], p[1] + base[1]]);
    page.line(surface, &corners, true, 0.1, &[1.0, 2.0]);
    let half = OVERLAP / 2.0;
    let mut crosses: Vec<Point> = Vec::new();
    let spread = |long: f64| [long * 0.15, long * 0.5, long * 0.85];
    if column > 0 {
        crosses.extend(spread(h).map(|y| [half, y]));
    }
    if column + 1 < tiling.columns {
        crosses.extend(spread(h).map(|y| [w - half, y]));
    }
    if row > 0 {
        crosses.extend(spread(w).map(|x| [x, h - half]));
    }
    if row + 1 < tiling.rows {
        crosses.extend(spread(w).map(|x| [x, half]));
    }
    for [x, y] in crosses {
        let [x, y] = [x + base[0], y + base[1]];
        page.line(surface, &[[x - 4.0, y], [x + 4.0, y]], false, 0.2, &[]);
        page.line(surface, &[[x, y - 4.0], [x, y + 4.0]], false, 0.2, &[]);
        page.line(
            surface,
            &[[x - 2.0, y - 2.0], [x + 2.0, y - 2.0], [x + 2.0, y + 2.0], [x - 2.0, y + 2.0]],
            true,
            0.12,
            &[],
        );
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::Layer;
    use super::super::tests::piece;
    use super::*;

    fn pages_of(pdf: &[u8]) -> usize {
        let text = String::from_utf8_lossy(pdf);
        let count = text.split("/Count ").nth(1).and_then(|c| c.split(|c: char| !c.is_ascii_digit()).next());
        count.and_then(|c| c.parse().ok()).unwrap_or_default()
    }

    fn plank(length: f64, width: f64) -> Drawing {
        let mut drawing = Drawing::new("A plank");
        drawing.outline(Layer::Cut, vec![[0.0, 0.0], [length, 0.0], [length, width], [0.0, width]]);
        drawing
    }

    #[test]
    fn every_sheet_is_a_page_and_the_first_is_the_check_square() {
        for sheet in Sheet::ALL {
            let tiling = tile(&piece(), sheet).unwrap();
            let bytes = pdf(&piece(), sheet).unwrap();
            assert!(bytes.starts_with(b"%PDF-"));
            assert_eq!(pages_of(&bytes), tiling.sheets() + 1, "{}", sheet.label());
        }
        assert_eq!(tile(&piece(), Sheet::A0).unwrap().sheets(), 1);
        assert_eq!(tile(&piece(), Sheet::A4).unwrap().sheets(), 2);
    }

    #[test]
    fn paper_is_as_large_as_it_says() {
        let text = String::from_utf8_lossy(&pdf(&piece(), Sheet::A4).unwrap()).into_owned();
        let media = text.split("/MediaBox").nth(1).unwrap();
        let numbers: Vec<f64> =
            media.split(['[', ']']).nth(1).unwrap().split_whitespace().filter_map(|n| n.parse().ok()).collect();
        assert!((numbers[2] - 841.89).abs() < 0.01 && (numbers[3] - 595.28).abs() < 0.01, "{numbers:?}");
    }

    #[test]
    fn too_much_paper_and_nothing_to_print_are_refused() {
        assert!(pdf(&plank(90_000.0, 3_000.0), Sheet::A4).unwrap_err().contains("larger paper"));
        assert!(pdf(&Drawing::new("nothing"), Sheet::A4).is_err());
        assert!(pdf(&plank(6_000.0, 220.0), Sheet::A3).is_ok());
    }

    proptest! {
        #[test]
        fn the_sheets_cover_the_drawing_and_overlap(length in 1.0..9_000.0f64, width in 1.0..900.0f64, which in 0usize..4) {
            let drawing = plank(length, width);
            let tiling = tile(&drawing, Sheet::ALL[which]).unwrap();
            let first = tiling.corner(0, tiling.rows - 1);
            let last = tiling.corner(tiling.columns - 1, 0);
            prop_assert!(first[0] <= 0.0 && first[1] <= 0.0);
            prop_assert!(last[0] + tiling.width >= length && last[1] + tiling.height >= width);
            if tiling.columns > 1 {
                let gap = tiling.corner(1, 0)[0] - tiling.corner(0, 0)[0];
                prop_assert!((tiling.width - gap - OVERLAP).abs() < 1e-9);
            }
        }
    }
}
