//! Laying out joints: butts over a hull by strakes, a scarfed run by the stock there is.

use divan::Bencher;
use mend_keel_core::grid::Side;
use mend_keel_core::repair::butts::WIDE;
use mend_keel_core::repair::butts::plan::{BUDGET, Run, plan};
use mend_keel_core::repair::scarf_run::{Job, make_up};

fn main() {
    divan::main();
}

/// Both sides of a hull of sixty frames planked anew, from stock of two lengths.
#[divan::bench(args = [4, 8, 16, 32])]
fn butts_plan(bencher: Bencher, strakes: u32) {
    let runs: Vec<Run> = Side::BOTH
        .into_iter()
        .flat_map(|side| {
            (1..=strakes).map(move |strake| Run {
                side,
                strake,
                from: 0,
                to: 59,
                longest: if strake % 2 == 0 { 24 } else { 31 },
            })
        })
        .collect();
    bencher.bench(|| plan(&WIDE, 60, &[], &runs, BUDGET));
}

/// A run of 14 m from stock of 2 to 5 m, with frames no scarf may lie on.
#[divan::bench(args = [6, 12, 24, 48], sample_count = 10)]
fn scarf_run(bencher: Bencher, stock: u32) {
    let job = Job {
        required: 14_000.0,
        scarf_length: 240.0,
        stock: (0..stock).map(|i| 2_000.0 + f64::from(i * 7_919 % 3_000)).collect(),
        min_piece: 720.0,
        forbidden: (0..20).map(|i| [f64::from(i) * 700.0, f64::from(i) * 700.0 + 90.0]).collect(),
        max_pieces: None,
    };
    bencher.bench(|| make_up(&job));
}
