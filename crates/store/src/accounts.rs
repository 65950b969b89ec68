//! The yard and its people: accounts, roles, sessions. Passwords come in hashed and tokens as digests.

use jiff::{SignedDuration, Timestamp};
use mend_keel_core::practice::Practice;
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
#[derive(Debug, Clone, FromRow)]
pub struct Yard {
    pub name: String,
    /// `mm` or `in`.
    pub unit: String,
    pub inch_denominator: u32,
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
}

const ACCOUNT: &str = "SELECT id, login, name, role, guest_boat, password_hash FROM account";

/// How long a sign-in lasts.
const SESSION_DAYS: i64 = 30;

pub async fn yard(store: &Store) -> Result<Yard> {
    let yard = sqlx::query_as("SELECT name, unit, inch_denominator FROM yard WHERE id = 1")
        .fetch_optional(store.pool())
        .await?;
    Ok(yard.unwrap_or_else(|| Yard { name: "The yard".into(), unit: "mm".into(), inch_denominator: 16 }))
}

pub async fn list(store: &Store) -> Result<Vec<Account>> {
    let sql = format!("{ACCOUNT} ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).fetch_all(store.pool()).await?)
}

pub async fn find_login(store: &Store, login: &str) -> Result<Option<Account>> {
    let sql = format!("{ACCOUNT} WHERE login = ?");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(login).fetch_optional(store.pool()).await?)
}

pub async fn open_session(store: &Store, account: i64, token_hash: &str, csrf: &str) -> Result<()> {
    let now = Timestamp::now();
    let expires = now + SignedDuration::from_hours(24 * SESSION_DAYS);
    sqlx::query("DELETE FROM session WHERE expires_at < ?").bind(now.to_string()).execute(store.pool()).await?;
    sqlx::query("INSERT INTO session (token_hash, account_id, csrf, expires_at) VALUES (?, ?, ?, ?)")
        .bind(token_hash)
        .bind(account)
        .bind(csrf)
        .bind(expires.to_string())
        .execute(store.pool())
        .await?;
    Ok(())
}

pub async fn session(store: &Store, token_hash: &str) -> Result<Option<Session>> {
    #[derive(FromRow)]
    struct Row {
        #[sqlx(flatten)]
        account: Account,
        csrf: String,
    }
    let sql = "SELECT account.id, login, name, role, guest_boat, password_hash, csrf
               FROM session JOIN account ON account.id = account_id WHERE token_hash = ? AND expires_at > ?";
    let found: Option<Row> =
        sqlx::query_as(sql).bind(token_hash).bind(Timestamp::now().to_string()).fetch_optional(store.pool()).await?;
    Ok(found.map(|Row { account, csrf }| Session { account, csrf }))
}

pub async fn close_session(store: &Store, token_hash: &str) -> Result<()> {
    sqlx::query("DELETE FROM session WHERE token_hash = ?").bind(token_hash).execute(store.pool()).await?;
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

    pub async fn set_yard(&mut self, yard: &Yard) -> Result<()> {
        sqlx::query(
            "INSERT INTO yard (id, name, unit, inch_denominator) VALUES (1, ?, ?, ?)
             ON CONFLICT (id) DO UPDATE SET name = excluded.name, unit = excluded.unit, inch_denominator = excluded.inch_denominator",
        )
        .bind(&yard.name)
        .bind(&yard.unit)
        .bind(yard.inch_denominator)
        .execute(&mut *self.tx)
        .await?;
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
