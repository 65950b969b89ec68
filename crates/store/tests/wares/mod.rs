//! Stores against a model of their own: over any history of what comes, goes, is held and counted, the sums are those a person would
//! keep in a notebook, and nothing goes below nothing.

use std::collections::HashMap;

use mend_keel_core::chance::Chance;
use mend_keel_store::stores::{self, FasteningSpec, Item, ItemKind, MoveKind, NewItem};
use mend_keel_store::{Store, StoreError, Work, history};

use crate::{act, boat, yard};

async fn an_item(store: &Store, name: &str) -> Item {
    let mut work = store.begin(act()).await.unwrap();
    let new = NewItem {
        kind: ItemKind::Glue,
        name: name.into(),
        unit: "kg".into(),
        place: String::new(),
        reorder_at: 0.0,
        lead_days: None,
        fastening: FasteningSpec::default(),
    };
    let id = work.add_item(&new).await.unwrap();
    work.commit("/").await.unwrap();
    stores::item(store, id).await.unwrap()
}

/// The notebook.
#[derive(Debug, Default, Clone)]
struct Model {
    there: f64,
    used: f64,
    lots: Vec<f64>,
    /// Held for a boat, or for nobody by name.
    held: HashMap<Option<i64>, f64>,
}

impl Model {
    fn reserved(&self) -> f64 {
        self.held.values().sum()
    }

    /// What somebody does with it: whether it can be, and then it is.
    fn does(&mut self, kind: MoveKind, lot: Option<usize>, boat: Option<i64>, amount: f64) -> bool {
        const TRIFLE: f64 = 1e-9;
        match kind {
            MoveKind::In | MoveKind::Counted => unreachable!("comes in and is counted by itself"),
            MoveKind::Used => {
                if amount > self.there + TRIFLE || lot.is_some_and(|l| amount > self.lots[l] + TRIFLE) {
                    return false;
                }
                self.there -= amount;
                self.used += amount;
                if let Some(l) = lot {
                    self.lots[l] -= amount;
                }
                if boat.is_some() {
                    let reserved = self.reserved();
                    let hers = self.held.entry(boat).or_default();
                    let freed = hers.min(reserved).min(amount).max(0.0);
                    *hers -= freed;
                }
            }
            MoveKind::Reserved => {
                if self.reserved() + amount > self.there + TRIFLE {
                    return false;
                }
                *self.held.entry(boat).or_default() += amount;
            }
            MoveKind::Released => {
                if amount > self.reserved() + TRIFLE {
                    return false;
                }
                *self.held.entry(boat).or_default() -= amount;
            }
        }
        true
    }
}

async fn same(store: &Store, id: i64, model: &Model, told: &str) {
    let item = stores::item(store, id).await.unwrap();
    let lots: Vec<f64> = stores::lots(store, Some(id)).await.unwrap().iter().map(|l| l.there).collect();
    let near = |a: f64, b: f64| (a - b).abs() < 1e-6;
    assert!(near(item.there, model.there), "{told}: there {} and not {}", item.there, model.there);
    assert!(near(item.used, model.used), "{told}: used {} and not {}", item.used, model.used);
    assert!(near(item.reserved, model.reserved()), "{told}: held {} and not {}", item.reserved, model.reserved());
    assert_eq!(lots.len(), model.lots.len(), "{told}");
    assert!(lots.iter().zip(&model.lots).all(|(a, b)| near(*a, *b)), "{told}: {lots:?} and not {:?}", model.lots);
    assert!(item.there > -1e-6 && lots.iter().all(|l| *l > -1e-6), "{told}: below nothing: {item:?}, {lots:?}");
}

