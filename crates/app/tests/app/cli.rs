//! The command line: compute, and one clear line for each way a start can fail.

use std::io::Write;
use std::process::{Command, Output, Stdio};

use serde_json::{Value, json};
use tempfile::TempDir;

use crate::support::{BINARY, Server};

fn run(args: &[&str], input: &str) -> Output {
    let mut child = Command::new(BINARY)
        .args(args)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    child.wait_with_output().unwrap()
}

fn json_of(output: &Output) -> Value {
    serde_json::from_slice(&output.stdout).unwrap()
}

#[test]
fn compute_answers_on_stdout_and_bad_input_exits_with_two() {
    let good = run(&["compute", "scarf"], r#"{"thickness":25,"width":150,"ratio":8}"#);
    assert_eq!((good.status.code(), json_of(&good)["length"].as_f64()), (Some(0), Some(200.0)));
    let bad = run(&["compute", "scarf"], r#"{"thickness":-3,"width":150,"ratio":8}"#);
    assert_eq!(bad.status.code(), Some(2));
    assert_eq!(
        json_of(&bad),
        json!({ "error": { "field": "thickness", "message": "must be greater than 0, was -3" } })
    );
    assert_eq!(run(&["compute", "scarf"], "not json").status.code(), Some(2));
    assert_eq!(json_of(&run(&["compute", "knots"], "{}"))["error"]["field"], "tool");
}

#[test]
fn a_batch_works_the_next_line_after_a_bad_one() {
    let lines = "{\"id\":1,\"tool\":\"emc\",\"input\":{}}\n\n{\"id\":2,\"tool\":\"emc\",\"input\":{\"temperature\":20,\"humidity\":50}}\n";
    let output = run(&["compute", "--batch"], lines);
    let answers: Vec<Value> =
        String::from_utf8(output.stdout).unwrap().lines().map(|l| serde_json::from_str(l).unwrap()).collect();
    assert_eq!(answers.len(), 2);
    assert_eq!(answers[0]["error"]["field"], "temperature");
    assert!((answers[1]["output"]["emc"].as_f64().unwrap() - 9.271_140_7).abs() < 1e-6);
}

fn refused(args: &[&str]) -> String {
    let output = run(args, "");
    assert_eq!(output.status.code(), Some(1));
    let told = String::from_utf8(output.stderr).unwrap();
    assert_eq!(told.lines().count(), 1, "{told}");
    told
}

#[test]
fn a_second_start_a_taken_port_and_an_unusable_folder_each_give_one_line() {
    let server = Server::demo();
    let folder = server.folder.path().to_str().unwrap().to_owned();
    assert!(refused(&["demo", "--port", "0", "--data", &folder]).contains("already running"));
    let port = server.base.rsplit(':').next().unwrap().to_owned();
    let other = TempDir::new().unwrap();
    let other = other.path().join("data");
    assert!(refused(&["serve", "--port", &port, "--data", other.to_str().unwrap()]).contains("cannot listen"));
    let file = TempDir::new().unwrap();
    let not_a_folder = file.path().join("taken");
    std::fs::write(&not_a_folder, "a file").unwrap();
    assert!(
        refused(&["serve", "--port", "0", "--data", not_a_folder.to_str().unwrap()])
            .contains("cannot use the data folder")
    );
}

/// What the server answers to bytes sent as they are.
fn told(server: &Server, sent: &str) -> String {
    use std::io::{Read, Write};
    let mut socket = std::net::TcpStream::connect(server.base.trim_start_matches("http://")).unwrap();
    socket.write_all(sent.as_bytes()).unwrap();
    let mut heard = String::new();
    socket.read_to_string(&mut heard).unwrap();
    heard
}

#[test]
fn the_program_stands_behind_its_gate() {
    let server = Server::demo();
    // What says no length is stopped by the gate; the server's own library would read it.
    let unmeasured = "POST /sign-in HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n";
    assert!(told(&server, unmeasured).starts_with("HTTP/1.1 411 "));
    // What is no request gets its answer from the server, and a whole one goes through.
    assert!(told(&server, "\u{1}\u{2} hello\r\n\r\n").starts_with("HTTP/1.1 400 "));
    let whole = "GET /sign-in HTTP/1.1\r\nHost: localhost\r\nConnection: close\r\n\r\n";
    let page = told(&server, whole);
    assert!(page.starts_with("HTTP/1.1 200 ") && page.contains("</html>"), "{page}");
}

#[test]
fn a_fresh_demo_leaves_somebody_elses_folder_alone() {
    let folder = TempDir::new().unwrap();
    std::fs::write(folder.path().join("letters.txt"), "keep").unwrap();
    let told = refused(&["demo", "--fresh", "--port", "0", "--data", folder.path().to_str().unwrap()]);
    assert!(told.contains("left alone"), "{told}");
    assert!(folder.path().join("letters.txt").exists());
}

#[test]
fn an_account_from_the_command_line_needs_a_real_password() {
    let folder = TempDir::new().unwrap();
    let data = folder.path().to_str().unwrap();
    let weak = run(&["user", "add", "ines", "--data", data], "short\n");
    assert_eq!(weak.status.code(), Some(1));
    assert_eq!(run(&["user", "add", "ines", "--data", data], "a long enough one\n").status.code(), Some(0));
    let twice = run(&["user", "add", "INES", "--data", data], "a long enough one\n");
    assert!(String::from_utf8(twice.stderr).unwrap().contains("taken"));
}

#[test]
fn a_yard_is_left_alone_by_demo_whatever_is_asked() {
    let folder = Server::serve().kill();
    let path = folder.path().to_str().unwrap();
    let database = folder.path().join("mend-keel.db");
    let before = std::fs::read(&database).unwrap();
    for args in [vec!["demo", "--fresh", "--port", "0", "--data", path], vec!["demo", "--port", "0", "--data", path]] {
        let told = refused(&args);
        assert!(told.contains("was not made by demo"), "{told}");
    }
    assert!(before == std::fs::read(&database).unwrap(), "nothing of it was touched");
    // A folder that demo made is its own.
    let made = Server::demo().kill();
    assert!(made.path().join("made-by-demo").exists());
    Server::start("demo", made).kill();
}
