//! The second to save: a form is refused where what it changes is no longer as the form was shown.

use mend_keel_store::StoreError;

use crate::web::changed::{Changed, Kept};
use crate::web::error::AppError;
use crate::web::form::Posted;

impl Posted {
    /// Refuses the form where what it changes is no longer as the form was shown. A form that does not say what it was shown with, such
    /// as one put by without signal, is taken.
    pub fn still(&self, what: &str, kept: &Kept) -> Result<(), AppError> {
        let was = self.form.get("was");
        if was.is_empty() || was == kept.token() {
            return Ok(());
        }
        Err(self.changed(what, kept.against(|field| self.form.get(field)), &[("was", kept.token())]))
    }

    /// Both versions of a thing that was changed meanwhile. `now` are the fields that let the form be sent again.
    pub fn changed(&self, what: &str, rows: Vec<(String, String, String)>, now: &[(&str, String)]) -> AppError {
        let mut fields: Vec<(String, String)> = self.form.fields().map(|(k, v)| (k.to_owned(), v.to_owned())).collect();
        for (field, value) in now {
            fields.retain(|(k, _)| k != field);
            fields.push(((*field).to_owned(), value.clone()));
        }
        AppError::Changed(Box::new(Changed { what: what.to_owned(), rows, fields }))
    }

    /// The same for what the store found stale; any other error is passed on.
    pub fn stale(
        &self,
        error: StoreError,
        what: &str,
        rows: impl FnOnce() -> Vec<(String, String, String)>,
        now: &[(&str, String)],
    ) -> AppError {
        match error {
            StoreError::Stale(_) => self.changed(what, rows(), now),
            other => other.into(),
        }
    }
}
