//! Pages, in the order of the work; each has its template beside it. What pages share is here: the desk a
//! request is worked at, the frame round every page, and everything kept of one boat.

pub mod bench;
pub mod boats;
pub mod decide;
pub mod fasten;
pub mod finding;
pub mod finish;
pub mod map;
pub mod practice;
pub mod problem;
pub mod rack;
pub mod seams;
pub mod shape;
pub mod sign_in;
pub mod story;
pub mod survey;
pub mod timber;
pub mod today;
pub mod work;
pub mod yard;

use std::collections::HashSet;

use askama::Template;
use mend_keel_core::fastening;
use mend_keel_core::grid::{Address, Joint};
use mend_keel_core::repair::butts::{self, Rule, Violation};
use mend_keel_core::repair::graving::Hole;
use mend_keel_core::survey::{FindingKind, Grade};
use mend_keel_store::Store;
use mend_keel_store::accounts::{self, Role, Yard};
use mend_keel_store::boats::{self as boat_store, Boat, Plank};
use mend_keel_store::decisions::{self, Decision, Piece, PieceState};
use mend_keel_store::findings::{self, Finding};
use mend_keel_store::plans::{self, Coat, Plan};
use mend_keel_store::tasks::{self, Task};
use rocket::http::Status;
use rocket::request::{FromRequest, Outcome, Request};
use rocket::{Route, State};

use crate::auth::{User, random_token};
use crate::error::{Answer, AppError, Result};
use crate::server::{Mode, Settings, yard_unit};
use crate::view::Units;
use crate::{assets, server};

/// Every route but the assets. Who may call one shows in its arguments: `Owner`, `Crew`, `BoatReader`, `User`;
/// what takes a `Posted` has its token checked.
pub fn routes() -> Vec<Route> {
    rocket::routes![
        sign_in::form,
        sign_in::enter,
        sign_in::leave,
        sign_in::first,
        sign_in::first_account,
        today::today,
        today::echo_length,
        boats::list,
        boats::new_form,
        boats::create,
        map::show,
        map::place,
        map::find,
        survey::list,
        finding::new_form,
        finding::create,
        finding::edit_form,
        finding::change,
        finding::withdraw,
        finding::photo,
        decide::list,
        decide::options,
        decide::choose,
        shape::list,
        shape::piece,
        timber::list,
        timber::reserve,
        timber::take,
        fasten::list,
        fasten::keep,
        seams::list,
        seams::keep,
        finish::list,
        finish::keep,
        finish::lay,
        work::list,
        work::start,
        work::stop,
        work::book,
        work::done,
        story::boat,
        story::plank,
        rack::list,
        rack::new_form,
        rack::create,
        rack::board,
        bench::list,
        bench::tool,
        bench::work,
        practice::show,
        practice::save,
        yard::show,
        yard::add,
    ]
}

/// What a request is worked at: the store, the yard's ways, who asks, and how they want the screen.
#[derive(Debug)]
pub struct Desk<'r> {
    pub store: &'r Store,
    pub settings: &'r Settings,
    pub yard: Yard,
    pub units: Units,
    pub user: User,
    surface: &'static str,
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
        let Ok(yard) = accounts::yard(store).await else {
            return Outcome::Error((Status::InternalServerError, ()));
        };
        let surface = match request.cookies().get("surface").map(|c| c.value()) {
            Some("daylight") => "daylight",
            Some("bilge") => "bilge",
            _ => "floor",
        };
        let units = Units { unit: server::yard_unit(&yard.unit), denominator: yard.inch_denominator };
        Outcome::Success(Self { store: store.inner(), settings: settings.inner(), units, yard, user, surface })
    }
}

