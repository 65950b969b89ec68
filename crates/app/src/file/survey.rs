//! A boat's survey: everything found and read, and what follows from it.

use std::collections::HashSet;
use std::sync::{Arc, OnceLock};

use mend_keel_core::fastening;
use mend_keel_core::geometry::{extent, size_of};
use mend_keel_core::grid::member::Surface;
use mend_keel_core::grid::{Address, Place, Side};
use mend_keel_core::repair::butts::Violation;
use mend_keel_core::seam::line::SeamAt;
use mend_keel_core::survey::compare::{Entry, Outcome};
use mend_keel_core::survey::coverage::{Cell, Coverage, advised};
use mend_keel_core::survey::field::{self, Spot};
use mend_keel_core::survey::original::Wood;
use mend_keel_core::survey::past::PastKind;
use mend_keel_core::survey::reading::Measure;
use mend_keel_core::survey::{FindingKind, Grade, Method};
use mend_keel_store::boats::Plank;
use mend_keel_store::decisions::{Decision, PieceState};
use mend_keel_store::findings::{self, Finding, Reading};
use mend_keel_store::surveys::{self, Looked, PastRepair, Pick};
use mend_keel_store::{Store, StoreError, before};

use crate::file::boat::{BoatFile, Part};
use crate::view::crossing::{self, CloseTo};
use crate::view::layers::{CellState, DrawnSpot, Layers, MoistureSpot, SeamSpot};
use crate::view::map::Map;
use crate::view::surface::SurfaceView;

/// A boat's file with all that a survey adds to it.
#[derive(Debug)]
pub struct SurveyFile {
    pub file: BoatFile,
    pub readings: Vec<Reading>,
    pub looked: Vec<Looked>,
    pub past: Vec<PastRepair>,
    pub picks: Vec<Pick>,
    /// What is within the drawing of her shell, once it was drawn.
    inside: OnceLock<Arc<str>>,
}

impl BoatFile {
    /// Her planking as it stands, with nothing selected and no layer shown.
    pub fn planking<'m>(&'m self, layers: &'m Layers) -> Map<'m> {
        Map {
            boat: &self.boat,
            planks: &self.planks,
            findings: &self.findings,
            decisions: &self.decisions,
            pieces: &self.pieces,
            joints: &self.joints,
            violations: &[],
            selected: None,
            layers,
            layer: "none",
            trials: &[],
            marks: &[],
        }
    }
}

impl SurveyFile {
    pub async fn load(store: &Store, id: i64) -> Result<Self, StoreError> {
        Ok(Self {
            file: BoatFile::load(store, id).await?,
            readings: findings::readings(store, id).await?,
            looked: surveys::looked(store, id).await?,
            past: surveys::past_repairs(store, id).await?,
            picks: surveys::picks(store, id).await?,
            inside: OnceLock::new(),
        })
    }

    /// The boat as she was at the end of a day.
    ///
    /// What was entered later is left out, outcomes and decisions are those of then. What was withdrawn as a mistake,
    /// and planks and joints corrected since, are as they stand now: a correction says how she always was.
    pub async fn on_day(store: &Store, id: i64, day: jiff::civil::Date) -> Result<Self, StoreError> {
        let mut survey = Self::load(store, id).await?;
        let midnight = day.tomorrow().ok().and_then(|next| next.to_zoned_datetime(jiff::tz::TimeZone::system()).ok());
        let moment = midnight.map_or_else(|| "9999".to_owned(), |at| at.timestamp().to_string());
        let before = before::before(store, id, &moment).await?;
        let then = |at: &str| at < moment.as_str();
        survey.file.findings.retain(|f| then(&f.at));
        for finding in &mut survey.file.findings {
            let told = before.outcomes.get(&finding.id).and_then(|code| Outcome::from_code(code));
            finding.outcome = told.unwrap_or(Outcome::Open);
        }
        survey.readings.retain(|r| then(&r.at));
        survey.looked.retain(|l| then(&l.at));
        survey.file.pieces = before.pieces;
        for piece in &mut survey.file.pieces {
            piece.state = match piece.state {
                PieceState::Cut if before.cut.contains(&piece.member_id) => PieceState::Cut,
                _ => PieceState::Planned,
            };
        }
        survey.file.decisions = before.decisions.into_values().collect();
        for plank in &mut survey.file.planks {
            plank.year = plank.year.filter(|year| *year <= i64::from(day.year()));
        }
        Ok(survey)
    }

