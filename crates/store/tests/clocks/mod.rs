//! Clocks and hours against a model: whoever starts, stops, forgets and books, nobody runs two clocks, and a task's minutes are the sum of
//! what was worked on it.

use std::collections::HashMap;

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::chance::Chance;
use mend_keel_core::repair::way::OptionKind;
use mend_keel_core::work::estimate::HourKind;
use mend_keel_store::accounts::{self, NewAccount, Role};
use mend_keel_store::tasks::{self, Task};
use mend_keel_store::{Act, Store, StoreError, boats, history};

use crate::{AT, act, boat, decide, patch, yard};

async fn person(store: &Store, login: &str) -> i64 {
    let mut work = store.begin(act()).await.unwrap();
    let new = NewAccount {
        login: login.into(),
        name: login.into(),
        role: Role::Shipwright,
        password_hash: "x".into(),
        guest_boat: None,
    };
    let id = work.add_account(&new).await.unwrap();
    work.commit("/").await.unwrap();
    id
}

/// A boat with the tasks of one decision.
async fn with_tasks(store: &Store) -> (i64, Vec<Task>) {
    let boat = boat(store).await;
    let plank = boats::plank_at(&boats::planks(store, boat).await.unwrap(), AT).unwrap().id;
    decide(store, boat, plank, OptionKind::Graving, &[patch()]).await.unwrap();
    let tasks = tasks::of_boat(store, boat).await.unwrap();
    assert!(tasks.len() >= 4);
    (boat, tasks)
}

fn at(minute: i64) -> Timestamp {
    "2026-03-02T08:00:00Z".parse::<Timestamp>().unwrap() + SignedDuration::from_mins(minute)
}

/// An act at a minute of the day.
fn acting(minute: i64) -> Act {
    Act { by: "Ada Brook".into(), at: at(minute), once: None }
}

#[tokio::test]
async fn over_any_day_nobody_runs_two_clocks_and_every_minute_is_booked_once() {
    let (_folder, store) = yard().await;
    let (boat, tasks) = with_tasks(&store).await;
    let people = [person(&store, "maud").await, person(&store, "tobias").await, person(&store, "ines").await];
    let mut chance = Chance::seeded(3);
    // Who runs on which task since when; minutes of each task.
    let mut running: HashMap<i64, (i64, i64)> = HashMap::new();
    let mut minutes: HashMap<i64, f64> = HashMap::new();
    let mut now = 0;
    for step in 0..160 {
        now += i64::from(chance.below(40));
        let who = people[chance.below(3) as usize];
        let task = &tasks[chance.below(tasks.len() as u32) as usize];
        let mut work = store.begin(acting(now)).await.unwrap();
        let stop = |running: &mut HashMap<i64, (i64, i64)>, minutes: &mut HashMap<i64, f64>, forgotten: Option<f64>| {
            if let Some((on, since)) = running.remove(&who) {
                *minutes.entry(on).or_default() += forgotten.unwrap_or((now - since) as f64);
            }
        };
        match chance.below(4) {
            0 | 1 => {
                work.start_clock(task, who, at(now), None).await.unwrap();
                stop(&mut running, &mut minutes, None);
                running.insert(who, (task.id, now));
            }
            2 => {
                // Forgotten, and put right with what it really was; also where none runs.
                let really = (chance.below(2) == 0).then(|| f64::from(chance.below(300)));
                work.stop_clock(who, at(now), really).await.unwrap();
                stop(&mut running, &mut minutes, really);
            }
            _ => {
                let booked = f64::from(chance.below(240)) - 60.0;
                let told = work.book(task, who, booked, HourKind::Work, "by hand").await;
                let of_it = minutes.entry(task.id).or_default();
                if *of_it + booked < 0.0 && booked < 0.0 {
                    assert!(matches!(told, Err(StoreError::Conflict(_))), "step {step}: {booked} of {of_it}");
                    drop(work);
                    continue;
                }
                told.unwrap();
                *of_it += booked;
            }
        }
        work.commit("/").await.unwrap();
        let clocks = tasks::running(&store).await.unwrap();
        assert_eq!(clocks.len(), running.len(), "step {step}");
        for clock in clocks {
            let (on, since) = running[&clock.account_id];
            assert_eq!((clock.task_id, clock.started_at.parse::<Timestamp>().unwrap()), (on, at(since)), "step {step}");
        }
        for task in tasks::of_boat(&store, boat).await.unwrap() {
            let expected = minutes.get(&task.id).copied().unwrap_or(0.0);
            assert!(
                (task.minutes - expected).abs() < 1e-6,
                "step {step}, {}: {} of {expected}",
                task.what,
                task.minutes
            );
            assert_eq!(task.running as usize, running.values().filter(|(on, _)| *on == task.id).count());
        }
    }
    assert!(history::whole_proof(&store).await.unwrap().broken.is_none());
}

