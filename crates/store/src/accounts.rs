//! The yard and its people: accounts, roles, sessions. Passwords come in hashed and tokens as digests.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::practice::Practice;
use serde_json::json;
use sqlx::FromRow;

use crate::{Result, Store, StoreError, Work};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// Owner of the yard: everything, and the people.
    Owner,
    Shipwright,
    /// Reads one boat.
    Guest,
}

impl Role {
    pub fn code(self) -> &'static str {
        match self {
            Self::Owner => "owner",
            Self::Shipwright => "shipwright",
            Self::Guest => "guest",
        }
    }

    pub fn label(self) -> &'static str {
        match self {
            Self::Owner => "Owner of the yard",
            Self::Shipwright => "Shipwright",
            Self::Guest => "Guest of one boat",
        }
    }

    pub fn from_code(code: &str) -> Option<Self> {
        [Self::Owner, Self::Shipwright, Self::Guest].into_iter().find(|r| r.code() == code)
    }
}

impl TryFrom<String> for Role {
    type Error = String;

    fn try_from(code: String) -> std::result::Result<Self, String> {
        Self::from_code(&code).ok_or(code)
    }
}

#[derive(Debug, Clone, FromRow)]
pub struct Account {
    pub id: i64,
    pub login: String,
    pub name: String,
    #[sqlx(try_from = "String")]
    pub role: Role,
    pub guest_boat: Option<i64>,
    pub password_hash: String,
}

/// The yard's own settings.
#[derive(Debug, Clone)]
pub struct Yard {
    pub name: String,
    /// `mm` or `in`.
    pub unit: String,
    pub inch_denominator: u32,
    /// Simulated instruments are offered, and what they read counts.
    pub stand_ins: bool,
    /// Guests see hours, who booked them, and what things cost.
    pub guests_see_costs: bool,
}

impl Yard {
    /// A yard as it begins: in millimetres, and without stand-ins.
    pub fn named(name: impl Into<String>) -> Self {
        Self { name: name.into(), unit: "mm".into(), inch_denominator: 16, stand_ins: false, guests_see_costs: false }
    }
}

/// A person to be added.
#[derive(Debug, Clone)]
pub struct NewAccount {
    pub login: String,
    pub name: String,
    pub role: Role,
    pub guest_boat: Option<i64>,
    pub password_hash: String,
}

/// A signed-in person and the token their forms carry.
#[derive(Debug, Clone)]
pub struct Session {
    pub account: Account,
    pub csrf: String,
    /// It now ends later than its cookie: the cookie is to be left anew.
    pub renewed: bool,
}

const ACCOUNT: &str = "SELECT id, login, name, role, guest_boat, password_hash FROM account";

/// How long a sign-in lasts.
pub const SESSION_DAYS: i64 = 30;

/// Whether a backup is taken every night, and how many stay.
pub async fn backups(store: &Store) -> Result<(bool, u32)> {
    let sql = "SELECT nightly, backups_kept FROM yard WHERE id = 1";
    Ok(sqlx::query_as(sql).fetch_optional(store.pool()).await?.unwrap_or((false, 7)))
}

pub async fn yard(store: &Store) -> Result<Yard> {
    Ok(now(store).await?.yard)
}

/// The store at one moment.
#[derive(Debug, Clone)]
pub struct Now {
    /// Another one after anything was committed, by this program or any other. What was read after it was asked for is true while it
    /// stays the same. It counts from the start of the program.
    pub version: i64,
    pub yard: Yard,
}

/// The yard's settings and the store's version, in one statement.
pub async fn now(store: &Store) -> Result<Now> {
    #[derive(FromRow)]
    struct Row {
        data_version: i64,
        name: Option<String>,
        unit: Option<String>,
        inch_denominator: Option<u32>,
        stand_ins: Option<bool>,
        guests_see_costs: Option<bool>,
    }
    let sql = "SELECT data_version, name, unit, inch_denominator, stand_ins, guests_see_costs
               FROM pragma_data_version LEFT JOIN yard ON yard.id = 1";
    let row: Row = sqlx::query_as(sql).fetch_one(store.watch()).await?;
    let usual = Yard::named("The yard");
    let yard = Yard {
        name: row.name.unwrap_or(usual.name),
        unit: row.unit.unwrap_or(usual.unit),
        inch_denominator: row.inch_denominator.unwrap_or(usual.inch_denominator),
        stand_ins: row.stand_ins.unwrap_or(usual.stand_ins),
        guests_see_costs: row.guests_see_costs.unwrap_or(usual.guests_see_costs),
    };
    Ok(Now { version: row.data_version, yard })
}

