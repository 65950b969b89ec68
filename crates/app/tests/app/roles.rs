//! What each role may do: docs/roles.md against the list of routes, and each route called by who may not.

use std::collections::BTreeMap;
use std::path::Path;

use mend_keel::routes;

use crate::people::first_account;
use crate::support::{Server, Visitor};

/// Roles from the least to the most.
const ROLES: [&str; 5] = ["Nobody", "Signed in", "Guest", "Shipwright", "Owner"];

/// Each route with the least role that may call it, as docs/roles.md has it.
fn told() -> BTreeMap<String, usize> {
    let text = std::fs::read_to_string(Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/roles.md")).unwrap();
    let mut role = None;
    let mut all = BTreeMap::new();
    for line in text.lines() {
        if let Some(head) = line.strip_prefix("## ") {
            role = ROLES.iter().position(|r| *r == head);
            assert!(role.is_some(), "{head} is no role");
        }
        if let Some(route) = line.strip_prefix("- `").and_then(|l| l.strip_suffix('`')) {
            assert!(all.insert(route.to_owned(), role.unwrap()).is_none(), "{route} stands there twice");
        }
    }
    all
}

/// A route's method and path, without its query.
fn listed() -> Vec<(String, String)> {
    let path = |uri: String| uri.split('?').next().unwrap_or_default().to_owned();
    routes::routes().iter().map(|r| (r.method.to_string(), path(r.uri.to_string()))).collect()
}

#[test]
fn every_route_stands_on_the_page_of_roles_and_no_other() {
    let mut told = told();
    for (method, path) in listed() {
        assert!(told.remove(&format!("{method} {path}")).is_some(), "{method} {path} is missing in docs/roles.md");
    }
    assert!(told.is_empty(), "docs/roles.md names what is no route: {told:?}");
}

/// A path with something in each of its holes: the boat is the first.
fn filled(path: &str) -> String {
    let hole = |segment: &str| if segment.starts_with('<') { "1".to_owned() } else { segment.to_owned() };
    path.split('/').map(hole).collect::<Vec<String>>().join("/")
}

async fn signed_in(server: &Server, login: &str) -> (Visitor, String) {
    let visitor = Visitor::new(server);
    let fields = [("login", login), ("password", "a long enough one")];
    let entered = visitor.send("/sign-in", "/sign-in", &fields).await;
    assert_eq!(entered.status, 303, "{login}: {}", entered.text);
    let page = visitor.get("/handbook").await.text;
    let csrf = page.split("name=\"csrf\" value=\"").nth(1).unwrap().split('"').next().unwrap().to_owned();
    (visitor, csrf)
}

#[tokio::test]
async fn nobody_calls_a_route_above_his_role_and_everybody_reads_those_below() {
    let server = Server::serve();
    let owner = Visitor::new(&server);
    first_account(&owner).await;
    let boat = crate::support::BOAT;
    for name in ["Her own", "Another one"] {
        let fields: Vec<(&str, &str)> = boat.iter().map(|(k, v)| (*k, if *k == "name" { name } else { *v })).collect();
        assert_eq!(owner.send("/boats/new", "/boats/new", &fields).await.status, 303);
    }
    for (login, role, of) in [("sam", "shipwright", ""), ("gus", "guest", "1")] {
        let fields =
            [("name", login), ("login", login), ("password", "a long enough one"), ("role", role), ("boat", of)];
        assert_eq!(owner.send("/yard", "/yard/people", &fields).await.status, 303, "{login}");
    }
    let stranger = (Visitor::new(&server), String::new());
    let (guest, shipwright) = (signed_in(&server, "gus").await, signed_in(&server, "sam").await);
    for (route, least) in told() {
        let (method, path) = route.split_once(' ').unwrap();
        let at = filled(path);
        for (who, role, name) in
            [(&stranger, 0, "a stranger"), (&guest, 2, "a guest"), (&shipwright, 3, "a shipwright")]
        {
            let may = role >= least;
            // What may be sent is sent by other tests: here nothing is to be changed.
            if method == "POST" && (may || path == "/sign-out") {
                continue;
            }
            let answer = match method {
                "GET" => who.0.get(&at).await,
                _ => who.0.post(&at, &[("csrf".into(), who.1.clone())]).await,
            };
            let led_out = answer.status == 303 && answer.location == "/sign-in";
            let refused = answer.status == 403 || (role == 0 && led_out && path != "/first");
            assert_eq!(refused, !may, "{name} at {route}: {} {}", answer.status, answer.location);
        }
        // Of another boat a guest reads nothing.
        if let (2, "GET", Some(rest)) = (least, method, path.strip_prefix("/boats/<id>")) {
            let other = guest.0.get(&filled(&format!("/boats/2{rest}"))).await;
            assert_eq!(other.status, 403, "a guest at {route} of another boat");
        }
    }
}
