//! How many statements a page asks the database: what is tapped most must not ask more as the yard grows.

use std::sync::atomic::{AtomicUsize, Ordering};

use mend_keel::web::folder::DataFolder;
use mend_keel::web::settings::{Mode, Settings};
use mend_keel::{demo, server};
use mend_keel_store::Store;
use rocket::http::{ContentType, Status};
use rocket::local::asynchronous::Client;

static COUNTED: AtomicUsize = AtomicUsize::new(0);

/// Counts what SQLx says it has asked.
struct Counter;

impl log::Log for Counter {
    fn enabled(&self, of: &log::Metadata<'_>) -> bool {
        of.target() == "sqlx::query"
    }

    fn log(&self, record: &log::Record<'_>) {
        if self.enabled(record.metadata()) {
            COUNTED.fetch_add(1, Ordering::SeqCst);
        }
    }

    fn flush(&self) {}
}

async fn statements(client: &Client, path: &str) -> usize {
    COUNTED.store(0, Ordering::SeqCst);
    let answer = client.get(path.to_owned()).dispatch().await;
    assert_eq!(answer.status(), Status::Ok, "{path}");
    COUNTED.load(Ordering::SeqCst)
}

fn settings(folder: DataFolder) -> Settings {
    Settings { mode: Mode::Demo, folder, hosts: Vec::new(), tls_in_front: false, megapixels: 80 }
}

/// The demo yard with another boat copied as often as asked for.
async fn yard(more: usize) -> (tempfile::TempDir, Client) {
    let home = tempfile::tempdir().unwrap();
    let folder = DataFolder::open(home.path()).unwrap();
    let store = Store::open(&folder.database()).await.unwrap();
    demo::fill(&store, &folder.photos()).await.unwrap();
    let client = Client::tracked(server::build(store, settings(folder), 0).unwrap()).await.unwrap();
    // The first page signs the demo's owner in.
    let page = client.get("/boats/new").dispatch().await.into_string().await.unwrap();
    let field = |name: &str| {
        let at = page.split(&format!("name=\"{name}\" value=\"")).nth(1).unwrap();
        at.split('"').next().unwrap().to_owned()
    };
    for n in 0..more {
        let form = format!(
            "csrf={}&once={}-{n}&name=Another+{n}&construction=carvel_caulked&boat_use=coastal&school=conserve&length=6+m&beam=2+m\
             &depth=1+m&frames=14&strakes=9&plank_thickness=20&plank_species=western_larch&frame_species=white_oak\
             &frame_sided=30&frame_moulded=35&deck=&rig=&year=",
            field("csrf"),
            field("once")
        );
        let answer = client.post("/boats/new").header(ContentType::Form).body(form).dispatch().await;
        assert_eq!(answer.status(), Status::SeeOther, "{:?}", answer.into_string().await);
    }
    (home, client)
}

#[test]
fn a_tap_on_the_map_costs_five_statements_at_most_and_today_six_whatever_the_number_of_boats() {
    log::set_logger(&Counter).unwrap();
    log::set_max_level(log::LevelFilter::Debug);
    rocket::async_test(async {
        let (_home, client) = yard(0).await;
        assert!(statements(&client, "/boats/1").await > 5, "the first look at a boat reads her");
        let tap = statements(&client, "/boats/1/place?at=P5+F12").await;
        assert!((1..=5).contains(&tap), "a tap asked {tap} statements");
        assert_eq!(statements(&client, "/boats/1/place?at=P2+F3").await, tap);
        let today = statements(&client, "/").await;
        assert!((1..=5).contains(&today), "Today asked {today} statements while nothing was committed");
        assert_eq!(statements(&client, "/boats/1").await, 1, "the map is known");
        let (_home, client) = yard(4).await;
        // A boat was committed just before: who asks is asked for anew.
        assert_eq!(statements(&client, "/").await, today + 1, "with four boats more");
        assert_eq!(statements(&client, "/").await, today);
    });
}
