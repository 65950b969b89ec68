//! A report to print: headings, text, tables, drawings and photos laid out on A4 pages as PDF.
//!
//! What the report says is the caller's; here it only gets its pages, each with the same foot and its number.

use std::sync::{Arc, LazyLock};

use krilla::Document;
use krilla::color::rgb;
use krilla::geom::{PathBuilder, Point, Rect, Size, Transform};
use krilla::image::Image;
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla::paint::{Fill, Stroke};
use krilla::surface::Surface;
use krilla::text::{Font, TextDirection};
use krilla_svg::{SurfaceExt, SvgSettings};
use ttf_parser::Face;
use usvg::fontdb::Database;
use usvg::{Options, Tree};

pub(crate) const TEXT: &[u8] = include_bytes!("../fonts/text-400.ttf");
const BOLD: &[u8] = include_bytes!("../fonts/text-700.ttf");
const SLAB: &[u8] = include_bytes!("../fonts/slab-600.ttf");

/// How drawings look on paper: ink on white, told apart by line and hatch.
const PRINT: &str = include_str!("print.css");

/// A report.
#[derive(Debug, Clone, Default)]
pub struct Report {
    pub title: String,
    /// Lines under the title.
    pub lines: Vec<String>,
    pub blocks: Vec<Block>,
    /// Stands at the foot of every page.
    pub foot: String,
}

/// One thing after the other.
#[derive(Debug, Clone)]
pub enum Block {
    Heading(String),
    Text(String),
    /// A text that must not be passed over.
    Caution(String),
    Table {
        /// Heads, with the share of the width each column takes.
        columns: Vec<(String, f32)>,
        rows: Vec<Vec<String>>,
    },
    /// A drawing as SVG, as wide as the page, and what it shows.
    Drawing {
        svg: String,
        caption: String,
    },
    Photos(Vec<Photo>),
}

/// A photo with the marks drawn over it.
#[derive(Debug, Clone)]
pub struct Photo {
    pub jpeg: Vec<u8>,
    pub marks: Vec<Mark>,
    pub caption: String,
}

/// A mark on a photo; points in shares of its width and height.
#[derive(Debug, Clone, Copy)]
pub enum Mark {
    Arrow { tail: [f64; 2], head: [f64; 2] },
    Circle { middle: [f64; 2], rim: [f64; 2] },
}

/// Points of a page; a point is 1/72 inch.
const PAGE: (f32, f32) = (595.28, 841.89);
const MARGIN: f32 = 48.0;
const WIDTH: f32 = PAGE.0 - 2.0 * MARGIN;
const FOOT: f32 = 40.0;
const BODY: f32 = 9.5;
const LEAD: f32 = 1.32;

static FONTS: LazyLock<Arc<Database>> = LazyLock::new(|| {
    let mut fonts = Database::new();
    for font in [TEXT, BOLD, SLAB] {
        fonts.load_font_data(font.to_vec());
    }
    Arc::new(fonts)
});

/// A face that can be drawn with and measured by.
pub(crate) struct Type {
    pub(crate) font: Font,
    face: Face<'static>,
}

impl Type {
    pub(crate) fn new(bytes: &'static [u8]) -> Result<Self, String> {
        let font = Font::new(bytes.to_vec().into(), 0).ok_or("a font of ours cannot be read")?;
        Ok(Self { font, face: Face::parse(bytes, 0).map_err(|e| e.to_string())? })
    }

    /// A text with what the face cannot show written another way.
    pub(crate) fn shown(&self, text: &str) -> String {
        let mut out = String::with_capacity(text.len());
        for c in text.chars() {
            match c {
                '≤' => out.push_str("<="),
                '≥' => out.push_str(">="),
                '▲' => out.push('!'),
                '→' => out.push_str("to"),
                '✓' => {}
                c if c.is_whitespace() => out.push(' '),
                c if self.face.glyph_index(c).is_some() => out.push(c),
                _ => out.push('?'),
            }
        }
        out
    }

    fn width(&self, text: &str, size: f32) -> f32 {
        let units = f32::from(self.face.units_per_em());
        let advance = |c| self.face.glyph_index(c).and_then(|g| self.face.glyph_hor_advance(g)).unwrap_or(0);
        text.chars().map(|c| f32::from(advance(c))).sum::<f32>() * size / units
    }

