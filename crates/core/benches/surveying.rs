//! A scripted surveyor over practice hulls: how much he finds in a given time by the advice and anywhere, how often what he decides on
//! holds in ten years, how often the fastenings drawn tell the truth. Then the time a survey and its score take, by size of hull.

use divan::Bencher;
use mend_keel_core::hidden::score::{Fate, score};
use mend_keel_core::hidden::surveyor::{Way, survey};
use mend_keel_core::hidden::{Level, Seed, Size, Truth, truth};

const SEEDS: u32 = 200;

fn main() {
    for (level, minutes) in [(Level::Plain, 240.0), (Level::Hidden, 240.0), (Level::Sly, 240.0), (Level::Hidden, 600.0)]
    {
        for way in Way::ALL {
            println!("{}", told(level, minutes, *way));
        }
    }
    if std::env::args().any(|a| a == "--quality") {
        return;
    }
    divan::main();
}

fn hull(word: &str, size: Size, level: Level) -> Truth {
    truth(&Seed::new(word, size, level).expect("a word")).expect("a hull")
}

/// All seeds of a level in one line.
fn told(level: Level, minutes: f64, way: Way) -> String {
    let (mut found, mut bad, mut falsely, mut bays) = (0, 0, 0, 0);
    let (mut held, mut places, mut drawn, mut drew) = (0, 0, 0, 0);
    for n in 0..SEEDS {
        let truth = hull(&format!("bench{n}"), Size::Middle, level);
        let s = score(&truth, &survey(&truth, way, minutes, u64::from(n))).expect("her own hull");
        found += s.found;
        bad += s.found + s.missed;
        falsely += s.falsely;
        bays += truth.cells().count();
        places += s.turned.len();
        held += s.turned.iter().filter(|t| matches!(t.fate, Fate::Mended | Fate::Rests)).count();
        drawn += usize::from(s.draw_held() == Some(true));
        drew += usize::from(s.draw_held().is_some());
    }
    let percent = |part: f64, whole: f64| 100.0 * part / whole.max(1.0);
    format!(
        "survey, {}, {minutes:.0} min, {}: {:.0} % of the bad bays found, {:.2} % of all bays falsely condemned, {:.0} % of the soft places mended for good or at rest, the fastenings drawn told the truth in {:.0} %",
        level.label().to_lowercase(),
        way.label().to_lowercase(),
        percent(f64::from(found), f64::from(bad)),
        percent(f64::from(falsely), bays as f64),
        percent(held as f64, places as f64),
        percent(drawn as f64, drew as f64),
    )
}

#[divan::bench(args = [Size::Small, Size::Middle, Size::Whole])]
fn survey_and_score(bencher: Bencher, size: Size) {
    let truth = hull("bench", size, Level::Hidden);
    bencher.bench(|| score(&truth, &survey(&truth, Way::Advised, 600.0, 1)).map(|s| s.found));
}
