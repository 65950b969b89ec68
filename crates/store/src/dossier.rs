//! A boat as one document: everything kept of her, row by row, with numbers of its own in place of the yard's, read back into any
//! yard. Reading it back and writing it again gives the same document.

mod tables;

use std::collections::{BTreeMap, BTreeSet, HashMap};

use mend_keel_core::edition::Edition;
use mend_keel_core::timber::species::Own;
use serde_json::{Map, Value, json};
use sqlx::{Column as _, FromRow, Row, Transaction, TypeInfo, ValueRef};
use sqlx_sqlite::{Sqlite, SqliteArguments, SqliteRow};

use self::tables::{Holds, TABLES, Table};
use crate::{Result, Store, StoreError, Work, history};

/// Of the document as it is written now; a newer one is refused.
pub const FORMAT: u64 = 1;

/// Most rows of a table that are read back.
const MOST_ROWS: usize = 1_000_000;

/// A boat's document, and what lies beside it.
#[derive(Debug, Clone)]
pub struct Dossier {
    pub document: Value,
    /// Photographs named in it, by hash.
    pub photos: BTreeSet<String>,
    /// Papers as they were given out, by hash.
    pub papers: BTreeMap<String, Vec<u8>>,
}

/// Under what names a document is read back.
#[derive(Debug, Clone, Default)]
pub struct Names {
    /// The boat's; her own where it is empty.
    pub boat: String,
    /// Put before the tags of her boards, so that they clash with none of the yard's.
    pub tags: String,
}

/// Names in a document that the yard has already.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Clashes {
    pub boat: bool,
    pub tags: Vec<String>,
}

impl Clashes {
    pub fn is_empty(&self) -> bool {
        !self.boat && self.tags.is_empty()
    }
}

/// A column of a table, as the database has it.
#[derive(Debug, FromRow)]
struct Column {
    name: String,
    #[sqlx(rename = "type")]
    kind: String,
    notnull: bool,
    pk: i64,
    dflt_value: Option<String>,
}

impl Column {
    fn may_be_null(&self) -> bool {
        !self.notnull && self.pk == 0
    }
}

async fn columns(tx: &mut Transaction<'_, Sqlite>, table: &Table) -> Result<Vec<Column>> {
    let sql = "SELECT name, type, \"notnull\", pk, dflt_value FROM pragma_table_info(?) ORDER BY cid";
    Ok(sqlx::query_as(sql).bind(table.name).fetch_all(&mut **tx).await?)
}

/// Numbers of rows: by table, what stands for each.
type Numbers = HashMap<&'static str, HashMap<i64, i64>>;

fn number(numbers: &Numbers, table: &str, of: i64) -> Option<i64> {
    numbers.get(table)?.get(&of).copied()
}

/// Whether a text is the SHA-256 of something.
fn is_hash(text: &str) -> bool {
    text.len() == 64 && text.bytes().all(|b| b.is_ascii_digit() || (b'a'..=b'f').contains(&b))
}

/// The same with its keys in order, the numbers of rows changed for others, and the photographs in it noted.
fn renumbered(
    value: Value,
    names: &[(&str, &str)],
    numbers: &Numbers,
    under: &str,
    photos: &mut BTreeSet<String>,
) -> Value {
    match value {
        Value::Object(fields) => {
            let sorted: BTreeMap<String, Value> = fields.into_iter().collect();
            let changed = sorted.into_iter().map(|(key, value)| {
                let value = renumbered(value, names, numbers, &key, photos);
                (key, value)
            });
            Value::Object(changed.collect())
        }
        Value::Array(items) => {
            let of_rows = under == "[]" && names.iter().any(|(key, _)| *key == "[]");
            let inner = if of_rows { "[]" } else { "" };
            let mut changed: Vec<Value> =
                items.into_iter().map(|item| renumbered(item, names, numbers, inner, photos)).collect();
            if of_rows {
                changed.retain(|item| !item.is_null());
            }
            Value::Array(changed)
        }
        Value::Number(n) => match (names.iter().find(|(key, _)| *key == under), n.as_i64()) {
            (Some((_, table)), Some(of)) => number(numbers, table, of).map_or(Value::Null, Value::from),
            _ => Value::Number(n),
        },
        Value::String(text) => {
            if under == "photo" && is_hash(&text) {
                photos.insert(text.clone());
            }
            Value::String(text)
        }
        plain => plain,
    }
}

