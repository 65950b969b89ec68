//! The house as ARCHITECTURE.md draws it: who may import whom, read from the sources.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::path::{Path, PathBuf};

/// Rooms of the application from the top down: each may import only what stands below it, and itself.
const ROOMS: [&[&str]; 9] =
    [&["main"], &["cli"], &["demo", "server"], &["routes"], &["pages"], &["papers"], &["file"], &["web"], &["view"]];

/// Steps of the line of work and the pages beside them: none imports another.
const APART: [&str; 18] = [
    "survey", "decide", "shape", "timber", "fasten", "seams", "finish", "work", "make", "story", "today", "boats",
    "rack", "stores", "bench", "practice", "yard", "door",
];

/// A module by its path from the crate, and the modules it imports outside of its tests.
type Imports = BTreeMap<String, BTreeSet<String>>;

fn sources(folder: &Path, into: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            sources(&path, into);
        } else if path.extension().is_some_and(|e| e == "rs") {
            into.push(path);
        }
    }
}

fn module(root: &Path, file: &Path) -> String {
    let path = file.strip_prefix(root).unwrap().with_extension("");
    let parts: Vec<&str> = path.iter().map(|p| p.to_str().unwrap()).filter(|p| *p != "mod").collect();
    parts.join("::")
}

/// `a::{b, c::{d}}` as `a::b`, `a::c::d`.
fn spread(tree: &str, before: &str, into: &mut Vec<String>) {
    let Some((head, body)) = tree.split_once('{') else {
        into.push(format!("{before}{}", tree.split(" as ").next().unwrap_or_default().trim()));
        return;
    };
    let body = body.trim_end().strip_suffix('}').unwrap_or(body);
    let (mut depth, mut from) = (0, 0);
    let before = format!("{before}{}", head.trim());
    for (at, c) in body.char_indices().chain([(body.len(), ',')]) {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                let part = body[from..at].trim();
                if !part.is_empty() {
                    spread(part, &before, into);
                }
                from = at + 1;
            }
            _ => {}
        }
    }
}

/// Everything a file names of its own crate: `use` lines and paths written out, tests left aside.
fn named(source: &str, own: &str) -> Vec<String> {
    let source = source.split("#[cfg(test)]").next().unwrap_or_default();
    let mut paths = Vec::new();
    for piece in source.split("use ").skip(1) {
        let tree: String = piece.split(';').next().unwrap_or_default().split_whitespace().collect::<Vec<_>>().join(" ");
        if tree.starts_with("crate::") || tree.starts_with("super::") {
            spread(&tree, "", &mut paths);
        }
    }
    for piece in source.split("crate::").skip(1) {
        let path: String = piece.chars().take_while(|c| c.is_ascii_alphanumeric() || *c == '_' || *c == ':').collect();
        paths.push(format!("crate::{}", path.trim_end_matches(':')));
    }
    let up = own.rsplit_once("::").map_or("", |(up, _)| up);
    paths
        .into_iter()
        .map(|path| match path.strip_prefix("super::") {
            Some(rest) if up.is_empty() => rest.to_owned(),
            Some(rest) => format!("{up}::{rest}"),
            None => path.trim_start_matches("crate::").to_owned(),
        })
        .collect()
}

fn imports(root: &Path) -> Imports {
    let mut files = Vec::new();
    sources(root, &mut files);
    let modules: BTreeSet<String> = files.iter().map(|f| module(root, f)).collect();
    let mut found = Imports::new();
    for file in &files {
        let own = module(root, file);
        let mut to = BTreeSet::new();
        for path in named(&fs::read_to_string(file).unwrap(), &own) {
            // The longest beginning of the path that is a module.
            let mut cut = path.as_str();
            while !modules.contains(cut) {
                match cut.rsplit_once("::") {
                    Some((shorter, _)) => cut = shorter,
                    None => break,
                }
            }
            if modules.contains(cut) && cut != own {
                to.insert(cut.to_owned());
            }
        }
        found.insert(own, to);
    }
    found
}

/// Modules that reach themselves, with the way they do it.
fn circles(imports: &Imports) -> Vec<String> {
    let mut found = Vec::new();
    for start in imports.keys() {
        let mut ways: Vec<Vec<&str>> = vec![vec![start]];
        let mut seen: BTreeSet<&str> = BTreeSet::new();
        while let Some(way) = ways.pop() {
            for next in imports.get(*way.last().unwrap()).into_iter().flatten() {
                if next == start {
                    found.push(format!("{} → {start}", way.join(" → ")));
                    ways.clear();
                    break;
                }
                if seen.insert(next) {
                    let mut longer = way.clone();
                    longer.push(next);
                    ways.push(longer);
                }
            }
        }
    }
    found
}

fn house() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

fn room(module: &str) -> usize {
    let top = module.split("::").next().unwrap_or_default();
    ROOMS.iter().position(|r| r.contains(&top)).unwrap_or(ROOMS.len())
}

#[test]
fn dependencies_of_the_application_run_down_the_houses_list_only() {
    let imports = imports(&house().join("app/src"));
    let mut wrong = Vec::new();
    for (from, to) in imports.iter().filter(|(from, _)| *from != "lib" && *from != "main") {
        assert!(room(from) < ROOMS.len(), "{from} stands in no room of the house");
        for to in to {
            // The command line starts the demo and the server, which stand beside each other and look only down.
            if room(to) < room(from) || (room(to) == room(from) && from.split("::").next() != to.split("::").next()) {
                wrong.push(format!("{from} imports {to}, which stands above or beside it"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_page_imports_another_steps_page() {
    let imports = imports(&house().join("app/src"));
    let step = |module: &str| module.strip_prefix("pages::").and_then(|m| m.split("::").next()).map(str::to_owned);
    let mut wrong = Vec::new();
    for (from, to) in &imports {
        let Some(here) = step(from) else { continue };
        for to in to {
            if step(to).is_some_and(|there| there != here && APART.contains(&there.as_str())) {
                wrong.push(format!("{from} imports {to}: what they share belongs in file, view or the core"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_file_imports_itself_round_a_circle() {
    for name in ["core", "exchange", "store", "app"] {
        let mut imports = imports(&house().join(name).join("src"));
        // A room's own file names its parts; a part that takes the room's words is no circle of rooms.
        for (from, to) in &mut imports {
            to.retain(|to| !from.starts_with(&format!("{to}::")) && !to.starts_with(&format!("{from}::")));
        }
        let circles = circles(&imports);
        assert!(circles.is_empty(), "{name}:\n{}", circles.join("\n"));
    }
}

#[test]
fn view_and_file_know_nothing_of_the_web() {
    let mut files = Vec::new();
    sources(&house().join("app/src/file"), &mut files);
    sources(&house().join("app/src/view"), &mut files);
    for file in files {
        let source = fs::read_to_string(&file).unwrap();
        assert!(!source.contains("rocket::"), "{} names Rocket", file.display());
    }
}

#[test]
fn a_circle_would_be_found_and_named() {
    let to = |names: &[&str]| names.iter().map(|n| (*n).to_owned()).collect::<BTreeSet<_>>();
    let imports: Imports =
        [("a".to_owned(), to(&["b"])), ("b".to_owned(), to(&["c"])), ("c".to_owned(), to(&["a"]))].into();
    assert_eq!(circles(&imports)[0], "a → b → c → a");
    let named = named("use crate::x::{y, z::{self, w}};\nuse super::q;\nfn f() { crate::r::g() }", "pages::p");
    for path in ["x::y", "x::z::w", "pages::q", "r::g"] {
        assert!(named.contains(&path.to_owned()), "{path} of {named:?}");
    }
}
