//! Every seam of the hull: its state from the survey, what becomes of it when she takes up, her school, and which is next.

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::seam::balance::{self, Balance, Fate, Filling};
use mend_keel_core::seam::line::{CaulkOrder, SeamAt};
use mend_keel_core::seam::{SeamSchool, Ways, work};
use mend_keel_store::seams::BoatWays;
use rocket::{FromForm, get, post};

use crate::file::seams::{Assumed, Known, Line, SeamFile};
use crate::view::Units;
use crate::view::reasons::{self, ReasonView};
use crate::view::seam_lines::{self, SeamMark};
use crate::web::auth::{BoatReader, Crew};
use crate::web::changed::Kept;
use crate::web::choices::{Choices, pairs};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, Result};
use crate::web::form::{Faults, Posted, Reader, Typed};

#[derive(Template)]
#[template(path = "seams/balance.html")]
struct Show {
    page: Page,
    boat_id: i64,
    svg: String,
    sums: Vec<(&'static str, String, String, String)>,
    /// Planks that will buckle on each side, and those of them that do because of hard filler.
    buckle: Vec<(&'static str, String, String)>,
    /// Seams of which nothing can be told, of all; and those in which hard filler was found, whatever the wood holds.
    unknown: usize,
    /// Seams of which it hangs on how the rings run.
    turned: usize,
    all: usize,
    hard: String,
    /// What lies between her planks: seams, laps, glued edges.
    between: &'static str,
    rows: Vec<Row>,
    fillings: Choices,
    next: Vec<(String, String, String)>,
    schools: Choices,
    orders: Choices,
    ways: Typed,
    was: String,
    typed: Typed,
    faults: Faults,
}

struct Row {
    code: String,
    seam: String,
    length: String,
    width: String,
    measured: bool,
    filling: &'static str,
    /// Somebody saw what is in it.
    seen: bool,
    moisture: String,
    closure: String,
    fate: String,
    class: &'static str,
    tape: String,
    work: String,
    reasons: Vec<ReasonView>,
}

/// How the page is asked for.
#[derive(Debug, Default, FromForm)]
pub struct Asked<'r> {
    now: Option<&'r str>,
    above: Option<&'r str>,
    below: Option<&'r str>,
    ring_angle: Option<&'r str>,
    filling: Option<&'r str>,
}

impl Asked<'_> {
    /// What was asked, the usual where nothing was.
    pub fn typed(&self) -> Typed {
        let or = |t: Option<&str>, usual: &str| t.map(str::trim).filter(|t| !t.is_empty()).unwrap_or(usual).to_owned();
        Typed::default()
            .with("now", or(self.now, ""))
            .with("above", or(self.above, "16"))
            .with("below", or(self.below, "28"))
            .with("ring_angle", or(self.ring_angle, ""))
            .with("filling", or(self.filling, "soft"))
    }
}

impl Assumed {
    pub fn read(typed: &Typed, faults: &mut Faults) -> Option<Self> {
        let now = match typed.get("now").trim() {
            "" => Some(None),
            text => number(text, "now", 1.0, 100.0, faults).map(Some),
        };
        let above = number(typed.get("above"), "above", 1.0, 60.0, faults);
        let below = number(typed.get("below"), "below", 1.0, 60.0, faults);
        let ring_angle = match typed.get("ring_angle").trim() {
            "" => Some(None),
            text => number(text, "ring_angle", 0.0, 90.0, faults).map(Some),
        };
        let filling = Filling::from_code(typed.get("filling")).unwrap_or(Filling::SoftOverCotton);
        Some(Self { now: now?, above: above?, below: below?, ring_angle: ring_angle?, filling })
    }
}

fn number(text: &str, field: &'static str, low: f64, high: f64, faults: &mut Faults) -> Option<f64> {
    match text.trim().replace(',', ".").parse::<f64>() {
        Ok(v) if (low..=high).contains(&v) => Some(v),
        _ => {
            faults.add(InputError::new(field, format!("must be between {low} and {high}")));
            None
        }
    }
}

/// What becomes of a seam, in words.
fn fate_words(line: &Line) -> &'static str {
    match line.fate() {
        // A lap does not press by how far it closes but by what is in it.
        Some(Fate::Presses) if line.most().closure <= 0.0 => "wedged",
        Some(Fate::Presses) => "planks buckle",
        Some(Fate::Opens) => "opens",
        Some(Fate::Holds) => "holds",
        None if line.moisture == Known::No => "not known: measure the moisture of the planks beside it",
        None => "not known: look how the rings run at the planks’ ends",
    }
}

/// The same with its sign, and its class.
pub fn fate_shown(line: &Line) -> (String, &'static str) {
    let (class, sign) = seam_lines::class(line.fate());
    (format!("{sign} {}", fate_words(line)), class)
}