    /// Breaks a text into lines no wider than `width`; a word longer than a line is cut.
    pub(crate) fn wrap(&self, text: &str, size: f32, width: f32) -> Vec<String> {
        let mut lines = Vec::new();
        for paragraph in text.lines() {
            let mut line = String::new();
            for word in self.shown(paragraph).split_whitespace() {
                let mut rest = word;
                while !rest.is_empty() {
                    let joined = if line.is_empty() { rest.to_owned() } else { format!("{line} {rest}") };
                    if self.width(&joined, size) <= width {
                        line = joined;
                        break;
                    }
                    if !line.is_empty() {
                        lines.push(std::mem::take(&mut line));
                        continue;
                    }
                    let fits = rest
                        .char_indices()
                        .map(|(at, c)| at + c.len_utf8())
                        .take_while(|end| self.width(&rest[..*end], size) <= width)
                        .last();
                    let cut = fits.unwrap_or_else(|| rest.chars().next().map_or(rest.len(), char::len_utf8));
                    lines.push(rest[..cut].to_owned());
                    rest = &rest[cut..];
                }
            }
            if !line.is_empty() || paragraph.trim().is_empty() {
                lines.push(line);
            }
        }
        lines
    }
}

/// What is drawn on one page, so that pages can be counted before they are written.
enum Ink {
    Text { at: [f32; 2], size: f32, face: Which, text: String },
    Rule { from: [f32; 2], to: [f32; 2], thick: f32 },
    Drawing { at: [f32; 2], size: [f32; 2], tree: Box<Tree> },
    Photo { at: [f32; 2], size: [f32; 2], image: Image, marks: Vec<Mark> },
}

#[derive(Clone, Copy)]
enum Which {
    Text,
    Bold,
    Slab,
}

struct Layout {
    faces: [Type; 3],
    pages: Vec<Vec<Ink>>,
    y: f32,
    /// A heading that stands where what comes after it does.
    heading: Option<String>,
}

impl Layout {
    fn face(&self, which: Which) -> &Type {
        &self.faces[which as usize]
    }

    fn put(&mut self, ink: Ink) {
        if let Some(page) = self.pages.last_mut() {
            page.push(ink);
        }
    }

    fn turn(&mut self) {
        self.pages.push(Vec::new());
        self.y = MARGIN;
    }

    /// Begins a page when less than this is left of the present one.
    fn room(&mut self, height: f32) {
        const HEADING: f32 = 40.0;
        let heading = self.heading.take();
        let above = if heading.is_some() { HEADING } else { 0.0 };
        if self.y + above + height > PAGE.1 - MARGIN - FOOT {
            self.turn();
        }
        if let Some(text) = heading {
            self.y += 12.0;
            self.text(&text, Which::Slab, 14.0, 0.0);
            self.rule(1.2);
            self.y += 7.0;
        }
    }

    fn text(&mut self, text: &str, which: Which, size: f32, indent: f32) {
        for line in self.face(which).wrap(text, size, WIDTH - indent) {
            self.room(size * LEAD);
            self.put(Ink::Text { at: [MARGIN + indent, self.y + size], size, face: which, text: line });
            self.y += size * LEAD;
        }
    }

    fn rule(&mut self, thick: f32) {
        let y = self.y;
        self.put(Ink::Rule { from: [MARGIN, y], to: [MARGIN + WIDTH, y], thick });
    }

    fn caution(&mut self, text: &str) {
        self.room(40.0);
        let top = self.y;
        let page = self.pages.len();
        self.text(text, Which::Bold, BODY, 12.0);
        // The bar stands beside a text that did not run over.
        if self.pages.len() == page {
            let bottom = self.y;
            self.put(Ink::Rule { from: [MARGIN + 2.0, top], to: [MARGIN + 2.0, bottom + 2.0], thick: 3.0 });
        }
        self.y += 8.0;
    }

    fn table(&mut self, columns: &[(String, f32)], rows: &[Vec<String>]) {
        let total: f32 = columns.iter().map(|c| c.1).sum::<f32>().max(f32::EPSILON);
        let widths: Vec<f32> = columns.iter().map(|c| c.1 / total * WIDTH).collect();
        let size = 8.4;
        let head: Vec<String> = columns.iter().map(|c| c.0.clone()).collect();
        self.room(46.0);
        self.row(&head, &widths, Which::Bold, size);
        self.rule(0.9);
        self.y += 2.0;
        for row in rows {
            let pages = self.pages.len();
            let lines = self.lines_of(row, &widths, Which::Text, size);
            // A row that would be parted by the foot goes over; one taller than a page has to be parted.
            self.room((lines as f32 * size * LEAD + 5.0).min(PAGE.1 - 2.0 * MARGIN - FOOT - 30.0));
            if self.pages.len() > pages {
                self.row(&head, &widths, Which::Bold, size);
                self.rule(0.9);
                self.y += 2.0;
            }
            self.row(row, &widths, Which::Text, size);
            self.rule(0.3);
            self.y += 2.0;
        }
        self.y += 6.0;
    }

