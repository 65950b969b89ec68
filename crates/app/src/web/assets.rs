//! Fonts, styles and scripts: embedded in a release build, read from disk in a debug build.

use std::borrow::Cow;
use std::path::PathBuf;
use std::sync::LazyLock;

use rocket::http::{ContentType, Header};
use rocket::{Responder, get};
use rust_embed::RustEmbed;
use sha2::{Digest, Sha256};

#[derive(RustEmbed)]
#[folder = "assets/"]
struct Assets;

/// Changes whenever an asset does, so that browsers may keep them for ever.
pub static STAMP: LazyLock<String> = LazyLock::new(|| {
    let mut hasher = Sha256::new();
    for name in Assets::iter() {
        if let Some(file) = Assets::get(&name) {
            hasher.update(file.metadata.sha256_hash());
        }
    }
    format!("{:x}", hasher.finalize())[..12].to_owned()
});

/// A text among the assets.
pub fn text(path: &str) -> Option<String> {
    String::from_utf8(Assets::get(path)?.data.into_owned()).ok()
}

#[derive(Debug, Responder)]
pub struct Asset {
    bytes: Cow<'static, [u8]>,
    kind: ContentType,
    keep: Header<'static>,
}

impl Asset {
    /// A text made for this request, asked for anew each time.
    pub fn fresh(text: String, kind: ContentType) -> Self {
        let bytes = text.into_bytes().into();
        Self { bytes, kind, keep: Header::new("Cache-Control", "no-cache") }
    }
}

#[get("/assets/<stamp>/<path..>")]
pub fn asset(stamp: &str, path: PathBuf) -> Option<Asset> {
    let file = Assets::get(path.to_str()?)?;
    let kind = path.extension().and_then(|e| ContentType::from_extension(e.to_str()?)).unwrap_or(ContentType::Binary);
    // A page from before an update asks by another stamp: what it gets is not what it will be for ever.
    let keep = if stamp == STAMP.as_str() { "public, max-age=31536000, immutable" } else { "no-cache" };
    Some(Asset { bytes: file.data, kind, keep: Header::new("Cache-Control", keep) })
}
