//! Sample boards: a seam laid on the bench before it is laid on the boat.

use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, Work};

/// How the compound held when the board was bent or the seam pulled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hold {
    Waits,
    Held,
    Tore,
    LetGo,
    Soft,
}

impl Hold {
    pub const ALL: &'static [Self] = &[Self::Waits, Self::Held, Self::Tore, Self::LetGo, Self::Soft];

    pub fn code(self) -> &'static str {
        match self {
            Self::Waits => "waits",
            Self::Held => "held",
            Self::Tore => "tore",
            Self::LetGo => "let_go",
            Self::Soft => "soft",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Self::Waits => "still curing",
            Self::Held => "held to both sides",
            Self::Tore => "tore in itself",
            Self::LetGo => "let go of the wood",
            Self::Soft => "stayed soft",
        }
    }

    pub fn from_code(code: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|h| h.code() == code)
    }
}

impl TryFrom<String> for Hold {
    type Error = String;

    fn try_from(code: String) -> std::result::Result<Self, String> {
        Self::from_code(&code).ok_or(code)
    }
}

/// A sample board. `laid_on` as `2026-03-01`, the seam's width in mm, the cure in days; `good` is none until it is judged.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Sample {
    pub id: i64,
    pub boat_id: i64,
    pub laid_on: String,
    pub compound: String,
    pub primer: String,
    pub colour: String,
    pub seam_width: f64,
    pub cured_after: Option<f64>,
    #[sqlx(try_from = "String")]
    pub hold: Hold,
    pub good: Option<bool>,
    pub note: String,
    pub photo: Option<String>,
    pub by_name: String,
}

/// A boat's sample boards, the newest first.
pub async fn of_boat(store: &Store, boat: i64) -> Result<Vec<Sample>> {
    let sql = "SELECT id, boat_id, laid_on, compound, primer, colour, seam_width, cured_after, hold, good, note, photo, by_name FROM sample_board WHERE boat_id = ? AND withdrawn = 0 ORDER BY laid_on DESC, id DESC";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

/// The boats a photo shows a sample board of.
pub async fn boats_with_photo(store: &Store, hash: &str) -> Result<Vec<i64>> {
    let sql = "SELECT DISTINCT boat_id FROM sample_board WHERE photo = ?";
    Ok(sqlx::query_scalar(sql).bind(hash).fetch_all(store.pool()).await?)
}

impl Work {
    /// Keeps a sample board; its `id` and `by_name` are given here.
    pub async fn add_sample(&mut self, new: &Sample) -> Result<i64> {
        let id = sqlx::query("INSERT INTO sample_board (boat_id, laid_on, compound, primer, colour, seam_width, cured_after, hold, good, note, photo, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.boat_id)
            .bind(&new.laid_on)
            .bind(&new.compound)
            .bind(&new.primer)
            .bind(&new.colour)
            .bind(new.seam_width)
            .bind(new.cured_after)
            .bind(new.hold.code())
            .bind(new.good)
            .bind(&new.note)
            .bind(&new.photo)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "sample": id, "laid_on": new.laid_on, "primer": new.primer, "colour": new.colour, "width_mm": new.seam_width, "cured_after_days": new.cured_after, "good": new.good, "note": new.note, "photo": new.photo });
        let told = format!("Sample board of {}: {}", new.compound, new.hold.label());
        self.note(Some(new.boat_id), None, "sample_board", &told, &body).await?;
        Ok(id)
    }

    /// Says how a board came out.
    pub async fn judge_sample(
        &mut self,
        sample: &Sample,
        hold: Hold,
        cured_after: Option<f64>,
        good: Option<bool>,
    ) -> Result<()> {
        sqlx::query("UPDATE sample_board SET hold = ?, cured_after = ?, good = ? WHERE id = ?")
            .bind(hold.code())
            .bind(cured_after)
            .bind(good)
            .bind(sample.id)
            .execute(&mut *self.tx)
            .await?;
        let verdict = match good {
            Some(true) => ", good for the boat",
            Some(false) => ", not for the boat",
            None => "",
        };
        let told = format!("Sample board of {}: {}{verdict}", sample.compound, hold.label());
        let body = json!({ "sample": sample.id, "hold": hold.code(), "cured_after_days": cured_after, "good": good });
        self.note(Some(sample.boat_id), None, "sample_board", &told, &body).await?;
        Ok(())
    }

    /// Sets a board aside; what was found stays told.
    pub async fn withdraw_sample(&mut self, sample: &Sample) -> Result<()> {
        if !self.set_aside("sample_board", sample.id).await? {
            return Ok(());
        }
        let told = format!("Sample board of {} set aside", sample.compound);
        self.note(Some(sample.boat_id), None, "sample_board", &told, &json!({ "sample": sample.id })).await?;
        Ok(())
    }
}