    /// The same with other findings, drawn anew.
    pub fn with_findings(&self, findings: Vec<Finding>) -> Self {
        Self {
            file: BoatFile { findings, ..self.file.clone() },
            readings: self.readings.clone(),
            looked: self.looked.clone(),
            past: self.past.clone(),
            picks: self.picks.clone(),
            inside: OnceLock::new(),
        }
    }

    /// Every cell that was looked at, with the method: by a reading, a finding, or looked over and nothing found.
    pub fn looks(&self) -> impl Iterator<Item = (Cell, Method)> {
        let found = self.file.findings.iter().map(|f| ((f.member_id, cell_of(&f.place)), f.method));
        let read = self.readings.iter().map(|r| ((r.member_id, cell_of(&r.place)), r.method));
        let over =
            self.looked.iter().flat_map(|l| (l.from_cell..=l.to_cell).map(|cell| ((l.member_id, cell), l.method)));
        found.chain(read).chain(over)
    }

    /// Every cell that was looked at, in whatever way.
    pub fn looked_at(&self) -> HashSet<Cell> {
        self.looks().map(|(cell, _)| cell).collect()
    }

    /// What is on record of the wood of a cell of a part. `year`: of the part, where it was renewed whole.
    pub fn wood(&self, looked: &HashSet<Cell>, member: i64, cell: u32, year: Option<i64>) -> Wood {
        if let Some(year) = year {
            return Wood::Renewed { share: 1.0, year: i32::try_from(year).ok() };
        }
        let mut patched = false;
        for past in self.past.iter().filter(|p| p.member_id == member && (p.from_cell..=p.to_cell).contains(&cell)) {
            match past.kind {
                PastKind::NewPlank | PastKind::NewFrame => {
                    return Wood::Renewed { share: 1.0, year: past.year.and_then(|y| i32::try_from(y).ok()) };
                }
                // How much of it is new nobody knows.
                PastKind::Patch | PastKind::Scarf => patched = true,
                _ => {}
            }
        }
        let cut = |d: &&Decision| self.file.pieces.iter().any(|p| p.decision_id == d.id && p.state == PieceState::Cut);
        match self.file.decision(member).filter(cut) {
            _ if patched => Wood::Unknown,
            Some(mended) => {
                let year = mended.at.get(..4).and_then(|y| y.parse().ok());
                Wood::Renewed { share: (1.0 - mended.kept).clamp(0.0, 1.0), year }
            }
            None if looked.contains(&(member, cell)) => Wood::Original,
            None => Wood::Unknown,
        }
    }

    /// The cells of a surface.
    pub fn cells_of(&self, surface: Surface) -> HashSet<Cell> {
        if surface != Surface::Shell {
            let here = self.file.members.iter().filter(|m| m.kind.surface() == surface);
            return here.flat_map(|m| (1..=m.cells).map(|cell| (m.id, cell))).collect();
        }
        let last = self.file.boat.shell.frame_count();
        let bays = |plank: &mend_keel_store::boats::Plank| {
            let (from, to) = plank.bays(last);
            let id = plank.id;
            (from..=to).map(move |bay| (id, bay))
        };
        self.file.planks.iter().flat_map(bays).collect()
    }

    /// Coverage of each surface there is.
    pub fn coverage(&self) -> Vec<(Surface, Coverage)> {
        let looks: Vec<(Cell, Method)> = self.looks().collect();
        Surface::ALL
            .iter()
            .map(|surface| (*surface, Coverage::of(&self.cells_of(*surface), looks.iter().copied())))
            .filter(|(_, coverage)| coverage.cells > 0)
            .collect()
    }

