//! Labels for the rack: a tag in large letters, what it is, and a QR code that opens it, on sheets of stickers.

use krilla::Document;
use krilla::geom::{PathBuilder, Point as At};
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla::paint::FillRule;
use krilla::surface::Surface;
use krilla::text::TextDirection;
use qrcode::{EcLevel, QrCode};

use crate::report::{TEXT, Type, ink};

/// One label.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Label {
    pub tag: String,
    pub lines: Vec<String>,
    /// What the code says: an address that opens the board.
    pub code: String,
}

/// Stickers on an A4 sheet: columns, rows, size and the sheet's margins, mm.
const GRID: (usize, usize) = (3, 8);
const SIZE: (f64, f64) = (70.0, 37.0);
const PAPER: (f64, f64) = (210.0, 297.0);
const TOP: f64 = (PAPER.1 - GRID.1 as f64 * SIZE.1) / 2.0;
const PT: f64 = 72.0 / 25.4;
/// Most labels printed at once.
pub const MOST: usize = 2_400;

/// The labels as a PDF on A4, 24 to a sheet. Errors say what could not be printed.
pub fn pdf(labels: &[Label]) -> Result<Vec<u8>, String> {
    if labels.is_empty() || labels.len() > MOST {
        return Err(format!("between 1 and {MOST} labels are printed at once"));
    }
    let text = Type::new(TEXT)?;
    let mut document = Document::new();
    document.set_metadata(Metadata::new().title("Labels".into()).language("en".into()));
    for sheet in labels.chunks(GRID.0 * GRID.1) {
        let settings = PageSettings::from_wh((PAPER.0 * PT) as f32, (PAPER.1 * PT) as f32).ok_or("no such page")?;
        let mut page = document.start_page_with(settings);
        let mut surface = page.surface();
        for (i, label) in sheet.iter().enumerate() {
            let at = ((i % GRID.0) as f64 * SIZE.0, TOP + (i / GRID.0) as f64 * SIZE.1);
            draw(&mut surface, &text, label, at)?;
        }
        surface.finish();
        page.finish();
    }
    document.finish().map_err(|e| format!("the PDF could not be written: {e:?}"))
}

fn draw(surface: &mut Surface<'_>, text: &Type, label: &Label, (left, top): (f64, f64)) -> Result<(), String> {
    const EDGE: f64 = 5.0;
    const CODE: f64 = 26.0;
    let code = QrCode::with_error_correction_level(label.code.as_bytes(), EcLevel::M)
        .map_err(|_| format!("{}: too long for a code", label.tag))?;
    let wide = code.width();
    let dot = CODE / wide as f64;
    let mut path = PathBuilder::new();
    for (i, colour) in code.to_colors().into_iter().enumerate() {
        if colour == qrcode::Color::Light {
            continue;
        }
        let x = left + SIZE.0 - EDGE - CODE + (i % wide) as f64 * dot;
        let y = top + (SIZE.1 - CODE) / 2.0 + (i / wide) as f64 * dot;
        let at = |dx: f64, dy: f64| (((x + dx) * PT) as f32, ((y + dy) * PT) as f32);
        let corners = [at(0.0, 0.0), at(dot, 0.0), at(dot, dot), at(0.0, dot)];
        path.move_to(corners[0].0, corners[0].1);
        for (cx, cy) in &corners[1..] {
            path.line_to(*cx, *cy);
        }
        path.close();
    }
    surface.set_stroke(None);
    let mut fill = ink(0, 0, 0);
    fill.rule = FillRule::NonZero;
    surface.set_fill(Some(fill));
    if let Some(path) = path.finish() {
        surface.draw_path(&path);
    }
    let room = ((SIZE.0 - CODE - 3.0 * EDGE) * PT) as f32;
    let words = |surface: &mut Surface<'_>, y: f64, points: f32, line: &str| {
        let at = At::from_xy(((left + EDGE) * PT) as f32, ((top + y) * PT) as f32);
        surface.draw_text(at, text.font.clone(), points, &text.shown(line), false, TextDirection::Auto);
    };
    for line in text.wrap(&label.tag, 19.0, room).into_iter().take(1) {
        words(surface, 11.5, 19.0, &line);
    }
    let lines = label.lines.iter().flat_map(|line| text.wrap(line, 7.5, room));
    for (i, line) in lines.take(5).enumerate() {
        words(surface, 17.0 + 3.6 * i as f64, 7.5, &line);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn any_number_of_labels_is_printed_and_none_is_refused() {
        let label = Label {
            tag: "L-07/1".into(),
            lines: vec!["western larch".into(), "2400 × 180 × 32 mm".into()],
            code: "http://127.0.0.1:8000/rack/tag/L-07/1".into(),
        };
        let pdf_of = |n: usize| pdf(&vec![label.clone(); n]);
        assert!(pdf_of(1).unwrap().starts_with(b"%PDF"));
        assert!(pdf_of(25).unwrap().len() > pdf_of(1).unwrap().len());
        assert!(pdf_of(0).is_err());
        assert!(pdf(&[Label { code: "x".repeat(9_000), ..label }]).unwrap_err().contains("too long"));
    }
}
