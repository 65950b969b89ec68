//! Pieces onto boards, parts onto sheets.

use std::time::{Duration, Instant};

use mend_keel_core::InputError;
use mend_keel_core::cutting::boards::{self, HIDDEN, Stock};
use mend_keel_core::cutting::layout::{Area, Cut, Way};
use mend_keel_core::cutting::sheets::{self, GAP, Part, Turn};
use mend_keel_core::timber::board::{END_TRIM, KERF, Origin};
use serde::Deserialize;
use serde_json::{Value, json};

use super::{Outcome, read, stand_once};

/// An id is a text or a number, and stands once in its list.
fn check_ids<'v>(list: &str, ids: impl Iterator<Item = &'v Value> + Clone) -> Result<(), InputError> {
    let other = ids.clone().position(|id| !(id.is_string() || id.is_number()));
    stand_once(list, ids.take(other.unwrap_or(usize::MAX)).map(Value::to_string))?;
    other.map_or(Ok(()), |i| Err(InputError::new(format!("{list}[{i}].id"), "must be a text or a number")))
}

/// The share of the time that has gone, while there is some left.
pub fn gone(begun: Instant, limit: Duration) -> Option<f64> {
    let share = begun.elapsed().as_secs_f64() / limit.as_secs_f64();
    (share < 1.0).then_some(share)
}

/// How long a plan is searched for, at most.
const LONGEST: Duration = Duration::from_secs(9);

pub fn cut_plan(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Defect {
        x0: f64,
        x1: f64,
        y0: f64,
        y1: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Board {
        id: Value,
        length: f64,
        width: f64,
        thickness: f64,
        cost: f64,
        kind: Origin,
        #[serde(default)]
        defects: Vec<Defect>,
        #[serde(default)]
        sweep: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Piece {
        id: Value,
        length: f64,
        width: f64,
        thickness: f64,
        clear: bool,
        #[serde(default)]
        hang: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        boards: Vec<Board>,
        pieces: Vec<Piece>,
        #[serde(default)]
        kerf: Option<f64>,
        #[serde(default)]
        end_trim: Option<f64>,
        #[serde(default)]
        seed: Option<u64>,
    }
    let input: In = read(input)?;
    check_ids("boards", input.boards.iter().map(|b| &b.id))?;
    check_ids("pieces", input.pieces.iter().map(|p| &p.id))?;
    let stock = input.boards.iter().map(|b| Stock {
        length: b.length,
        width: b.width,
        thickness: b.thickness,
        cost: b.cost,
        origin: b.kind,
        defects: b.defects.iter().map(|d| (Area { x0: d.x0, x1: d.x1, y0: d.y0, y1: d.y1 }, HIDDEN)).collect(),
        sweep: b.sweep,
        end_trim: None,
    });
    let pieces = input.pieces.iter().map(|p| boards::Piece {
        length: p.length,
        width: p.width,
        thickness: p.thickness,
        tolerates: if p.clear { 0 } else { HIDDEN },
        hang: p.hang,
        from: None,
    });
    let job = boards::Job {
        kerf: input.kerf.unwrap_or(KERF),
        end_trim: input.end_trim.unwrap_or(END_TRIM),
        seed: input.seed.unwrap_or(1),
        ..boards::Job::new(stock.collect(), pieces.collect())
    };
    let begun = Instant::now();
    let plan = boards::plan(&job, boards::BUDGET, &mut |_| gone(begun, LONGEST))?;
    let (mut placements, mut offcuts, mut cuts) = (Vec::new(), Vec::new(), Vec::new());
    for opened in &plan.opened {
        let board = &input.boards[opened.board].id;
        placements.extend(
            opened
                .layout
                .placed
                .iter()
                .map(|p| json!({ "piece": input.pieces[p.piece].id, "board": board, "x": p.area.x0, "y": p.area.y0 })),
        );
        offcuts.extend(
            opened
                .offcuts()
                .map(|a| json!({ "board": board, "x": a.x0, "y": a.y0, "length": a.length(), "width": a.width() })),
        );
        let cut = |c: &Cut| json!({ "board": board, "way": if c.way == Way::Cross { "cross" } else { "rip" }, "at": c.at, "from": c.from, "to": c.to });
        cuts.extend(opened.layout.cuts.iter().map(cut));
    }
    Ok(json!({
        "placements": placements,
        "unplaced": plan.unplaced.iter().map(|p| &input.pieces[*p].id).collect::<Vec<_>>(),
        "boards_opened": plan.opened.len(),
        "cost": plan.cost, "bound": plan.bound, "waste": plan.waste,
        "offcuts": offcuts, "cuts": cuts,
    }))
}

pub fn nest(input: Value) -> Outcome {
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct Sheet {
        width: f64,
        height: f64,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct ExtPart {
        id: Value,
        outline: Vec<[f64; 2]>,
        rotations: Turn,
        count: u32,
    }
    #[derive(Deserialize)]
    #[serde(deny_unknown_fields)]
    struct In {
        sheet: Sheet,
        sheets: u32,
        parts: Vec<ExtPart>,
        #[serde(default)]
        gap: Option<f64>,
        #[serde(default)]
        seconds: Option<f64>,
        #[serde(default)]
        seed: Option<u64>,
    }
    let input: In = read(input)?;
    check_ids("parts", input.parts.iter().map(|p| &p.id))?;
    let seconds = input.seconds.unwrap_or(5.0);
    if !(seconds > 0.0 && seconds <= 3_600.0) {
        return Err(InputError::new("seconds", format!("must be greater than 0 and at most 3600, was {seconds}")));
    }
    let job = sheets::Job {
        width: input.sheet.width,
        height: input.sheet.height,
        sheets: input.sheets,
        parts: input
            .parts
            .iter()
            .map(|p| Part { outline: p.outline.clone(), turn: p.rotations, count: p.count })
            .collect(),
        gap: input.gap.unwrap_or(GAP),
        seed: input.seed.unwrap_or(1),
    };
    let (begun, limit) = (Instant::now(), Duration::from_secs_f64(seconds));
    let nest = sheets::nest(&job, u64::MAX, &mut |_| gone(begun, limit)).map_err(|e| match e.field.as_str() {
        "width" | "height" => e.within("sheet"),
        _ => e,
    })?;
    let placement = |p: &sheets::Placement| json!({ "part": input.parts[p.part].id, "sheet": p.sheet, "rotation": p.rotation, "x": p.x, "y": p.y });
    Ok(json!({
        "placements": nest.placements.iter().map(placement).collect::<Vec<Value>>(),
        "unplaced": nest.unplaced.iter().map(|p| &input.parts[*p].id).collect::<Vec<_>>(),
        "sheets_used": nest.sheets_used,
        "last_sheet_length": nest.last_sheet_length,
        "density": nest.density,
    }))
}
