//! Pages that stay the same until something is committed: sent once, and never to anybody else, nor once they are old.

use crate::people::first_account;
use crate::support::{CRACK, Server, Visitor};

const MAP: &str = "/boats/1";
const NEW: &str = "/boats/1/findings/new?at=P5+F12";
const ACTION: &str = "/boats/1/findings/new?at=P5%20F12";

/// What came: its status, its tag, how it may be kept, and its bytes as they came.
struct Came {
    status: u16,
    tag: String,
    keep: String,
    body: Vec<u8>,
}

async fn ask(visitor: &Visitor, path: &str, headers: &[(&str, &str)]) -> Came {
    let mut asked = visitor.client.get(format!("{}{path}", visitor.base));
    for (name, value) in headers {
        asked = asked.header(*name, *value);
    }
    let answer = asked.send().await.unwrap();
    let header = |name| answer.headers().get(name).map_or(String::new(), |v| v.to_str().unwrap().to_owned());
    let (status, tag, keep) = (answer.status().as_u16(), header("etag"), header("cache-control"));
    Came { status, tag, keep, body: answer.bytes().await.unwrap().to_vec() }
}

fn unpacked(body: &[u8]) -> Vec<u8> {
    use std::io::Read;
    let mut out = Vec::new();
    flate2::read::GzDecoder::new(body).read_to_end(&mut out).unwrap();
    out
}

#[tokio::test]
async fn the_map_is_not_sent_again_until_something_is_committed() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let first = ask(&visitor, MAP, &[]).await;
    assert!(first.status == 200 && first.tag.starts_with("W/\"") && !first.body.is_empty());
    assert_eq!(first.keep, "private, no-cache", "it is asked for each time, and kept by no one between");
    let known = [("If-None-Match", first.tag.as_str())];
    let again = ask(&visitor, MAP, &known).await;
    assert_eq!((again.status, again.tag.as_str(), again.body.len()), (304, first.tag.as_str(), 0));
    // A list of tags, and one that is another's.
    let several = format!("\"of another page\", {}", first.tag);
    assert_eq!(ask(&visitor, MAP, &[("If-None-Match", &several)]).await.status, 304);
    assert_eq!(ask(&visitor, MAP, &[("If-None-Match", "W/\"of another page\"")]).await.status, 200);
    // Another address of the same page is another page.
    for other in ["/boats/1?layer=past", "/boats/1?surface=deck", "/boats/2"] {
        let came = ask(&visitor, other, &known).await;
        assert!(came.status == 200 && came.tag != first.tag, "{other}");
    }
    assert_eq!(visitor.send(NEW, ACTION, &CRACK).await.status, 303);
    let changed = ask(&visitor, MAP, &known).await;
    assert!(changed.status == 200 && changed.tag != first.tag, "a finding was made meanwhile");
    assert_ne!(changed.body, first.body);
    assert_eq!(ask(&visitor, MAP, &[("If-None-Match", &changed.tag)]).await.status, 304);
}

#[tokio::test]
async fn what_is_kept_packed_is_what_is_kept_plain() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let plain = ask(&visitor, MAP, &[("Accept-Encoding", "identity")]).await.body;
    // Drawn, then packed for the first who takes it, then as it was packed.
    let once = ask(&visitor, MAP, &[("Accept-Encoding", "gzip")]).await.body;
    let twice = ask(&visitor, MAP, &[("Accept-Encoding", "gzip")]).await.body;
    assert_eq!(once, twice);
    assert!(once.len() * 4 < plain.len(), "{} of {}", once.len(), plain.len());
    assert_eq!(unpacked(&once), plain);
    assert_eq!(ask(&visitor, MAP, &[("Accept-Encoding", "gzip;q=0")]).await.body, plain);
}

#[tokio::test]
async fn a_page_with_a_one_time_key_is_made_anew_each_time() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let key = async |path: &str| {
        let came = ask(&visitor, path, &[]).await;
        assert_eq!((came.tag.as_str(), came.keep.as_str()), ("", "no-store"), "{path}");
        let page = String::from_utf8(came.body).unwrap();
        page.split("name=\"once\" value=\"")
            .nth(1)
            .unwrap_or_else(|| panic!("{path}"))
            .split('"')
            .next()
            .unwrap()
            .to_owned()
    };
    for path in ["/boats/1?at=P5%20F12", "/boats/1/quick", NEW] {
        assert_ne!(key(path).await, key(path).await, "{path}");
    }
    let map = String::from_utf8(ask(&visitor, MAP, &[]).await.body).unwrap();
    assert!(!map.contains("name=\"once\""), "a page that is kept holds no key");
}

