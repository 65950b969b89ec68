//! What a device under the hull needs where there is no signal: the service worker, the manifest, who is signed in,
//! and the page shown when nothing else is kept.

use askama::Template;
use rocket::get;
use rocket::http::ContentType;
use serde_json::json;

use crate::web::assets::{self, Asset};
use crate::web::desk::{Desk, Page, render};
use crate::web::error::{Answer, Result};

/// Who is signed in, with the token that entries kept on the device are sent with.
#[get("/session")]
pub async fn session(desk: Desk<'_>) -> Result {
    Ok(Answer::Data(json!({ "csrf": desk.user.csrf, "account": desk.user.account.id, "name": desk.user.account.name })))
}

#[get("/sw.js")]
pub fn worker() -> Option<Asset> {
    let script = assets::text("js/sw.js")?;
    Some(Asset::fresh(script.replace("STAMP_HERE", &assets::STAMP), ContentType::JavaScript))
}

#[get("/manifest.webmanifest")]
pub fn manifest() -> Asset {
    let icon = format!("/assets/{}/img/keel-app.svg", *assets::STAMP);
    let manifest = json!({
        "name": "Mend Keel", "short_name": "Mend Keel", "start_url": "/", "scope": "/", "display": "standalone",
        "background_color": "#f4efe4", "theme_color": "#1f2a44",
        "icons": [{ "src": icon, "sizes": "any", "type": "image/svg+xml", "purpose": "any maskable" }],
    });
    Asset::fresh(manifest.to_string(), ContentType::new("application", "manifest+json"))
}

#[derive(Template)]
#[template(path = "door/offline.html")]
struct Offline {
    page: Page,
}

/// Shown when there is no signal and the page asked for is not kept on the device.
#[get("/offline")]
pub async fn offline(desk: Desk<'_>) -> Result {
    render(&Offline { page: desk.page("No signal", "") })
}
