//! The server: its settings, its headers, and the one table of routes.

use std::io::Write;
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;
use std::time::Duration;

use jiff::{SignedDuration, Timestamp};
use mend_keel_store::{Store, accounts};
use rocket::config::{Config, SecretKey};
use rocket::data::{Data, Limits, ToByteUnit};
use rocket::fairing::{AdHoc, Fairing, Info, Kind};
use rocket::http::{ContentType, Header, Method, Status};
use rocket::response::content::RawHtml;
use rocket::tokio::net::TcpListener;
use rocket::tokio::spawn;
use rocket::{Build, Request, Response, Rocket, routes, uri};

use crate::file::kept::Files;
use crate::routes;
use crate::web::auth::SignInTries;
use crate::web::compress::Compress;
use crate::web::front::Front;
use crate::web::jobs::Jobs;
use crate::web::same::Pages;
use crate::web::settings::Settings;
use crate::web::{assets, backup, gate, photos, problem};

/// Builds the server on loopback; the port must be free.
pub fn build(store: Store, settings: Settings, port: u16) -> Result<Rocket<Build>, String> {
    photos::limit_to(settings.megapixels);
    let folder = &settings.folder;
    let key = folder.cookie_key().map_err(|e| format!("cannot keep a key in {}: {e}", folder.path().display()))?;
    let config = Config {
        address: Ipv4Addr::LOCALHOST.into(),
        port,
        secret_key: SecretKey::from(&key),
        log_level: rocket::config::LogLevel::Off,
        limits: Limits::default()
            .limit("form", 256.kibibytes())
            // Above the photo limit, so that a photo too large is told at its field and nothing typed is lost.
            .limit("data-form", 80.mebibytes())
            .limit("file", 80.mebibytes()),
        ..Config::release_default()
    };
    Ok(rocket::custom(config)
        .manage(store)
        .manage(settings)
        .manage(SignInTries::default())
        .manage(Jobs::default())
        .manage(Files::default())
        .manage(Pages::default())
        .manage(Front::default())
        .attach(SafeHeaders)
        .attach(OwnNames)
        .attach(Compress::default())
        .mount("/", routes![assets::asset, foreign])
        .mount("/", routes::routes())
        .register("/", problem::catchers()))
}

/// Runs until it is told to stop. Errors are one line a person can act on.
pub async fn run(store: Store, settings: Settings, port: u16) -> Result<(), String> {
    // A taken port is told before anything starts. The server itself gets a port of its own behind the gate.
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port))
        .await
        .map_err(|e| format!("cannot listen on 127.0.0.1:{port}: {e}"))?;
    let port = listener.local_addr().map_err(|e| e.to_string())?.port();
    let shown = settings.folder.path().display().to_string();
    let closing = store.clone();
    let open = AdHoc::on_liftoff("open the gate and say where", move |server| {
        let inner = SocketAddr::from((server.config().address, server.config().port));
        Box::pin(async move {
            spawn(gate::keep(listener, inner, gate::Limits::default()));
            // Whoever started it may have closed the pipe; that is no reason to stop.
            let _ =
                writeln!(std::io::stdout(), "Mend Keel is at http://127.0.0.1:{port}/ and keeps its data in {shown}");
        })
    });
    let (nightly_store, data) = (store.clone(), settings.folder.path().to_owned());
    let nightly = AdHoc::on_liftoff("nightly backups", move |_| {
        Box::pin(async move {
            spawn(nightly_backups(nightly_store, data));
        })
    });
    let server = build(store, settings, 0)?.attach(open).attach(nightly);
    let done = server.launch().await.map(|_| ()).map_err(|e| format!("the server stopped: {e}"));
    closing.close().await;
    done
}

/// How often it is looked whether a backup is due.
const LOOK: Duration = Duration::from_secs(600);

/// Takes a backup where the yard wants one every night and the newest is a day old.
async fn nightly_backups(store: Store, data: PathBuf) {
    let mut clock = rocket::tokio::time::interval(LOOK);
    loop {
        clock.tick().await;
        let Ok((true, keep)) = accounts::backups(&store).await else { continue };
        let now = Timestamp::now();
        let newest = backup::kept(&backup::folder(&data)).into_iter().next();
        if newest.is_some_and(|newest| newest.name > backup::name(&(now - SignedDuration::from_hours(24)).to_string()))
        {
            continue;
        }
        if let Err(says) = backup::take_kept(&data, now.to_string(), keep as usize).await {
            eprintln!("mend-keel: no nightly backup: {says}");
        }
    }
}

/// Answers only under its own names: a page elsewhere whose name was turned to this machine reads nothing here.
struct OwnNames;

#[rocket::async_trait]
impl Fairing for OwnNames {
    fn info(&self) -> Info {
        Info { name: "own names", kind: Kind::Request }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        let Some(settings) = request.rocket().state::<Settings>() else { return };
        // A request that names no host comes from no browser.
        if request.host().is_some_and(|host| !settings.answers(host.domain().as_str())) {
            request.set_method(Method::Get);
            request.set_uri(uri!(foreign));
        }
    }
}

#[rocket::get("/foreign-name")]
fn foreign() -> (Status, RawHtml<String>) {
    let message =
        "This program does not answer under the name it was asked by. It is started with the names it may be asked by.";
    (Status::MisdirectedRequest, RawHtml(problem::render("Not this name", message)))
}

/// Headers that every answer carries.
struct SafeHeaders;

/// Nothing but our own files, no inline script or style, no framing.
const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob:; font-src 'self'; \
                      connect-src 'self'; worker-src 'self'; manifest-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'";

#[rocket::async_trait]
impl Fairing for SafeHeaders {
    fn info(&self) -> Info {
        Info { name: "safe headers", kind: Kind::Response }
    }

    async fn on_response<'r>(&self, request: &'r Request<'_>, response: &mut Response<'r>) {
        response.set_header(Header::new("Content-Security-Policy", POLICY));
        response.set_header(Header::new("X-Content-Type-Options", "nosniff"));
        response.set_header(Header::new("Referrer-Policy", "same-origin"));
        response.set_header(Header::new("X-Frame-Options", "DENY"));
        if request.uri().path() == "/sign-out" {
            // What was kept on this device for its pages goes with whoever leaves.
            response.set_header(Header::new("Clear-Site-Data", "\"cache\""));
        }
        let is_page = response.content_type().is_some_and(|kind| kind == ContentType::HTML);
        // A page that is kept says itself how long it may be.
        if is_page && !response.headers().contains("ETag") {
            response.set_header(Header::new("Cache-Control", "no-store"));
        }
    }
}