#[tokio::test]
async fn over_any_history_the_stores_are_what_a_notebook_says() {
    let (_folder, store) = yard().await;
    let boats = [Some(boat(&store).await), None];
    let mut chance = Chance::seeded(11);
    for round in 0..6 {
        let item = an_item(&store, &format!("Glue {round}")).await;
        let (mut model, mut ids) = (Model::default(), Vec::<i64>::new());
        for step in 0..60 {
            let amount = (chance.unit() * 400.0).round() / 100.0;
            let boat = boats[chance.below(2) as usize];
            let lot = (!ids.is_empty() && chance.below(2) == 0).then(|| chance.below(ids.len() as u32) as usize);
            let lot_id = lot.map(|l| ids[l]);
            let told = format!("round {round}, step {step}");
            let mut work = store.begin(act()).await.unwrap();
            match chance.below(6) {
                0 => {
                    ids.push(work.receive(&item, &format!("B-{step}"), amount, None, None).await.unwrap());
                    model.there += amount;
                    model.lots.push(amount);
                }
                1 => {
                    let was = lot.map_or(model.there, |l| model.lots[l]);
                    let counted = work.count_store(&item, lot_id, amount, "counted").await;
                    if model.there + amount - was < -1e-9 {
                        assert!(matches!(counted, Err(StoreError::Conflict(_))), "{told}: less than nothing");
                        drop(work);
                        continue;
                    }
                    counted.unwrap();
                    model.there += amount - was;
                    if let Some(l) = lot {
                        model.lots[l] = amount;
                    }
                }
                n => {
                    let kind = [MoveKind::Used, MoveKind::Used, MoveKind::Reserved, MoveKind::Released][n as usize - 2];
                    let moved = work.move_store(&item, lot_id, boat, kind, amount, "").await;
                    let could = model.does(kind, lot, boat, amount);
                    match moved {
                        Ok(()) => assert!(could, "{told}: {kind:?} {amount} should not have been"),
                        Err(StoreError::Conflict(_)) => assert!(!could, "{told}: {kind:?} {amount} was refused"),
                        Err(e) => panic!("{told}: {e}"),
                    }
                    if !could {
                        // What was refused leaves nothing behind.
                        drop(work);
                        same(&store, item.id, &model, &told).await;
                        continue;
                    }
                }
            }
            work.commit("/").await.unwrap();
            same(&store, item.id, &model, &told).await;
        }
    }
    assert!(history::whole_proof(&store).await.unwrap().broken.is_none());
}

async fn batch(work: &mut Work, item: &Item, name: &str, amount: f64) -> i64 {
    work.receive(item, name, amount, None, None).await.unwrap()
}

#[tokio::test]
async fn a_batch_gives_no_more_than_is_in_it_however_much_lies_beside_it() {
    let (_folder, store) = yard().await;
    let item = an_item(&store, "Primer").await;
    let mut work = store.begin(act()).await.unwrap();
    let (small, _large) = (batch(&mut work, &item, "small", 1.0).await, batch(&mut work, &item, "large", 9.0).await);
    let told = work.move_store(&item, Some(small), None, MoveKind::Used, 1.5, "").await.unwrap_err();
    assert!(told.to_string().contains("1.00 kg in that batch"), "{told}");
    work.move_store(&item, Some(small), None, MoveKind::Used, 1.0, "").await.unwrap();
    work.commit("/").await.unwrap();
    let left: Vec<f64> = stores::lots(&store, Some(item.id)).await.unwrap().iter().map(|l| l.there).collect();
    assert_eq!(left, [0.0, 9.0]);
}

#[tokio::test]
async fn what_a_boat_uses_comes_off_what_is_held_for_her_and_for_nobody_else() {
    let (_folder, store) = yard().await;
    let (hers, other) = (boat(&store).await, boat(&store).await);
    let item = an_item(&store, "Varnish").await;
    let mut work = store.begin(act()).await.unwrap();
    batch(&mut work, &item, "V-1", 10.0).await;
    work.move_store(&item, None, Some(hers), MoveKind::Reserved, 4.0, "").await.unwrap();
    work.move_store(&item, None, Some(other), MoveKind::Reserved, 3.0, "").await.unwrap();
    work.move_store(&item, None, Some(hers), MoveKind::Used, 2.5, "").await.unwrap();
    work.commit("/").await.unwrap();
    let now = stores::item(&store, item.id).await.unwrap();
    assert_eq!((now.there, now.reserved, now.used), (7.5, 4.5, 2.5), "1.5 left for her, 3 for the other");
    // More than was held for her: what was held is used up, and the other's stays.
    let mut work = store.begin(act()).await.unwrap();
    work.move_store(&item, None, Some(hers), MoveKind::Used, 4.0, "").await.unwrap();
    work.commit("/").await.unwrap();
    let now = stores::item(&store, item.id).await.unwrap();
    assert_eq!((now.there, now.reserved), (3.5, 3.0));
}

#[tokio::test]
async fn a_count_says_what_is_there_whatever_was_used_meanwhile() {
    let (_folder, store) = yard().await;
    let item = an_item(&store, "Cotton").await;
    let mut work = store.begin(act()).await.unwrap();
    let lot = batch(&mut work, &item, "C-1", 5.0).await;
    work.commit("/").await.unwrap();
    // Somebody's page still shows 5; another takes 2, and then 4 are counted.
    let mut work = store.begin(act()).await.unwrap();
    work.move_store(&item, Some(lot), None, MoveKind::Used, 2.0, "").await.unwrap();
    work.commit("/").await.unwrap();
    let mut work = store.begin(act()).await.unwrap();
    work.count_store(&item, None, 4.0, "shelf").await.unwrap();
    work.commit("/").await.unwrap();
    assert_eq!(stores::item(&store, item.id).await.unwrap().there, 4.0);
    let moves = stores::moves(&store, item.id).await.unwrap();
    assert_eq!(
        (moves[0].kind, moves[0].amount),
        (MoveKind::Counted, 1.0),
        "the difference is told, nothing is overwritten"
    );
}
