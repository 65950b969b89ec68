//! From what was typed to core types: a form is read field by field, all faults are found at once, and what
//! was typed is kept to be shown again.

use std::collections::{BTreeMap, HashMap};

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::InputError;
use mend_keel_core::units::{LengthUnit, parse_length};
use mend_keel_store::Act;
use rocket::data::{Data, FromData, Outcome as DataOutcome, ToByteUnit};
use rocket::form::{DataField, Form, FromForm, Options, ValueField};
use rocket::http::Status;
use rocket::outcome::Outcome;
use rocket::request::{FromRequest, Request};

use crate::view::Units;
use crate::web::auth::User;

/// A photo as it was sent. Larger than [`PHOTO_LIMIT`] it is cut off and marked.
#[derive(Debug, Default, Clone)]
pub struct Upload {
    pub bytes: Vec<u8>,
    pub too_large: bool,
}

/// Largest photo taken, MiB.
pub const PHOTO_LIMIT: u64 = 20;
/// Largest dossier taken by a page, MiB; the command line takes any.
pub const DOSSIER_LIMIT: u64 = 64;
/// Most files taken with one form.
pub const MOST_PHOTOS: usize = 6;

/// Every field of a form as text, and its file if it has one.
#[derive(Debug, Default, Clone)]
pub struct Submission {
    fields: BTreeMap<String, String>,
    /// Files, in the order they were picked; no more than [`MOST_PHOTOS`].
    pub uploads: Vec<Upload>,
}

#[rocket::async_trait]
impl<'r> FromForm<'r> for Submission {
    type Context = Self;

    fn init(_: Options) -> Self {
        <Self as Default>::default()
    }

    fn push_value(into: &mut Self, field: ValueField<'r>) {
        // The first of two fields of one name counts, as it does for a person reading down the page.
        into.fields.entry(field.name.source().to_string()).or_insert_with(|| field.value.to_owned());
    }

    async fn push_data(into: &mut Self, field: DataField<'r, '_>) {
        let most = if field.name.source() == "dossier" { DOSSIER_LIMIT } else { PHOTO_LIMIT };
        let Ok(capped) = field.data.open(most.mebibytes()).into_bytes().await else {
            return;
        };
        if !capped.is_empty() && into.uploads.len() < MOST_PHOTOS {
            into.uploads.push(Upload { too_large: !capped.is_complete(), bytes: capped.into_inner() });
        }
    }

    fn finalize(done: Self) -> rocket::form::Result<'r, Self> {
        Ok(done)
    }
}

impl Submission {
    pub fn get(&self, field: &str) -> &str {
        self.fields.get(field).map_or("", String::as_str)
    }

    /// Every field with its value.
    pub fn fields(&self) -> impl Iterator<Item = (&str, &str)> {
        self.fields.iter().map(|(k, v)| (k.as_str(), v.as_str()))
    }

    /// Puts a field in another's stead, before it is read.
    pub fn set(&mut self, field: &str, value: String) {
        self.fields.insert(field.to_owned(), value);
    }

    /// What was typed, for showing the form again.
    pub fn typed(&self) -> Typed {
        Typed(self.fields.clone())
    }

    /// When it was done: as the device says that kept it until there was a signal, where that can be.
    pub fn made_at(&self, now: Timestamp) -> Timestamp {
        let told = self.get("made_at").parse().ok();
        told.filter(|at: &Timestamp| *at <= now && now.duration_since(*at) <= LATE).unwrap_or(now)
    }
}

/// What waited on a device for a signal is believed to be so old at most.
const LATE: SignedDuration = SignedDuration::from_hours(24 * 30);

/// Values to show in a form's fields: as typed, or as stored.
#[derive(Debug, Default, Clone)]
pub struct Typed(BTreeMap<String, String>);

impl Typed {
    pub fn get(&self, field: &str) -> &str {
        self.0.get(field).map_or("", String::as_str)
    }

    pub fn is(&self, field: &str, value: &str) -> bool {
        self.get(field) == value
    }

