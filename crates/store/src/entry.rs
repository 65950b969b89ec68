//! How people come in: invitations, where they are signed in, and who tried.

use jiff::{SignedDuration, Timestamp};
use serde_json::json;
use sqlx::FromRow;

use crate::accounts::{NewAccount, Role};
use crate::{Result, Store, StoreError, Work};

/// An invitation that was not used, withdrawn, or run out.
#[derive(Debug, Clone, FromRow)]
pub struct Invite {
    pub id: i64,
    pub name: String,
    #[sqlx(try_from = "String")]
    pub role: Role,
    pub guest_boat: Option<i64>,
    pub expires_at: String,
    pub by_name: String,
}

/// Where somebody is signed in.
#[derive(Debug, Clone, FromRow)]
pub struct SignedIn {
    pub id: i64,
    pub account_id: i64,
    pub name: String,
    /// Empty where it began before this was kept.
    pub begun_at: String,
    pub device: String,
    pub expires_at: String,
}

/// Somebody who came in, or tried.
#[derive(Debug, Clone, FromRow)]
pub struct Tried {
    pub login: String,
    pub came_in: bool,
    pub device: String,
    pub at: String,
}

/// Entries of the log that stay.
const MOST_TRIED: i64 = 1_000;

const INVITE: &str = "SELECT id, name, role, guest_boat, expires_at, by_name FROM invite WHERE used = 0 AND withdrawn = 0 AND expires_at > ?";

pub async fn invites(store: &Store) -> Result<Vec<Invite>> {
    let sql = format!("{INVITE} ORDER BY id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(Timestamp::now().to_string()).fetch_all(store.pool()).await?)
}

/// The invitation of a secret, by its digest.
pub async fn invite(store: &Store, token_hash: &str) -> Result<Invite> {
    let sql = format!("{INVITE} AND token_hash = ?");
    let found: Option<Invite> = sqlx::query_as(sqlx::AssertSqlSafe(sql))
        .bind(Timestamp::now().to_string())
        .bind(token_hash)
        .fetch_optional(store.pool())
        .await?;
    found.ok_or(StoreError::NotFound("invitation"))
}

/// Where people are signed in, newest first.
pub async fn signed_in(store: &Store) -> Result<Vec<SignedIn>> {
    let sql = "SELECT session.rowid AS id, account_id, name, begun_at, device, expires_at FROM session JOIN account ON account.id = account_id
               WHERE expires_at > ? AND removed = 0 ORDER BY begun_at DESC, session.rowid DESC";
    Ok(sqlx::query_as(sql).bind(Timestamp::now().to_string()).fetch_all(store.pool()).await?)
}

/// The last who came in or tried, newest first.
pub async fn tried(store: &Store, most: i64) -> Result<Vec<Tried>> {
    let sql = "SELECT login, came_in, device, at FROM sign_in ORDER BY id DESC LIMIT ?";
    Ok(sqlx::query_as(sql).bind(most).fetch_all(store.pool()).await?)
}

/// Keeps that somebody came in, or tried; only the last of them stay.
pub async fn log(store: &Store, login: &str, came_in: bool, device: &str) -> Result<()> {
    sqlx::query("INSERT INTO sign_in (login, came_in, device, at) VALUES (?, ?, ?, ?)")
        .bind(login)
        .bind(came_in)
        .bind(device)
        .bind(Timestamp::now().to_string())
        .execute(store.writer())
        .await?;
    sqlx::query("DELETE FROM sign_in WHERE id <= (SELECT max(id) FROM sign_in) - ?")
        .bind(MOST_TRIED)
        .execute(store.writer())
        .await?;
    Ok(())
}

/// Keeps on what device a session was begun.
pub async fn on_device(store: &Store, token_hash: &str, device: &str) -> Result<()> {
    sqlx::query("UPDATE session SET begun_at = ?, device = ? WHERE token_hash = ?")
        .bind(Timestamp::now().to_string())
        .bind(device)
        .bind(token_hash)
        .execute(store.writer())
        .await?;
    Ok(())
}

impl Work {
    /// Invites somebody for so many days; the secret itself is not kept.
    pub async fn add_invite(
        &mut self,
        name: &str,
        role: Role,
        guest_boat: Option<i64>,
        token_hash: &str,
        days: u32,
    ) -> Result<()> {
        let expires = self.act.at + SignedDuration::from_hours(24 * i64::from(days));
        sqlx::query("INSERT INTO invite (token_hash, name, role, guest_boat, expires_at, by_name, at) VALUES (?, ?, ?, ?, ?, ?, ?)")
            .bind(token_hash)
            .bind(name)
            .bind(role.code())
            .bind(guest_boat)
            .bind(expires.to_string())
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?;
        let told = format!("{name} was invited as {}", role.label().to_lowercase());
        self.note(None, None, "yard", &told, &json!({ "role": role.code(), "days": days })).await?;
        Ok(())
    }

    pub async fn withdraw_invite(&mut self, invite: &Invite) -> Result<()> {
        if self.set_aside("invite", invite.id).await? {
            let told = format!("The invitation of {} was withdrawn", invite.name);
            self.note(None, None, "yard", &told, &json!({})).await?;
        }
        Ok(())
    }

    /// Makes an account of an invitation, which is used up by it.
    pub async fn accept_invite(&mut self, invite: &Invite, login: &str, password_hash: &str) -> Result<i64> {
        let done = sqlx::query("UPDATE invite SET used = 1 WHERE id = ? AND used = 0 AND withdrawn = 0")
            .bind(invite.id)
            .execute(&mut *self.tx)
            .await?;
        if done.rows_affected() == 0 {
            return Err(StoreError::NotFound("invitation"));
        }
        let new = NewAccount {
            login: login.to_owned(),
            name: invite.name.clone(),
            role: invite.role,
            guest_boat: invite.guest_boat,
            password_hash: password_hash.to_owned(),
        };
        let id = self.add_account(&new).await?;
        let told = format!("{} may sign in as {}", invite.name, invite.role.label().to_lowercase());
        self.note(None, None, "yard", &told, &json!({ "account": id })).await?;
        Ok(id)
    }

    /// Ends where somebody is signed in.
    pub async fn end_session(&mut self, signed_in: &SignedIn) -> Result<()> {
        sqlx::query("DELETE FROM session WHERE rowid = ?").bind(signed_in.id).execute(&mut *self.tx).await?;
        Ok(())
    }
}
