//! Graving piece: damage shapes × old holes.

use divan::Bencher;
use mend_keel_core::grid::plank::Hole;
use mend_keel_core::practice::GravingRules;
use mend_keel_core::repair::graving::{Damage, DamageKind, Plank, Request, plan};

fn main() {
    divan::main();
}

fn request(shapes: usize, holes: usize) -> Request {
    let damage = (0..shapes)
        .map(|i| {
            let x = 800.0 + 60.0 * i as f64;
            Damage { kind: DamageKind::Crack, points: vec![[x, 70.0 + 3.0 * i as f64], [x + 90.0, 78.0]], depth: 8.0 }
        })
        .collect();
    let holes = (0..holes)
        .map(|i| Hole {
            id: format!("h{i}"),
            x: 700.0 + 41.0 * i as f64,
            y: [48.0, 104.0][i % 2],
            diameter: 9.0,
            live: i % 3 == 0,
        })
        .collect();
    Request {
        plank: Plank::parallel(4_000.0, 170.0, 25.0),
        damage,
        holes,
        frames: (0..16).map(|i| 250.0 * f64::from(i)).collect(),
        rules: GravingRules::default(),
        face_depth: None,
    }
}

#[divan::bench(args = [(1, 0), (1, 8), (4, 8), (4, 24), (8, 48)])]
fn graving_piece(bencher: Bencher, (shapes, holes): (usize, usize)) {
    let request = request(shapes, holes);
    bencher.bench_local(|| plan(&request));
}