    fn lines_of(&self, row: &[String], widths: &[f32], which: Which, size: f32) -> usize {
        let wrapped = row.iter().zip(widths).map(|(cell, width)| self.face(which).wrap(cell, size, width - 6.0).len());
        wrapped.max().unwrap_or(1)
    }

    fn row(&mut self, row: &[String], widths: &[f32], which: Which, size: f32) {
        let cells: Vec<Vec<String>> =
            row.iter().zip(widths).map(|(cell, width)| self.face(which).wrap(cell, size, width - 6.0)).collect();
        let lines = cells.iter().map(Vec::len).max().unwrap_or(0);
        for n in 0..lines {
            self.room(size * LEAD);
            let mut x = MARGIN;
            for (cell, width) in cells.iter().zip(widths) {
                if let Some(line) = cell.get(n).filter(|line| !line.is_empty()) {
                    self.put(Ink::Text { at: [x, self.y + size], size, face: which, text: line.clone() });
                }
                x += width;
            }
            self.y += size * LEAD;
        }
        self.y += 2.0;
    }

    fn drawing(&mut self, svg: &str, caption: &str) -> Result<(), String> {
        let tree = tree(svg)?;
        let size = tree.size();
        let most = PAGE.1 - 2.0 * MARGIN - FOOT - 80.0;
        let scale = (WIDTH / size.width()).min(most / size.height());
        let (wide, high) = (size.width() * scale, size.height() * scale);
        self.room(high + 20.0);
        let at = [MARGIN + (WIDTH - wide) / 2.0, self.y];
        self.put(Ink::Drawing { at, size: [wide, high], tree: Box::new(tree) });
        self.y += high + 4.0;
        self.text(caption, Which::Text, 8.4, 0.0);
        self.y += 8.0;
        Ok(())
    }

    /// Two photos beside each other.
    fn photos(&mut self, photos: &[Photo]) -> Result<(), String> {
        const GAP: f32 = 14.0;
        let wide = (WIDTH - GAP) / 2.0;
        for pair in photos.chunks(2) {
            let mut images = Vec::new();
            for photo in pair {
                let image = Image::from_jpeg(photo.jpeg.clone().into(), true)?;
                let (w, h) = image.size();
                let high = (wide * h as f32 / (w as f32).max(1.0)).min(300.0);
                images.push((image, [high * w as f32 / (h as f32).max(1.0), high]));
            }
            let tallest = images.iter().map(|i| i.1[1]).fold(0.0, f32::max);
            let captions: Vec<Vec<String>> =
                pair.iter().map(|p| self.face(Which::Text).wrap(&p.caption, 8.4, wide)).collect();
            let lines = captions.iter().map(Vec::len).max().unwrap_or(0) as f32;
            self.room(tallest + lines * 8.4 * LEAD + 12.0);
            for (n, ((image, size), photo)) in images.into_iter().zip(pair).enumerate() {
                let x = MARGIN + n as f32 * (wide + GAP);
                self.put(Ink::Photo { at: [x, self.y], size, image, marks: photo.marks.clone() });
                for (line_no, line) in captions[n].iter().enumerate() {
                    let y = self.y + tallest + 10.0 + line_no as f32 * 8.4 * LEAD;
                    self.put(Ink::Text { at: [x, y], size: 8.4, face: Which::Text, text: line.clone() });
                }
            }
            self.y += tallest + lines * 8.4 * LEAD + 14.0;
        }
        Ok(())
    }
}

/// Reads a drawing of the pages, dressed for paper.
fn tree(svg: &str) -> Result<Tree, String> {
    let head = svg.find('>').ok_or("a drawing is not SVG")?;
    let mut dressed = String::with_capacity(svg.len() + PRINT.len() + 128);
    dressed.push_str(&svg[..head]);
    // On a page of HTML the name space goes without saying.
    if !svg[..head].contains("xmlns=") {
        dressed.push_str(" xmlns=\"http://www.w3.org/2000/svg\"");
    }
    dressed.push_str("><style>");
    dressed.push_str(PRINT);
    dressed.push_str("</style>");
    // Arrows of the screen that no face of ours has.
    dressed.push_str(&svg[head + 1..].replace('◁', "‹").replace('▷', "›"));
    let options =
        Options { fontdb: Arc::clone(&FONTS), font_family: "Atkinson Hyperlegible Next".into(), ..Options::default() };
    Tree::from_str(&dressed, &options).map_err(|e| format!("a drawing cannot be read: {e}"))
}