#[tokio::test]
async fn a_page_is_kept_for_whoever_asked_and_for_their_screen_alone() {
    let server = Server::demo();
    let (one, other) = (Visitor::new(&server), Visitor::new(&server));
    one.get("/").await;
    other.get("/").await;
    let of_one = ask(&one, MAP, &[]).await;
    let of_other = ask(&other, MAP, &[("If-None-Match", &of_one.tag)]).await;
    assert!(of_other.status == 200 && of_other.tag != of_one.tag, "its token is another one");
    let token = |body: &[u8]| {
        let page = String::from_utf8(body.to_vec()).unwrap();
        (page.contains("data-surface=\"floor\""), page.contains("data-surface=\"bilge\""))
    };
    assert_eq!(token(&of_one.body), (true, false));
    // The screen is chosen by a cookie.
    let jar = reqwest::Client::new();
    let dim = jar.get(format!("{}{MAP}", server.base)).header("Cookie", "surface=bilge").send().await.unwrap();
    assert_eq!(token(&dim.bytes().await.unwrap()), (false, true));
}

#[tokio::test]
async fn who_has_left_is_shown_nothing_that_was_kept() {
    let server = Server::serve();
    let visitor = Visitor::new(&server);
    first_account(&visitor).await;
    let boats = visitor.send("/boats/new", "/boats/new", &crate::support::BOAT).await;
    assert_eq!(boats.status, 303, "{}", boats.text);
    let map = boats.location;
    let kept = ask(&visitor, &map, &[]).await;
    let known = [("If-None-Match", kept.tag.as_str())];
    assert_eq!(ask(&visitor, &map, &known).await.status, 304);
    let form = crate::support::keys(&visitor.get("/").await.text, "/sign-out");
    let answer = visitor.client.post(format!("{}/sign-out", server.base)).form(&form).send().await.unwrap();
    assert_eq!(answer.headers()["clear-site-data"], "\"cache\"");
    let gone = ask(&visitor, &map, &known).await;
    assert_eq!((gone.status, gone.tag.as_str()), (303, ""));
}

#[tokio::test]
async fn what_a_guest_may_see_is_kept_for_the_guest_alone_and_changes_when_the_yard_says_so() {
    let server = Server::serve();
    let owner = Visitor::new(&server);
    first_account(&owner).await;
    let boat = owner.send("/boats/new", "/boats/new", &crate::support::BOAT).await.location;
    let other = owner.send("/boats/new", "/boats/new", &crate::support::BOAT).await.location;
    let guest = [
        ("login", "owen"),
        ("name", "Owen Pike"),
        ("password", "a guest's password"),
        ("role", "guest"),
        ("boat", boat.rsplit('/').next().unwrap()),
    ];
    assert_eq!(owner.send("/yard", "/yard/people", &guest).await.location, "/yard");
    let visitor = Visitor::new(&server);
    visitor.send("/sign-in", "/sign-in", &[("login", "owen"), ("password", "a guest's password")]).await;
    let of_owner = ask(&owner, &boat, &[]).await;
    let of_guest = ask(&visitor, &boat, &[("If-None-Match", &of_owner.tag)]).await;
    assert!(of_guest.status == 200 && of_guest.tag != of_owner.tag, "the owner's page is not the guest's");
    let text = |came: &Came| String::from_utf8(came.body.clone()).unwrap();
    assert!(text(&of_owner).contains("Quick entry") && !text(&of_guest).contains("Quick entry"));
    // Whatever the tag: another boat is not the guest's.
    let theirs = ask(&owner, &other, &[]).await;
    assert_eq!(ask(&visitor, &other, &[("If-None-Match", &theirs.tag)]).await.status, 403);
    // Put out, the guest is told nothing that was kept.
    let known = [("If-None-Match", of_guest.tag.as_str())];
    assert_eq!(ask(&visitor, &boat, &known).await.status, 304);
    assert_eq!(owner.send("/yard", "/yard/people/2/remove", &[]).await.status, 303);
    assert_eq!(ask(&visitor, &boat, &known).await.status, 303);
}

#[tokio::test]
async fn more_pages_than_are_kept_are_each_themselves() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    // Addresses nobody would think of, more than are kept: the map is drawn again and is the same.
    let first = ask(&visitor, MAP, &[]).await;
    for n in 0..70 {
        let odd = ask(&visitor, &format!("{MAP}?layer=findings&nothing={n}"), &[]).await;
        assert!(odd.status == 200 && odd.tag != first.tag, "{n}");
    }
    let again = ask(&visitor, MAP, &[]).await;
    assert_eq!((again.status, &again.tag, again.body == first.body), (200, &first.tag, true));
    assert_eq!(ask(&visitor, MAP, &[("If-None-Match", &first.tag)]).await.status, 304);
}
