//! A yard's own recipes; a change is a new version, and the old one stays for the plans made by it.

use mend_keel_core::finish::Step;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A recipe in force.
#[derive(Debug, Clone, FromRow)]
pub struct Own {
    pub id: i64,
    pub code: String,
    pub name: String,
    #[sqlx(json)]
    pub steps: Vec<Step>,
    pub by_name: String,
    pub at: String,
}

/// Every recipe of the yard's own, by name.
pub async fn all(store: &Store) -> Result<Vec<Own>> {
    let sql = "SELECT id, code, name, steps, by_name, at FROM recipe WHERE superseded = 0 ORDER BY name, id";
    Ok(sqlx::query_as(sql).fetch_all(store.pool()).await?)
}

impl Work {
    /// Keeps a recipe: a new one, or the next version of the one with the id it was read under. Gives its code.
    ///
    /// [`StoreError::Conflict`] where somebody else changed it meanwhile.
    pub async fn keep_recipe(&mut self, was: Option<&Own>, name: &str, steps: &[Step]) -> Result<String> {
        let code = match was {
            Some(was) => {
                let done = sqlx::query("UPDATE recipe SET superseded = 1 WHERE id = ? AND superseded = 0")
                    .bind(was.id)
                    .execute(&mut *self.tx)
                    .await?;
                if done.rows_affected() == 0 {
                    return Err(StoreError::Conflict(
                        "somebody else changed this recipe meanwhile: look at it again".into(),
                    ));
                }
                was.code.clone()
            }
            None => {
                let (last,): (i64,) =
                    sqlx::query_as("SELECT coalesce(max(id), 0) FROM recipe").fetch_one(&mut *self.tx).await?;
                format!("own{}", last + 1)
            }
        };
        sqlx::query("INSERT INTO recipe (code, name, steps, by_name, at) VALUES (?, ?, ?, ?, ?)")
            .bind(&code)
            .bind(name)
            .bind(serde_json::to_string(steps)?)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let verb = if was.is_some() { "changed" } else { "written down" };
        let body = json!({ "code": code, "name": name, "steps": steps });
        self.note(None, None, "recipe", &format!("Recipe {verb}: {name}, {} coats", steps.len()), &body).await?;
        Ok(code)
    }

    /// Takes a recipe off the list; plans made by it stay.
    pub async fn drop_recipe(&mut self, was: &Own) -> Result<()> {
        let done = sqlx::query("UPDATE recipe SET superseded = 1 WHERE id = ? AND superseded = 0")
            .bind(was.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() > 0 {
            let body = json!({ "code": was.code });
            self.note(None, None, "recipe", &format!("Recipe taken off the list: {}", was.name), &body).await?;
        }
        Ok(())
    }
}