pub(crate) fn ink(red: u8, green: u8, blue: u8) -> Fill {
    Fill { paint: rgb::Color::new(red, green, blue).into(), ..Fill::default() }
}

fn pen(width: f32, colour: rgb::Color) -> Stroke {
    Stroke { paint: colour.into(), width, ..Stroke::default() }
}

fn line(surface: &mut Surface<'_>, from: [f32; 2], to: [f32; 2], stroke: Stroke) {
    let mut path = PathBuilder::new();
    path.move_to(from[0], from[1]);
    path.line_to(to[0], to[1]);
    if let Some(path) = path.finish() {
        surface.set_fill(None);
        surface.set_stroke(Some(stroke));
        surface.draw_path(&path);
        surface.set_stroke(None);
    }
}

/// Draws a mark twice: wide and light, then narrow and red, so that it shows on any picture.
fn mark(surface: &mut Surface<'_>, at: [f32; 2], size: [f32; 2], mark: &Mark) {
    let on = |p: [f64; 2]| [at[0] + p[0] as f32 * size[0], at[1] + p[1] as f32 * size[1]];
    for (width, colour) in [(3.6, rgb::Color::new(255, 255, 255)), (1.8, rgb::Color::new(168, 50, 10))] {
        match *mark {
            Mark::Arrow { tail, head } => {
                let (tail, head) = (on(tail), on(head));
                line(surface, tail, head, pen(width, colour));
                let angle = (head[1] - tail[1]).atan2(head[0] - tail[0]);
                for turn in [2.6_f32, -2.6] {
                    let barb = [head[0] + 9.0 * (angle + turn).cos(), head[1] + 9.0 * (angle + turn).sin()];
                    line(surface, head, barb, pen(width, colour));
                }
            }
            Mark::Circle { middle, rim } => {
                let (middle, rim) = (on(middle), on(rim));
                let radius = (rim[0] - middle[0]).hypot(rim[1] - middle[1]);
                const STEPS: u16 = 40;
                let mut last = [middle[0] + radius, middle[1]];
                for step in 1..=STEPS {
                    let angle = f32::from(step) / f32::from(STEPS) * std::f32::consts::TAU;
                    let next = [middle[0] + radius * angle.cos(), middle[1] + radius * angle.sin()];
                    line(surface, last, next, pen(width, colour));
                    last = next;
                }
            }
        }
    }
}

