//! Small pieces of SVG: text made safe, points, and our own glyphs.

use std::fmt::Write;

use mend_keel_core::survey::{Certainty, FindingKind};

/// Text safe to stand in an SVG or HTML text or attribute.
pub fn safe(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out
}

/// `x,y x,y …` to a tenth.
pub fn points(points: impl IntoIterator<Item = [f64; 2]>) -> String {
    let mut out = String::new();
    for [x, y] in points {
        let _ = write!(out, "{x:.1},{y:.1} ");
    }
    out.truncate(out.trim_end().len());
    out
}

/// Symbols for what is found, told apart by shape: drawn about the origin, 20 units across.
pub const GLYPHS: &str = r##"<defs>
<symbol id="g-crack" viewBox="-10 -10 20 20"><path d="M-9 3 L-4 -3 L0 3 L4 -3 L9 3" class="glyph-line"/></symbol>
<symbol id="g-rot" viewBox="-10 -10 20 20"><path d="M-8 0 C-8 -7 -2 -9 2 -8 C8 -7 9 -1 8 3 C6 9 -1 9 -5 7 C-8 6 -8 3 -8 0Z" class="glyph-area"/><path d="M-4 -3h.1M2 -4h.1M0 2h.1M5 1h.1M-3 4h.1" class="glyph-dots"/></symbol>
<symbol id="g-gouge" viewBox="-10 -10 20 20"><path d="M-9 -4 L9 -4 L3 6 L-3 6Z" class="glyph-area"/></symbol>
<symbol id="g-sick_fastening" viewBox="-10 -10 20 20"><circle r="7" class="glyph-area"/><path d="M-5 -5L5 5M-5 5L5 -5" class="glyph-line"/></symbol>
<symbol id="g-open_seam" viewBox="-10 -10 20 20"><path d="M-9 -3H9M-9 3H9" class="glyph-line"/><path d="M-6 -3V3M0 -3V3M6 -3V3" class="glyph-thin"/></symbol>
<pattern id="hatch" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V8" class="hatch-line"/></pattern>
<pattern id="hatch-done" width="8" height="8" patternUnits="userSpaceOnUse"><path d="M0 4H8" class="hatch-done-line"/></pattern>
</defs>"##;

/// A finding's glyph, its centre at a point.
pub fn glyph(kind: FindingKind, certainty: Certainty, at: [f64; 2], size: f64) -> String {
    let half = size / 2.0;
    format!(
        "<use href=\"#g-{}\" x=\"{:.1}\" y=\"{:.1}\" width=\"{size}\" height=\"{size}\" class=\"glyph {}\"/>",
        kind.code(),
        at[0] - half,
        at[1] - half,
        certainty.code()
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn markup_in_a_name_stays_text() {
        assert_eq!(safe("<b onclick='x'>\"&"), "&lt;b onclick=&#39;x&#39;&gt;&quot;&amp;");
    }

    #[test]
    fn every_kind_of_finding_has_a_glyph() {
        for kind in FindingKind::ALL {
            assert!(GLYPHS.contains(&format!("id=\"g-{}\"", kind.code())), "{}", kind.label());
        }
    }
}