    /// What the map's layers show.
    pub fn layers(&self) -> Layers {
        let mut layers = Layers::default();
        let state = |layers: &mut Layers, cell: Cell, change: &dyn Fn(&mut CellState)| {
            change(layers.cells.entry(cell).or_default());
        };
        for (cell, method) in self.looks() {
            state(&mut layers, cell, &|s| {
                s.looked.insert(method);
            });
        }
        // A look alone does not make anything sound.
        for found in self.looked.iter().filter(|l| l.method != Method::Look) {
            for cell in found.from_cell..=found.to_cell {
                state(&mut layers, (found.member_id, cell), &|s| s.grade = s.grade.or(Some(Grade::Sound)));
            }
        }
        for finding in self.file.findings.iter().filter(|f| f.is_open()) {
            state(&mut layers, (finding.member_id, cell_of(&finding.place)), &|s| {
                s.grade = s.grade.max(Some(finding.grade))
            });
        }
        for past in &self.past {
            for cell in past.from_cell..=past.to_cell {
                state(&mut layers, (past.member_id, cell), &|s| {
                    // Where two repairs lie over each other the worse one shows.
                    if s.past.is_none_or(|(_, quality)| past.quality > quality) {
                        s.past = Some((past.kind, past.quality));
                    }
                });
            }
        }
        self.originality(&mut layers);
        self.moisture(&mut layers);
        self.fastenings(&mut layers);
        self.seams(&mut layers);
        layers
    }

    /// What is known to be original, and what to be new; nothing where nobody looked.
    fn originality(&self, layers: &mut Layers) {
        let looked = self.looked_at();
        let last = self.file.boat.shell.frame_count().saturating_sub(1);
        let planks = self.file.planks.iter().flat_map(|p| {
            let (from, to) = p.bays(last + 1);
            (from..=to.min(last)).map(|bay| (p.id, bay, p.year))
        });
        let members = self.file.members.iter().flat_map(|m| (1..=m.cells.max(1)).map(|cell| (m.id, cell, m.year)));
        for (member, cell, year) in planks.chain(members) {
            let wood = self.wood(&looked, member, cell, year);
            if wood != Wood::Unknown {
                layers.cells.entry((member, cell)).or_default().wood = Some(wood);
            }
        }
    }

    /// Moisture readings, and the estimate near them; on other members a cell shows the mean of its own.
    fn moisture(&self, layers: &mut Layers) {
        let shell = &self.file.boat.shell;
        let mut spots: [Vec<Spot>; 2] = Default::default();
        let mut own: std::collections::HashMap<Cell, Vec<f64>> = std::collections::HashMap::new();
        for reading in &self.readings {
            let Ok(part) = self.file.part_at(&reading.place) else { continue };
            let Some(moisture) = reading.measure.moisture() else { continue };
            let Part::Plank(_, at) = part else {
                own.entry((part.member_id(), part.cell())).or_default().push(moisture);
                continue;
            };
            let (x, y) = match (reading.x, reading.y) {
                (Some(x), Some(y)) => (self.file.boat.datum(at.frame) + x, y),
                _ => (shell.bay_middle(at.frame), shell.width(at) / 2.0),
            };
            let girth = shell.girth(at.side, at.strake as usize - 1, x) + y;
            spots[usize::from(at.side == Side::Starboard)].push(Spot { at: [x, girth], moisture });
            layers.moisture.push(MoistureSpot { at, x, y, moisture });
        }
        for (cell, values) in own {
            let mean = values.iter().sum::<f64>() / values.len() as f64;
            layers.cells.entry(cell).or_default().moisture = Some(mean);
        }
        if layers.moisture.is_empty() {
            return;
        }
        for plank in &self.file.planks {
            let spots = &spots[usize::from(plank.side == Side::Starboard)];
            if spots.is_empty() {
                continue;
            }
            for bay in (1..shell.frame_count()).filter(|bay| plank.covers(*bay)) {
                let x = shell.bay_middle(bay);
                let row = plank.strake as usize;
                let girth = (shell.girth(plank.side, row - 1, x) + shell.girth(plank.side, row, x)) / 2.0;
                if let Some(moisture) = field::moisture_at(spots, [x, girth]) {
                    layers.cells.entry((plank.id, bay)).or_default().moisture = Some(moisture);
                }
            }
        }
    }