/// Writes a report as PDF. Errors say what of it could not be drawn.
pub fn write(report: &Report) -> Result<Vec<u8>, String> {
    let mut layout = Layout {
        faces: [Type::new(TEXT)?, Type::new(BOLD)?, Type::new(SLAB)?],
        pages: vec![Vec::new()],
        y: MARGIN,
        heading: None,
    };
    layout.text(&report.title, Which::Slab, 22.0, 0.0);
    for under in &report.lines {
        layout.text(under, Which::Text, BODY, 0.0);
    }
    for block in &report.blocks {
        match block {
            Block::Heading(text) => layout.heading = Some(text.clone()),
            Block::Text(text) => {
                layout.text(text, Which::Text, BODY, 0.0);
                layout.y += 5.0;
            }
            Block::Caution(text) => layout.caution(text),
            Block::Table { columns, rows } => layout.table(columns, rows),
            Block::Drawing { svg, caption } => layout.drawing(svg, caption)?,
            Block::Photos(photos) => layout.photos(photos)?,
        }
    }
    let mut document = Document::new();
    document.set_metadata(Metadata::new().title(report.title.clone()).language("en".into()));
    let count = layout.pages.len();
    let pages = std::mem::take(&mut layout.pages);
    for (n, inks) in pages.into_iter().enumerate() {
        let settings = PageSettings::from_wh(PAGE.0, PAGE.1).ok_or("no such page")?;
        let mut page = document.start_page_with(settings);
        let mut surface = page.surface();
        let write_text = |surface: &mut Surface<'_>, at: [f32; 2], size: f32, which: Which, text: &str| {
            surface.set_stroke(None);
            surface.set_fill(Some(ink(33, 24, 18)));
            let font = layout.face(which).font.clone();
            surface.draw_text(Point::from_xy(at[0], at[1]), font, size, text, false, TextDirection::Auto);
        };
        for drawn in inks {
            match drawn {
                Ink::Text { at, size, face, text } => write_text(&mut surface, at, size, face, &text),
                Ink::Rule { from, to, thick } => line(&mut surface, from, to, pen(thick, rgb::Color::new(31, 42, 68))),
                Ink::Drawing { at, size, tree } => {
                    surface.push_transform(&Transform::from_translate(at[0], at[1]));
                    let size = Size::from_wh(size[0], size[1]).ok_or("a drawing without a size")?;
                    surface.draw_svg(&tree, size, SvgSettings::default());
                    surface.pop();
                }
                Ink::Photo { at, size, image, marks } => {
                    surface.push_transform(&Transform::from_translate(at[0], at[1]));
                    surface.draw_image(image, Size::from_wh(size[0], size[1]).ok_or("a photo without a size")?);
                    surface.pop();
                    // A mark does not leave its picture.
                    if let Some(frame) = Rect::from_xywh(at[0], at[1], size[0], size[1]) {
                        let mut around = PathBuilder::new();
                        around.push_rect(frame);
                        if let Some(around) = around.finish() {
                            surface.push_clip_path(&around, &krilla::paint::FillRule::NonZero);
                            marks.iter().for_each(|m| mark(&mut surface, at, size, m));
                            surface.pop();
                        }
                    }
                }
            }
        }
        let y = PAGE.1 - MARGIN;
        line(&mut surface, [MARGIN, y - 22.0], [MARGIN + WIDTH, y - 22.0], pen(0.4, rgb::Color::new(31, 42, 68)));
        let text = layout.face(Which::Text);
        let number = format!("{} / {count}", n + 1);
        let right = MARGIN + WIDTH - text.width(&number, 8.0);
        for (k, foot) in text.wrap(&report.foot, 8.0, WIDTH - 50.0).iter().take(2).enumerate() {
            write_text(&mut surface, [MARGIN, y - 10.0 + k as f32 * 10.0], 8.0, Which::Text, foot);
        }
        write_text(&mut surface, [right, y - 10.0], 8.0, Which::Text, &number);
        surface.finish();
        page.finish();
    }
    document.finish().map_err(|e| format!("the PDF could not be written: {e:?}"))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn pages_of(report: &Report) -> usize {
        let pdf = write(report).unwrap();
        assert!(pdf.starts_with(b"%PDF-"));
        let text = String::from_utf8_lossy(&pdf);
        let count = text.split("/Count ").nth(1).and_then(|c| c.split(|c: char| !c.is_ascii_digit()).next());
        count.and_then(|c| c.parse().ok()).unwrap_or_default()
    }

    #[test]
    fn an_empty_survey_is_a_page_and_a_long_one_runs_over() {
        assert_eq!(pages_of(&Report { title: "Nothing yet".into(), ..Report::default() }), 1);
        let row = || vec!["P5 F12".to_owned(), "crack, ".repeat(20)];
        let table = Block::Table {
            columns: vec![("Place".into(), 1.0), ("What".into(), 3.0)],
            rows: std::iter::repeat_with(row).take(120).collect(),
        };
        assert!(pages_of(&Report { blocks: vec![table], ..Report::default() }) > 3);
    }

    #[test]
    fn odd_words_neither_break_the_page_nor_run_off_it() {
        let face = Type::new(TEXT).unwrap();
        for text in ["x".repeat(4_000), "Ω日本 ▲ ≤ \u{202e}\u{0}".into(), String::new(), "a\n\nb".into()] {
            let lines = face.wrap(&text, BODY, 200.0);
            assert!(lines.iter().all(|l| face.width(l, BODY) <= 200.1), "{text}");
        }
        assert_eq!(face.shown("≤ 3"), "<= 3");
        assert_eq!(face.wrap("a b", BODY, 0.1), ["a", "b"], "a word is never dropped");
        let long = Block::Table { columns: vec![("Note".into(), 1.0)], rows: vec![vec!["word ".repeat(6_000)]] };
        assert!(pages_of(&Report { blocks: vec![long], ..Report::default() }) > 2);
    }

    #[test]
    fn a_drawing_that_is_none_is_told() {
        let drawing = Block::Drawing { svg: "not a drawing".into(), caption: String::new() };
        assert!(write(&Report { blocks: vec![drawing], ..Report::default() }).is_err());
        let plain = "<svg viewBox=\"0 0 100 50\"><path class=\"joint\" d=\"M0 0L100 50\"/></svg>";
        let drawing = Block::Drawing { svg: plain.into(), caption: "A line".into() };
        assert_eq!(pages_of(&Report { blocks: vec![drawing], ..Report::default() }), 1);
    }
}
