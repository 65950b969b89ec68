//! The command line: `serve`, `demo`, `compute`, `user`, `backup`, `restore`, `export`, `import`.

use std::io::{self, BufRead, Read, Write};
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::{Parser, Subcommand, ValueEnum};
use mend_keel_core::InputError;
use mend_keel_core::edition::Edition;
use mend_keel_exchange::compute;
use mend_keel_store::accounts::{self, NewAccount, Role};
use mend_keel_store::dossier::Names;
use mend_keel_store::{Act, Store, StoreError, boats, species};

use crate::file::survey::SurveyFile;
use crate::papers::dossier::{self, Refused};
use crate::papers::edition;
use crate::papers::report::Printing;
use crate::view::Units;
use crate::web::folder::{DATABASE, DataFolder, PHOTOS};
use crate::web::settings::{Mode, Settings, yard_unit};
use crate::web::{auth, backup};
use crate::{demo, server};

#[derive(Parser)]
#[command(name = "mend-keel", version, about = "Survey, plan and record the repair of wooden boats")]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Start the application for a yard.
    Serve {
        #[command(flatten)]
        serving: Serving,
        /// A name it may be asked under, beside this machine's own; may be given several times.
        #[arg(long = "host", value_name = "NAME")]
        hosts: Vec<String>,
        /// TLS is in front of it: cookies are sent over TLS only.
        #[arg(long)]
        tls_in_front: bool,
        /// Largest photo that is unpacked, megapixels.
        #[arg(long, default_value_t = PHOTO_MEGAPIXELS, value_parser = clap::value_parser!(u32).range(1..=400))]
        megapixels: u32,
    },
    /// Start with three made-up boats, signed in, on this machine only.
    Demo {
        #[command(flatten)]
        serving: Serving,
        /// Make the demo data anew.
        #[arg(long)]
        fresh: bool,
    },
    /// Start with practice hulls: boats with a truth nobody sees, in a yard of their own, signed in, on this machine only.
    Practise {
        #[command(flatten)]
        serving: Serving,
    },
    /// Work a computation: JSON on standard input, JSON on standard output.
    Compute {
        /// Which one; see docs/compute.md.
        tool: Option<String>,
        /// Work lines of {"id", "tool", "input"} one by one.
        #[arg(long, conflicts_with = "tool")]
        batch: bool,
    },
    /// Take the whole yard into one file, also while people work.
    Backup {
        /// Where it goes; a file that is there is replaced once the new one is whole.
        file: PathBuf,
        /// Where the yard's data is kept.
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Put a backup back into an empty folder.
    Restore {
        file: PathBuf,
        /// A folder that is empty or not there yet.
        #[arg(long)]
        data: PathBuf,
    },
    /// Write a boat's dossier: her record, photographs and papers in one ZIP, also while people work.
    Export {
        /// Her name, or her number in the addresses of her pages.
        boat: String,
        file: PathBuf,
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Read a boat's dossier into a yard, whole or not at all.
    Import {
        file: PathBuf,
        #[arg(long)]
        data: Option<PathBuf>,
        /// What she is called here; as in the dossier where it is left out.
        #[arg(long = "as", value_name = "NAME", default_value = "")]
        name: String,
        /// What goes before the tags of her boards, where they clash with the yard's.
        #[arg(long, value_name = "PREFIX", default_value = "")]
        tags: String,
    },
    /// Print the JSON Schema of a dossier.
    Schema,
    /// People who may sign in.
    User {
        #[command(subcommand)]
        command: UserCommand,
    },
}

#[derive(clap::Args)]
struct Serving {
    /// Where the yard's data is kept.
    #[arg(long)]
    data: Option<PathBuf>,
    /// 0 takes any free port.
    #[arg(long, default_value_t = 8000)]
    port: u16,
}

#[derive(Subcommand)]
enum UserCommand {
    /// Add a person; the password is read from standard input.
    Add {
        login: String,
        #[arg(long)]
        name: Option<String>,
        #[arg(long, value_enum, default_value = "owner")]
        role: CliRole,
        #[arg(long)]
        data: Option<PathBuf>,
    },
}

#[derive(Clone, Copy, ValueEnum)]
enum CliRole {
    Owner,
    Shipwright,
}

const DATA: &str = "mend-keel-data";
const DEMO_DATA: &str = ".mend-keel-demo";
const PRACTICE_DATA: &str = ".mend-keel-practice";

pub fn main() -> ExitCode {
    let done = match Cli::parse().command {
        Command::Serve { serving, hosts, tls_in_front, megapixels } => {
            serve(serving, Mode::Serve, false, Under { hosts, tls_in_front, megapixels })
        }
        Command::Demo { serving, fresh } => serve(serving, Mode::Demo, fresh, Under::here()),
        Command::Practise { serving } => serve(serving, Mode::Practise, false, Under::here()),
        Command::Compute { tool, batch } => return run_compute(tool.as_deref(), batch),
        Command::Backup { file, data } => take_backup(&file, data),
        Command::Restore { file, data } => rocket::execute(async move {
            let taken = backup::restore(&file, &data).await?;
            println!("{} files are back in {}; everybody signs in anew.", taken.files, data.display());
            Ok(())
        }),
        Command::Export { boat, file, data } => export(boat, file, data),
        Command::Import { file, data, name, tags } => import(file, data, Names { boat: name, tags }),
        Command::Schema => schema(),
        Command::User { command: UserCommand::Add { login, name, role, data } } => add_user(login, name, role, data),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(line) => {
            eprintln!("mend-keel: {line}");
            ExitCode::FAILURE
        }
    }
}

/// Largest photo that is unpacked unless somebody says otherwise, megapixels.
const PHOTO_MEGAPIXELS: u32 = 80;

/// Under what it answers.
struct Under {
    hosts: Vec<String>,
    tls_in_front: bool,
    megapixels: u32,
}

impl Under {
    /// On this machine only, as the demo and the practice yard are.
    fn here() -> Self {
        Self { hosts: Vec::new(), tls_in_front: false, megapixels: PHOTO_MEGAPIXELS }
    }
}

/// `fresh` makes the demo yard anew.
fn serve(serving: Serving, mode: Mode, fresh: bool, under: Under) -> Result<(), String> {
    let usual = match mode {
        Mode::Serve => DATA,
        Mode::Demo => DEMO_DATA,
        Mode::Practise => PRACTICE_DATA,
    };
    let path = serving.data.unwrap_or_else(|| PathBuf::from(usual));
    match mode {
        Mode::Serve => {}
        Mode::Demo => take_for(&path, MADE_BY_DEMO, "demo", fresh)?,
        Mode::Practise => take_for(&path, MADE_BY_PRACTICE, "practise", fresh)?,
    }
    let folder = DataFolder::open(&path)?;
    folder.fit_for_a_yard()?;
    rocket::execute(async move {
        let store = open_store(&folder).await?;
        if store.is_damaged() {
            eprintln!(
                "mend-keel: {} is damaged and is open for reading only. Stop, put the last good copy of it back in its place (or the \
                 newest *.before.db beside it), and start again.",
                folder.database().display()
            );
        }
        if mode == Mode::Demo {
            demo::fill(&store, &folder.photos()).await.map_err(|e| format!("cannot make the demo data: {e}"))?;
        }
        if mode == Mode::Practise {
            demo::practice_yard(&store).await.map_err(|e| format!("cannot make the practice yard: {e}"))?;
        }
        let Under { hosts, tls_in_front, megapixels } = under;
        server::run(store, Settings { mode, folder, hosts, tls_in_front, megapixels }, serving.port).await
    })
}

/// Takes a backup beside a server that may be running: the folder is not locked for it.
fn take_backup(file: &Path, data: Option<PathBuf>) -> Result<(), String> {
    let data = data.unwrap_or_else(|| PathBuf::from(DATA));
    let database = data.join(DATABASE);
    if !database.exists() {
        return Err(format!("there is no yard in {}", data.display()));
    }
    let file = file.to_owned();
    rocket::execute(async move {
        let made = jiff::Timestamp::now().to_string();
        let taken = backup::take(&database, &data.join(PHOTOS), &file, made).await?;
        println!(
            "{} files, {:.1} MB, in {}, looked through and whole.",
            taken.files,
            taken.bytes as f64 / 1e6,
            file.display()
        );
        Ok(())
    })
}

/// Who is told to have done what the command line does.
const BY_COMMAND: &str = "the command line";

/// Opens a yard that may be at work; the folder is not locked for it.
async fn yard_in(data: &Path) -> Result<Store, String> {
    let database = data.join(DATABASE);
    if !database.exists() {
        return Err(format!("there is no yard in {}", data.display()));
    }
    let store = Store::open(&database).await.map_err(|e| e.to_string())?;
    species::tell(&store).await.map_err(|e| e.to_string())?;
    Ok(store)
}

fn export(boat: String, file: PathBuf, data: Option<PathBuf>) -> Result<(), String> {
    let data = data.unwrap_or_else(|| PathBuf::from(DATA));
    rocket::execute(async move {
        let store = yard_in(&data).await?;
        let says = |e: StoreError| e.to_string();
        let all = boats::list(&store).await.map_err(says)?;
        let named: Vec<i64> = all.iter().filter(|b| b.name.eq_ignore_ascii_case(boat.trim())).map(|b| b.id).collect();
        let by_number = || boat.parse().ok().filter(|id| all.iter().any(|b| b.id == *id));
        let id = match named[..] {
            [one] => one,
            [] => by_number().ok_or_else(|| {
                let names: Vec<&str> = all.iter().map(|b| b.name.as_str()).collect();
                format!("there is no boat “{boat}”; there are {}", names.join(", "))
            })?,
            _ => return Err(format!("there are several boats “{boat}”: name her by her number")),
        };
        let survey = SurveyFile::load(&store, id).await.map_err(says)?;
        let yard = accounts::yard(&store).await.map_err(says)?;
        let photos = data.join(PHOTOS);
        let units = Units { unit: yard_unit(&yard.unit), denominator: yard.inch_denominator };
        let print = Printing { store: &store, photos: &photos, units, yard: &yard.name, who: BY_COMMAND };
        let report = edition::dossier(&print, &survey, Edition::Yard, &[]).await.map_err(says)?;
        let pdf = mend_keel_exchange::report::write(&report)?;
        let written = dossier::write(&store, &photos, id, pdf, &file).await?;
        store.close().await;
        println!(
            "{}: {} photographs, {:.1} MB, in {}.",
            survey.file.boat.name,
            written.photos,
            written.bytes as f64 / 1e6,
            file.display()
        );
        Ok(())
    })
}

fn schema() -> Result<(), String> {
    let room = tempfile::TempDir::new().map_err(|e| e.to_string())?;
    rocket::execute(async move {
        let store = Store::open(&room.path().join(DATABASE)).await.map_err(|e| e.to_string())?;
        let schema = mend_keel_store::dossier::schema(&store).await.map_err(|e| e.to_string())?;
        store.close().await;
        println!("{schema:#}");
        Ok(())
    })
}

fn import(file: PathBuf, data: Option<PathBuf>, names: Names) -> Result<(), String> {
    let data = data.unwrap_or_else(|| PathBuf::from(DATA));
    rocket::execute(async move {
        if !data.join(DATABASE).exists() {
            // A yard of its own is made only where nothing is.
            DataFolder::open(&data)?.fit_for_a_yard()?;
            Store::open(&data.join(DATABASE)).await.map_err(|e| e.to_string())?.close().await;
        }
        let store = yard_in(&data).await?;
        let done = dossier::read(&store, &data.join(PHOTOS), &file, &names, BY_COMMAND).await;
        store.close().await;
        match done {
            Ok(boat) => {
                println!("She is here as boat {boat}.");
                Ok(())
            }
            Err(Refused::Says(says)) => Err(format!("{}: {says}", file.display())),
            Err(Refused::Clash(clashes)) => {
                let boat =
                    if clashes.boat { "a boat of her name is here already: give another with --as. " } else { "" };
                let tags = match clashes.tags.len() {
                    0 => String::new(),
                    _ => format!("Boards {} are here already: give --tags.", clashes.tags.join(", ")),
                };
                Err(format!("{}: {boat}{tags} Nothing was taken", file.display()))
            }
        }
    })
}

/// Lies in a folder that `demo` made, and in one that `practise` made.
const MADE_BY_DEMO: &str = "made-by-demo";
const MADE_BY_PRACTICE: &str = "made-by-practise";

/// Takes a folder for what is made up: one that is not there, empty, or made by the same command before; `fresh` makes that anew. Any
/// other is left alone, whatever is asked.
fn take_for(path: &Path, marker: &str, by: &str, fresh: bool) -> Result<(), String> {
    let cannot = |e: io::Error| format!("cannot make {}: {e}", path.display());
    let marker = path.join(marker);
    let empty = match path.read_dir() {
        Ok(mut inside) => inside.next().is_none(),
        Err(e) if e.kind() == io::ErrorKind::NotFound => true,
        Err(e) => return Err(cannot(e)),
    };
    if !empty && !marker.exists() {
        return Err(format!(
            "{} was not made by {by}: it is left alone; start the {by} with another --data",
            path.display()
        ));
    }
    if fresh && !empty {
        // The lock proves that no other process is using what is about to be removed.
        drop(DataFolder::open(path)?);
        std::fs::remove_dir_all(path).map_err(|e| format!("cannot remake {}: {e}", path.display()))?;
    }
    // The folder first, as it is made for a yard: only its owner reads it.
    drop(DataFolder::open(path)?);
    std::fs::write(marker, "Everything in this folder is made up.\n").map_err(cannot)
}

async fn open_store(folder: &DataFolder) -> Result<Store, String> {
    let store = Store::open(&folder.database()).await.map_err(|e| match e {
        StoreError::Unusable(says) => says,
        other => format!("cannot open {}: {other}", folder.database().display()),
    })?;
    // A damaged yard is shown as far as it can be read.
    if let Err(e) = species::tell(&store).await {
        rocket::warn!("the yard's own species cannot be read: {e}");
    }
    Ok(store)
}

fn add_user(login: String, name: Option<String>, role: CliRole, data: Option<PathBuf>) -> Result<(), String> {
    let folder = DataFolder::open(&data.unwrap_or_else(|| PathBuf::from(DATA)))?;
    let mut password = String::new();
    io::stdin().read_line(&mut password).map_err(|e| e.to_string())?;
    let password_hash = auth::hash_password(password.trim_end_matches(['\r', '\n'])).map_err(|e| e.message)?;
    let new = NewAccount {
        name: name.unwrap_or_else(|| login.clone()),
        login,
        role: match role {
            CliRole::Owner => Role::Owner,
            CliRole::Shipwright => Role::Shipwright,
        },
        guest_boat: None,
        password_hash,
    };
    rocket::execute(async move {
        let store = open_store(&folder).await?;
        let added = async {
            let mut work = store.begin(Act::now("command line", None)).await?;
            work.add_account(&new).await?;
            work.commit("/").await
        };
        added.await.map_err(|e: StoreError| e.to_string())
    })
}

/// The exit status of bad input.
const BAD_INPUT: u8 = 2;

fn run_compute(tool: Option<&str>, batch: bool) -> ExitCode {
    if batch {
        return run_batch();
    }
    let Some(tool) = tool else {
        return refuse(&InputError::new("tool", "name a tool, or use --batch"));
    };
    let mut text = String::new();
    if let Err(e) = io::stdin().read_to_string(&mut text) {
        return refuse(&InputError::new("", format!("cannot read the input: {e}")));
    }
    let answer = serde_json::from_str(&text)
        .map_err(|e| InputError::new("", format!("not JSON: {e}")))
        .and_then(|input| compute::run(tool, input));
    match answer {
        Ok(output) => {
            println!("{output}");
            ExitCode::SUCCESS
        }
        Err(error) => refuse(&error),
    }
}

fn refuse(error: &InputError) -> ExitCode {
    println!("{}", compute::error_json(error));
    ExitCode::from(BAD_INPUT)
}

fn run_batch() -> ExitCode {
    let mut out = io::stdout().lock();
    for line in io::stdin().lock().lines() {
        let answer = match line {
            Ok(line) if line.trim().is_empty() => continue,
            Ok(line) => compute::run_line(&line),
            Err(e) => compute::error_json(&InputError::new("", format!("cannot read the line: {e}"))),
        };
        // Whoever reads the answers has gone: there is nobody left to tell.
        if writeln!(out, "{answer}").is_err() {
            return ExitCode::FAILURE;
        }
    }
    ExitCode::SUCCESS
}
