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

/// A text cut to so many characters, with an ellipsis where it was cut.
pub fn short(text: &str, most: usize) -> String {
    if text.chars().count() <= most {
        return text.to_owned();
    }
    let mut cut: String = text.chars().take(most.saturating_sub(1)).collect();
    cut.push('…');
    cut
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
<symbol id="g-dry_rot" viewBox="-10 -10 20 20"><path d="M-8 -8H8V8H-8Z" class="glyph-area"/><path d="M-8 -2H8M-8 4H8M-2 -8V8M4 -8V8" class="glyph-thin"/></symbol>
<symbol id="g-worm" viewBox="-10 -10 20 20"><path d="M-9 3C-6 -7 -3 7 0 0C3 -7 6 7 9 -3" class="glyph-line"/><path d="M-9 3h.1M9 -3h.1" class="glyph-dots"/></symbol>
<symbol id="g-split" viewBox="-10 -10 20 20"><path d="M-9 0L9 -5M-9 0L9 5" class="glyph-line"/></symbol>
<symbol id="g-broken" viewBox="-10 -10 20 20"><path d="M-9 -4H-1L-4 4H-9Z" class="glyph-area"/><path d="M9 -4H4L1 4H9Z" class="glyph-area"/></symbol>
<symbol id="g-delamination" viewBox="-10 -10 20 20"><path d="M-9 1Q0 -10 9 1M-9 1Q0 -3 9 1M-9 1Q0 9 9 1" class="glyph-line"/></symbol>
<symbol id="g-sun" viewBox="-10 -10 20 20"><circle r="4" class="glyph-area"/><path d="M0 -9V-6M0 6V9M-9 0H-6M6 0H9M-6 -6L-4.5 -4.5M6 6L4.5 4.5M-6 6L-4.5 4.5M6 -6L4.5 -4.5" class="glyph-line"/></symbol>
<symbol id="g-chafe" viewBox="-10 -10 20 20"><path d="M-8 6L-3 -6M-3 6L2 -6M2 6L7 -6" class="glyph-line"/></symbol>
<symbol id="g-crushed" viewBox="-10 -10 20 20"><path d="M-9 6H9M-9 2L-5 -5L-1 2L3 -5L7 2" class="glyph-line"/></symbol>
<symbol id="g-alkali" viewBox="-10 -10 20 20"><path d="M0 -9C5 -2 7 0 7 4A7 5 0 0 1 -7 4C-7 0 -5 -2 0 -9Z" class="glyph-area"/><path d="M-3 3h.1M3 3h.1M0 -2h.1" class="glyph-dots"/></symbol>
<symbol id="g-buckled" viewBox="-10 -10 20 20"><path d="M-9 5C-4 5 -4 -7 0 -7C4 -7 4 5 9 5" class="glyph-line"/><path d="M-9 8H9" class="glyph-thin"/></symbol>
<symbol id="g-failed_repair" viewBox="-10 -10 20 20"><path d="M-8 -6H8V6H-8Z" class="glyph-area"/><path d="M-4 -6L0 -1L-2 1L2 6" class="glyph-line"/></symbol>
<symbol id="g-wrong_material" viewBox="-10 -10 20 20"><path d="M-8 -3H8M-8 3H8M5 -8L-5 8" class="glyph-line"/></symbol>
<symbol id="g-stain" viewBox="-10 -10 20 20"><circle cx="-3" cy="1" r="6" class="glyph-area"/><circle cx="4" cy="-2" r="5" class="glyph-thin"/></symbol>
<symbol id="g-open_scarf" viewBox="-10 -10 20 20"><path d="M-9 5L9 -3M-9 3L9 -5" class="glyph-line"/><path d="M-9 8H9M-9 -8H9" class="glyph-thin"/></symbol>
<symbol id="g-forced" viewBox="-10 -10 20 20"><path d="M-9 5Q0 -8 9 5" class="glyph-line"/><path d="M0 -9V-3M-2 -5L0 -3L2 -5M-9 8H9" class="glyph-thin"/></symbol>
<symbol id="g-drawn-good" viewBox="-10 -10 20 20"><circle r="6" class="glyph-area"/></symbol>
<symbol id="g-drawn-tired" viewBox="-10 -10 20 20"><circle r="6" class="glyph-area"/><path d="M0 -6A6 6 0 0 1 0 6Z" class="glyph-full"/></symbol>
<symbol id="g-drawn-bad" viewBox="-10 -10 20 20"><circle r="6" class="glyph-full"/><path d="M-9 -9L9 9M-9 9L9 -9" class="glyph-line"/></symbol>
<symbol id="g-pick" viewBox="-10 -10 20 20"><path d="M0 -9L9 0L0 9L-9 0Z" class="glyph-area"/><path d="M-3 0H3M0 -3V3" class="glyph-line"/></symbol>
<pattern id="p-dots" width="60" height="60" patternUnits="userSpaceOnUse"><circle cx="15" cy="15" r="7" class="pattern-ink"/></pattern>
<pattern id="p-thin" width="60" height="60" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V60" class="pattern-line"/></pattern>
<pattern id="p-lines" width="34" height="34" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V34" class="pattern-line"/></pattern>
<pattern id="p-cross" width="38" height="38" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V38M0 0H38" class="pattern-line"/></pattern>
<pattern id="p-dense" width="20" height="20" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><path d="M0 0V20M0 0H20" class="pattern-line"/></pattern>
<pattern id="p-upright" width="44" height="44" patternUnits="userSpaceOnUse"><path d="M22 0V44" class="pattern-line"/></pattern>
<pattern id="p-level" width="44" height="44" patternUnits="userSpaceOnUse"><path d="M0 22H44" class="pattern-line"/></pattern>
<pattern id="p-brick" width="60" height="40" patternUnits="userSpaceOnUse"><path d="M0 0H60M0 20H60M15 0V20M45 20V40" class="pattern-line"/></pattern>
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