/// Writes a boat's document, as she is at one moment.
pub async fn export(store: &Store, boat: i64) -> Result<Dossier> {
    let mut tx = store.pool().begin().await?;
    let mut numbers = Numbers::new();
    for table in TABLES {
        let columns = columns(&mut tx, table).await?;
        if !columns.iter().any(|c| table.holds(&c.name) == Holds::Own) {
            continue;
        }
        let sql = format!("SELECT id FROM {} WHERE {} ORDER BY id", table.name, table.whose);
        let ids: Vec<i64> = sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(&mut *tx).await?;
        numbers.insert(table.name, ids.into_iter().zip(1..).collect());
    }
    let people: Vec<(i64, String)> = sqlx::query_as("SELECT id, name FROM account").fetch_all(&mut *tx).await?;
    let people: HashMap<i64, String> = people.into_iter().collect();
    let mut document = BTreeMap::new();
    let mut photos = BTreeSet::new();
    for table in TABLES {
        let order = if numbers.contains_key(table.name) { "id" } else { "rowid" };
        let sql = format!("SELECT * FROM {} WHERE {} ORDER BY {order}", table.name, table.whose);
        let rows = sqlx::query(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_all(&mut *tx).await?;
        let mut written = Vec::with_capacity(rows.len());
        for row in &rows {
            written.push(write_row(table, row, &numbers, &people, &mut photos)?);
        }
        if table.name == "boat" {
            let hers = written.pop().ok_or(StoreError::NotFound("boat"))?;
            document.insert("boat".to_owned(), hers);
        } else if !written.is_empty() {
            document.insert(table.name.to_owned(), Value::Array(written));
        }
    }
    let sql = "SELECT hash, bytes FROM paper WHERE hash IN (SELECT hash FROM given_out WHERE boat_id = ?)";
    let papers: Vec<(String, Vec<u8>)> = sqlx::query_as(sql).bind(boat).fetch_all(&mut *tx).await?;
    document.insert("format".to_owned(), json!(FORMAT));
    let document = Value::Object(document.into_iter().collect());
    Ok(Dossier { document, photos, papers: papers.into_iter().collect() })
}

fn write_row(
    table: &Table,
    row: &SqliteRow,
    numbers: &Numbers,
    people: &HashMap<i64, String>,
    photos: &mut BTreeSet<String>,
) -> Result<Value> {
    let mut fields = BTreeMap::new();
    for (i, column) in row.columns().iter().enumerate() {
        let name = column.name();
        let holds = table.holds(name);
        let value = plain(row, i)?;
        let is_row = |of: &'static str| value.as_i64().and_then(|id| number(numbers, of, id));
        let (name, value) = match holds {
            Holds::Left | Holds::Boat => continue,
            Holds::Own => ("n", is_row(table.name).map_or(Value::Null, Value::from)),
            Holds::Of(other) => (name, is_row(other).map_or(Value::Null, Value::from)),
            Holds::Person => {
                (name, value.as_i64().and_then(|id| people.get(&id).cloned()).map_or(Value::Null, Value::from))
            }
            Holds::Json(names) => match value.as_str() {
                Some(text) => (name, renumbered(serde_json::from_str(text)?, names, numbers, "[]", photos)),
                None => (name, Value::Null),
            },
            Holds::Plain => {
                let of_photo = name == "photo" || (name == "hash" && table.name != "given_out");
                if let Some(hash) = value.as_str().filter(|text| of_photo && is_hash(text)) {
                    photos.insert(hash.to_owned());
                }
                (name, value)
            }
        };
        fields.insert(name.to_owned(), value);
    }
    Ok(Value::Object(fields.into_iter().collect()))
}

/// A column as it is stored.
fn plain(row: &SqliteRow, i: usize) -> Result<Value> {
    let raw = row.try_get_raw(i)?;
    if raw.is_null() {
        return Ok(Value::Null);
    }
    Ok(match raw.type_info().name() {
        "INTEGER" => Value::from(row.try_get::<i64, _>(i)?),
        "REAL" => Value::from(row.try_get::<f64, _>(i)?),
        _ => Value::from(row.try_get::<String, _>(i)?),
    })
}

/// What a document holds: its rows by table, looked through for what it may not hold.
struct Read<'d> {
    rows: HashMap<&'static str, Vec<&'d Map<String, Value>>>,
}