#[tokio::test]
async fn a_clock_told_late_ran_until_the_one_that_was_started_after_it() {
    let (_folder, store) = yard().await;
    let (boat, tasks) = with_tasks(&store).await;
    let maud = person(&store, "maud").await;
    let mut work = store.begin(acting(120)).await.unwrap();
    work.start_clock(&tasks[1], maud, at(120), None).await.unwrap();
    work.commit("/").await.unwrap();
    // Her phone had no signal: that she had begun something else at 60 comes only now.
    let mut work = store.begin(acting(150)).await.unwrap();
    work.start_clock(&tasks[0], maud, at(60), None).await.unwrap();
    // And a stop she tapped before either of them stops neither.
    work.stop_clock(maud, at(30), None).await.unwrap();
    work.commit("/").await.unwrap();
    let now = tasks::of_boat(&store, boat).await.unwrap();
    let of = |id: i64| now.iter().find(|t| t.id == id).unwrap();
    assert_eq!((of(tasks[0].id).minutes, of(tasks[0].id).running), (60.0, 0));
    assert_eq!((of(tasks[1].id).minutes, of(tasks[1].id).running), (0.0, 1), "it runs on");
}

#[tokio::test]
async fn a_task_that_is_done_stops_everybodys_clock_on_it_and_takes_none_until_it_is_opened_again() {
    let (_folder, store) = yard().await;
    let (boat, tasks) = with_tasks(&store).await;
    let (maud, tobias) = (person(&store, "maud").await, person(&store, "tobias").await);
    let mut work = store.begin(acting(0)).await.unwrap();
    work.start_clock(&tasks[0], maud, at(0), None).await.unwrap();
    work.start_clock(&tasks[0], tobias, at(0), None).await.unwrap();
    work.commit("/").await.unwrap();
    let mut work = store.begin(acting(45)).await.unwrap();
    work.finish_task(&tasks[0], Some(at(45)), Some("it was dry before its time")).await.unwrap();
    work.commit("/").await.unwrap();
    let done = tasks::find(&store, boat, tasks[0].id).await.unwrap();
    assert_eq!((done.minutes, done.running), (90.0, 0), "both worked on it");
    assert!(tasks::running(&store).await.unwrap().is_empty());

    // Who says so a second time changes nothing: the first stays, and the story tells it once.
    let story = async || mend_keel_store::history::proof(&store).await.unwrap().upto;
    let told_last = story().await;
    let mut work = store.begin(acting(48)).await.unwrap();
    work.finish_task(&done, Some(at(48)), None).await.unwrap();
    work.commit("/").await.unwrap();
    let again = tasks::find(&store, boat, tasks[0].id).await.unwrap();
    assert_eq!((again.done_at, story().await), (done.done_at.clone(), told_last));

    let mut work = store.begin(acting(50)).await.unwrap();
    let told = work.start_clock(&done, maud, at(50), None).await.unwrap_err();
    assert!(matches!(told, StoreError::Conflict(_)), "{told}");
    drop(work);
    let mut work = store.begin(acting(55)).await.unwrap();
    work.finish_task(&done, None, None).await.unwrap();
    work.commit("/").await.unwrap();
    let open = tasks::find(&store, boat, tasks[0].id).await.unwrap();
    assert!(open.done_at.is_none() && (open.minutes - 90.0).abs() < 1e-9, "what was worked stays");
    let mut work = store.begin(acting(60)).await.unwrap();
    work.start_clock(&open, maud, at(60), None).await.unwrap();
    work.commit("/").await.unwrap();
    assert_eq!(accounts::list(&store).await.unwrap().len(), 2);
}
