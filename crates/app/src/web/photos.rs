//! Photos: checked, turned upright, stripped of what the camera wrote into them, and filed by content hash.

use std::io::Cursor;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};

use image::codecs::jpeg::JpegEncoder;
use image::imageops::interpolate_bilinear;
use image::{DynamicImage, ImageDecoder, ImageFormat, ImageReader, Limits};
use mend_keel_core::InputError;
use rocket::tokio;
use rocket::tokio::sync::Semaphore;
use sha2::{Digest, Sha256};

use crate::web::error::AppError;
use crate::web::folder::write_whole;
use crate::web::form::{Faults, MOST_PHOTOS, PHOTO_LIMIT, Submission, Upload};

/// Longest side kept, pixels.
const LARGEST_SIDE: u32 = 2_400;
const QUALITY: u8 = 85;
/// A picture of more pixels, or that would unpack to more, is refused by its header, before it is unpacked.
static MOST_PIXELS: AtomicU64 = AtomicU64::new(80_000_000);
const MOST_MEMORY: u64 = 512 * 1024 * 1024;
/// Pictures unpacked at the same time.
static UNPACKING: Semaphore = Semaphore::const_new(2);

/// Sets how many megapixels a picture may have.
pub fn limit_to(megapixels: u32) {
    MOST_PIXELS.store(u64::from(megapixels) * 1_000_000, Ordering::Relaxed);
}

fn most_pixels() -> u64 {
    MOST_PIXELS.load(Ordering::Relaxed)
}

/// Why a picture is not taken.
#[derive(Debug)]
enum Unfit {
    /// So many megapixels.
    Large(u64),
    Unreadable,
}

impl From<image::ImageError> for Unfit {
    fn from(_: image::ImageError) -> Self {
        Self::Unreadable
    }
}

/// Files a photo and gives its hash. Errors name the field `photo`.
pub async fn file(folder: &Path, upload: Upload) -> Result<String, InputError> {
    let refuse = |message: String| InputError::new("photo", message);
    if upload.too_large {
        return Err(refuse(format!("must not be larger than {PHOTO_LIMIT} MB")));
    }
    let _room = UNPACKING.acquire().await.map_err(|e| refuse(e.to_string()))?;
    let jpeg = tokio::task::spawn_blocking(move || upright_jpeg(&upload.bytes))
        .await
        .map_err(|e| refuse(e.to_string()))?
        .map_err(|e| match e {
            Unfit::Large(mega) => {
                refuse(format!("has {mega} megapixels: no more than {} are taken", most_pixels() / 1_000_000))
            }
            Unfit::Unreadable => refuse("is not a picture that can be read: send a JPEG, PNG or WebP".into()),
        })?;
    let hash = format!("{:x}", Sha256::digest(&jpeg));
    let path = path(folder, &hash).ok_or_else(|| refuse("could not be filed".into()))?;
    if !path.exists() {
        write_whole(&path, jpeg).await.map_err(|e| refuse(format!("could not be kept: {e}")))?;
    }
    Ok(hash)
}

/// Field of a form with the photos it brought before a fault sent it back.
const KEPT: &str = "kept_photos";

/// Files every photo a form brings: those it brought before, then those picked now. Their hashes stay in the form, so that the page that
/// comes back for a fault still has them. What is wrong with one is told at `photo`.
pub async fn brought(folder: &Path, form: &mut Submission, faults: &mut Faults) -> Vec<String> {
    let there = |hash: &&str| path(folder, hash).is_some_and(|path| path.exists());
    let mut all: Vec<String> =
        form.get(KEPT).split_whitespace().filter(there).take(MOST_PHOTOS).map(str::to_owned).collect();
    for upload in std::mem::take(&mut form.uploads) {
        match file(folder, upload).await {
            Ok(hash) if !all.contains(&hash) => all.push(hash),
            Ok(_) => {}
            Err(e) => faults.add(e),
        }
    }
    form.set(KEPT, all.join(" "));
    all
}

