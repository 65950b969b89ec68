//! A boat's seams: survey, decision and work brought together.

use std::collections::HashMap;

use mend_keel_core::InputError;
use mend_keel_core::grid::Address;
use mend_keel_core::grid::{Between, Shell};
use mend_keel_core::reason::Reason;
use mend_keel_core::seam::balance::{self, Balance, ELASTOMER_GIVE, Fate, Filling, Range, TAPES, Tape};
use mend_keel_core::seam::line::{self, SeamAt, Seen, State};
use mend_keel_core::seam::work::{self, StepKind};
use mend_keel_core::seam::{self, Treatment};
use mend_keel_core::survey::FindingKind;
use mend_keel_core::survey::reading::Measure;
use mend_keel_core::timber::{Grain, shrinkage_at, species};
use mend_keel_store::findings::Finding;
use mend_keel_store::seams::{self as store, BoatWays, Seam, Step};
use mend_keel_store::{Store, StoreError};

use crate::file::boat::BoatFile;
use crate::file::survey::SurveyFile;

/// What holds where nobody measured or looked. %, and degrees of the rings to the face where somebody says so.
#[derive(Debug, Clone, Copy)]
pub struct Assumed {
    /// Moisture now where nobody measured; `None`: not known, and nothing is told from it.
    pub now: Option<f64>,
    pub above: f64,
    pub below: f64,
    pub ring_angle: Option<f64>,
    pub filling: Filling,
}

/// A boat's seams: what the survey says, what was decided, what was done.
#[derive(Debug)]
pub struct SeamFile {
    pub survey: SurveyFile,
    pub ways: BoatWays,
    pub decided: Vec<Seam>,
    pub steps: Vec<Step>,
    states: HashMap<SeamAt, State>,
}

/// A seam with all its figures.
#[derive(Debug)]
pub struct Line {
    pub at: SeamAt,
    pub seam: balance::Seam,
    pub length: f64,
    pub thickness: f64,
    pub measured: bool,
    /// Somebody saw what is in it, or put it there.
    pub seen: bool,
    pub moisture: Known,
    pub range: Range,
}

/// Where the moisture of the wood beside a seam comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Known {
    Measured,
    /// Said by whoever asked, of what nobody measured.
    Supposed,
    No,
}

/// Stands where nobody said what the wood holds now, for figures that are not shown, %.
const UNTOLD: f64 = 15.0;

impl Line {
    /// What becomes of it; `None` where that hangs on a moisture nobody knows, or on how the rings run.
    pub fn fate(&self) -> Option<Fate> {
        if self.moisture == Known::No { None } else { self.range.fate() }
    }

    /// The sum at the most that its wood may move.
    pub fn most(&self) -> &Balance {
        &self.range.most
    }

    /// Why; nothing where the moisture is not known.
    pub fn reasons(&self) -> Vec<Reason> {
        if self.moisture == Known::No { Vec::new() } else { self.range.reasons() }
    }

    /// Masking tape for it, by the face between two seams.
    pub fn tape(&self) -> Option<Tape> {
        let face = (self.seam.plank_width - self.seam.seam_width).max(1.0);
        balance::tape(face, self.length, &TAPES).ok()
    }
}

impl SeamFile {
    pub async fn load(db: &Store, id: i64) -> std::result::Result<Self, StoreError> {
        let survey = SurveyFile::load(db, id).await?;
        Ok(Self {
            ways: store::ways(db, id).await?,
            decided: store::of_boat(db, id).await?,
            steps: store::steps(db, id).await?,
            states: states(&survey),
            survey,
        })
    }

    pub fn file(&self) -> &BoatFile {
        &self.survey.file
    }

    pub fn state(&self, at: SeamAt) -> State {
        self.states.get(&at).copied().unwrap_or_default()
    }

    pub fn decided(&self, at: SeamAt) -> Option<&Seam> {
        self.decided.iter().find(|s| s.at() == at)
    }

