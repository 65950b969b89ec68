//! Stores beside timber: what there is is the sum of what came, went and was counted; nothing is overwritten.

pub use mend_keel_core::work::supply::{ItemKind, MoveKind};
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

/// A thing in the stores with what there is of it.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Item {
    pub id: i64,
    #[sqlx(try_from = "String")]
    pub kind: ItemKind,
    pub name: String,
    pub unit: String,
    pub place: String,
    pub reorder_at: f64,
    /// Days from ordering to having; `None`: nobody said.
    pub lead_days: Option<u32>,
    /// Of a fastening: what it is.
    #[sqlx(flatten)]
    pub fastening: FasteningSpec,
    pub version: i64,
    /// In the store, reserved or not.
    pub there: f64,
    pub reserved: f64,
    pub used: f64,
}

/// What a fastening in the stores is: an id of the table of metals, the code of its kind, gauge of a screw or mm of a nail or bolt, and
/// its length in mm. Empty where nobody said, and for what is no fastening.
#[derive(Debug, Clone, PartialEq, Default, FromRow)]
pub struct FasteningSpec {
    pub metal: Option<String>,
    pub form: Option<String>,
    pub size: Option<f64>,
    pub length: Option<f64>,
}

#[derive(Debug, Clone)]
pub struct NewItem {
    pub kind: ItemKind,
    pub name: String,
    pub unit: String,
    pub place: String,
    pub reorder_at: f64,
    pub lead_days: Option<u32>,
    pub fastening: FasteningSpec,
}

/// A batch of an item. Days as `2026-03-01`.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Lot {
    pub id: i64,
    pub item_id: i64,
    pub batch: String,
    pub opened_on: Option<String>,
    pub expires_on: Option<String>,
    pub price: Option<f64>,
    pub there: f64,
}

impl Lot {
    /// Its day has passed on a day.
    pub fn is_past(&self, day: &str) -> bool {
        self.expires_on.as_deref().is_some_and(|until| until < day)
    }
}

/// One movement.
#[derive(Debug, Clone, PartialEq, FromRow)]
pub struct Move {
    pub id: i64,
    pub item_id: i64,
    pub lot_id: Option<i64>,
    pub boat_id: Option<i64>,
    #[sqlx(try_from = "String")]
    pub kind: MoveKind,
    pub amount: f64,
    pub note: String,
    pub by_name: String,
    pub at: String,
}

const ITEM: &str = "SELECT id, kind, name, unit, place, reorder_at, lead_days, metal, form, size, length, version,
    (SELECT TOTAL(CASE kind WHEN 'in' THEN amount WHEN 'counted' THEN amount WHEN 'used' THEN -amount ELSE 0 END) FROM store_move m WHERE m.item_id = store_item.id) AS there,
    (SELECT TOTAL(CASE kind WHEN 'reserved' THEN amount WHEN 'released' THEN -amount ELSE 0 END) FROM store_move m WHERE m.item_id = store_item.id) AS reserved,
    (SELECT TOTAL(CASE kind WHEN 'used' THEN amount ELSE 0 END) FROM store_move m WHERE m.item_id = store_item.id) AS used
    FROM store_item";

pub async fn items(store: &Store) -> Result<Vec<Item>> {
    let sql = format!("{ITEM} ORDER BY kind, name");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

pub async fn item(store: &Store, id: i64) -> Result<Item> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{ITEM} WHERE id = ?")))
        .bind(id)
        .fetch_optional(store.pool())
        .await?
        .ok_or(StoreError::NotFound("item of the stores"))
}

/// Batches with what there is of each, the oldest first; all items where `item` is none.
pub async fn lots(store: &Store, item: Option<i64>) -> Result<Vec<Lot>> {
    let sql = "SELECT id, item_id, batch, opened_on, expires_on, price,
        (SELECT TOTAL(CASE kind WHEN 'in' THEN amount WHEN 'counted' THEN amount WHEN 'used' THEN -amount ELSE 0 END) FROM store_move m WHERE m.lot_id = store_lot.id) AS there
        FROM store_lot WHERE ?1 IS NULL OR item_id = ?1 ORDER BY id";
    Ok(sqlx::query_as(sql).bind(item).fetch_all(store.pool()).await?)
}