fn wrong(path: impl std::fmt::Display, why: impl std::fmt::Display) -> StoreError {
    StoreError::Conflict(format!("the dossier cannot be read at {path}: {why}"))
}

impl<'d> Read<'d> {
    fn new(document: &'d Value) -> Result<Self> {
        let fields = document.as_object().ok_or_else(|| wrong("its beginning", "it is no object"))?;
        match fields.get("format").and_then(Value::as_u64) {
            Some(FORMAT) => {}
            Some(newer) if newer > FORMAT => {
                return Err(StoreError::Conflict(format!(
                    "this dossier was written by a newer Mend Keel (format {newer}): update first; nothing was changed"
                )));
            }
            _ => return Err(wrong("format", "it does not say in which format it is")),
        }
        let mut rows = HashMap::new();
        for (key, value) in fields.iter().filter(|(key, _)| *key != "format") {
            let table = TABLES.iter().find(|t| t.name == key).ok_or_else(|| {
                let shown: String = key.chars().take(40).collect();
                wrong(format!("“{shown}”"), "there is nothing of this name in a dossier")
            })?;
            let listed = match (table.name, value) {
                ("boat", Value::Object(boat)) => vec![boat],
                (_, Value::Array(items)) if table.name != "boat" && items.len() <= MOST_ROWS => {
                    let object = |(i, item): (usize, &'d Value)| {
                        item.as_object().ok_or_else(|| wrong(format!("{key}[{i}]"), "it is no object"))
                    };
                    items.iter().enumerate().map(object).collect::<Result<_>>()?
                }
                _ => return Err(wrong(key, "it is not what it should be")),
            };
            rows.insert(table.name, listed);
        }
        if !rows.contains_key("boat") {
            return Err(wrong("boat", "it is missing"));
        }
        Ok(Self { rows })
    }

    fn of(&self, table: &str) -> &[&'d Map<String, Value>] {
        self.rows.get(table).map_or(&[], Vec::as_slice)
    }

    fn boat_name(&self) -> &str {
        self.of("boat").first().and_then(|b| b.get("name")?.as_str()).unwrap_or_default()
    }

    fn tags(&self) -> impl Iterator<Item = &str> {
        self.of("board").iter().filter_map(|b| b.get("tag")?.as_str())
    }
}

/// Names of a document that the yard has already.
pub async fn clashes(store: &Store, document: &Value, names: &Names) -> Result<Clashes> {
    let read = Read::new(document)?;
    let name = if names.boat.is_empty() { read.boat_name() } else { &names.boat };
    let boat: Option<(i64,)> = sqlx::query_as("SELECT id FROM boat WHERE name = ? COLLATE NOCASE")
        .bind(name)
        .fetch_optional(store.pool())
        .await?;
    let wanted: Vec<String> = read.tags().map(|tag| format!("{}{tag}", names.tags)).collect();
    let sql = "SELECT tag FROM board WHERE tag COLLATE NOCASE IN (SELECT value FROM json_each(?)) ORDER BY tag";
    let tags = sqlx::query_scalar(sql).bind(serde_json::to_string(&wanted)?).fetch_all(store.pool()).await?;
    Ok(Clashes { boat: boat.is_some(), tags })
}

