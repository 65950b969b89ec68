use thiserror::Error;

/// A value that cannot be worked with. Nothing was computed and nothing has changed.
///
/// `field` is the dotted path of the input as the caller knows it (`plank.thickness`), so that a form
/// or a script can show `message` where the value was typed.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("{field}: {message}")]
pub struct InputError {
    pub field: String,
    pub message: String,
}

impl InputError {
    pub fn new(field: impl Into<String>, message: impl Into<String>) -> Self {
        Self { field: field.into(), message: message.into() }
    }

    /// The field a form has for it, without the place in a list: `taper` of `taper[2]`, `marks` of `marks[0].px`.
    pub fn root(&self) -> &str {
        self.field.split(['[', '.']).next().unwrap_or_default()
    }

    /// The same error, seen from one level further out: `width` becomes `plank.width`.
    pub fn within(mut self, outer: &str) -> Self {
        let dot = if outer.is_empty() || self.field.is_empty() { "" } else { "." };
        self.field = format!("{outer}{dot}{}", self.field);
        self
    }
}

/// The largest length anything here is asked to work with, mm: one kilometre. Beyond it a typing
/// error is far more likely than a boat.
pub const LENGTH_LIMIT_MM: f64 = 1_000_000.0;

/// A finite number greater than zero.
pub fn positive(field: &str, value: f64) -> Result<f64, InputError> {
    if !value.is_finite() {
        return Err(InputError::new(field, "must be a number"));
    }
    if value <= 0.0 {
        return Err(InputError::new(field, format!("must be greater than 0, was {value}")));
    }
    Ok(value)
}

/// A length in mm: greater than zero and no longer than [`LENGTH_LIMIT_MM`].
pub fn length(field: &str, value: f64) -> Result<f64, InputError> {
    positive(field, value)?;
    within(field, value, 0.0, LENGTH_LIMIT_MM)
}

/// A finite number between two bounds, both allowed.
pub fn within(field: &str, value: f64, low: f64, high: f64) -> Result<f64, InputError> {
    if !value.is_finite() {
        return Err(InputError::new(field, "must be a number"));
    }
    if value < low || value > high {
        return Err(InputError::new(field, format!("must be between {low} and {high}, was {value}")));
    }
    Ok(value)
}