/// An item's movements, newest first.
pub async fn moves(store: &Store, item: i64) -> Result<Vec<Move>> {
    let sql = "SELECT id, item_id, lot_id, boat_id, kind, amount, note, by_name, at FROM store_move WHERE item_id = ? ORDER BY id DESC LIMIT 400";
    Ok(sqlx::query_as(sql).bind(item).fetch_all(store.pool()).await?)
}

/// Less than this is nothing: what sums of decimal amounts leave over.
const TRIFLE: f64 = 1e-9;

impl Work {
    /// Puts a new thing in the stores. [`StoreError::Conflict`] when its name is taken.
    pub async fn add_item(&mut self, new: &NewItem) -> Result<i64> {
        let taken: Option<(i64,)> = sqlx::query_as("SELECT id FROM store_item WHERE name = ?")
            .bind(&new.name)
            .fetch_optional(&mut *self.tx)
            .await?;
        if taken.is_some() {
            return Err(StoreError::Conflict("there is something of that name already".into()));
        }
        let id = sqlx::query("INSERT INTO store_item (kind, name, unit, place, reorder_at, lead_days, metal, form, size, length) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(new.kind.code())
            .bind(&new.name)
            .bind(&new.unit)
            .bind(&new.place)
            .bind(new.reorder_at)
            .bind(new.lead_days)
            .bind(&new.fastening.metal)
            .bind(&new.fastening.form)
            .bind(new.fastening.size)
            .bind(new.fastening.length)
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let body = json!({ "item": id, "name": new.name, "kind": new.kind, "unit": new.unit });
        self.note(None, None, "stores", &format!("{} is kept in the stores", new.name), &body).await?;
        Ok(id)
    }

    /// Says when an item is ordered and how long it takes to come. [`StoreError::Stale`] when it is no longer at this version.
    pub async fn set_ordering(
        &mut self,
        item: &Item,
        version: i64,
        reorder_at: f64,
        lead_days: Option<u32>,
    ) -> Result<()> {
        let sql =
            "UPDATE store_item SET reorder_at = ?, lead_days = ?, version = version + 1 WHERE id = ? AND version = ?";
        let done = sqlx::query(sql)
            .bind(reorder_at)
            .bind(lead_days)
            .bind(item.id)
            .bind(version)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("this item"));
        }
        let body = json!({ "item": item.id, "reorder_at": reorder_at, "lead_days": lead_days });
        self.note(None, None, "stores", &format!("{}: when it is ordered", item.name), &body).await?;
        Ok(())
    }

    /// A batch came in.
    pub async fn receive(
        &mut self,
        item: &Item,
        batch: &str,
        amount: f64,
        expires_on: Option<&str>,
        price: Option<f64>,
    ) -> Result<i64> {
        let lot = sqlx::query("INSERT INTO store_lot (item_id, batch, expires_on, price, at) VALUES (?, ?, ?, ?, ?)")
            .bind(item.id)
            .bind(batch)
            .bind(expires_on)
            .bind(price)
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        self.move_store(item, Some(lot), None, MoveKind::In, amount, batch).await?;
        Ok(lot)
    }

    pub async fn open_lot(&mut self, lot: &Lot, day: &str) -> Result<()> {
        sqlx::query("UPDATE store_lot SET opened_on = ? WHERE id = ? AND opened_on IS NULL")
            .bind(day)
            .bind(lot.id)
            .execute(&mut *self.tx)
            .await?;
        let body = json!({ "lot": lot.id, "batch": lot.batch, "opened_on": day });
        self.note(None, None, "stores", &format!("Opened batch {}", lot.batch), &body).await?;
        Ok(())
    }

    /// Something of an item comes, goes, is reserved or given back. What a boat uses comes off what is reserved for her.
    /// [`StoreError::Conflict`] when more would go than there is, of the item or of the batch.
    pub async fn move_store(
        &mut self,
        item: &Item,
        lot: Option<i64>,
        boat: Option<i64>,
        kind: MoveKind,
        amount: f64,
        note: &str,
    ) -> Result<()> {
        // What is there is asked inside the transaction: two people cannot both take the last of it.
        let (there, reserved) = self.sum_of(item.id, None, None).await?;
        let short = match kind {
            MoveKind::Used => amount > there + TRIFLE,
            MoveKind::Reserved => reserved + amount > there + TRIFLE,
            MoveKind::Released => amount > reserved + TRIFLE,
            MoveKind::In => false,
            // A difference is made of a count where what is there is known.
            MoveKind::Counted => there + amount < -TRIFLE,
        };
        if short {
            return Err(StoreError::Conflict(format!(
                "there are {there:.2} {} of it, {reserved:.2} reserved",
                item.unit
            )));
        }
        if let (MoveKind::Used, Some(lot)) = (kind, lot) {
            let (left, _) = self.sum_of(item.id, Some(lot), None).await?;
            if amount > left + TRIFLE {
                return Err(StoreError::Conflict(format!("there are {left:.2} {} in that batch", item.unit)));
            }
        }
        if kind == MoveKind::Used && boat.is_some() {
            let (_, held) = self.sum_of(item.id, None, boat).await?;
            let freed = held.min(reserved).min(amount);
            if freed > TRIFLE {
                self.put_move(item, None, boat, MoveKind::Released, freed, "used").await?;
            }
        }
        self.put_move(item, lot, boat, kind, amount, note).await
    }

    /// What was counted of an item, or of one batch of it, is so from now on: the difference to what was thought to be there is moved.
    /// [`StoreError::Conflict`] where a batch is counted so low that there would be less than nothing of the item.
    pub async fn count_store(&mut self, item: &Item, lot: Option<i64>, counted: f64, note: &str) -> Result<()> {
        let (there, _) = self.sum_of(item.id, lot, None).await?;
        let (of_all, _) = self.sum_of(item.id, None, None).await?;
        if of_all + counted - there < -TRIFLE {
            return Err(StoreError::Conflict(
                "what was used came from no batch: count all of it, not one batch".into(),
            ));
        }
        self.put_move(item, lot, None, MoveKind::Counted, counted - there, note).await
    }

    /// What there is of an item and what of it is reserved, by all its movements, or by those of one batch or for one boat.
    async fn sum_of(&mut self, item: i64, lot: Option<i64>, boat: Option<i64>) -> Result<(f64, f64)> {
        let sql = "SELECT TOTAL(CASE kind WHEN 'in' THEN amount WHEN 'counted' THEN amount WHEN 'used' THEN -amount ELSE 0 END),
            TOTAL(CASE kind WHEN 'reserved' THEN amount WHEN 'released' THEN -amount ELSE 0 END)
            FROM store_move WHERE item_id = ?1 AND (?2 IS NULL OR lot_id = ?2) AND (?3 IS NULL OR boat_id = ?3)";
        Ok(sqlx::query_as(sql).bind(item).bind(lot).bind(boat).fetch_one(&mut *self.tx).await?)
    }

    async fn put_move(
        &mut self,
        item: &Item,
        lot: Option<i64>,
        boat: Option<i64>,
        kind: MoveKind,
        amount: f64,
        note: &str,
    ) -> Result<()> {
        sqlx::query("INSERT INTO store_move (item_id, lot_id, boat_id, kind, amount, note, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?)")
            .bind(item.id)
            .bind(lot)
            .bind(boat)
            .bind(kind.code())
            .bind(amount)
            .bind(note)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let what = match kind {
            MoveKind::Counted => "more or less as counted",
            kind => kind.label(),
        };
        let body = json!({ "item": item.id, "name": item.name, "kind": kind.code(), "amount": amount, "lot": lot, "note": note });
        self.note(boat, None, "stores", &format!("{}: {amount} {} {what}", item.name, item.unit), &body).await?;
        Ok(())
    }
}
