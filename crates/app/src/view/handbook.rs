//! The handbook as pages: its chapters from `docs/handbook`, with the values that are in force in this yard.

use std::collections::HashMap;
use std::sync::LazyLock;

use mend_keel_core::handbook;
use mend_keel_core::practice::Practice;
use pulldown_cmark::{Event, HeadingLevel, Options, Parser, Tag, TagEnd, html};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../docs/handbook"]
struct Files;

/// A chapter: `04-repairs`, its title, its text in Markdown.
#[derive(Debug, Clone)]
pub struct Chapter {
    pub slug: String,
    pub title: String,
    text: String,
}

/// A place in the handbook that answers a search.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hit {
    pub link: String,
    pub title: String,
    pub chapter: String,
    /// The beginning of what stands there.
    pub says: String,
}

/// A heading with the words under it.
#[derive(Debug, Clone)]
struct Section {
    chapter: usize,
    /// What the address jumps to; the rule's id where it is one.
    anchor: String,
    title: String,
    words: String,
}

/// Hits shown at once; more want another word.
const MOST_HITS: usize = 40;

static CHAPTERS: LazyLock<Vec<Chapter>> = LazyLock::new(|| {
    let mut names: Vec<_> = Files::iter().filter(|n| n.ends_with(".md") && n.as_ref() != "README.md").collect();
    names.sort();
    let read = |name: &str| {
        let text = String::from_utf8_lossy(&Files::get(name)?.data).into_owned();
        let title = text.lines().next()?.trim_start_matches("# ").to_owned();
        Some(Chapter { slug: name.trim_end_matches(".md").to_owned(), title, text })
    };
    names.iter().filter_map(|name| read(name)).collect()
});

static SECTIONS: LazyLock<Vec<Section>> = LazyLock::new(|| {
    let mut sections: Vec<Section> = Vec::new();
    for (chapter, c) in CHAPTERS.iter().enumerate() {
        for line in c.text.lines() {
            if let Some(heading) = line.strip_prefix('#') {
                let heading = heading.trim_start_matches('#').trim();
                let (title, id) = match heading.split_once(" {#") {
                    Some((title, id)) => (title.to_owned(), Some(id.trim_end_matches('}').to_owned())),
                    None => (heading.to_owned(), None),
                };
                let anchor = id.unwrap_or_else(|| slug(&title));
                sections.push(Section { chapter, anchor, title, words: String::new() });
            } else if let Some(last) = sections.last_mut() {
                last.words.push_str(&plain(line));
                last.words.push(' ');
            }
        }
    }
    sections
});

static RULES: LazyLock<HashMap<&'static str, String>> = LazyLock::new(|| {
    let link = |s: &Section| format!("/handbook/{}#{}", CHAPTERS[s.chapter].slug, s.anchor);
    SECTIONS.iter().map(|s| (s.anchor.as_str(), link(s))).collect()
});

pub fn chapters() -> &'static [Chapter] {
    &CHAPTERS
}

pub fn chapter(slug: &str) -> Option<&'static Chapter> {
    CHAPTERS.iter().find(|c| c.slug == slug)
}

/// Where a rule's section is: `/handbook/04-repairs#graving.width`.
pub fn link(rule: &str) -> Option<&'static str> {
    RULES.get(rule).map(String::as_str)
}

impl Chapter {
    /// The chapter as HTML, with the values a yard has set in place of the usual ones.
    pub fn html(&self, practice: &Practice) -> String {
        let parser = Parser::new_ext(&self.text, Options::ENABLE_TABLES | Options::ENABLE_HEADING_ATTRIBUTES);
        let mut value: Option<&'static handbook::Value> = None;
        let mut heading: Vec<Event<'_>> = Vec::new();
        let mut inside = false;
        let mut events: Vec<Event<'_>> = Vec::new();
        for event in parser {
            match event {
                Event::Start(Tag::Link { dest_url, .. }) if dest_url.starts_with("value:") => {
                    value = handbook::find(&dest_url["value:".len()..]);
                    events.push(Event::InlineHtml("<b class=\"value\">".into()));
                }
                Event::End(TagEnd::Link) if value.is_some() => {
                    value = None;
                    events.push(Event::InlineHtml("</b>".into()));
                }
                Event::Text(_) if value.is_some() => {
                    events.extend(value.map(|v| Event::Text(v.in_force(practice).into())));
                }
                // Every heading can be led to, not only those of rules.
                Event::Start(Tag::Heading { level, id: None, classes, attrs }) => {
                    inside = true;
                    heading.push(Event::Start(Tag::Heading { level, id: None, classes, attrs }));
                }
                Event::End(TagEnd::Heading(level)) if inside => {
                    inside = false;
                    events.extend(with_id(std::mem::take(&mut heading), level));
                }
                event if inside => heading.push(event),
                event => events.push(event),
            }
        }
        let mut out = String::new();
        html::push_html(&mut out, events.into_iter());
        out
    }
}