impl Work {
    /// Reads a document back as a boat of this yard; gives her id. Nothing is kept of one that does not fit: the error says where.
    /// Photographs and papers are the caller's; papers must be here before ([`Work::keep_paper`]).
    pub async fn carry_boat(&mut self, document: &Value, names: &Names) -> Result<i64> {
        let read = Read::new(document)?;
        // A row may speak of one that comes after it.
        sqlx::query("PRAGMA defer_foreign_keys = ON").execute(&mut *self.tx).await?;
        let boat: i64 =
            sqlx::query_scalar("SELECT coalesce(max(id), 0) + 1 FROM boat").fetch_one(&mut *self.tx).await?;
        let mut numbers = Numbers::new();
        let mut all = Vec::with_capacity(TABLES.len());
        for table in TABLES {
            let columns = columns(&mut self.tx, table).await?;
            if columns.iter().any(|c| table.holds(&c.name) == Holds::Own) {
                let sql = format!("SELECT coalesce(max(id), 0) FROM {}", table.name);
                let last: i64 = sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).fetch_one(&mut *self.tx).await?;
                let count = read.of(table.name).len() as i64;
                numbers.insert(table.name, (1..=count).map(|n| (n, last + n)).collect());
            }
            all.push((table, columns));
        }
        let mut people = HashMap::new();
        for (table, columns) in &all {
            for (i, row) in read.of(table.name).iter().enumerate() {
                let path = if table.name == "boat" { "boat".to_owned() } else { format!("{}[{i}]", table.name) };
                let known = |key: &String| key == "n" || columns.iter().any(|c| c.name == *key);
                if let Some(foreign) = row.keys().find(|key| !known(key)) {
                    let shown: String = foreign.chars().take(40).collect();
                    return Err(wrong(path, format!("“{shown}” is nothing it can hold")));
                }
                let mut values = Vec::with_capacity(columns.len());
                for column in columns {
                    let own = table.holds(&column.name) == Holds::Own;
                    let at = format!("{path}.{}", if own { "n" } else { &column.name });
                    let value = self.value(table, column, row, (boat, i), &numbers, &mut people, names).await;
                    if let Some(value) = value.map_err(|e| e.at(&at))? {
                        values.push((column, value));
                    }
                }
                match table.name {
                    "event" => self.chain(&mut values).await?,
                    "species" => fits_a_tree(row).map_err(|why| wrong(&path, why))?,
                    _ => {}
                }
                self.insert(table, &values).await.map_err(|e| told(e, &path))?;
            }
        }
        Ok(boat)
    }

    /// The value of a column; `None` where it is left to its default.
    #[allow(clippy::too_many_arguments)] // A row's place, and what all rows share.
    async fn value(
        &mut self,
        table: &Table,
        column: &Column,
        row: &Map<String, Value>,
        (boat, i): (i64, usize),
        numbers: &Numbers,
        people: &mut HashMap<String, i64>,
        names: &Names,
    ) -> std::result::Result<Option<Value>, Unfit> {
        let holds = table.holds(&column.name);
        let key = if holds == Holds::Own { "n" } else { &column.name };
        let told = row.get(key).cloned();
        let value = match (holds, told) {
            (Holds::Boat, _) => Value::from(boat),
            (Holds::Left, _) if table.name == "boat" => Value::from(boat),
            (Holds::Left, _) if column.dflt_value.is_some() => return Ok(None),
            (Holds::Left, _) => return Ok(Some(Value::from(""))),
            (Holds::Own, told) => {
                if told.as_ref().and_then(Value::as_i64) != Some(i as i64 + 1) {
                    return Err(Unfit::Is("rows are numbered from 1 on without a gap"));
                }
                number(numbers, table.name, i as i64 + 1).map_or(Value::Null, Value::from)
            }
            (_, None) if column.may_be_null() => Value::Null,
            (_, None) if column.dflt_value.is_some() => return Ok(None),
            (_, None) => return Err(Unfit::Is("it is missing")),
            (_, Some(Value::Null)) if column.may_be_null() => Value::Null,
            (_, Some(Value::Null)) => return Err(Unfit::Is("it is empty")),
            (Holds::Of(other), Some(told)) => {
                let found = told.as_i64().and_then(|n| number(numbers, other, n));
                Value::from(found.ok_or(Unfit::Is("it speaks of a row that is not there"))?)
            }
            (Holds::Person, Some(told)) => {
                let name = told.as_str().filter(|n| !n.is_empty() && n.len() <= 500);
                Value::from(self.person(name.ok_or(Unfit::Is("it is no name"))?, people).await?)
            }
            (Holds::Json(keys), Some(told)) => {
                Value::from(renumbered(told, keys, numbers, "[]", &mut BTreeSet::new()).to_string())
            }
            (Holds::Plain, Some(told)) => {
                let fits = match column.kind.as_str() {
                    "INTEGER" => told.is_i64(),
                    "REAL" => told.as_f64().is_some_and(f64::is_finite),
                    _ => told.is_string(),
                };
                if !fits {
                    return Err(Unfit::Is("it is of another kind"));
                }
                match (table.name, column.name.as_str(), told.as_str()) {
                    ("boat", "name", _) if !names.boat.is_empty() => Value::from(names.boat.clone()),
                    ("board", "tag", Some(tag)) => Value::from(format!("{}{tag}", names.tags)),
                    (_, "hash" | "photo", Some(hash)) if !is_hash(hash) => return Err(Unfit::Is("it is no hash")),
                    _ => told,
                }
            }
        };
        Ok(Some(value))
    }

    /// A person by name: one of the yard's, or one who may not sign in.
    async fn person(&mut self, name: &str, people: &mut HashMap<String, i64>) -> Result<i64> {
        if let Some(id) = people.get(name) {
            return Ok(*id);
        }
        let known: Option<i64> =
            sqlx::query_scalar("SELECT id FROM account WHERE name = ? ORDER BY removed, id LIMIT 1")
                .bind(name)
                .fetch_optional(&mut *self.tx)
                .await?;
        let id = match known {
            Some(id) => id,
            None => {
                let sql = "INSERT INTO account (login, name, role, password_hash, created_at, removed) VALUES (? || ' (from a dossier ' || (SELECT coalesce(max(id), 0) + 1 FROM account) || ')', ?, 'shipwright', '', ?, 1)";
                let done = sqlx::query(sql).bind(name).bind(name).bind(self.stamp()).execute(&mut *self.tx).await?;
                done.last_insert_rowid()
            }
        };
        people.insert(name.to_owned(), id);
        Ok(id)
    }

    /// Gives an entry of the story its place in this yard's chain.
    async fn chain(&mut self, values: &mut [(&Column, Value)]) -> Result<()> {
        let of = |name: &str| values.iter().find(|(c, _)| c.name == name).map_or(Value::Null, |(_, v)| v.clone());
        let text = |name: &str| of(name).as_str().unwrap_or_default().to_owned();
        let (prev_hash, hash) = self
            .chained(history::Event {
                id: of("id").as_i64().unwrap_or_default(),
                boat_id: of("boat_id").as_i64(),
                member_id: of("member_id").as_i64(),
                at: text("at"),
                by_name: text("by_name"),
                kind: text("kind"),
                summary: text("summary"),
                body: text("body"),
                corrects: of("corrects").as_i64(),
                prev_hash: String::new(),
                hash: String::new(),
            })
            .await?;
        for (column, value) in values {
            match column.name.as_str() {
                "prev_hash" => *value = Value::from(prev_hash.clone()),
                "hash" => *value = Value::from(hash.clone()),
                _ => {}
            }
        }
        Ok(())
    }

    async fn insert(&mut self, table: &Table, values: &[(&Column, Value)]) -> sqlx::Result<()> {
        let names: Vec<&str> = values.iter().map(|(c, _)| c.name.as_str()).collect();
        let marks = vec!["?"; names.len()].join(", ");
        let quoted: Vec<String> = names.iter().map(|n| format!("\"{n}\"")).collect();
        // A species has the same code in every yard that has it: the yard's own figures of it stay.
        let known = if table.name == "species" { " ON CONFLICT (code) DO UPDATE SET removed = 0" } else { "" };
        let sql = format!("INSERT INTO {} ({}) VALUES ({marks}){known}", table.name, quoted.join(", "));
        let mut query = sqlx::query::<Sqlite>(sqlx::AssertSqlSafe(sql));
        for (column, value) in values {
            query = bind(query, column, value);
        }
        query.execute(&mut *self.tx).await?;
        Ok(())
    }

    /// Keeps a paper by its hash; one that is here already stays.
    pub async fn keep_paper(&mut self, hash: &str, bytes: &[u8]) -> Result<()> {
        sqlx::query("INSERT INTO paper (hash, bytes) VALUES (?, ?) ON CONFLICT (hash) DO NOTHING")
            .bind(hash)
            .bind(bytes)
            .execute(&mut *self.tx)
            .await?;
        Ok(())
    }
}

