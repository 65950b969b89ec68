//! Refastening: crossings of a region; metals: pieces on a boat; seams of a hull.

use divan::Bencher;
use mend_keel_core::fastening::pattern::Size;
use mend_keel_core::fastening::region::{Known, Region, plan_region};
use mend_keel_core::grid::{Shell, Side};
use mend_keel_core::metals::{self, Item, Zone};
use mend_keel_core::seam::balance::{self, Filling, Seam};

fn main() {
    divan::main();
}

/// Strakes × 60 frames, three fastenings at a crossing: 22 strakes are some 4,000.
#[divan::bench(args = [5, 11, 22], sample_count = 5)]
fn refasten(bencher: Bencher, strakes: u32) {
    let frames: Vec<f64> = (0..60).map(|f| f64::from(f) * 260.0).collect();
    let edges = (0..=strakes).map(|s| vec![f64::from(s) * 158.0; 60]).collect();
    let shell = Shell::new(frames, edges);
    let region = Region {
        side: Side::Port,
        strakes: (1, strakes),
        frames: (1, 60),
        frame_sided: 45.0,
        old_diameter: 4.5,
        in_lap: 0,
    };
    bencher.bench(|| {
        let known = Known {
            ends: &|s| vec![260.0 * f64::from(10 + s % 30) + 130.0],
            size: &|_| Size::Screw(14),
            found: &|_| None,
        };
        plan_region(&shell, &region, &known)
    });
}

#[divan::bench(args = [100, 1_000, 4_000], sample_count = 5)]
fn metals_check(bencher: Bencher, count: usize) {
    let items: Vec<Item> = (0..count)
        .map(|i| Item {
            name: String::new(),
            metal: &metals::all()[i % metals::all().len()],
            zone: Zone::ALL[i % 5],
            area: 500.0 + i as f64,
            at: [37.0 * i as f64, (i % 7) as f64 * 50.0, 0.0],
            in_wood: i % 2 == 0,
            in_oak: i % 3 == 0,
            alkali: false,
        })
        .collect();
    bencher.bench(|| metals::check(&items, &[]));
}

#[divan::bench(args = [16, 160, 1_600])]
fn seams(bencher: Bencher, count: u32) {
    let all: Vec<Seam> = (0..count)
        .map(|i| Seam {
            plank_width: 100.0 + f64::from(i % 80),
            shrinkage: 9.1,
            now: 10.0 + f64::from(i % 12),
            service: 18.0,
            seam_width: 2.4,
            filling: Filling::ALL[i as usize % 4],
            rated: 0.25,
        })
        .collect();
    bencher.bench(|| all.iter().filter_map(|s| balance::seam(s).ok()).count());
}