fn with_id(mut heading: Vec<Event<'_>>, level: HeadingLevel) -> Vec<Event<'_>> {
    let words: String = heading
        .iter()
        .filter_map(|e| match e {
            Event::Text(text) | Event::Code(text) => Some(text.as_ref()),
            _ => None,
        })
        .collect();
    if let Some(Event::Start(Tag::Heading { id, .. })) = heading.first_mut() {
        *id = Some(slug(&words).into());
    }
    heading.push(Event::End(TagEnd::Heading(level)));
    heading
}

/// Places where all words of a search stand, headings first.
pub fn search(asked: &str) -> Vec<Hit> {
    let words: Vec<String> = asked.to_lowercase().split_whitespace().map(str::to_owned).collect();
    if words.is_empty() {
        return Vec::new();
    }
    let stand = |text: &str| {
        let text = text.to_lowercase();
        words.iter().all(|w| text.contains(w.as_str()))
    };
    let hit = |s: &Section| Hit {
        link: format!("/handbook/{}#{}", CHAPTERS[s.chapter].slug, s.anchor),
        title: s.title.clone(),
        chapter: CHAPTERS[s.chapter].title.clone(),
        says: s.words.chars().take(160).collect(),
    };
    let (named, rest): (Vec<&Section>, Vec<&Section>) = SECTIONS
        .iter()
        .filter(|s| stand(&format!("{} {} {}", s.title, s.anchor, s.words)))
        .partition(|s| stand(&s.title));
    named.into_iter().chain(rest).take(MOST_HITS).map(hit).collect()
}

fn slug(title: &str) -> String {
    let dashed: String = title.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    dashed.split('-').filter(|w| !w.is_empty()).collect::<Vec<_>>().join("-")
}

/// A line of Markdown without its marks.
fn plain(line: &str) -> String {
    let mut out = String::new();
    let mut rest = line;
    while let Some((before, after)) = rest.split_once("](value:") {
        out.push_str(before);
        rest = after.split_once(')').map_or("", |(_, after)| after);
    }
    out.push_str(rest);
    out.replace(['*', '`', '[', '|'], "")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_rule_leads_to_its_section_and_the_section_is_there() {
        assert_eq!(link("graving.width"), Some("/handbook/04-repairs#graving.width"));
        assert!(chapter("04-repairs").unwrap().html(&Practice::default()).contains("id=\"graving.width\""));
        assert!(link("graving.moon").is_none());
    }

    #[test]
    fn a_value_is_shown_as_this_yard_has_it_and_never_as_a_link() {
        let mut own = Practice::default();
        own.graving.crack_tip = 40.0;
        let html = chapter("04-repairs").unwrap().html(&own);
        assert!(html.contains("<b class=\"value\">40 mm (usual 25 mm)</b>"));
        assert!(!html.contains("value:"));
    }

    #[test]
    fn a_search_finds_headings_before_words_in_the_text() {
        let hits = search("old holes");
        assert_eq!(hits[0].link, "/handbook/04-repairs#graving.hole");
        assert!(hits.len() > 1 && hits.len() <= MOST_HITS);
        assert!(search("  ").is_empty() && search("zzz").is_empty());
    }

    #[test]
    fn every_heading_has_an_anchor_that_a_search_leads_to() {
        for s in SECTIONS.iter() {
            let html = CHAPTERS[s.chapter].html(&Practice::default());
            assert!(html.contains(&format!("id=\"{}\"", s.anchor)), "{} in {}", s.anchor, CHAPTERS[s.chapter].slug);
        }
    }
}