/// The frame round a page.
#[derive(Debug, Clone)]
pub struct Page {
    pub title: String,
    pub yard: String,
    pub unit: &'static str,
    pub who: String,
    pub csrf: String,
    /// A key that lets the page's form count once.
    pub once: String,
    pub surface: &'static str,
    pub stamp: &'static str,
    pub demo: bool,
    pub may_write: bool,
    pub may_rule: bool,
    pub active: &'static str,
    pub boat: Option<BoatBar>,
}

/// The main line inside a boat.
#[derive(Debug, Clone)]
pub struct BoatBar {
    pub id: i64,
    pub name: String,
    pub stages: Vec<Stage>,
}

#[derive(Debug, Clone)]
pub struct Stage {
    pub key: &'static str,
    pub label: &'static str,
    /// What is still open there.
    pub open: usize,
}

impl Desk<'_> {
    pub fn page(&self, title: &str, active: &'static str) -> Page {
        Page {
            title: title.to_owned(),
            yard: self.yard.name.clone(),
            unit: yard_unit(&self.yard.unit).code(),
            who: self.user.account.name.clone(),
            csrf: self.user.csrf.clone(),
            once: random_token().unwrap_or_default(),
            surface: self.surface,
            stamp: assets::STAMP.as_str(),
            demo: self.settings.mode == Mode::Demo,
            may_write: self.user.account.role != Role::Guest,
            may_rule: self.user.account.role == Role::Owner,
            active,
            boat: None,
        }
    }

    pub fn boat_page(&self, file: &BoatFile, title: &str, active: &'static str) -> Page {
        let bar = BoatBar { id: file.boat.id, name: file.boat.name.clone(), stages: file.stages() };
        Page { boat: Some(bar), ..self.page(&format!("{title} · {}", file.boat.name), active) }
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

/// Everything kept of one boat.
#[derive(Debug)]
pub struct BoatFile {
    pub boat: Boat,
    pub planks: Vec<Plank>,
    pub findings: Vec<Finding>,
    pub decisions: Vec<Decision>,
    pub pieces: Vec<Piece>,
    pub tasks: Vec<Task>,
    pub coats: Vec<Coat>,
    pub seams: Vec<Plan>,
    pub fastenings: Vec<Plan>,
    pub joints: Vec<Joint>,
}

/// A plug covers a fastening's head: old holes count with its diameter, mm (*yard rule*).
const PLUG_DIAMETER: f64 = 13.0;
/// A sick fastening found this near a fastening is that fastening, mm.
const SAME_FASTENING: f64 = 40.0;

impl BoatFile {
    pub async fn load(store: &Store, id: i64) -> std::result::Result<Self, AppError> {
        let boat = boat_store::find(store, id).await?;
        let planks = boat_store::planks(store, id).await?;
        Ok(Self {
            findings: findings::of_boat(store, id).await?,
            decisions: decisions::of_boat(store, id).await?,
            pieces: decisions::pieces(store, id).await?,
            tasks: tasks::of_boat(store, id).await?,
            coats: plans::coats(store, id).await?,
            seams: plans::of_boat(store, id, "seam").await?,
            fastenings: plans::of_boat(store, id, "fasten").await?,
            joints: boat_store::joints(&planks),
            planks,
            boat,
        })
    }

    pub fn plank(&self, id: i64) -> std::result::Result<&Plank, AppError> {
        self.planks.iter().find(|p| p.id == id).ok_or(AppError::NotFound("plank"))
    }

    pub fn decision(&self, plank: i64) -> Option<&Decision> {
        self.decisions.iter().find(|d| d.plank_id == plank)
    }

    /// Planks on which something was found that calls for a decision.
    pub fn damaged(&self) -> Vec<&Plank> {
        let found: HashSet<i64> = self.findings.iter().filter(|f| f.grade > Grade::Sound).map(|f| f.plank_id).collect();
        self.planks.iter().filter(|p| found.contains(&p.id)).collect()
    }

    pub fn butt_rule(&self) -> Rule {
        Rule::for_use(self.boat.boat_use)
    }

    pub fn violations(&self) -> Vec<Violation> {
        butts::check(&self.butt_rule(), &self.joints)
    }

    pub fn is_below_waterline(&self, strake: u32) -> bool {
        strake <= self.boat.waterline_strake
    }

    /// Checks an address and finds its plank.
    pub fn plank_at(&self, at: Address) -> std::result::Result<&Plank, mend_keel_core::InputError> {
        self.boat.shell.place(at)?;
        boat_store::plank_at(&self.planks, at)
            .ok_or_else(|| mend_keel_core::InputError::new("frame", "there is no plank there"))
    }

    /// The fastenings of a plank as the pattern puts them, x from its fore joint: those near a finding of a
    /// sick one no longer hold.
    pub fn holes(&self, plank: &Plank) -> Vec<Hole> {
        let (from, to) = plank.place().span(&self.boat.shell);
        let sick: Vec<[f64; 2]> = self
            .findings
            .iter()
            .filter(|f| f.plank_id == plank.id && f.kind == FindingKind::SickFastening)
            .flat_map(|f| {
                let datum = self.boat.datum(f.frame) - from;
                f.shape.iter().map(move |p| [p[0] + datum, p[1]])
            })
            .collect();
        let mut holes = Vec::new();
        for frame in 1..=self.boat.shell.frame_count() {
            let x = self.boat.shell.frame_x(frame);
            if x < from || x > to {
                continue;
            }
            let width = self.boat.shell.width(Address { side: plank.side, strake: plank.strake, frame });
            for (n, y) in fastening::crossing(width).into_iter().enumerate() {
                let at = [x - from, y];
                let live = !sick.iter().any(|s| (s[0] - at[0]).hypot(s[1] - at[1]) < SAME_FASTENING);
                holes.push(Hole { id: format!("F{frame}.{}", n + 1), x: at[0], y, diameter: PLUG_DIAMETER, live });
            }
        }
        holes
    }

    /// What is still open at each stage of the work.
    fn stages(&self) -> Vec<Stage> {
        let undecided = self.damaged().iter().filter(|p| self.decision(p.id).is_none()).count();
        let without_board = self.pieces.iter().filter(|p| p.state != PieceState::Cut).count();
        let planned = |plans: &[Plan], piece: &Piece| plans.iter().any(|p| p.piece_id == Some(piece.id));
        let unseamed = self
            .decided_new_planks()
            .filter(|p| seams::seam_length(self, p) > 0.0 && !self.seams.iter().any(|s| s.plank_id == Some(p.id)))
            .count();
        let suspected =
            self.findings.iter().filter(|f| f.certainty == mend_keel_core::survey::Certainty::Suspected).count();
        let stage = |key, label, open| Stage { key, label, open };
        vec![
            stage("survey", "Survey", suspected),
            stage("decide", "Decide", undecided),
            stage("shape", "Shape", self.violations().len()),
            stage("timber", "Timber", without_board),
            stage("fasten", "Fasten", self.pieces.iter().filter(|p| !planned(&self.fastenings, p)).count()),
            stage("seams", "Seams", unseamed),
            stage("finish", "Finish", self.coats.iter().filter(|c| c.done_at.is_none()).count()),
            stage("work", "Work", self.tasks.iter().filter(|t| t.done_at.is_none()).count()),
            stage("story", "Story", 0),
        ]
    }

    /// Planks with a decision that opens their seams.
    pub fn decided_new_planks(&self) -> impl Iterator<Item = &Plank> {
        self.planks.iter().filter(|p| {
            self.pieces.iter().any(|piece| piece.plank_id == p.id)
                || self.findings.iter().any(|f| f.plank_id == p.id && f.kind == FindingKind::OpenSeam)
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_two_routes_collide() {
        let mut seen = HashSet::new();
        for route in routes() {
            assert!(seen.insert(format!("{} {} {:?}", route.method, route.uri, route.rank)), "{}", route.uri);
        }
    }
}