    /// Where what is kept differs from what somebody typed meanwhile: label, kept, typed.
    pub fn against(&self, typed: &Self, fields: &[(&str, &'static str)]) -> Vec<(&'static str, String, String)> {
        let plain = |text: &str| text.replace('\r', "").trim().to_owned();
        fields
            .iter()
            .map(|(field, label)| (*label, self.get(field), typed.get(field)))
            .filter(|(_, kept, typed)| plain(kept) != plain(typed))
            .map(|(label, kept, typed)| (label, kept.to_owned(), typed.to_owned()))
            .collect()
    }

    /// These values with others over them.
    pub fn over(mut self, others: &Self) -> Self {
        self.0.extend(others.0.clone());
        self
    }

    pub fn with(mut self, field: &str, value: impl Into<String>) -> Self {
        self.0.insert(field.to_owned(), value.into());
        self
    }
}

/// A form from a signed-in person, its token checked: taking one is what makes a route safe to post to.
#[derive(Debug)]
pub struct Posted {
    pub user: User,
    pub form: Submission,
}

#[rocket::async_trait]
impl<'r> FromData<'r> for Posted {
    type Error = ();

    async fn from_data(request: &'r Request<'_>, data: Data<'r>) -> DataOutcome<'r, Self> {
        let user = match User::from_request(request).await {
            Outcome::Success(user) => user,
            Outcome::Error((status, ())) => return DataOutcome::Error((status, ())),
            Outcome::Forward(status) => return DataOutcome::Error((status, ())),
        };
        let form = match Form::<Submission>::from_data(request, data).await {
            Outcome::Success(form) => form.into_inner(),
            Outcome::Error((status, _)) => return DataOutcome::Error((status, ())),
            Outcome::Forward((_, status)) => return DataOutcome::Error((status, ())),
        };
        if form.get("csrf") != user.csrf {
            return DataOutcome::Error((Status::Forbidden, ()));
        }
        DataOutcome::Success(Self { user, form })
    }
}

impl Posted {
    /// Who acts, now, with the form's one-time key.
    pub fn act(&self) -> Act {
        let key = self.form.get("once");
        Act::now(&self.user.account.name, (!key.is_empty()).then_some(key))
    }
}

/// Messages by the field they belong to.
#[derive(Debug, Default, Clone)]
pub struct Faults {
    said: HashMap<String, String>,
    /// The yard's own unit, in which lengths of the core are said.
    unit: Option<LengthUnit>,
}

impl Faults {
    /// None yet, said in the unit of a yard.
    pub fn said_in(units: Units) -> Self {
        Self { unit: Some(units.unit), ..Self::default() }
    }

    pub fn at(&self, field: &str) -> &str {
        self.said.get(field).map_or("", String::as_str)
    }

    pub fn has(&self, field: &str) -> bool {
        self.said.contains_key(field)
    }

    pub fn is_empty(&self) -> bool {
        self.said.is_empty()
    }

    pub fn count(&self) -> usize {
        self.said.len()
    }

    /// One of them: field and message.
    pub fn first(&self) -> Option<(&str, &str)> {
        self.said.iter().next().map(|(field, message)| (field.as_str(), message.as_str()))
    }

    pub fn add(&mut self, error: InputError) {
        let unit = self.unit.unwrap_or(LengthUnit::Millimetre);
        let said = Units { unit, denominator: 16 }.words(&error.message);
        self.said.entry(error.field).or_insert(said);
    }

    /// An error inside a list belongs to the field the list was typed in.
    pub fn add_listed(&mut self, error: &InputError) {
        self.add(InputError::new(error.root(), error.message.clone()));
    }

    /// Core errors name the core's fields: what the form does not show is gathered under one it does.
    pub fn add_under(&mut self, field: &str, error: InputError) {
        self.add(InputError::new(field, error.message));
    }
}

/// Reads a form's fields into values, gathering every fault.
#[derive(Debug)]
pub struct Reader<'f> {
    form: &'f Submission,
    unit: LengthUnit,
    pub faults: Faults,
}

/// Longest one-line text taken.
pub const NAME_LIMIT: usize = 120;
/// Longest note taken.
pub const NOTE_LIMIT: usize = 4_000;

impl<'f> Reader<'f> {
    pub fn new(form: &'f Submission, unit: LengthUnit) -> Self {
        Self { form, unit, faults: Faults { unit: Some(unit), ..Faults::default() } }
    }

    fn fault(&mut self, field: &str, message: impl Into<String>) {
        self.faults.add(InputError::new(field, message));
    }

    /// A text that must be there, trimmed.
    pub fn name(&mut self, field: &str) -> String {
        let text = self.text(field, NAME_LIMIT);
        if text.is_empty() && !self.faults.has(field) {
            self.fault(field, "must not be empty");
        }
        text
    }

    /// A text that may be empty, trimmed.
    pub fn text(&mut self, field: &str, limit: usize) -> String {
        let text = self.form.get(field).trim().to_owned();
        let length = text.chars().count();
        if length > limit {
            self.fault(field, format!("must have no more than {limit} characters, has {length}"));
        }
        if text.chars().any(|c| c.is_control() && c != '\n' && c != '\r' && c != '\t') {
            self.fault(field, "holds characters that cannot be shown");
        }
        text
    }

    /// A length that must be there, mm.
    pub fn length(&mut self, field: &str) -> f64 {
        match parse_length(self.form.get(field), self.unit) {
            Ok(mm) => mm,
            Err(e) => {
                self.fault(field, e.message);
                f64::NAN
            }
        }
    }

    /// A length greater than zero, mm.
    pub fn size(&mut self, field: &str) -> f64 {
        let mm = self.length(field);
        if mm <= 0.0 {
            self.fault(field, "must be greater than 0");
        }
        mm
    }

    pub fn optional_length(&mut self, field: &str) -> Option<f64> {
        if self.form.get(field).trim().is_empty() { None } else { Some(self.length(field)) }
    }

    /// A number between two bounds; a comma may stand for the point.
    pub fn number(&mut self, field: &str, low: f64, high: f64) -> f64 {
        let text = self.form.get(field).trim().replace(',', ".");
        match text.parse::<f64>() {
            Ok(n) if n.is_finite() && (low..=high).contains(&n) => n,
            Ok(_) => {
                self.fault(field, format!("must be between {low} and {high}"));
                f64::NAN
            }
            Err(_) if text.is_empty() => {
                self.fault(field, "must not be empty");
                f64::NAN
            }
            Err(_) => {
                self.fault(field, "must be a number");
                f64::NAN
            }
        }
    }

    pub fn optional_number(&mut self, field: &str, low: f64, high: f64) -> Option<f64> {
        if self.form.get(field).trim().is_empty() { None } else { Some(self.number(field, low, high)) }
    }

    pub fn whole(&mut self, field: &str, low: u32, high: u32) -> u32 {
        match self.form.get(field).trim().parse::<i64>() {
            Ok(n) if (i64::from(low)..=i64::from(high)).contains(&n) => n as u32,
            Ok(_) => {
                self.fault(field, format!("must be between {low} and {high}"));
                low
            }
            Err(_) => {
                self.fault(field, format!("must be a whole number between {low} and {high}"));
                low
            }
        }
    }

    pub fn optional_whole(&mut self, field: &str, low: u32, high: u32) -> Option<u32> {
        if self.form.get(field).trim().is_empty() { None } else { Some(self.whole(field, low, high)) }
    }

    /// One of a closed list.
    pub fn choice<T>(&mut self, field: &str, from_code: impl Fn(&str) -> Option<T>) -> Option<T> {
        let found = from_code(self.form.get(field));
        if found.is_none() {
            self.fault(field, "choose one");
        }
        found
    }

    /// From one to another of so many, counted from one; the second is not before the first.
    pub fn span(&mut self, from: &str, to: &str, last: u32) -> (u32, u32) {
        let (a, b) = (self.whole(from, 1, last), self.whole(to, 1, last));
        if a > b && !self.faults.has(to) {
            self.fault(to, "must not be before the first");
        }
        (a, b)
    }

    /// One of a closed list, or none when the field is empty.
    pub fn optional_choice<T: Copy>(&mut self, field: &str, from_code: impl Fn(&str) -> Option<T>) -> Option<T> {
        if self.form.get(field).is_empty() { None } else { self.choice(field, from_code) }
    }

    /// Whether a box is ticked.
    pub fn is_on(&self, field: &str) -> bool {
        matches!(self.form.get(field), "1" | "on")
    }

    /// Points typed one to a line as `x, y`: lengths in the yard's unit or with their own.
    pub fn points(&mut self, field: &str) -> Vec<[f64; 2]> {
        const MOST: usize = 200;
        let mut points = Vec::new();
        for (i, line) in self.form.get(field).lines().enumerate().filter(|(_, line)| !line.trim().is_empty()) {
            let pair = line
                .split_once([',', ';'])
                .and_then(|(x, y)| Some([parse_length(x, self.unit).ok()?, parse_length(y, self.unit).ok()?]));
            match pair {
                Some(point) if points.len() < MOST => points.push(point),
                Some(_) => {
                    self.fault(field, format!("takes no more than {MOST} points"));
                    break;
                }
                None => self.fault(field, format!("line {}: write a point as x, y", i + 1)),
            }
        }
        points
    }

    /// The faults, if there are any.
    pub fn finish(self) -> Result<(), Faults> {
        if self.faults.is_empty() { Ok(()) } else { Err(self.faults) }
    }
}

/// A day as a person types it into a date field; the fault is told at the field.
pub fn day(read: &mut Reader<'_>, field: &str) -> Option<String> {
    let text = read.text(field, 20);
    if text.is_empty() {
        return None;
    }
    match text.parse::<jiff::civil::Date>() {
        Ok(date) => Some(date.to_string()),
        Err(_) => {
            read.faults.add(InputError::new(field, "write a day as 2026-03-01"));
            None
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(fields: &[(&str, &str)]) -> Submission {
        Submission {
            fields: fields.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect(),
            uploads: Vec::new(),
        }
    }

    #[test]
    fn what_waited_for_a_signal_is_as_old_as_it_is_and_a_clock_that_is_off_is_not_believed() {
        let now: Timestamp = "2026-11-26T12:00:00Z".parse().unwrap();
        let at = |told: &str| form(&[("made_at", told)]).made_at(now).to_string();
        assert_eq!(at("2026-11-26T07:30:00.123Z"), "2026-11-26T07:30:00.123Z");
        for none in ["", "yesterday", "2026-11-26T12:00:01Z", "2026-09-01T00:00:00Z"] {
            assert_eq!(at(none), now.to_string(), "{none}");
        }
    }

    #[test]
    fn a_fault_of_the_core_speaks_the_unit_the_form_is_read_in() {
        let form = form(&[]);
        let mut read = Reader::new(&form, LengthUnit::Inch);
        read.faults.add(InputError::new("thickness", "must be between 25.4 and 304.8 mm"));
        assert_eq!(read.faults.at("thickness"), "must be between 1\" and 12\"");
        let mut plain = Faults::default();
        plain.add(InputError::new("thickness", "must be between 25.4 and 304.8 mm"));
        assert_eq!(plain.at("thickness"), "must be between 25.4 and 304.8 mm");
    }

    #[test]
    fn every_fault_of_a_form_is_found_at_once() {
        let form = form(&[("name", " "), ("length", "long"), ("depth", "-3"), ("frames", "1e3"), ("shape", "1,2\nx")]);
        let mut read = Reader::new(&form, LengthUnit::Millimetre);
        read.name("name");
        read.length("length");
        read.size("depth");
        read.whole("frames", 4, 120);
        read.points("shape");
        read.choice("school", |_| None::<u8>);
        let faults = read.finish().unwrap_err();
        assert_eq!(faults.count(), 6);
        assert_eq!(faults.at("shape"), "line 2: write a point as x, y");
        assert_eq!(faults.at("depth"), "must be greater than 0");
    }

    #[test]
    fn points_take_the_yards_own_unit() {
        let form = form(&[("shape", "1/2, 2\n3-0-0; 10 mm\n")]);
        let mut read = Reader::new(&form, LengthUnit::Inch);
        assert_eq!(read.points("shape"), vec![[12.7, 50.8], [914.4, 10.0]]);
        assert!(read.finish().is_ok());
    }

    #[test]
    fn a_name_of_ten_thousand_characters_is_refused_and_markup_is_only_text() {
        let long = "x".repeat(10_000);
        let form = form(&[("name", &long), ("other", "<b>Wren</b>'; DROP")]);
        let mut read = Reader::new(&form, LengthUnit::Millimetre);
        read.name("name");
        assert_eq!(read.name("other"), "<b>Wren</b>'; DROP");
        assert!(read.finish().unwrap_err().at("name").contains("120"));
    }
}
