//! Fairing a line of offsets, one of them misread: points on the line.

use divan::Bencher;
use mend_keel_core::shape::fair::{TOLERANCE, fit};

fn main() {
    divan::main();
}

#[divan::bench(args = [8, 16, 32, 64])]
fn fair_line(bencher: Bencher, points: usize) {
    let line: Vec<[f64; 2]> = (0..points)
        .map(|i| {
            let x = 250.0 * i as f64;
            let along = i as f64 / points as f64;
            let read = [0.4, -0.6, 0.1, 0.7, -0.3][i % 5];
            [x, 180.0 * (std::f64::consts::PI * along).sin() + read + if i == points / 3 { 9.0 } else { 0.0 }]
        })
        .collect();
    bencher.bench(|| fit(&line, TOLERANCE, None));
}
