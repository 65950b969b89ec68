//! Every link, form and redirect that the sources write leads to a route there is.

use std::fs;
use std::path::{Path, PathBuf};

use mend_keel::routes;
use rocket::Route;
use rocket::http::Method;

fn files(folder: &Path, ending: &str, into: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files(&path, ending, into);
        } else if path.extension().is_some_and(|e| e == ending) {
            into.push(path);
        }
    }
}

/// What stands for a value, in a template or a format string, becomes one character that no route has.
const HOLE: char = '¤';

/// A link with its values taken out and its query and fragment cut off.
fn bare(link: &str) -> String {
    let mut out = String::new();
    let mut depth = 0;
    for c in link.chars() {
        match c {
            '{' => {
                depth += 1;
                if depth == 1 {
                    out.push(HOLE);
                }
            }
            '}' => depth -= 1,
            '?' | '#' if depth == 0 => break,
            c if depth == 0 => out.push(c),
            _ => {}
        }
    }
    out
}

/// Whether a link may be one of a route's addresses: a hole matches any segment, a hole inside a segment any text there.
fn leads_to(link: &str, route: &str) -> bool {
    let split = |path: &str| path.split('/').filter(|s| !s.is_empty()).map(str::to_owned).collect::<Vec<String>>();
    let (link, route) = (split(link), split(route.split('?').next().unwrap_or_default()));
    // What an `if` may add after a word is its query, so only the word before it counts.
    let word = |l: &str| l.trim_end_matches(HOLE).to_owned();
    let same = |l: &str, r: &str| r.starts_with('<') || word(l) == r || word(l).is_empty();
    let rest = route.last().is_some_and(|s| s.ends_with("..>"));
    let long_enough = if rest { link.len() >= route.len() } else { link.len() == route.len() };
    long_enough && link.iter().zip(&route).all(|(l, r)| same(l, r))
}

/// Links in a text that begin after one of the marks, at a slash, and end at a quote.
fn after<'t>(text: &'t str, marks: &[&'t str]) -> Vec<String> {
    let mut found = Vec::new();
    for mark in marks {
        for (at, _) in text.match_indices(mark) {
            let rest = &text[at + mark.len()..];
            if !rest.starts_with('/') {
                continue;
            }
            // A quote inside of a template's expression does not end the link.
            let mut depth = 0;
            let end = rest.char_indices().find(|(_, c)| {
                match c {
                    '{' => depth += 1,
                    '}' => depth -= 1,
                    _ => {}
                }
                depth == 0 && *c == '"'
            });
            found.push(rest[..end.map_or(rest.len(), |(i, _)| i)].to_owned());
        }
    }
    found
}

/// Those no route of a method answers.
fn dead(method: Method, links: impl IntoIterator<Item = (String, String)>) -> Vec<String> {
    let of_method = |r: &&Route| r.method == method;
    let routes: Vec<String> = routes::routes().iter().filter(of_method).map(|r| r.uri.to_string()).collect();
    let served = |link: &str| routes.iter().any(|r| leads_to(link, r));
    links
        .into_iter()
        .filter(|(_, link)| !link.starts_with("/assets/") && !served(&bare(link)))
        .map(|(file, link)| format!("{file}: {link}"))
        .collect()
}

fn sources(ending: &str) -> Vec<(String, String)> {
    let mut found = Vec::new();
    files(&Path::new(env!("CARGO_MANIFEST_DIR")).join("src"), ending, &mut found);
    let read = |path: PathBuf| {
        let text = fs::read_to_string(&path).unwrap();
        (path.display().to_string(), text.split("#[cfg(test)]").next().unwrap_or_default().to_owned())
    };
    found.into_iter().map(read).collect()
}

#[test]
fn every_link_and_form_of_a_template_leads_to_a_route() {
    let of = |(file, text): &(String, String), marks: &[&str]| -> Vec<(String, String)> {
        after(text, marks).into_iter().map(|l| (file.clone(), l)).collect()
    };
    let (mut links, mut asking, mut sending) = (Vec::new(), Vec::new(), Vec::new());
    for source in &sources("html") {
        links.extend(of(source, &["href=\"", "src=\""]));
        // A form sends where it says so, and asks otherwise; a button with a way of its own is of a form that sends.
        for form in source.1.split('<').filter(|tag| tag.contains("action=\"")) {
            let tag = (source.0.clone(), form.to_owned());
            let sends = form.contains("method=\"post\"") || form.contains("formaction=\"");
            if sends { &mut sending } else { &mut asking }.extend(of(&tag, &["action=\""]));
        }
    }
    assert!(links.len() > 250 && sending.len() > 100, "{} links, {} forms", links.len(), sending.len());
    assert!(asking.len() > 3, "only {} forms ask", asking.len());
    let dead = [dead(Method::Get, links), dead(Method::Get, asking), dead(Method::Post, sending)].concat();
    assert!(dead.is_empty(), "{}", dead.join("\n"));
}

#[test]
fn every_place_a_handler_leads_to_is_a_route() {
    let links: Vec<_> = sources("rs")
        .iter()
        .filter(|(file, _)| file.contains("/pages/") || file.contains("/web/"))
        .flat_map(|(file, text)| {
            after(text, &["format!(\"", "Redirect::to(\"", "Go(\""]).into_iter().map(|l| (file.clone(), l))
        })
        .collect();
    assert!(links.len() > 60, "only {} were found", links.len());
    // Some are where a form made by the handler sends to.
    let sent_to = dead(Method::Post, links.clone());
    let dead: Vec<String> = dead(Method::Get, links).into_iter().filter(|link| sent_to.contains(link)).collect();
    assert!(dead.is_empty(), "{}", dead.join("\n"));
}

#[test]
fn a_dead_link_would_be_found() {
    let link = |l: &str| vec![("x.html".to_owned(), l.to_owned())];
    assert!(dead(Method::Get, link("/boats/{{ id }}/parts/{{ f(\"a\") }}/decide?x=1#y")).is_empty());
    assert_eq!(dead(Method::Get, link("/boats/{{ id }}/moon")), ["x.html: /boats/{{ id }}/moon"]);
    assert_eq!(dead(Method::Get, link("/stores/{{ id }}/fly/away")).len(), 1);
    // What is only sent to is no place to go, and the other way round.
    assert_eq!(dead(Method::Get, link("/stores/{{ id }}/move")).len(), 1);
    assert_eq!(dead(Method::Post, link("/boats/{{ id }}/decide")).len(), 1);
    assert!(dead(Method::Post, link("/stores/{{ id }}/move")).is_empty());
}