type Query<'q> = sqlx::query::Query<'q, Sqlite, SqliteArguments>;

fn bind<'q>(query: Query<'q>, column: &Column, value: &'q Value) -> Query<'q> {
    match (column.kind.as_str(), value) {
        (_, Value::Null) => query.bind(None::<i64>),
        ("INTEGER", value) => query.bind(value.as_i64()),
        ("REAL", value) => query.bind(value.as_f64()),
        (_, value) => query.bind(value.as_str()),
    }
}

/// A paper as it was given out.
#[derive(Debug, Clone, FromRow)]
pub struct Given {
    pub id: i64,
    #[sqlx(try_from = "String")]
    pub edition: Edition,
    pub hash: String,
    pub by_name: String,
    pub at: String,
}

/// What was given out of a boat, newest first.
pub async fn given_out(store: &Store, boat: i64) -> Result<Vec<Given>> {
    let sql = "SELECT id, edition, hash, by_name, at FROM given_out WHERE boat_id = ? ORDER BY id DESC";
    Ok(sqlx::query_as(sql).bind(boat).fetch_all(store.pool()).await?)
}

pub async fn paper(store: &Store, hash: &str) -> Result<Vec<u8>> {
    let bytes: Option<Vec<u8>> =
        sqlx::query_scalar("SELECT bytes FROM paper WHERE hash = ?").bind(hash).fetch_optional(store.pool()).await?;
    bytes.ok_or(StoreError::NotFound("paper"))
}