/// Everybody who may sign in.
pub async fn list(store: &Store) -> Result<Vec<Account>> {
    let sql = format!("{ACCOUNT} WHERE removed = 0 ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

pub async fn find_login(store: &Store, login: &str) -> Result<Option<Account>> {
    let sql = format!("{ACCOUNT} WHERE login = ? AND removed = 0");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(login).fetch_optional(store.pool()).await?)
}

pub async fn open_session(store: &Store, account: i64, token_hash: &str, csrf: &str) -> Result<()> {
    let now = Timestamp::now();
    let expires = now + SignedDuration::from_hours(24 * SESSION_DAYS);
    // Not by a clock that has gone far ahead.
    sqlx::query("DELETE FROM session WHERE expires_at < ? AND expires_at > ?")
        .bind(now.to_string())
        .bind((now - FAR_AHEAD).to_string())
        .execute(store.writer())
        .await?;
    sqlx::query("INSERT INTO session (token_hash, account_id, csrf, expires_at) VALUES (?, ?, ?, ?)")
        .bind(token_hash)
        .bind(account)
        .bind(csrf)
        .bind(expires.to_string())
        .execute(store.writer())
        .await?;
    Ok(())
}

/// A session that ended longer ago than this was ended by a clock that has gone wrong: it still holds.
const FAR_AHEAD: SignedDuration = SignedDuration::from_hours(24 * 365);
/// A session is renewed once it is a day old, so that it ends so many days after it was last used.
const RENEWED_AFTER: SignedDuration = SignedDuration::from_hours(24);

pub async fn session(store: &Store, token_hash: &str) -> Result<Option<Session>> {
    #[derive(FromRow)]
    struct Row {
        #[sqlx(flatten)]
        account: Account,
        csrf: String,
        expires_at: String,
    }
    let now = Timestamp::now();
    let sql = "SELECT account.id, login, name, role, guest_boat, password_hash, csrf, expires_at
               FROM session JOIN account ON account.id = account_id
               WHERE token_hash = ?1 AND account.removed = 0 AND (expires_at > ?2 OR expires_at < ?3)";
    let found: Option<Row> = sqlx::query_as(sql)
        .bind(token_hash)
        .bind(now.to_string())
        .bind((now - FAR_AHEAD).to_string())
        .fetch_optional(store.pool())
        .await?;
    let Some(Row { account, csrf, expires_at }) = found else { return Ok(None) };
    let full = SignedDuration::from_hours(24 * SESSION_DAYS);
    let left = expires_at.parse::<Timestamp>().map_or(full, |at| at.duration_since(now));
    let renewed = left > SignedDuration::ZERO && left < full - RENEWED_AFTER;
    if renewed {
        // Whoever cannot be written for now is renewed the next time.
        let _ = sqlx::query("UPDATE session SET expires_at = ? WHERE token_hash = ?")
            .bind((now + full).to_string())
            .bind(token_hash)
            .execute(store.writer())
            .await;
    }
    Ok(Some(Session { account, csrf, renewed }))
}

pub async fn close_session(store: &Store, token_hash: &str) -> Result<()> {
    sqlx::query("DELETE FROM session WHERE token_hash = ?").bind(token_hash).execute(store.writer()).await?;
    Ok(())
}

/// The yard's corrections of a pin meter, points by species.
pub async fn meter_offsets(store: &Store) -> Result<Vec<(String, f64)>> {
    Ok(sqlx::query_as("SELECT species, points FROM meter_offset ORDER BY species").fetch_all(store.pool()).await?)
}

/// The yard's ways, and their version: 0 while they are the handbook's.
pub async fn practice(store: &Store) -> Result<(Practice, i64)> {
    let kept: Option<(String, i64)> =
        sqlx::query_as("SELECT body, version FROM practice WHERE id = 1").fetch_optional(store.pool()).await?;
    Ok(match kept {
        Some((body, version)) => (serde_json::from_str(&body)?, version),
        None => (Practice::default(), 0),
    })
}

impl Work {
    /// Keeps the yard's ways. Refused when somebody else changed them since `version`.
    pub async fn set_practice(&mut self, practice: &Practice, version: i64, what: &str) -> Result<()> {
        let body = serde_json::to_string(practice)?;
        let done = if version == 0 {
            sqlx::query("INSERT INTO practice (id, body) VALUES (1, ?) ON CONFLICT (id) DO NOTHING")
                .bind(&body)
                .execute(&mut *self.tx)
                .await?
        } else {
            sqlx::query("UPDATE practice SET body = ?, version = version + 1 WHERE id = 1 AND version = ?")
                .bind(&body)
                .bind(version)
                .execute(&mut *self.tx)
                .await?
        };
        if done.rows_affected() == 0 {
            return Err(StoreError::Stale("the yard’s practice"));
        }
        self.note(None, None, "yard", what, &serde_json::to_value(practice)?).await?;
        Ok(())
    }

    /// Keeps the correction of a pin meter for a species; readings already taken keep theirs.
    pub async fn set_meter_offset(&mut self, species: &str, points: f64) -> Result<()> {
        sqlx::query("INSERT INTO meter_offset (species, points) VALUES (?, ?) ON CONFLICT (species) DO UPDATE SET points = excluded.points")
            .bind(species)
            .bind(points)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }

    pub async fn set_backups(&mut self, nightly: bool, kept: u32) -> Result<()> {
        // A yard that was never named has no row yet.
        let begun = Yard::named("The yard");
        sqlx::query("INSERT INTO yard (id, name, unit, inch_denominator, stand_ins) VALUES (1, ?, ?, ?, ?) ON CONFLICT (id) DO NOTHING")
            .bind(&begun.name)
            .bind(&begun.unit)
            .bind(begun.inch_denominator)
            .bind(begun.stand_ins)
            .execute(&mut *self.tx)
            .await?;
        sqlx::query("UPDATE yard SET nightly = ?, backups_kept = ? WHERE id = 1")
            .bind(nightly)
            .bind(kept)
            .execute(&mut *self.tx)
            .await?;
        let told = if nightly { format!("A backup every night, {kept} stay") } else { "No nightly backups".to_owned() };
        self.note(None, None, "yard", &told, &json!({ "nightly": nightly, "kept": kept })).await?;
        Ok(())
    }

    pub async fn set_yard(&mut self, yard: &Yard) -> Result<()> {
        sqlx::query(
            "INSERT INTO yard (id, name, unit, inch_denominator, stand_ins, guests_see_costs) VALUES (1, ?, ?, ?, ?, ?)
             ON CONFLICT (id) DO UPDATE SET name = excluded.name, unit = excluded.unit,
                 inch_denominator = excluded.inch_denominator, stand_ins = excluded.stand_ins,
                 guests_see_costs = excluded.guests_see_costs",
        )
        .bind(&yard.name)
        .bind(&yard.unit)
        .bind(yard.inch_denominator)
        .bind(yard.stand_ins)
        .bind(yard.guests_see_costs)
        .execute(&mut *self.tx)
        .await?;
        Ok(())
    }

    /// Gives a person another role, with the boat a guest may read. The last owner stays one.
    pub async fn set_role(&mut self, account: &Account, role: Role, guest_boat: Option<i64>) -> Result<()> {
        if role != Role::Owner {
            self.another_owner(account).await?;
        }
        sqlx::query("UPDATE account SET role = ?, guest_boat = ? WHERE id = ?")
            .bind(role.code())
            .bind(guest_boat)
            .bind(account.id)
            .execute(&mut *self.tx)
            .await?;
        let told = format!("{} is {} now", account.name, role.label().to_lowercase());
        self.note(None, None, "yard", &told, &json!({ "account": account.id, "role": role.code() })).await?;
        Ok(())
    }

    /// Gives a person another password; wherever they were signed in they must sign in again.
    pub async fn set_password(&mut self, account: &Account, password_hash: &str) -> Result<()> {
        sqlx::query("UPDATE account SET password_hash = ? WHERE id = ?")
            .bind(password_hash)
            .bind(account.id)
            .execute(&mut *self.tx)
            .await?;
        self.end_sessions(account).await?;
        let told = format!("{} has a new password", account.name);
        self.note(None, None, "yard", &told, &json!({ "account": account.id })).await?;
        Ok(())
    }

    /// A person may sign in no more; what they did stays told. The last owner stays.
    pub async fn remove_account(&mut self, account: &Account) -> Result<()> {
        self.another_owner(account).await?;
        // The login is free for somebody else.
        sqlx::query("UPDATE account SET removed = 1, login = login || ' (removed ' || id || ')' WHERE id = ?")
            .bind(account.id)
            .execute(&mut *self.tx)
            .await?;
        self.end_sessions(account).await?;
        let told = format!("{} may sign in no more", account.name);
        self.note(None, None, "yard", &told, &json!({ "account": account.id })).await?;
        Ok(())
    }

    async fn another_owner(&mut self, account: &Account) -> Result<()> {
        let (others,): (i64,) =
            sqlx::query_as("SELECT count(*) FROM account WHERE role = 'owner' AND removed = 0 AND id <> ?")
                .bind(account.id)
                .fetch_one(&mut *self.tx)
                .await?;
        if account.role == Role::Owner && others == 0 {
            return Err(StoreError::Conflict("the yard must keep an owner: make somebody else one first".into()));
        }
        Ok(())
    }

    async fn end_sessions(&mut self, account: &Account) -> Result<()> {
        sqlx::query("DELETE FROM session WHERE account_id = ?").bind(account.id).execute(&mut *self.tx).await?;
        Ok(())
    }

    /// Adds a person. [`StoreError::Conflict`] when the login is taken.
    pub async fn add_account(&mut self, new: &NewAccount) -> Result<i64> {
        let taken: Option<(i64,)> = sqlx::query_as("SELECT id FROM account WHERE login = ?")
            .bind(&new.login)
            .fetch_optional(&mut *self.tx)
            .await?;
        if taken.is_some() {
            return Err(StoreError::Conflict("that login is taken".into()));
        }
        let done = sqlx::query(
            "INSERT INTO account (login, name, role, guest_boat, password_hash, created_at) VALUES (?, ?, ?, ?, ?, ?)",
        )
        .bind(&new.login)
        .bind(&new.name)
        .bind(new.role.code())
        .bind(new.guest_boat)
        .bind(&new.password_hash)
        .bind(self.stamp())
        .execute(&mut *self.tx)
        .await?;
        Ok(done.last_insert_rowid())
    }
}
