//! Planning: tasks × gear, and hours of weather × areas × coats. Before the times it prints how good the plans are: finish
//! against the bound, and how many were proven.

use std::time::{Duration, Instant};

use divan::Bencher;
use mend_keel_core::chance::Chance;
use mend_keel_core::finish::Recipe;
use mend_keel_core::finish::coats::{self, Area, Hour, Step, Work};
use mend_keel_core::work::schedule::{self, After, Answer, Task};

fn main() {
    // By the clock, and in working days.
    for (tasks, seconds, jobs, days) in [(30, 5, 12, false), (30, 5, 12, true), (300, 10, 2, true)] {
        let (mut proven, mut gap, mut longest) = (0, 0.0_f64, 0.0_f64);
        for seed in 0..jobs {
            let mut job = schedule_job(tasks, seed);
            job.open = job.open.filter(|_| days);
            let (begun, limit) = (Instant::now(), Duration::from_secs(seconds));
            let go_on = || begun.elapsed() < limit;
            let Ok(Answer::Plan(plan)) = schedule::plan(&job, &go_on) else { panic!("there is a plan") };
            proven += usize::from(plan.proven);
            gap = gap.max(100.0 * (f64::from(plan.finish) / f64::from(plan.bound) - 1.0));
            longest = longest.max(begun.elapsed().as_secs_f64());
        }
        let when = if days { "in working days" } else { "by the clock" };
        println!(
            "schedule, {tasks} tasks {when}: {proven} of {jobs} proven, gap at most {gap:.1} %, {longest:.1} s at most"
        );
    }
    for areas in [1, 3, 6] {
        let job = coat_job(14, areas);
        let begun = Instant::now();
        let Ok((plan, short)) = coats::as_far_as_it_goes(&job, 600) else { panic!("the job is sound") };
        let told = plan.map_or("no place for any".to_owned(), |p| {
            format!("{} coats, finish {}, bound {}, proven {}", p.coats.len(), p.finish, p.bound, p.proven)
        });
        println!("coat-plan, {areas} areas: {told}, {} cut short, {:.2} s", short.len(), begun.elapsed().as_secs_f64());
    }
    if std::env::args().any(|a| a == "--quality") {
        return;
    }
    divan::main();
}

/// Tasks in chains that cross, four kinds of gear, five people, working days of nine hours.
fn schedule_job(count: usize, seed: u64) -> schedule::Job {
    let mut chance = Chance::seeded(seed);
    let mut roll = |n: u32| chance.below(n);
    let tasks = (0..count)
        .map(|i| {
            let cure = roll(6) == 0;
            let mut after: Vec<After> = Vec::new();
            for _ in 0..2 {
                if i > 4 && roll(2) == 0 {
                    let back = i - 1 - roll(4.min(i as u32)) as usize;
                    if after.iter().all(|a| a.task != back) {
                        after.push(After { task: back, min: if roll(5) == 0 { 6 } else { 0 }, max: None });
                    }
                }
            }
            Task {
                hours: 1 + roll(9),
                people: if cure { 0 } else { 1 + roll(2) },
                gear: if roll(2) == 0 { vec![(roll(4) as usize, 1)] } else { Vec::new() },
                after,
                ..Task::default()
            }
        })
        .collect();
    let open = (0..900).filter(|d| d % 7 < 5).map(|d| [24 * d + 8, 24 * d + 17]).collect();
    schedule::Job { tasks, people: 5, gear: vec![1, 2, 2, 1], open: Some(open) }
}

/// Changeable weather and areas of eight coats, outside and in the shed by turns.
fn coat_job(days: usize, areas: usize) -> coats::Job {
    let mut chance = Chance::seeded(5);
    let mut wet = 0u32;
    let weather = (0..days * 24)
        .map(|h| {
            if chance.below(36) == 0 {
                wet = chance.below(8);
            }
            wet = wet.saturating_sub(1);
            let day = ((h % 24) as f64 / 24.0 * std::f64::consts::TAU).cos();
            Hour {
                temperature: 17.0 - 5.0 * day + 2.0 * chance.unit(),
                humidity: 60.0 + 12.0 * day + 10.0 * chance.unit(),
                rain: if wet > 0 { 0.4 } else { 0.0 },
                wind: 8.0 * chance.unit().powi(3),
            }
        })
        .collect();
    let steps: Vec<Step> =
        Recipe::PaintTopsides.steps().iter().chain(&Recipe::BrightRefresh.steps()).map(Step::of).collect();
    let area = |i: usize| Area {
        area: 3.0 + i as f64,
        outside: i.is_multiple_of(2),
        after: if i % 3 == 2 { vec![i - 1] } else { Vec::new() },
        not_before: 0,
        steps: steps.clone(),
    };
    let work = Work { weekdays: (1..=6).collect(), from: 8, to: 18, painters: 2 };
    coats::Job { first_weekday: 1, weather, shed: [3.0, -10.0], work, areas: (0..areas).map(area).collect() }
}

#[divan::bench(args = [10, 20, 30])]
fn schedule_tasks(bencher: Bencher, tasks: usize) {
    let job = schedule_job(tasks, 3);
    bencher.bench_local(|| {
        // So many looks at the clock: the same work on any machine.
        let left = std::cell::Cell::new(400);
        let go_on = || {
            left.set(left.get() - 1);
            left.get() > 0
        };
        schedule::plan(&job, &go_on)
    });
}

#[divan::bench(args = [1, 3, 6])]
fn coats_of_areas(bencher: Bencher, areas: usize) {
    let job = coat_job(14, areas);
    bencher.bench_local(|| coats::as_far_as_it_goes(&job, 50));
}