/// Names of the lists a boat has something in.
pub async fn lists(store: &Store, boat: i64) -> Result<Vec<String>> {
    let mut names = Vec::new();
    for table in TABLES.iter().filter(|t| t.name != "boat") {
        let sql = format!("SELECT EXISTS (SELECT 1 FROM {} WHERE {})", table.name, table.whose);
        let some: bool = sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).bind(boat).fetch_one(store.pool()).await?;
        if some {
            names.push(table.name.to_owned());
        }
    }
    Ok(names)
}

impl Work {
    /// Keeps a paper as it is given out.
    pub async fn give_out(&mut self, boat: i64, edition: Edition, hash: &str, bytes: &[u8]) -> Result<i64> {
        self.keep_paper(hash, bytes).await?;
        let id = sqlx::query("INSERT INTO given_out (boat_id, edition, hash, by_name, at) VALUES (?, ?, ?, ?, ?)")
            .bind(boat)
            .bind(edition.code())
            .bind(hash)
            .bind(self.act.by.clone())
            .bind(self.stamp())
            .execute(&mut *self.tx)
            .await?
            .last_insert_rowid();
        let summary = format!("Given out: her dossier for {}", edition.label().to_lowercase());
        self.note(Some(boat), None, "dossier", &summary, &json!({ "given_out": id, "paper": hash })).await?;
        Ok(id)
    }
}

/// Whether what is told of a species can be so of a timber.
fn fits_a_tree(row: &Map<String, Value>) -> std::result::Result<(), String> {
    let told = row.get("body").cloned().unwrap_or_default();
    let own: Own = serde_json::from_value(told).map_err(|e| e.to_string())?;
    own.species(row.get("code").and_then(Value::as_str).unwrap_or_default()).map(|_| ()).map_err(|e| e.to_string())
}

/// Why a value is not taken.
enum Unfit {
    Is(&'static str),
    Store(StoreError),
}

impl From<StoreError> for Unfit {
    fn from(error: StoreError) -> Self {
        Self::Store(error)
    }
}

impl Unfit {
    fn at(self, path: &str) -> StoreError {
        match self {
            Self::Is(why) => wrong(path, why),
            Self::Store(error) => error,
        }
    }
}

/// What the database refused a row for, in plain words.
fn told(error: sqlx::Error, path: &str) -> StoreError {
    match &error {
        sqlx::Error::Database(e) if e.is_unique_violation() => wrong(path, "there is one like it already"),
        sqlx::Error::Database(e) if e.is_check_violation() => wrong(path, "a value of it is none of those there are"),
        _ => StoreError::Database(error),
    }
}

/// The JSON Schema of the document, from the tables as they are.
pub async fn schema(store: &Store) -> Result<Value> {
    let mut tx = store.pool().begin().await?;
    let mut properties = BTreeMap::new();
    properties.insert("format".to_owned(), json!({ "const": FORMAT }));
    for table in TABLES {
        let mut fields = BTreeMap::new();
        let mut required = BTreeSet::new();
        for column in columns(&mut tx, table).await? {
            let (name, mut kinds) = match table.holds(&column.name) {
                Holds::Left | Holds::Boat => continue,
                Holds::Own => ("n", vec!["integer"]),
                Holds::Of(_) => (column.name.as_str(), vec!["integer"]),
                Holds::Person => (column.name.as_str(), vec!["string"]),
                Holds::Json(_) => (column.name.as_str(), vec!["object", "array"]),
                Holds::Plain => (
                    column.name.as_str(),
                    vec![match column.kind.as_str() {
                        "INTEGER" => "integer",
                        "REAL" => "number",
                        _ => "string",
                    }],
                ),
            };
            if column.may_be_null() && name != "n" {
                kinds.push("null");
            }
            let mut field = json!({ "type": if kinds.len() == 1 { json!(kinds[0]) } else { json!(kinds) } });
            if let Holds::Of(other) = table.holds(&column.name) {
                field["description"] = json!(format!("the row of {other} numbered so"));
            }
            if !column.may_be_null() && column.dflt_value.is_none() || name == "n" {
                required.insert(name.to_owned());
            }
            fields.insert(name.to_owned(), field);
        }
        let row = json!({
            "type": "object", "additionalProperties": false, "properties": fields, "required": required,
        });
        let whole = if table.name == "boat" { row } else { json!({ "type": "array", "items": row }) };
        properties.insert(table.name.to_owned(), whole);
    }
    let schema = json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A boat's dossier",
        "type": "object",
        "additionalProperties": false,
        "properties": properties,
        "required": ["boat", "format"],
    });
    Ok(renumbered(schema, &[], &Numbers::new(), "", &mut BTreeSet::new()))
}

