//! The desk a request is worked at, and the frame round every page.

use askama::Template;
use mend_keel_store::Store;
use mend_keel_store::accounts::{Now, Role, Yard};
use rocket::State;
use rocket::http::Status;
use rocket::request::{FromRequest, Outcome, Request};

use crate::view::Units;
use crate::view::line_of_work::BoatBar;
use crate::web::assets;
use crate::web::auth::{User, random_token};
use crate::web::error::{Answer, AppError, Result};
use crate::web::front;
use crate::web::settings::{Mode, Settings, yard_unit};

/// What a request is worked at: the store, the yard's ways, who asks, and how they want the screen.
#[derive(Debug)]
pub struct Desk<'r> {
    pub store: &'r Store,
    pub settings: &'r Settings,
    /// What the store's version was before anything was read for this.
    pub version: i64,
    pub yard: Yard,
    pub units: Units,
    pub user: User,
    pub surface: &'static str,
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for Desk<'r> {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        let user = match User::from_request(request).await {
            Outcome::Success(user) => user,
            Outcome::Error(e) => return Outcome::Error(e),
            Outcome::Forward(f) => return Outcome::Forward(f),
        };
        let (Outcome::Success(store), Outcome::Success(settings)) =
            (request.guard::<&State<Store>>().await, request.guard::<&State<Settings>>().await)
        else {
            return Outcome::Error((Status::InternalServerError, ()));
        };
        let Some(Now { version, yard }) = front::now(request, store).await.cloned() else {
            return Outcome::Error((Status::InternalServerError, ()));
        };
        let surface = match request.cookies().get("surface").map(|c| c.value()) {
            Some("daylight") => "daylight",
            Some("bilge") => "bilge",
            _ => "floor",
        };
        let units = Units { unit: yard_unit(&yard.unit), denominator: yard.inch_denominator };
        Outcome::Success(Self { store: store.inner(), settings: settings.inner(), version, units, yard, user, surface })
    }
}

/// The frame round a page.
#[derive(Debug, Clone)]
pub struct Page {
    pub title: String,
    pub yard: String,
    pub unit: &'static str,
    pub who: String,
    pub account: i64,
    pub csrf: String,
    /// A key that lets the page's form count once.
    pub once: String,
    pub surface: &'static str,
    pub stamp: &'static str,
    pub demo: bool,
    /// Practice hulls are worked here, and no boats.
    pub practise: bool,
    /// Simulated instruments are offered.
    pub stand_ins: bool,
    pub may_write: bool,
    /// Hours, who booked them, and costs are shown: to the crew always, to a guest where the yard says so.
    pub sees_costs: bool,
    /// Where this person begins: a guest at the one boat they may read.
    pub home: String,
    pub may_rule: bool,
    pub active: &'static str,
    pub boat: Option<BoatBar>,
}

impl Desk<'_> {
    /// Whether hours and costs are shown to whoever asks.
    pub fn sees_costs(&self) -> bool {
        self.user.account.role != Role::Guest || self.yard.guests_see_costs
    }

    pub fn page(&self, title: &str, active: &'static str) -> Page {
        Page {
            title: title.to_owned(),
            yard: self.yard.name.clone(),
            unit: yard_unit(&self.yard.unit).code(),
            who: self.user.account.name.clone(),
            account: self.user.account.id,
            csrf: self.user.csrf.clone(),
            once: random_token().unwrap_or_default(),
            surface: self.surface,
            stamp: assets::STAMP.as_str(),
            demo: self.settings.mode == Mode::Demo,
            practise: self.settings.mode == Mode::Practise,
            stand_ins: self.yard.stand_ins,
            may_write: self.user.account.role != Role::Guest,
            sees_costs: self.sees_costs(),
            home: self.user.account.guest_boat.map_or("/".to_owned(), |boat| format!("/boats/{boat}")),
            may_rule: self.user.account.role == Role::Owner,
            active,
            boat: None,
        }
    }

    /// Refuses a simulated instrument where the yard did not turn stand-ins on.
    pub fn may_stand_in(&self) -> std::result::Result<(), AppError> {
        if self.yard.stand_ins {
            return Ok(());
        }
        Err(AppError::Refused("simulated instruments are off in this yard: its owner turns them on in Practice".into()))
    }

    pub fn boat_page(&self, boat: impl Into<BoatBar>, title: &str, active: &'static str) -> Page {
        let boat = boat.into();
        let title = format!("{title} · {}", boat.name);
        Page { boat: Some(boat), ..self.page(&title, active) }
    }
}

/// A template as a page.
pub fn render(template: &impl Template) -> Result {
    Ok(Answer::Page(Status::Ok, template.render()?))
}

/// A form shown again with its faults.
pub fn render_faulty(template: &impl Template) -> Result {
    Ok(Answer::Page(Status::UnprocessableEntity, template.render()?))
}
