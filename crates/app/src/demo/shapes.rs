//! What was measured on Brindle Wren for new wood: a plank ticked off from a batten with one bad tick, and three frame heads.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::grid::{Address, Side};
use mend_keel_core::repair::decide::member;
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::shape::spiling::{Capture, Tick};
use mend_keel_core::work::estimate::HourKind;
use mend_keel_core::work::estimate::Operation;
use mend_keel_store::boats::Plank;
use mend_keel_store::captures::NewCapture;
use mend_keel_store::{Act, Result, Store, accounts, tasks};

use super::stories::MAUD;
use super::survey;
use crate::file::boat::{BoatFile, Part};
use crate::file::decide::{self, Subject};

/// The station whose upper edge was misread, and by how much, mm.
const MISREAD: (usize, f64) = (6, 9.0);

pub async fn fill(store: &Store, boat: i64, start: Timestamp) -> Result<()> {
    let at = |day: i64, hour: i64| start + SignedDuration::from_hours(24 * day + hour);
    let file = survey::load(store, boat).await?;
    let place = Address { side: Side::Port, strake: 5, frame: 12 };
    let plank = file.plank_at(place).map_err(survey::told)?;
    let mut work = store.begin(Act { by: MAUD.into(), at: at(15, 3), once: None }).await?;
    work.add_capture(&NewCapture {
        boat_id: boat,
        member_id: plank.id,
        name: "Bilge plank by batten".into(),
        capture: Capture::Batten { ticks: ticks(&file, plank) },
        tolerance: 1.5,
        radius: Some(900.0),
        note: "Batten sprung along the middle of the opening, rain coming on.".into(),
    })
    .await?;
    work.commit("/").await?;
    template(store, start).await?;
    for (n, code) in ["FR7P", "FR9P", "FR13P"].into_iter().enumerate() {
        splice_head(store, boat, code, at(16, n as i64), n == 0).await?;
    }
    Ok(())
}

/// A strip template of Pennywort's split transom, for a doubling of plywood.
async fn template(store: &Store, start: Timestamp) -> Result<()> {
    const PENNYWORT: i64 = 2;
    let file = survey::load(store, PENNYWORT).await?;
    let Some(plank) = file.planks.first() else { return Ok(()) };
    let half =
        [[0.0, 0.0], [110.0, -34.0], [230.0, -52.0], [330.0, -57.0], [430.0, -52.0], [550.0, -34.0], [660.0, 0.0]];
    let top = [[640.0, 214.0], [500.0, 238.0], [330.0, 246.0], [160.0, 238.0], [20.0, 214.0]];
    let points = half.into_iter().chain(top).collect();
    let at = start + SignedDuration::from_hours(24 * 9 + 4);
    let mut work = store.begin(Act { by: MAUD.into(), at, once: None }).await?;
    work.add_capture(&NewCapture {
        boat_id: PENNYWORT,
        member_id: plank.id,
        name: "Transom doubling".into(),
        capture: Capture::Strip { points },
        tolerance: 2.0,
        radius: None,
        note: "Strip template, lifted in one piece.".into(),
    })
    .await?;
    work.commit("/").await
}

/// Ticks at every frame under the plank: the hang of a bilge plank in its own plane, the widths of her grid, one misread.
fn ticks(file: &BoatFile, plank: &Plank) -> Vec<Tick> {
    let shell = &file.boat.shell;
    let (from, to) = plank.place().span(shell);
    let frames = (1..=shell.frame_count()).filter(|f| shell.frame_x(*f) >= from && shell.frame_x(*f) <= to);
    frames
        .enumerate()
        .map(|(n, frame)| {
            let x = shell.frame_x(frame) - from;
            let hang = -38.0 * (std::f64::consts::PI * x / (to - from)).sin();
            // Read to the millimetre and never quite alike.
            let scatter = [0.4, -0.6, 0.1, 0.7, -0.3, 0.0, -0.8, 0.5][n % 8];
            let lower = (60.0 - hang + scatter).round();
            let width = shell.width(Address { frame, ..plank_address(plank) });
            let slip = if n == MISREAD.0 { MISREAD.1 } else { 0.0 };
            Tick { x: x.round(), lower: Some(lower), upper: Some((hang - 60.0 + width - scatter + slip).round()) }
        })
        .collect()
}

fn plank_address(plank: &Plank) -> Address {
    Address { side: plank.side, strake: plank.strake, frame: 1 }
}

/// A frame head is decided on; the first one is shored and its soft wood is out already.
async fn splice_head(store: &Store, boat: i64, code: &str, at: Timestamp, begun: bool) -> Result<()> {
    let file = survey::load(store, boat).await?;
    let (_, part) = file.locate(&format!("{code} 1")).map_err(survey::told)?;
    let Part::Member(row, _) = part else { return Ok(()) };
    let subject = Subject::Member(row);
    let Ok(case) = decide::member_case(&file, &subject, file.boat.school) else { return Ok(()) };
    let options = member::options(&case, |op| op.rate().0).map_err(survey::told)?;
    let Some(option) = options.iter().find(|o| o.kind == OptionKind::SpliceEnd) else { return Ok(()) };
    let reason =
        "The rest of the timber is sound; the head is spliced with a long scarf and the rail's leak is stopped.";
    let (decision, pieces) = decide::settled(&file, &subject, option, reason.into(), "");
    let member = row.id;
    let mut work = store.begin(Act { by: "Tobias Renn".into(), at, once: None }).await?;
    let decided = work.decide(&decision, &pieces).await?;
    work.add_tasks(boat, member, decided, &option.tasks).await?;
    work.commit("/").await?;
    if !begun {
        return Ok(());
    }
    let Some(tobias) = accounts::find_login(store, "tobias").await? else { return Ok(()) };
    let done = [Operation::Shore, Operation::TakeShape, Operation::CutOut];
    let all = tasks::of_boat(store, boat).await?;
    for (n, task) in all.iter().filter(|t| t.decision_id == Some(decided) && done.contains(&t.operation)).enumerate() {
        let when = at + SignedDuration::from_hours(3 + n as i64);
        let mut work = store.begin(Act { by: tobias.name.clone(), at: when, once: None }).await?;
        work.book(task, tobias.id, 45.0, HourKind::Work, "").await?;
        work.finish_task(task, Some(work.at()), None).await?;
        work.commit("/").await?;
    }
    Ok(())
}
