//! The yard as one file: taken while people work, put back by one command, and what is refused.

use std::path::Path;
use std::process::{Command, Output};

use tempfile::TempDir;

use crate::support::{BINARY, Server, Visitor, keys, with_keys};

fn run(args: &[&str]) -> Output {
    Command::new(BINARY).args(args).output().unwrap()
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

/// The one line it was refused with.
fn refused(args: &[&str]) -> String {
    let output = run(args);
    let told = String::from_utf8(output.stderr).unwrap();
    assert!(!output.status.success() && told.lines().count() == 1, "{told}");
    told
}

#[tokio::test]
async fn a_backup_taken_under_load_comes_back_whole_with_every_entry_before_it() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let note = async |n: u32| {
        let page = visitor.get("/plan").await.text;
        let what = format!("errand {n}");
        let fields = [
            ("what", what.as_str()),
            ("kind", "buy"),
            ("boat", ""),
            ("hours", "1"),
            ("hands", "1"),
            ("at", ""),
            ("not_before", ""),
        ];
        visitor.post("/plan/errands", &with_keys(&keys(&page, "/plan/errands"), &fields)).await.status
    };
    for n in 0..5 {
        assert_eq!(note(n).await, 303);
    }
    let room = TempDir::new().unwrap();
    let file = room.path().join("yard.zip");
    // Others go on writing while it is taken.
    let (data, to) = (server.data().to_owned(), file.clone());
    let taking = tokio::task::spawn_blocking(move || run(&["backup", text(&to), "--data", text(&data)]));
    let mut meanwhile = 5;
    while !taking.is_finished() {
        assert_eq!(note(meanwhile).await, 303);
        meanwhile += 1;
    }
    let told = taking.await.unwrap();
    assert!(told.status.success(), "{}", String::from_utf8_lossy(&told.stderr));
    assert!(String::from_utf8_lossy(&told.stdout).contains("looked through and whole"));

    let back = room.path().join("back");
    let restored = run(&["restore", text(&file), "--data", text(&back)]);
    assert!(restored.status.success(), "{}", String::from_utf8_lossy(&restored.stderr));
    std::fs::write(back.join("made-by-demo"), "").unwrap();
    let again = Server::start_in("demo", &back);
    let reader = Visitor::new(&again);
    reader.get("/").await;
    let plan = reader.get("/plan").await.text;
    for n in 0..5 {
        assert!(plan.contains(&format!("errand {n}<")), "{n} is lost");
    }
    for path in ["/boats/1", "/boats/1/decide", "/boats/3/finish", "/rack"] {
        let (was, is) = (visitor.get(path).await, reader.get(path).await);
        assert_eq!((was.status, is.status), (200, 200), "{path}");
    }
    assert!(reader.get("/boats/1/story?whole=1").await.text.contains("Every entry is chained"));
    // Put back over a yard it is refused, and that yard stays.
    assert!(refused(&["restore", text(&file), "--data", text(&back)]).contains("is not empty"));
}

#[test]
fn what_is_no_yard_or_no_backup_is_refused_in_one_line() {
    let room = TempDir::new().unwrap();
    let at = |name: &str| room.path().join(name);
    assert!(refused(&["backup", text(&at("b.zip")), "--data", text(&at("none"))]).contains("there is no yard in"));
    assert!(!at("b.zip").exists() && !at("none").exists());
    std::fs::write(at("text.zip"), "nothing of the kind").unwrap();
    assert!(refused(&["restore", text(&at("text.zip")), "--data", text(&at("new"))]).contains("damaged or no backup"));
    assert!(refused(&["restore", text(&at("away.zip")), "--data", text(&at("new"))]).contains("cannot open"));
    assert!(!at("new").exists(), "nothing is there half");
}

#[tokio::test]
async fn backups_are_taken_from_the_page_listed_and_fetched_by_the_owner_only() {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    let at = "/yard/backups";
    assert!(visitor.get(at).await.text.contains("None was taken yet"));
    assert_eq!(visitor.send(at, at, &[]).await.status, 303);
    let page = visitor.get(at).await.text;
    let from = page.find("/yard/backups/yard-").expect("it is listed");
    let name: String = page[from..].chars().take_while(|c| *c != '"').collect();
    let file = visitor.get(&name).await;
    assert_eq!(file.status, 200);
    assert_eq!(visitor.get("/yard/backups/cookie.key").await.status, 404);
    assert_eq!(visitor.get("/yard/backups/..%2Fmend-keel.db").await.status, 404);
    let nightly = "/yard/backups/nightly";
    let wrong = visitor.send(at, nightly, &[("nightly", "1"), ("kept", "0")]).await;
    assert!(wrong.status == 422 && wrong.text.contains("must be between 1 and 400"));
    assert_eq!(visitor.send(at, nightly, &[("nightly", "1"), ("kept", "3")]).await.status, 303);
    assert!(visitor.get(at).await.text.contains("name=\"nightly\" value=\"1\" checked"));
    let other = Server::serve();
    let stranger = Visitor::new(&other);
    assert_ne!(stranger.get(at).await.status, 200);
}
