//! A drawing as the file somebody asked for.

use mend_keel_exchange::drawing::outline::write_csv;
use mend_keel_exchange::drawing::paper::{Sheet, pdf};
use mend_keel_exchange::drawing::{Drawing, Layer, dxf, svg};
use rocket::http::ContentType;

use crate::web::error::{Answer, AppError, Result};
use crate::web::heavy;

/// A drawing as the file asked for: `svg`, `dxf`, `csv` (the outline's points) or a sheet of paper.
pub async fn file(drawing: &Drawing, kind: &str) -> Result {
    let stem: String = drawing
        .name
        .chars()
        .map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' })
        .collect::<String>()
        .split('-')
        .filter(|word| !word.is_empty())
        .collect::<Vec<_>>()
        .join("-");
    match kind {
        "svg" => Ok(Answer::File(format!("{stem}.svg"), ContentType::SVG, svg(drawing).into_bytes())),
        "dxf" => {
            let bytes = dxf::write(drawing).map_err(AppError::Broken)?;
            Ok(Answer::File(format!("{stem}.dxf"), ContentType::new("image", "vnd.dxf"), bytes))
        }
        "csv" => {
            let outline =
                drawing.lines.iter().find(|l| l.layer == Layer::Cut).map(|l| l.points.clone()).unwrap_or_default();
            Ok(Answer::File(format!("{stem}.csv"), ContentType::CSV, write_csv(&outline).into_bytes()))
        }
        sheet => {
            let sheet = Sheet::from_code(sheet).ok_or(AppError::NotFound("kind of file"))?;
            let bytes = heavy::compute(|| pdf(drawing, sheet)).await?.map_err(AppError::Refused)?;
            Ok(Answer::File(format!("{stem}-{}.pdf", sheet.code()), ContentType::PDF, bytes))
        }
    }
}
