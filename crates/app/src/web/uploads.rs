//! A table somebody hands in, and what is wrong with it.

use mend_keel_core::InputError;

use crate::web::form::Submission;

/// What is wrong with a cell of a file.
#[derive(Debug)]
pub struct FaultView {
    pub line: u64,
    pub column: String,
    pub message: String,
}

/// The bytes of a form's file. Errors name `file`.
pub fn uploaded(form: &mut Submission) -> std::result::Result<Vec<u8>, InputError> {
    let upload = form.uploads.pop().ok_or_else(|| InputError::new("file", "pick a file"))?;
    if upload.too_large {
        return Err(InputError::new("file", "is too large"));
    }
    Ok(upload.bytes)
}
