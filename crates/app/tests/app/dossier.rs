//! A boat's dossier: out of one yard and into another, byte for byte; what is damaged or hostile changes nothing.

use std::fs::File;
use std::io::{Cursor, Read, Write};
use std::path::Path;
use std::process::{Command, Output};

use serde_json::{Value, json};
use tempfile::TempDir;
use zip::write::SimpleFileOptions;
use zip::{ZipArchive, ZipWriter};

use crate::support::{Answer, BINARY, Server, Visitor, keys, with_keys};

fn run(args: &[&str]) -> Output {
    Command::new(BINARY).args(args).output().unwrap()
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

fn done(args: &[&str]) -> String {
    let output = run(args);
    assert!(output.status.success(), "{args:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

/// The one line it was refused with.
fn refused(args: &[&str]) -> String {
    let output = run(args);
    let told = String::from_utf8(output.stderr).unwrap();
    assert!(!output.status.success() && told.lines().count() == 1, "{told}");
    told
}

/// Every file of an archive, by name.
fn inside(path: &Path) -> Vec<(String, Vec<u8>)> {
    let mut zip = ZipArchive::new(File::open(path).unwrap()).unwrap();
    (0..zip.len())
        .map(|i| {
            let mut file = zip.by_index(i).unwrap();
            let mut bytes = Vec::new();
            file.read_to_end(&mut bytes).unwrap();
            (file.name().unwrap().into_owned(), bytes)
        })
        .collect()
}

fn document(path: &Path) -> Vec<u8> {
    inside(path).into_iter().find(|(name, _)| name == "dossier.json").unwrap().1
}

/// The same archive with its document changed.
fn with_document(files: &[(String, Vec<u8>)], document: &Value) -> Vec<u8> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        zip.start_file(name.as_str(), SimpleFileOptions::default()).unwrap();
        let changed = document.to_string();
        zip.write_all(if name == "dossier.json" { changed.as_bytes() } else { bytes }).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

/// A demo in which something of everything was done to the first boat.
async fn lived_in() -> (Server, Visitor) {
    let server = Server::demo();
    let visitor = Visitor::new(&server);
    visitor.get("/").await;
    for (page, action, fields) in [
        (
            "/boats/1/story",
            "/boats/1/story",
            &[("kind", "find"), ("words", "a coin"), ("happened", "1962"), ("place", "P5 F12")][..],
        ),
        ("/boats/1/dossier", "/boats/1/dossier", &[("edition", "owner"), ("names", "")][..]),
    ] {
        let html = visitor.get(page).await.text;
        let mut own = keys(&html, action);
        own.retain(|(name, _)| name != "corrects");
        let answer = visitor.post(action, &with_keys(&own, fields)).await;
        assert_eq!(answer.status, 303, "{action}: {}", answer.text);
    }
    (server, visitor)
}

#[tokio::test]
async fn every_boat_goes_out_and_comes_back_byte_for_byte() {
    let (server, _visitor) = lived_in().await;
    let room = TempDir::new().unwrap();
    let at = |name: String| room.path().join(name);
    for (boat, name) in [("1", "Brindle Wren"), ("2", "Pennywort"), ("Lady Teasel", "Lady Teasel")] {
        let short = name.replace(' ', "");
        let (out, yard, again) =
            (at(format!("{short}.zip")), at(format!("{short}-yard")), at(format!("{short}-2.zip")));
        let told = done(&["export", boat, text(&out), "--data", text(server.data())]);
        assert!(told.starts_with(name), "{told}");
        assert_eq!(done(&["import", text(&out), "--data", text(&yard)]).trim(), "She is here as boat 1.");
        done(&["export", "1", text(&again), "--data", text(&yard)]);
        let (first, second) = (document(&out), document(&again));
        assert!(first == second, "{name}: {}", String::from_utf8_lossy(&second));
        let attached = |path: &Path| {
            let names = inside(path).into_iter().filter(|(n, _)| n.contains('/'));
            names.map(|(name, bytes)| (name, bytes.len())).collect::<Vec<_>>()
        };
        assert_eq!(attached(&out), attached(&again));
    }
    // The first one has photographs, a paper, work and a story, and her pages open as they did.
    let names: Vec<String> = inside(&at("BrindleWren.zip".into())).into_iter().map(|(name, _)| name).collect();
    for part in ["dossier.pdf", "photos/", "papers/"] {
        assert!(names.iter().any(|n| n.starts_with(part)), "{part} in {names:?}");
    }
    std::fs::write(at("BrindleWren-yard".into()).join("made-by-demo"), "").unwrap();
    let there = Server::start_in("demo", &at("BrindleWren-yard".into()));
    let reader = Visitor::new(&there);
    reader.get("/").await;
    for path in [
        "",
        "/decide",
        "/shape",
        "/timber",
        "/fasten",
        "/seams",
        "/finish",
        "/work",
        "/story?whole=1",
        "/dossier",
        "/survey",
    ] {
        let page = reader.get(&format!("/boats/1{path}")).await;
        assert_eq!(page.status, 200, "{path}: {}", page.text);
    }
    assert!(reader.get("/boats/1/story?whole=1").await.text.contains("Every entry is chained"));
    assert!(reader.get("/boats/1/story?of=told").await.text.contains("Something found: a coin"));
}

#[tokio::test]
async fn a_boat_comes_into_a_yard_that_has_one_of_her_name_only_under_another() {
    let (server, visitor) = lived_in().await;
    let room = TempDir::new().unwrap();
    let out = room.path().join("wren.zip");
    done(&["export", "Brindle Wren", text(&out), "--data", text(server.data())]);
    let told = refused(&["import", text(&out), "--data", text(server.data())]);
    assert!(told.contains("a boat of her name is here already: give another with --as"), "{told}");
    assert!(
        refused(&["export", "Nobody", text(&out), "--data", text(server.data())])
            .contains("there are Brindle Wren, Pennywort")
    );
    assert!(refused(&["export", "1", text(&out), "--data", text(room.path())]).contains("there is no yard in"));

    let take = async |file: Vec<u8>, fields: &[(&str, &str)]| -> Answer {
        let page = visitor.get("/boats/take").await.text;
        visitor.post_as("dossier", "/boats/take", &with_keys(&keys(&page, "/boats/take"), fields), file).await
    };
    let file = std::fs::read(&out).unwrap();
    let none = take(Vec::new(), &[("name", "Kept name"), ("tags", "")]).await;
    assert!(none.status == 422 && none.text.contains("pick a file") && none.text.contains("Kept name"));
    let clash = take(file.clone(), &[("name", ""), ("tags", "")]).await;
    assert!(clash.status == 422 && clash.text.contains("a boat of this name is here"), "{}", clash.text);
    let tags = take(file.clone(), &[("name", "Brindle Wren of Anvel"), ("tags", "")]).await;
    let has_boards = String::from_utf8(document(&out)).unwrap().contains("\"board\": [");
    if has_boards {
        assert!(tags.status == 422 && tags.text.contains("Tags that are here already"), "{}", tags.text);
        let taken = take(file, &[("name", "Brindle Wren of Anvel"), ("tags", "AN-")]).await;
        assert_eq!((taken.status, taken.location.as_str()), (303, "/boats/4"), "{}", taken.text);
    } else {
        assert_eq!(tags.status, 303, "{}", tags.text);
    }
    let boats = visitor.get("/boats").await.text;
    assert!(boats.contains("Brindle Wren of Anvel") && boats.contains("Brindle Wren<"));
    assert!(visitor.get("/boats/4/story?whole=1").await.text.contains("Every entry is chained"));
}

#[tokio::test]
async fn what_is_damaged_newer_or_hostile_is_refused_where_it_is_wrong_and_changes_nothing() {
    let (server, _visitor) = lived_in().await;
    let room = TempDir::new().unwrap();
    let out = room.path().join("wren.zip");
    done(&["export", "1", text(&out), "--data", text(server.data())]);
    let files = inside(&out);
    let whole: Value = serde_json::from_slice(&document(&out)).unwrap();
    let yard = room.path().join("yard");
    // A yard that is not empty: what it holds is what must stay.
    let other = room.path().join("pennywort.zip");
    done(&["export", "2", text(&other), "--data", text(server.data())]);
    done(&["import", text(&other), "--data", text(&yard)]);
    let before = {
        let again = room.path().join("before.zip");
        done(&["export", "1", text(&again), "--data", text(&yard)]);
        document(&again)
    };
    type Change = fn(&mut Value);
    let changes: [(&str, Change, &str); 19] = [
        ("newer", |d| d["format"] = json!(2), "newer Mend Keel (format 2)"),
        ("no format", |d| d["format"] = json!("one"), "in which format"),
        ("no boat", |d| d["boat"] = Value::Null, "boat: it is not what it should be"),
        (
            "no name",
            |d| {
                d["boat"].as_object_mut().unwrap().remove("name");
            },
            "boat.name: it is missing",
        ),
        ("a foreign list", |d| d["accounts"] = json!([]), "“accounts”"),
        ("a foreign field", |d| d["finding"][0]["password_hash"] = json!("x"), "finding[0]: “password_hash”"),
        ("another kind", |d| d["finding"][1]["depth"] = json!("deep"), "finding[1].depth: it is of another kind"),
        (
            "a row that is not there",
            |d| d["finding"][0]["member_id"] = json!(100_000),
            "finding[0].member_id: it speaks of a row",
        ),
        ("a number twice", |d| d["finding"][1]["n"] = json!(1), "finding[1].n: rows are numbered"),
        ("a word that is none", |d| d["finding"][0]["kind"] = json!("gossip"), "fits no boat"),
        ("a grade that is none", |d| d["finding"][0]["grade"] = json!("'; DROP TABLE boat"), "fits no boat"),
        ("a value of no list", |d| d["piece"][0]["state"] = json!("eaten"), "piece[0]: a value of it is none"),
        ("a grid that is none", |d| d["boat"]["shell"]["frames"] = json!([0.0, 1.0]), "her grid is none"),
        ("a grid that falls", |d| d["boat"]["shell"]["edges"][3][2] = json!(-4.0), "her grid is none"),
        ("a length of nothing", |d| d["boat"]["length"] = json!(-1.0), "boat: a value of it is none"),
        ("a shape that is none", |d| d["finding"][0]["shape"] = json!({ "x": 1 }), "fits no boat"),
        ("a photograph nobody sent", |d| d["photo"][0]["hash"] = json!("0".repeat(64)), "is missing in it"),
        ("a hash that is none", |d| d["photo"][0]["hash"] = json!("../../cookie.key"), "photo[0].hash: it is no hash"),
        ("a list that is none", |d| d["finding"] = json!({}), "finding: it is not what it should be"),
    ];
    for (what, change, says) in changes {
        let mut document = whole.clone();
        change(&mut document);
        let file = room.path().join("changed.zip");
        std::fs::write(&file, with_document(&files, &document)).unwrap();
        let told = refused(&["import", text(&file), "--data", text(&yard)]);
        assert!(told.contains(says), "{what}: {told}");
    }
    let unnamed = room.path().join("unnamed.zip");
    let mut document_without = whole.clone();
    document_without.as_object_mut().unwrap().remove("photo");
    std::fs::write(&unnamed, with_document(&files, &document_without)).unwrap();
    assert!(refused(&["import", text(&unnamed), "--data", text(&yard)]).contains("a photograph nobody named"));
    let bytes = std::fs::read(&out).unwrap();
    let cut = room.path().join("cut.zip");
    std::fs::write(&cut, &bytes[..bytes.len() / 2]).unwrap();
    assert!(refused(&["import", text(&cut), "--data", text(&yard)]).contains("damaged or no dossier"));
    assert!(
        refused(&["import", text(&room.path().join("nowhere.zip")), "--data", text(&yard)]).contains("cannot open")
    );
    let again = room.path().join("after.zip");
    done(&["export", "1", text(&again), "--data", text(&yard)]);
    assert!(document(&again) == before, "the yard is what it was");
    assert!(refused(&["export", "2", text(&again), "--data", text(&yard)]).contains("there is no boat “2”"));
}

#[tokio::test]
async fn what_was_given_out_stays_as_it_was_given_and_a_guest_reads_his_edition_only() {
    let (server, visitor) = lived_in().await;
    let page = visitor.get("/boats/1/dossier").await.text;
    let at = |edition: &str| page.contains(&format!("\">{edition}, "));
    assert!(at("The owner") && !at("The yard"));
    let give = async |edition: &str, names: &str| {
        let page = visitor.get("/boats/1/dossier").await.text;
        let fields = [("edition", edition), ("names", names)];
        visitor.post("/boats/1/dossier", &with_keys(&keys(&page, "/boats/1/dossier"), &fields)).await
    };
    assert_eq!(give("gossip", "kept words").await.status, 422);
    for edition in ["yard", "family", "surveyor"] {
        assert_eq!(give(edition, "Maud Okafor").await.status, 303, "{edition}");
    }
    let first = visitor.get_bytes("/boats/1/dossier/given/1").await;
    assert!(first.starts_with(b"%PDF"));
    // What happens later changes no paper that was given out.
    server.sql("UPDATE boat SET name = 'Another name' WHERE id = 1").await;
    assert_eq!(visitor.get_bytes("/boats/1/dossier/given/1").await, first);
    assert_eq!(visitor.get("/boats/2/dossier/given/1").await.status, 404, "of another boat");
    // A guest of hers reads the owner's and the family's, and neither her file nor her lists.
    server.sql("UPDATE account SET role = 'guest', guest_boat = 1 WHERE login = 'ines'").await;
    let guest = visitor.get("/boats/1/dossier").await;
    assert_eq!(guest.status, 200);
    for (number, status) in [(1, 200), (2, 404), (3, 200), (4, 404)] {
        assert_eq!(visitor.get(&format!("/boats/1/dossier/given/{number}")).await.status, status, "{number}");
    }
    for path in ["/boats/1/dossier.zip", "/boats/1/lists/finding.csv", "/boats/take", "/boats/2/dossier"] {
        assert_eq!(visitor.get(path).await.status, 403, "{path}");
    }
}

#[tokio::test]
async fn her_lists_open_in_a_spreadsheet_and_no_cell_is_a_formula() {
    let (server, visitor) = lived_in().await;
    server.sql("UPDATE finding SET note = '=HYPERLINK(\"x\")' WHERE id = 1").await;
    let page = visitor.get("/boats/1/dossier").await.text;
    let lists: Vec<&str> = page.split("/boats/1/lists/").skip(1).filter_map(|rest| rest.split(".csv").next()).collect();
    assert!(lists.contains(&"finding") && lists.contains(&"event") && lists.contains(&"task"), "{lists:?}");
    for list in &lists {
        let csv = visitor.get(&format!("/boats/1/lists/{list}.csv")).await;
        assert!(csv.status == 200 && csv.text.lines().count() > 1, "{list}");
    }
    let findings = visitor.get("/boats/1/lists/finding.csv").await.text;
    assert!(findings.starts_with("at,by_name,") && findings.contains("HYPERLINK") && !findings.contains(",=HYPER"));
    for none in ["account", "session", "yard", "boat; DROP", "nothing"] {
        assert_eq!(visitor.get(&format!("/boats/1/lists/{none}.csv")).await.status, 404, "{none}");
    }
}

#[test]
fn the_schema_in_the_papers_is_that_of_the_program() {
    let kept = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/dossier.schema.json");
    let kept = std::fs::read_to_string(kept).unwrap();
    assert!(kept == done(&["schema"]), "write it anew: mend-keel schema > docs/dossier.schema.json");
}

#[tokio::test]
async fn on_the_map_only_what_was_looked_at_counts_as_original() {
    let (_server, visitor) = lived_in().await;
    let group = async |path: &str| {
        let page = visitor.get(path).await.text;
        let from = page.split("class=\"layer layer-age\">").nth(1).expect("the layer").to_owned();
        from.split("</g>").next().unwrap().to_owned()
    };
    let shell = group("/boats/1?layer=age").await;
    assert!(shell.contains("url(#p-dots)") && shell.contains("url(#p-upright)"), "looked at, and renewed");
    // Nobody has seen anything of a boat that was just received.
    let page = visitor.get("/boats/new").await.text;
    let fields = [
        ("name", "Just Come"),
        ("construction", "carvel_caulked"),
        ("boat_use", "coastal"),
        ("school", "conserve"),
        ("length", "6 m"),
        ("beam", "2 m"),
        ("depth", "1 m"),
        ("frames", "14"),
        ("strakes", "9"),
        ("plank_thickness", "20"),
        ("plank_species", "western_larch"),
        ("frame_species", "white_oak"),
        ("year", "1931"),
    ];
    let made = visitor.post("/boats/new", &with_keys(&keys(&page, "/boats/new"), &fields)).await;
    assert_eq!(made.status, 303, "{}", made.text);
    assert_eq!(group(&format!("{}?layer=age", made.location)).await, "");
    let dossier = visitor.get(&format!("{}/dossier", made.location)).await.text;
    assert!(dossier.contains("between 0 % and 100 %"), "unknown is a band and no number");
}
