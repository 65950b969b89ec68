//! Every form of every page that can be reached in the demo: sent empty, sent with nonsense, and what is taken back taken back twice.

use std::collections::{BTreeMap, BTreeSet};

use crate::support::{Answer, Server, Visitor, keys, with_keys};

/// Links of a page that stay within the program, without files.
fn links(html: &str) -> Vec<String> {
    let hrefs = html.split("href=\"").skip(1).filter_map(|rest| rest.split('"').next());
    let own = hrefs.filter(|h| h.starts_with('/') && !h.starts_with("/assets/") && !h.starts_with("/manifest"));
    let clean = own.map(|h| h.split('#').next().unwrap_or_default().replace("&amp;", "&"));
    let file = |h: &String| {
        let path = h.split('?').next().unwrap_or_default();
        let name = path.rsplit('/').next().unwrap_or_default();
        name.contains('.')
            || path.contains("/file/")
            || path.starts_with("/photos/")
            || path.contains("/labels")
            || path.ends_with("/pdf")
    };
    clean.filter(|h| !file(h)).collect()
}

/// The forms of a page that post, each by its action.
fn forms(html: &str) -> Vec<(String, &str)> {
    html.split("<form method=\"post\"")
        .skip(1)
        .filter_map(|rest| {
            let body = rest.split("</form>").next()?;
            let action = body.split("action=\"").nth(1)?.split('"').next()?;
            Some((action.replace("&amp;", "&"), body))
        })
        .collect()
}

/// A kind of address: its numbers, secrets and queries taken out.
fn kind(path: &str) -> String {
    let segment =
        |s: &str| if s.chars().next().is_some_and(|c| c.is_ascii_digit()) { "#".to_owned() } else { s.to_owned() };
    path.split('?').next().unwrap_or_default().split('/').map(segment).collect::<Vec<String>>().join("/")
}

/// Every form there is, by the kind of its action: the page it stands on, and where it posts to. So many of a kind at most.
async fn every_form(visitor: &Visitor, of_a_kind: usize) -> Vec<(String, String)> {
    let mut waiting: Vec<String> =
        ["/", "/boats/1", "/boats/2", "/boats/3", "/rack", "/stores", "/yard", "/practice", "/plan"]
            .map(str::to_owned)
            .into();
    let (mut seen, mut pages): (BTreeSet<String>, BTreeMap<String, usize>) = Default::default();
    let mut found: BTreeMap<String, Vec<(String, String)>> = BTreeMap::new();
    while let Some(path) = waiting.pop() {
        // A few pages of each kind: what differs between them is only which boat or part they are of.
        let many = pages.entry(kind(&path)).or_default();
        if *many >= 4 || !seen.insert(path.clone()) {
            continue;
        }
        *many += 1;
        let answer = visitor.get(&path).await;
        assert!(matches!(answer.status, 200 | 303), "{path}: {} {}", answer.status, answer.text);
        for (action, _) in forms(&answer.text) {
            let list = found.entry(kind(&action)).or_default();
            if list.len() < of_a_kind && list.iter().all(|(_, known)| *known != action) {
                list.push((path.clone(), action));
            }
        }
        waiting.extend(links(&answer.text));
    }
    found.into_values().flatten().collect()
}

/// Fields of the form with this action on a page, by name.
fn fields(html: &str, action: &str) -> Vec<String> {
    let forms = forms(html);
    let Some((_, body)) = forms.iter().find(|(a, _)| a == action) else { return Vec::new() };
    let names = body.split(" name=\"").skip(1).filter_map(|rest| rest.split('"').next());
    names.filter(|n| !matches!(*n, "csrf" | "once")).map(str::to_owned).collect()
}

/// Forms that would put out of reach what the others need: they have tests of their own.
const LAST: [&str; 5] =
    ["/boats/#/archive", "/yard/people/#/remove", "/yard/people/#/role", "/yard/people/#/password", "/jobs/#/stop"];