#[cfg(test)]
mod tests {
    use tempfile::TempDir;

    use super::*;

    async fn yard() -> (TempDir, Store) {
        let folder = TempDir::new().unwrap();
        let store = Store::open(&folder.path().join("yard.db")).await.unwrap();
        (folder, store)
    }

    #[tokio::test]
    async fn every_table_is_carried_or_said_to_be_the_yards() {
        let (_folder, store) = yard().await;
        let sql = "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'search%' AND name NOT LIKE '\\_sqlx%' ESCAPE '\\' AND name NOT LIKE 'sqlite%'";
        let names: Vec<String> = sqlx::query_scalar(sql).fetch_all(store.pool()).await.unwrap();
        for name in &names {
            let carried = TABLES.iter().any(|t| t.name == name);
            let left = tables::OF_THE_YARD.contains(&name.as_str());
            assert!(carried != left, "{name}: say in the dossier's tables what becomes of it");
        }
        assert_eq!(names.len(), TABLES.len() + tables::OF_THE_YARD.len(), "a table of the list is none");
    }

    #[tokio::test]
    async fn a_column_that_points_at_a_row_is_said_to_and_no_column_is_named_that_is_none() {
        let (_folder, store) = yard().await;
        let mut tx = store.pool().begin().await.unwrap();
        for table in TABLES {
            let columns = columns(&mut tx, table).await.unwrap();
            let sql = "SELECT \"from\", \"table\" FROM pragma_foreign_key_list(?)";
            let keys: Vec<(String, String)> = sqlx::query_as(sql).bind(table.name).fetch_all(&mut *tx).await.unwrap();
            for (from, other) in keys {
                let fits = match table.holds(&from) {
                    Holds::Of(told) => told == other,
                    Holds::Boat => other == "boat",
                    Holds::Person => other == "account",
                    Holds::Plain => other == "paper",
                    _ => false,
                };
                assert!(fits, "{}.{from} points at {other}", table.name);
            }
            for (name, _) in table.special() {
                assert!(columns.iter().any(|c| c.name == *name), "{}.{name} is no column", table.name);
            }
        }
    }

    #[test]
    fn numbers_of_rows_are_changed_where_they_stand_and_nowhere_else() {
        let numbers: Numbers = [("finding", [(7, 1)].into()), ("board", [(3, 2), (4, 9)].into())].into();
        let mut photos = BTreeSet::new();
        let hash = "a".repeat(64);
        let body = json!({ "z": 7, "finding": 7, "deep": [{ "finding": 8 }], "photo": hash, "finding_of": 7 });
        let changed = renumbered(body, &[("finding", "finding")], &numbers, "", &mut photos);
        assert_eq!(
            changed.to_string(),
            format!("{{\"deep\":[{{\"finding\":null}}],\"finding\":1,\"finding_of\":7,\"photo\":\"{hash}\",\"z\":7}}")
        );
        assert_eq!(photos.len(), 1);
        let list = renumbered(json!([3, 5, 4]), &[("[]", "board")], &numbers, "[]", &mut photos);
        assert_eq!(list, json!([2, 9]), "what is not carried along falls out of a list");
    }
}