/// The one photo a form may bring: what was picked last.
pub async fn optional(folder: &Path, form: &mut Submission, faults: &mut Faults) -> Option<String> {
    let last = brought(folder, form, faults).await.pop();
    form.set(KEPT, last.clone().unwrap_or_default());
    last
}

/// Longest side of a picture brought to true scale, pixels.
const TRUE_SIDE: f64 = 1_400.0;

/// A photograph seen square on: `corners` of the stretch shown, mm, y up, and where each of its places is seen in the photograph.
pub async fn warped(
    path: PathBuf,
    corners: [[f64; 2]; 2],
    seen: impl Fn([f64; 2]) -> Option<[f64; 2]> + Send + 'static,
) -> Result<Vec<u8>, AppError> {
    let broken = |e: &dyn std::fmt::Display| AppError::Broken(e.to_string());
    let _room = UNPACKING.acquire().await.map_err(|e| broken(&e))?;
    let work = move || -> Result<Vec<u8>, Unfit> {
        let photo = image::open(&path)?.into_rgb8();
        let [low, high] = corners;
        let (wide, tall) = (high[0] - low[0], high[1] - low[1]);
        let per = TRUE_SIDE / wide.max(tall).max(1.0);
        let (columns, rows) = ((wide * per).ceil().max(1.0) as u32, (tall * per).ceil().max(1.0) as u32);
        let picture = image::RgbImage::from_fn(columns, rows, |column, row| {
            let mm = [low[0] + (f64::from(column) + 0.5) / per, high[1] - (f64::from(row) + 0.5) / per];
            let at = seen(mm).map(|[x, y]| [x as f32 - 0.5, y as f32 - 0.5]);
            at.and_then(|[x, y]| interpolate_bilinear(&photo, x, y)).unwrap_or(image::Rgb([236, 233, 226]))
        });
        let mut jpeg = Vec::new();
        JpegEncoder::new_with_quality(Cursor::new(&mut jpeg), QUALITY).encode_image(&picture)?;
        Ok(jpeg)
    };
    let done = tokio::task::spawn_blocking(work).await.map_err(|e| broken(&e))?;
    done.map_err(|_| AppError::NotFound("photo"))
}

/// Longest side of a small picture, pixels.
const SMALL_SIDE: u32 = 360;

/// A small picture of a photo, made when it is first asked for. `None` when there is no such photo.
pub async fn small(folder: &Path, hash: &str) -> Option<PathBuf> {
    let (whole, small) = (path(folder, hash)?, folder.join(format!("{hash}.small.jpg")));
    if small.exists() {
        return Some(small);
    }
    let bytes = tokio::fs::read(whole).await.ok()?;
    let jpeg = tokio::task::spawn_blocking(move || {
        let picture = image::load_from_memory(&bytes)?.thumbnail(SMALL_SIDE, SMALL_SIDE);
        let mut jpeg = Vec::new();
        JpegEncoder::new_with_quality(&mut jpeg, QUALITY).encode_image(&picture.to_rgb8())?;
        Ok::<_, image::ImageError>(jpeg)
    })
    .await
    .ok()?
    .ok()?;
    write_whole(&small, jpeg).await.ok()?;
    Some(small)
}

/// Decodes, honours the camera's orientation, and encodes anew: location and all other marks are gone.
fn upright_jpeg(bytes: &[u8]) -> Result<Vec<u8>, Unfit> {
    let mut reader = ImageReader::new(Cursor::new(bytes)).with_guessed_format().map_err(|_| Unfit::Unreadable)?;
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_MEMORY);
    reader.limits(limits);
    let mut decoder = reader.into_decoder()?;
    let (width, height) = decoder.dimensions();
    let pixels = u64::from(width) * u64::from(height);
    if pixels > most_pixels() {
        return Err(Unfit::Large(pixels / 1_000_000));
    }
    let orientation = decoder.orientation()?;
    let mut picture = DynamicImage::from_decoder(decoder)?;
    picture.apply_orientation(orientation);
    if picture.width().max(picture.height()) > LARGEST_SIDE {
        picture = picture.resize(LARGEST_SIDE, LARGEST_SIDE, image::imageops::FilterType::Triangle);
    }
    let mut jpeg = Vec::new();
    JpegEncoder::new_with_quality(&mut jpeg, QUALITY).encode_image(&picture.to_rgb8())?;
    Ok(jpeg)
}