    fn fastenings(&self, layers: &mut Layers) {
        for reading in &self.readings {
            if let (Place::Shell(at), Measure::DrawFastening { nth, .. }) = (&reading.place, &reading.measure) {
                // An old reading may not say which it was: the nearest of the crossing, where a point was given.
                let nth = if *nth > 0 { *nth } else { self.nearest(*at, reading.y) };
                layers.drawn.push(DrawnSpot { at: *at, nth, grade: reading.grade.or(Some(Grade::Renew)) });
            }
        }
        for pick in self.picks.iter().filter(|p| p.reading_id.is_none()) {
            if let Some(spot) = pick.spot() {
                layers.drawn.push(DrawnSpot { at: spot.at, nth: spot.nth, grade: None });
            }
        }
    }

    fn nearest(&self, at: Address, y: Option<f64>) -> u32 {
        let Ok(at) = self.file.boat.shell.place(at) else { return 1 };
        let heights = fastening::crossing(self.file.boat.shell.width(at));
        let y = y.unwrap_or(0.0);
        (0..heights.len())
            .min_by(|a, b| (heights[*a] - y).abs().total_cmp(&(heights[*b] - y).abs()))
            .map_or(1, |i| i as u32 + 1)
    }

    fn seams(&self, layers: &mut Layers) {
        let shell = &self.file.boat.shell;
        // The seams' own pages count by the same rule; the sheer is an edge here, not a seam, and is not drawn on.
        let row = |at: Address, y: f64| SeamAt::near(shell, at, y).row as usize;
        for finding in self.file.findings.iter().filter(|f| f.is_open() && f.kind == FindingKind::OpenSeam) {
            let Some(at) = finding.address().filter(|at| shell.place(*at).is_ok()) else { continue };
            let datum = self.file.boat.datum(at.frame);
            if let Some(((x0, x1), (_, y1))) = extent(&finding.shape, 0).zip(extent(&finding.shape, 1)) {
                layers.seams.push(SeamSpot {
                    side: at.side,
                    row: row(at, y1),
                    from: datum + x0,
                    to: datum + x1,
                    filler: None,
                });
            }
        }
        for reading in &self.readings {
            let (Place::Shell(at), Measure::Feeler { filler, .. }) = (&reading.place, &reading.measure) else {
                continue;
            };
            if shell.place(*at).is_err() {
                continue;
            }
            let (from, to) = (shell.frame_x(at.frame), shell.frame_x((at.frame + 1).min(shell.frame_count())));
            let row = row(*at, reading.y.unwrap_or(0.0));
            layers.seams.push(SeamSpot { side: at.side, row, from, to, filler: Some(*filler) });
        }
    }

    /// The drawing of a surface with a layer shown on it; the shell has its own, which is drawn once while this file is kept.
    pub fn draw(&self, surface: Surface, selected: Option<&Place>, layer: &str) -> String {
        let file = &self.file;
        if surface == Surface::Shell
            && let Some(inside) = self.inside.get()
        {
            return self.map(&[], &Layers::default(), selected, layer).with_inside(inside);
        }
        let layers = &self.layers();
        if surface != Surface::Shell {
            return SurfaceView {
                boat: &file.boat,
                surface,
                members: &file.members,
                findings: &file.findings,
                cells: &layers.cells,
                selected,
                layer,
                close_to: None,
            }
            .draw();
        }
        let violations = file.violations();
        let map = self.map(&violations, layers, selected, layer);
        map.with_inside(self.inside.get_or_init(|| map.inside().into()))
    }

    /// What is drawn within the planking map, once it was drawn: the same while nothing was committed.
    pub fn inside(&self) -> Option<Arc<str>> {
        self.inside.get().cloned()
    }