    pub fn treatment(&self, at: SeamAt) -> Treatment {
        let usual = || seam::usual_by(self.file().boat.construction, self.ways.ways);
        self.decided(at).map_or_else(usual, |s| s.treatment)
    }

    /// The steps done on a seam, the oldest first.
    pub fn done(&self, at: SeamAt) -> Vec<&Step> {
        let Some(seam) = self.decided(at) else { return Vec::new() };
        self.steps.iter().filter(|s| s.seam_id == seam.id).collect()
    }

    pub fn kinds_done(&self, at: SeamAt) -> Vec<StepKind> {
        self.done(at).iter().map(|s| s.kind).collect()
    }

    /// Moisture as it was measured again before the seam was primed, %.
    pub fn primed_at(&self, at: SeamAt) -> Option<f64> {
        self.done(at).iter().filter_map(|s| s.moisture).next_back()
    }

    /// A seam's name as this yard counts: `P3/P4`, `keel/P1`.
    pub fn name(&self, at: SeamAt) -> String {
        let strake = |strake| self.file().boat.shown_strake(at.side, strake);
        if at.row == 0 { format!("keel/{}", strake(1)) } else { format!("{}/{}", strake(at.row), strake(at.row + 1)) }
    }

    /// Steps of the treatment that must be done, and how many are.
    pub fn progress(&self, at: SeamAt) -> (usize, usize) {
        let done = self.kinds_done(at);
        let order = work::order(self.treatment(at));
        let asked = order.iter().filter(|s| !s.kind.is_optional());
        let (all, there) = (asked.clone().count(), asked.filter(|s| done.contains(&s.kind)).count());
        (there, all)
    }

    /// The figures of a seam. What has been put into it since the survey counts before what was found.
    pub fn line(&self, at: SeamAt, assumed: &Assumed) -> std::result::Result<Line, InputError> {
        let boat = &self.file().boat;
        let wood = species::find(&boat.plank_species)?;
        let state = self.state(at);
        let strake = at.row.max(1);
        let middle = Address { side: at.side, strake, frame: boat.shell.frame_count().div_ceil(2) };
        let thickness = self.file().plank_at(middle).map_or(boat.plank_thickness, |p| p.thickness);
        let filled = self.done(at).iter().any(|s| s.kind.is_filling());
        let reefed = self.is_reefed(at);
        let filling = match state.filling {
            _ if filled => balance::filled_with(self.treatment(at)),
            _ if reefed => Filling::Empty,
            found => found.unwrap_or(assumed.filling),
        };
        let read = self.primed_at(at).or(state.moisture);
        let between = boat.construction.between();
        let moisture = match (read, assumed.now) {
            (Some(_), _) => Known::Measured,
            (None, Some(_)) => Known::Supposed,
            // What is no seam is judged by what is in it.
            (None, None) if between != Between::Seam => Known::Supposed,
            (None, None) => Known::No,
        };
        let width = self.decided(at).and_then(|s| s.width).or(state.width);
        let seam = balance::Seam {
            plank_width: at.wood(&boat.shell),
            shrinkage: wood.shrinkage_tangential,
            now: read.or(assumed.now).unwrap_or(UNTOLD),
            service: if self.file().is_below_waterline(middle) { assumed.below } else { assumed.above },
            seam_width: width.unwrap_or_else(|| seam::first_width(thickness)),
            filling,
            rated: ELASTOMER_GIVE,
        };
        let (low, high) = self.rings(at, assumed);
        let shrinks = |angle| shrinkage_at(wood.shrinkage_radial, wood.shrinkage_tangential, angle);
        let range = balance::range(between, &seam, (shrinks(low), shrinks(high)))?;
        let seen = filled || reefed || state.filling.is_some();
        Ok(Line { at, seam, length: boat.shell.length(), thickness, measured: width.is_some(), seen, moisture, range })
    }