/// Whether a file is a photo as this program keeps them; the error says what it is instead.
pub fn is_ours(path: &Path) -> Result<(), String> {
    let reader = ImageReader::open(path).and_then(ImageReader::with_guessed_format).map_err(|e| e.to_string())?;
    if reader.format() != Some(ImageFormat::Jpeg) {
        return Err("is no JPEG".to_owned());
    }
    let (width, height) = reader.into_dimensions().map_err(|_| "cannot be read".to_owned())?;
    if width.max(height) > LARGEST_SIDE {
        return Err(format!("is {width} × {height} pixels: no side is longer than {LARGEST_SIDE}"));
    }
    Ok(())
}

/// Where a photo lies; `None` when that is no hash of ours.
pub fn path(folder: &Path, hash: &str) -> Option<PathBuf> {
    let is_hash = hash.len() == 64 && hash.bytes().all(|b| b.is_ascii_hexdigit() && !b.is_ascii_uppercase());
    is_hash.then(|| folder.join(format!("{hash}.jpg")))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn picture(side: u32) -> Vec<u8> {
        let mut bytes = Vec::new();
        DynamicImage::new_rgb8(side, side / 2).write_to(&mut Cursor::new(&mut bytes), ImageFormat::Png).unwrap();
        bytes
    }

    #[test]
    fn a_large_picture_is_made_smaller_and_nonsense_is_refused() {
        let jpeg = upright_jpeg(&picture(3_000)).unwrap();
        let back = image::load_from_memory(&jpeg).unwrap();
        assert_eq!((back.width(), back.height()), (2_400, 1_200));
        assert!(upright_jpeg(b"GIF89a not really").is_err());
        assert!(upright_jpeg(&picture(40)[..60]).is_err());
    }

    #[test]
    fn a_small_file_of_very_many_pixels_is_refused_by_its_header() {
        // A PNG that says it is 30,000 pixels square and has no more than its header.
        let mut png = picture(40);
        let size = 30_000u32.to_be_bytes();
        png[16..20].copy_from_slice(&size);
        png[20..24].copy_from_slice(&size);
        let sum = crc(&png[12..29]);
        png[29..33].copy_from_slice(&sum.to_be_bytes());
        assert!(matches!(upright_jpeg(&png), Err(Unfit::Large(900))));
    }

    /// The checksum of a PNG's chunk (ISO 3309).
    fn crc(bytes: &[u8]) -> u32 {
        !bytes.iter().fold(!0u32, |crc, byte| {
            (0..8).fold(crc ^ u32::from(*byte), |c, _| if c & 1 == 1 { 0xEDB8_8320 ^ (c >> 1) } else { c >> 1 })
        })
    }

    #[test]
    fn a_photo_from_elsewhere_is_a_jpeg_no_larger_than_ours() {
        let room = tempfile::TempDir::new().unwrap();
        let file = |bytes: Vec<u8>| {
            let path = room.path().join("x.jpg");
            std::fs::write(&path, bytes).unwrap();
            is_ours(&path)
        };
        assert_eq!(file(upright_jpeg(&picture(300)).unwrap()), Ok(()));
        assert!(file(picture(300)).unwrap_err().contains("no JPEG"));
        assert!(file(b"<svg onload=alert(1)>".to_vec()).is_err());
        let mut large = Vec::new();
        DynamicImage::new_rgb8(2_500, 4).write_to(&mut Cursor::new(&mut large), ImageFormat::Jpeg).unwrap();
        assert!(file(large).unwrap_err().contains("2500 × 4 pixels"));
    }

    #[test]
    fn only_a_hash_names_a_photo() {
        let folder = Path::new("photos");
        assert!(path(folder, &"a".repeat(64)).is_some());
        for bad in ["", "../../etc/passwd", &"A".repeat(64), &"a".repeat(63), &format!("{}/", "a".repeat(63))] {
            assert!(path(folder, bad).is_none(), "{bad}");
        }
    }
}