async fn answered(visitor: &Visitor, page: &str, action: &str, fill: &str) -> Option<Answer> {
    let html = visitor.get(page).await.text;
    // Taken back meanwhile, with what it stood on.
    if forms(&html).iter().all(|(known, _)| known != action) {
        return None;
    }
    let csrf = html.split("name=\"csrf\" value=\"").nth(1)?.split('"').next()?;
    let own = fields(&html, action).into_iter().map(|name| (name, fill.to_owned()));
    let own: Vec<(String, String)> = own.chain([("csrf".to_owned(), csrf.to_owned())]).collect();
    Some(visitor.post(action, &own).await)
}

#[tokio::test]
async fn no_form_breaks_whatever_is_sent_with_it_and_what_is_wrong_is_told() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let all = every_form(&visitor, 1).await;
    let kinds: BTreeSet<String> = all.iter().map(|(_, action)| kind(action)).collect();
    assert!(kinds.len() > 60, "only {} kinds of forms were reached: {kinds:#?}", kinds.len());
    let nonsense = [
        ("nothing", ""),
        ("markup", "<b onclick=x>'; DROP TABLE boat; --</b>"),
        ("numbers too large", "-99999999999999999999e99"),
        ("odd letters", "\u{202e}Ω日本 NaN \u{0} ∞"),
    ];
    let mut broken = Vec::new();
    for (page, action) in all.iter().filter(|(_, action)| !LAST.contains(&kind(action).as_str())) {
        for (what, fill) in nonsense {
            let Some(answer) = answered(&visitor, page, action, fill).await else { continue };
            if !matches!(answer.status, 200 | 303 | 404 | 409 | 422 | 503) {
                broken.push(format!(
                    "{action} of {page} with {what}: {} {}",
                    answer.status,
                    answer.text.chars().take(200).collect::<String>()
                ));
            }
            // A form that is refused says why, somewhere on the page.
            let told = ["class=\"fault", "is-invalid", "role=\"alert\"", "against-text", "class=\"file-faults"];
            if answer.status == 422 && !told.iter().any(|mark| answer.text.contains(mark)) {
                broken.push(format!("{action} of {page} with {what}: refused, and says nothing"));
            }
            if answer.text.contains("<b onclick=x>") {
                broken.push(format!("{action} of {page} with {what}: markup came back as markup"));
            }
        }
    }
    assert!(broken.is_empty(), "{} of {}:\n{}", broken.len(), all.len(), broken.join("\n"));
    // The yard is what it was: every page opens, and every entry has its place.
    for path in ["/", "/boats/1", "/boats/2", "/boats/3", "/rack", "/plan", "/practice"] {
        assert_eq!(visitor.get(path).await.status, 200, "{path}");
    }
    assert!(visitor.get("/boats/1/story?whole=1").await.text.contains("Every entry is chained"));
}

#[tokio::test]
async fn what_is_taken_back_twice_is_taken_back_once_and_the_story_tells_it_once() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let entries = async || {
        let mut count = 0;
        for boat in 1..=3 {
            count += visitor.get(&format!("/boats/{boat}/lists/event.csv")).await.text.lines().count();
        }
        count
    };
    let mut kinds = BTreeSet::new();
    for (page, action) in every_form(&visitor, 1).await {
        // An undo takes back the step before each time.
        if !(action.ends_with("/withdraw") || action.ends_with("/drop")) {
            continue;
        }
        let html = visitor.get(&page).await.text;
        if !html.contains(&format!("action=\"{action}\"")) {
            continue;
        }
        let before = entries().await;
        let why: Vec<(&str, &str)> =
            fields(&html, &action).iter().any(|f| f == "why").then_some(("why", "a mistake")).into_iter().collect();
        let own = with_keys(&keys(&html, &action), &why);
        let first = visitor.post(&action, &own).await;
        if first.status != 303 {
            continue;
        }
        let told = entries().await;
        let mut again = own.clone();
        again.iter_mut().filter(|(name, _)| name == "once").for_each(|(_, key)| key.push_str("-again"));
        let second = visitor.post(&action, &again).await;
        assert!(matches!(second.status, 303 | 404 | 409), "{action} again: {}", second.status);
        assert_eq!(entries().await, told, "{action} again told something more");
        assert!(told <= before + 1, "{action} told more than one thing");
        kinds.insert(kind(&action));
    }
    assert!(kinds.len() >= 6, "only these were taken back: {kinds:#?}");
}