    fn map<'m>(
        &'m self,
        violations: &'m [Violation],
        layers: &'m Layers,
        selected: Option<&Place>,
        layer: &'m str,
    ) -> Map<'m> {
        Map { violations, selected: selected.and_then(Place::shell), layer, ..self.file.planking(layers) }
    }

    /// The crossing at an address, close to.
    pub fn draw_crossing(&self, at: Address) -> String {
        let file = &self.file;
        let holes = |plank: &Plank| file.holes(plank);
        let close = CloseTo {
            boat: &file.boat,
            planks: &file.planks,
            findings: &file.findings,
            readings: &self.readings,
            holes: &holes,
        };
        crossing::draw(&close, at)
    }

    /// The findings as they stand, to be compared with another survey's.
    pub fn entries(&self) -> Vec<Entry> {
        self.file.findings.iter().map(|f| entry(&self.file, f)).collect()
    }
}

/// The cell of a place: a plank's bay bears the number of the frame forward of it.
pub fn cell_of(place: &Place) -> u32 {
    match place {
        Place::Shell(at) => at.frame,
        Place::Member(at) => at.cell,
    }
}

fn entry(file: &BoatFile, f: &Finding) -> Entry {
    Entry {
        id: f.id,
        place: file.shown(&f.place),
        kind: f.kind,
        grade: f.grade,
        certainty: f.certainty,
        extent: size_of(&f.shape),
        depth: f.depth,
        outcome: f.outcome,
    }
}

/// Members named among those nobody looked at, for one surface.
const NAMED: usize = 40;

/// Bays of her planking that are looked at next: beside what was found soft, then in the order that is advised.
pub fn look_next(survey: &SurveyFile, count: usize) -> Vec<Address> {
    let file = &survey.file;
    let shell = &file.boat.shell;
    let bays = shell.frame_count().saturating_sub(1);
    let seen = survey.looked_at();
    let is_new = |at: &Address| {
        let place = Place::Shell(*at);
        file.part_at(&place).is_ok_and(|part| !seen.contains(&(part.member_id(), cell_of(&place))))
    };
    let soft = file.findings.iter().filter(|f| f.is_open() && f.kind.is_decay()).filter_map(|f| f.place.shell());
    let beside = soft.flat_map(|at| {
        let next = [at.frame.checked_sub(1), at.frame.checked_add(1)];
        next.into_iter().flatten().filter(move |f| (1..=bays).contains(f)).map(move |frame| Address { frame, ..at })
    });
    let mut told = HashSet::new();
    let all = beside.chain(advised(shell.strake_count(), bays));
    all.filter(|at| is_new(at) && told.insert(*at)).take(count).collect()
}

/// Parts nobody looked at anywhere, by surface.
pub fn untouched(survey: &SurveyFile, coverage: &[(Surface, Coverage)]) -> Vec<(String, Vec<String>)> {
    let file = &survey.file;
    let seen: HashSet<_> = survey.looks().map(|(cell, _)| cell).collect();
    let mut all = Vec::new();
    for (surface, _) in coverage.iter().filter(|(_, c)| c.seen < c.cells) {
        let cells = survey.cells_of(*surface);
        // Parts with a cell that somebody saw, found in one pass however many there are.
        let touched: HashSet<i64> = cells.iter().filter(|c| seen.contains(*c)).map(|c| c.0).collect();
        let mut names: Vec<String> = if *surface == Surface::Shell {
            file.planks.iter().filter(|p| !touched.contains(&p.id)).map(|p| p.name()).collect()
        } else {
            let here = file.members.iter().filter(|m| m.kind.surface() == *surface);
            here.filter(|m| !touched.contains(&m.id)).map(|m| m.name.clone()).collect()
        };
        let more = names.len().saturating_sub(NAMED);
        names.truncate(NAMED);
        if more > 0 {
            names.push(format!("and {more} more"));
        }
        if !names.is_empty() {
            all.push((surface.label().to_owned(), names));
        }
    }
    all
}