/// By how much it closes, or opens with a minus.
pub fn moves_by(line: &Line, units: Units) -> String {
    match line.fate() {
        Some(Fate::Opens) => between(-line.range.least.opens, -line.range.most.opens, units),
        Some(Fate::Presses | Fate::Holds) => {
            between(line.range.least.closure.max(0.0), line.range.most.closure.max(0.0), units)
        }
        None => "–".to_owned(),
    }
}

/// `1.2 mm`, or `0.4 mm to 1.2 mm` where it is known only so far.
fn between(least: f64, most: f64, units: Units) -> String {
    let said = |mm: f64| {
        let size = units.fine(mm.abs());
        if mm < 0.0 && size != units.fine(0.0) { format!("−{size}") } else { size }
    };
    let (least, most) = (said(least), said(most));
    if least == most { most } else { format!("{least} to {most}") }
}

/// Moisture now and in service, and where the first comes from.
pub fn moisture_words(line: &Line) -> String {
    let (now, service) = (line.seam.now, line.seam.service);
    match line.moisture {
        Known::Measured => format!("{now:.0} → {service:.0} %"),
        Known::Supposed => format!("{now:.0} (supposed) → {service:.0} %"),
        Known::No => format!("not known → {service:.0} %"),
    }
}

fn row(seams: &SeamFile, l: &Line, units: Units) -> Row {
    let (fate, class) = fate_shown(l);
    let (done, all) = seams.progress(l.at);
    Row {
        code: l.at.to_string(),
        seam: seams.name(l.at),
        length: units.run(l.length),
        width: units.fine(l.seam.seam_width),
        measured: l.measured,
        filling: l.seam.filling.label(),
        seen: l.seen,
        moisture: moisture_words(l),
        closure: moves_by(l, units),
        fate,
        class,
        tape: l.tape().map_or(String::new(), |t| match t.width {
            Some(w) if t.short > 0.5 => format!("{}, {} short", units.len(w), units.fine(t.short)),
            Some(w) => units.len(w),
            None => "none so narrow".to_owned(),
        }),
        work: match seams.decided(l.at) {
            Some(s) => format!("{}, {done} of {all}", s.treatment.label().to_lowercase()),
            None => "not decided".to_owned(),
        },
        reasons: reasons::views(&l.reasons(), units),
    }
}

/// The seam each side is at in the order of her school: its name, code, and what is done there next.
fn next(seams: &SeamFile) -> Vec<(String, String, String)> {
    let shell = &seams.file().boat.shell;
    let rows = seams.ways.order.rows(shell.strake_count());
    mend_keel_core::grid::Side::BOTH
        .into_iter()
        .filter_map(|side| {
            let open = |row: &u32| {
                let (done, all) = seams.progress(SeamAt { side, row: *row });
                done < all
            };
            let at = SeamAt { side, row: rows.iter().copied().find(open)? };
            let done = seams.kinds_done(at);
            let step = work::next(seams.treatment(at), &done).into_iter().next()?;
            let what = if seams.decided(at).is_some() { step.kind.label() } else { "Decide what it gets" };
            Some((seams.name(at), at.to_string(), what.to_owned()))
        })
        .collect()
}

/// The strakes beside seams that press, side by side with those where hard filler is what presses.
fn buckling(seams: &SeamFile, lines: &[Line]) -> Vec<(&'static str, String, String)> {
    let boat = &seams.file().boat;
    let beside = |side, hard: bool| {
        let pressed = |strake: &u32| {
            lines.iter().any(|l| {
                l.fate() == Some(Fate::Presses)
                    && l.at.borders(side, *strake)
                    && (!hard || l.seam.filling == Filling::Rigid)
            })
        };
        let names: Vec<String> =
            (1..=boat.shell.strake_count()).filter(pressed).map(|strake| boat.shown_strake(side, strake)).collect();
        names.join(", ")
    };
    mend_keel_core::grid::Side::BOTH
        .into_iter()
        .map(|side| (side.label(), beside(side, false), beside(side, true)))
        .filter(|(_, all, _)| !all.is_empty())
        .collect()
}