    /// What was found on a seam and is open still.
    pub fn found(&self, at: SeamAt) -> Vec<&Finding> {
        let on = |f: &&Finding| f.is_open() && matches!(f.kind, FindingKind::OpenSeam | FindingKind::Buckled);
        let here = |f: &&Finding| near(&self.file().boat.shell, f) == Some(at);
        self.file().findings.iter().filter(on).filter(here).collect()
    }

    /// Whether all that its treatment asks for is done.
    pub fn is_done(&self, at: SeamAt) -> bool {
        let (done, all) = self.progress(at);
        self.decided(at).is_some() && done == all
    }

    fn is_reefed(&self, at: SeamAt) -> bool {
        self.done(at).iter().any(|s| s.kind == StepKind::Reef)
    }

    /// Whether hard filler was found in a seam and is in it still: nobody has reefed it out or filled it anew since.
    pub fn is_hard(&self, at: SeamAt) -> bool {
        let anew = || self.done(at).iter().any(|s| s.kind.is_filling());
        self.state(at).filling == Some(Filling::Rigid) && !self.is_reefed(at) && !anew()
    }

    /// Whether the widths of the planks beside a seam were measured anywhere along them.
    pub fn is_wood_measured(&self, at: SeamAt) -> bool {
        let shell = &self.file().boat.shell;
        let beside = [at.row, at.row + 1].into_iter().filter(|strake| *strake > 0);
        let measured = |strake, frame| shell.measured.contains(&Address { side: at.side, strake, frame });
        let frames = 1..=shell.frame_count();
        beside.into_iter().all(|strake| frames.clone().any(|frame| measured(strake, frame)))
    }

    /// Between which angles the rings of the planks beside a seam stand to their faces, °.
    fn rings(&self, at: SeamAt, assumed: &Assumed) -> (f64, f64) {
        let beside = self.file().planks.iter().filter(|p| at.borders(p.side, p.strake));
        let each = beside.map(|p| match (p.grain().filter(|g| *g != Grain::Unknown), assumed.ring_angle) {
            (Some(grain), _) => grain.rings(),
            (None, Some(angle)) => (angle, angle),
            (None, None) => Grain::Unknown.rings(),
        });
        each.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1))).unwrap_or(Grain::Unknown.rings())
    }
}

/// The seam that a finding lies nearest to.
fn near(shell: &Shell, finding: &Finding) -> Option<SeamAt> {
    let at = finding.address().filter(|at| shell.place(*at).is_ok())?;
    let height = mend_keel_core::geometry::extent(&finding.shape, 1).map_or(0.0, |(_, high)| high);
    Some(SeamAt::near(shell, at, height))
}

/// What was seen of each seam: feelers and findings at the seam they lie nearest to, moisture at both edges of its plank.
fn states(survey: &SurveyFile) -> HashMap<SeamAt, State> {
    let shell = &survey.file.boat.shell;
    let mut seen: HashMap<SeamAt, Vec<Seen>> = HashMap::new();
    for reading in &survey.readings {
        let Some(at) = reading.place.shell().filter(|at| shell.place(*at).is_ok()) else { continue };
        if let Measure::Feeler { width, filler, .. } = reading.measure {
            let near = SeamAt::near(shell, at, reading.y.unwrap_or(0.0));
            seen.entry(near).or_default().push(Seen::Feeler(width, filler));
        }
        if let (Measure::Meter { relative: false, .. }, Some(percent)) = (&reading.measure, reading.value) {
            for row in [at.strake - 1, at.strake].into_iter().filter(|row| *row < shell.strake_count()) {
                seen.entry(SeamAt { side: at.side, row }).or_default().push(Seen::Moisture(percent));
            }
        }
    }
    for finding in survey.file.findings.iter().filter(|f| f.is_open()) {
        let one = match finding.kind {
            FindingKind::OpenSeam => Seen::Open,
            FindingKind::Buckled => Seen::Buckled,
            _ => continue,
        };
        let Some(at) = near(shell, finding) else { continue };
        seen.entry(at).or_default().push(one);
    }
    seen.into_iter().map(|(at, seen)| (at, line::state(&seen))).collect()
}
