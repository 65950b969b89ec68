//! When somebody else changed a thing after its form was shown: both versions side by side, what was typed kept, and a way to save it
//! over theirs.

use askama::Template;
use rocket::request::Request;
use sha2::{Digest, Sha256};

use crate::web::assets;
use crate::web::form::Typed;

/// One thing a form changes: its field, what it is called, and its value now, as the form would send it.
#[derive(Debug, Clone)]
struct Value {
    field: &'static str,
    label: &'static str,
    now: String,
    /// Value and word of a choice, for showing.
    words: Vec<(String, String)>,
}

impl Value {
    fn says(&self, code: &str) -> String {
        self.words.iter().find(|(c, _)| c == code).map_or(code.to_owned(), |(_, word)| word.clone())
    }
}

/// What a form changes as it stands now.
#[derive(Debug, Clone, Default)]
pub struct Kept(Vec<Value>);

impl Kept {
    pub fn text(mut self, field: &'static str, label: &'static str, now: impl Into<String>) -> Self {
        self.0.push(Value { field, label, now: now.into(), words: Vec::new() });
        self
    }

    /// One of a list, by its code.
    pub fn choice(mut self, field: &'static str, label: &'static str, now: &str, words: &[(String, String)]) -> Self {
        self.0.push(Value { field, label, now: now.to_owned(), words: words.to_vec() });
        self
    }

    pub fn ticked(self, field: &'static str, label: &'static str, now: bool) -> Self {
        let words = [("1".to_owned(), "yes".to_owned()), (String::new(), "no".to_owned())];
        self.choice(field, label, if now { "1" } else { "" }, &words)
    }

    /// A form as it is filled by what stands.
    pub fn typed(&self) -> Typed {
        self.0.iter().fold(Typed::default(), |typed, v| typed.with(v.field, v.now.clone()))
    }

    /// Label, theirs and yours of everything that differs. `typed` gives what was sent in a field.
    pub fn against<'t>(&self, typed: impl Fn(&str) -> &'t str) -> Vec<(String, String, String)> {
        let row = |v: &Value| (v.label.to_owned(), v.says(&v.now), v.says(typed(v.field).trim()));
        self.0.iter().map(row).filter(|(_, theirs, yours)| theirs != yours).collect()
    }

    /// What a form carries as `was`, to tell later whether this still stands.
    pub fn token(&self) -> String {
        let mut hash = Sha256::new();
        for value in &self.0 {
            hash.update(value.field.as_bytes());
            hash.update([0]);
            hash.update(value.now.as_bytes());
            hash.update([0]);
        }
        hash.finalize().iter().take(8).map(|byte| format!("{byte:02x}")).collect()
    }
}

/// Both versions of a thing, and the form that can be sent again.
#[derive(Debug)]
pub struct Changed {
    pub what: String,
    /// Label, theirs, yours.
    pub rows: Vec<(String, String, String)>,
    pub fields: Vec<(String, String)>,
}

#[derive(Template)]
#[template(path = "changed.html")]
struct Page<'p> {
    what: &'p str,
    rows: &'p [(String, String, String)],
    fields: &'p [(String, String)],
    action: String,
    back: String,
    stamp: &'static str,
}

impl Changed {
    /// The page, whose form goes where the first one went.
    pub fn page(&self, request: &Request<'_>) -> String {
        let action = request.uri().to_string();
        // Only a way back within the yard.
        let referer = request.headers().get_one("Referer").unwrap_or_default();
        let path = referer.split_once("://").and_then(|(_, rest)| rest.find('/').map(|at| &rest[at..]));
        let back = path.unwrap_or("/").to_owned();
        let page = Page {
            what: &self.what,
            rows: &self.rows,
            fields: &self.fields,
            action,
            back,
            stamp: assets::STAMP.as_str(),
        };
        page.render().unwrap_or_else(|_| format!("{} was changed meanwhile", self.what))
    }

    pub fn says(&self) -> String {
        format!("{} was changed by somebody else meanwhile", self.what)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kept(name: &str, on: bool) -> Kept {
        Kept::default().text("name", "Name", name).ticked("moulds", "Moulds hold her", on)
    }

    #[test]
    fn a_token_tells_every_change_and_nothing_else() {
        assert_eq!(kept("Wren", true).token(), kept("Wren", true).token());
        assert_ne!(kept("Wren", true).token(), kept("Wren", false).token());
        assert_ne!(kept("Wren", true).token(), kept("Wrens", true).token());
        // A border between two fields is part of it.
        let joined = |a: &str, b: &str| Kept::default().text("a", "A", a).text("b", "B", b).token();
        assert_ne!(joined("12", "3"), joined("1", "23"));
    }

    #[test]
    fn only_what_differs_is_shown_in_words() {
        let typed = |field: &str| if field == "name" { " Wren " } else { "" };
        let rows = kept("Wren", true).against(typed);
        assert_eq!(rows, [("Moulds hold her".to_owned(), "yes".to_owned(), "no".to_owned())]);
    }
}