fn show(desk: &Desk<'_>, seams: &SeamFile, typed: Typed, mut faults: Faults) -> Show {
    let units = desk.units;
    let boat = &seams.file().boat;
    let mut lines = Vec::new();
    if let Some(assumed) = Assumed::read(&typed, &mut faults) {
        for at in SeamAt::all(&boat.shell) {
            match seams.line(at, &assumed) {
                Ok(line) => lines.push(line),
                Err(e) => faults.add(InputError::new("now", e.message)),
            }
        }
    }
    let sums = mend_keel_core::grid::Side::BOTH
        .into_iter()
        .map(|side| {
            let known: Vec<&Line> = lines.iter().filter(|l| l.at.side == side && l.fate().is_some()).collect();
            let sum = |end: fn(&Line) -> &Balance| {
                balance::side(&known.iter().map(|l| end(l).clone()).collect::<Vec<Balance>>())
            };
            let (least, most) = (sum(|l| &l.range.least), sum(Line::most));
            let of = |count: usize, a, b| format!("{count} of {} seams, {}", known.len(), between(a, b, units));
            (
                side.label(),
                between(least.swelling, most.swelling, units),
                of(most.pressing, least.pressed, most.pressed),
                of(most.opening, least.opened, most.opened),
            )
        })
        .collect();
    let buckle = buckling(seams, &lines);
    let marks: Vec<SeamMark> = lines
        .iter()
        .map(|l| {
            let name = seams.name(l.at);
            let by = moves_by(l, units);
            let (done, all) = seams.progress(l.at);
            SeamMark {
                at: l.at,
                fate: l.fate(),
                text: match l.fate() {
                    None | Some(Fate::Holds) => name.clone(),
                    Some(Fate::Presses) if l.most().closure <= 0.0 => format!("{name} wedged"),
                    _ => format!("{name} {by}"),
                },
                says: fate_words(l),
                done: done == all,
            }
        })
        .collect();
    Show {
        page: desk.boat_page(seams.file(), "Every seam", "seams"),
        boat_id: boat.id,
        svg: if marks.is_empty() { String::new() } else { seam_lines::draw(boat, &seams.file().planks, &marks) },
        sums,
        buckle,
        unknown: lines.iter().filter(|l| l.moisture == Known::No).count(),
        turned: lines.iter().filter(|l| l.moisture != Known::No && l.fate().is_none()).count(),
        all: lines.len(),
        hard: lines.iter().filter(|l| seams.is_hard(l.at)).map(|l| seams.name(l.at)).collect::<Vec<_>>().join(", "),
        between: boat.construction.between().label(),
        rows: lines.iter().map(|l| row(seams, l, units)).collect(),
        fillings: pairs(Filling::ALL, Filling::code, Filling::label),
        next: next(seams),
        schools: pairs(SeamSchool::ALL, SeamSchool::code, SeamSchool::label),
        orders: pairs(CaulkOrder::ALL, CaulkOrder::code, CaulkOrder::label),
        was: ways_kept(seams).token(),
        ways: Typed::default()
            .with("school", seams.ways.ways.school.code())
            .with("stays_dry", if seams.ways.ways.stays_dry { "1" } else { "" })
            .with("order", seams.ways.order.code()),
        typed,
        faults,
    }
}

#[get("/boats/<id>/seams/all?<asked..>")]
pub async fn page(desk: Desk<'_>, _who: BoatReader, id: i64, asked: Asked<'_>) -> Result {
    let seams = SeamFile::load(desk.store, id).await?;
    render(&show(&desk, &seams, asked.typed(), Faults::default()))
}

/// Her ways with seams as they stand.
fn ways_kept(seams: &SeamFile) -> Kept {
    let ways = &seams.ways;
    Kept::default()
        .choice(
            "school",
            "Seams are",
            ways.ways.school.code(),
            &pairs(SeamSchool::ALL, SeamSchool::code, SeamSchool::label),
        )
        .ticked("stays_dry", "She stays dry", ways.ways.stays_dry)
        .choice("order", "Caulked", ways.order.code(), &pairs(CaulkOrder::ALL, CaulkOrder::code, CaulkOrder::label))
}

/// Sets her school of seams and the order she is caulked in.
#[post("/boats/<id>/seams/all", data = "<posted>")]
pub async fn set_ways(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let seams = SeamFile::load(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let school = read.choice("school", SeamSchool::from_code);
    let order = read.choice("order", CaulkOrder::from_code);
    let stays_dry = read.is_on("stays_dry");
    if school == Some(SeamSchool::Glued) && !stays_dry {
        let why = "seams are glued only in a hull that stays dry: on a trailer, or with every plank renewed dry";
        read.faults.add(InputError::new("school", why));
    }
    let (Some(school), Some(order), true) = (school, order, read.faults.is_empty()) else {
        let shown = show(&desk, &seams, Asked::default().typed(), read.faults);
        return render_faulty(&Show { ways: posted.form.typed(), ..shown });
    };
    posted.still("Her ways with seams", &ways_kept(&seams))?;
    let mut work = desk.store.begin(posted.act()).await?;
    work.set_seam_ways(id, BoatWays { ways: Ways { school, stays_dry }, order }).await?;
    let location = format!("/boats/{id}/seams/all");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[cfg(test)]
mod tests {
    use mend_keel_core::units::LengthUnit;

    use super::*;

    #[test]
    fn what_is_known_only_so_far_has_its_sign_at_both_ends() {
        let metric = Units { unit: LengthUnit::Millimetre, denominator: 16 };
        for (least, most, says) in [
            (0.4, 1.2, "0.4 mm to 1.2 mm"),
            (-1.7, -3.4, "−1.7 mm to −3.4 mm"),
            (-0.2, 0.6, "−0.2 mm to 0.6 mm"),
            (1.2, 1.2, "1.2 mm"),
            (-1.21, -1.19, "−1.2 mm"),
            (-0.01, 0.01, "0 mm"),
        ] {
            assert_eq!(between(least, most, metric), says);
        }
    }
}
