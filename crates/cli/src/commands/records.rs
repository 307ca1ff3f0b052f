//! `kivet records`.

use std::{
    path::{Path, PathBuf},
    process::ExitCode,
    time::{Duration, UNIX_EPOCH},
};

use anyhow::{Context, Result, bail, ensure};
use clap::Subcommand;
use kivet_store::{Backup, Backups, Records as Database, Rows};
use serde::Serialize;

use crate::{client::data_folder, output};

/// List, make and restore backups of places, rules, focal points and texts.
#[derive(clap::Args)]
#[command(
    after_help = "The service makes a backup soon after each change. It keeps the newest three and the last one of each\nday before, for a week, and reads the newest by itself where records.db is broken or gone.\n\nExamples:\n  kivet records list\n  kivet records restore records-1790000000.db"
)]
pub struct Records {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// List the backups, newest first.
    List {
        #[command(flatten)]
        folder: Folder,
    },
    /// Make a backup now.
    Backup {
        #[command(flatten)]
        folder: Folder,
    },
    /// Replace places, rules, focal points and texts by those of a backup; the service must not run.
    Restore {
        /// A name that `list` prints, or a file; the newest that can be used if left out.
        file: Option<PathBuf>,
        #[command(flatten)]
        folder: Folder,
    },
}

#[derive(clap::Args)]
struct Folder {
    /// The service's data folder; without it, the one of kivet.toml here, else kivet-data.
    #[arg(long, env = "KIVET_DATA", value_name = "FOLDER")]
    data: Option<PathBuf>,
}

/// A backup as `--json` prints it.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Listed {
    file: PathBuf,
    /// Seconds since 1970.
    made_at: u64,
    rows: Option<Rows>,
    problem: Option<String>,
}

/// Where rows came from.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Restored {
    from: PathBuf,
    /// A backup of what was replaced.
    before: PathBuf,
    rows: Rows,
}

impl Records {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        match self.command {
            Command::List { folder } => {
                let backups = Backups::of(&folder.database()?).list()?;
                let listed: Vec<Listed> = backups.into_iter().map(Listed::of).collect();
                output::print(json, &listed, |listed| table(listed))?;
            }
            Command::Backup { folder } => {
                let file = folder.database()?;
                let made = Backups::of(&file).make(&Database::open(&file)?)?;
                output::print(json, &made, |made| format!("{}\n", made.display()))?;
            }
            Command::Restore { file, folder } => {
                let restored = restore(&folder.database()?, file)?;
                output::print(json, &restored, |Restored { from, before, rows }| {
                    format!(
                        "restored {} from {}\nwhat was there before is in {}\n",
                        said(rows),
                        from.display(),
                        before.display()
                    )
                })?;
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

impl Folder {
    /// The database in the data folder, whether it is there or not.
    fn database(self) -> Result<PathBuf> {
        let data = data_folder(self.data);
        ensure!(
            data.is_dir(),
            "the data folder {} does not exist; name another with --data, or run this beside kivet.toml",
            data.display()
        );
        Ok(data.join("records.db"))
    }
}

fn restore(database: &Path, file: Option<PathBuf>) -> Result<Restored> {
    let data = database.parent().context("a database in a folder")?;
    let _lock = kivet_service::lock_data_folder(data)?;
    let backups = Backups::of(database);
    let from = match file {
        Some(file) if file.exists() => file,
        Some(file) => backups.folder().join(file),
        None => match backups.newest_good()? {
            Some(newest) => newest,
            None => bail!("no usable backup in {}; name a file", backups.folder().display()),
        },
    };
    ensure!(
        from.is_file(),
        "{} does not exist; `kivet records list` lists the backups",
        from.display()
    );
    let (records, _) = Database::open_or_recover(database)?;
    let before = backups.make(&records)?;
    let rows = records.restore(&from)?;
    Ok(Restored { from, before, rows })
}

impl Listed {
    fn of(Backup { file, made_at, rows }: Backup) -> Self {
        let (rows, problem) = match rows {
            Ok(rows) => (Some(rows), None),
            Err(problem) => (None, Some(problem)),
        };
        Self { file, made_at, rows, problem }
    }
}

fn table(listed: &[Listed]) -> String {
    if listed.is_empty() {
        return "no backup yet; the service makes one soon after it started\n".to_owned();
    }
    let lines = listed.iter().map(|Listed { file, made_at, rows, problem }| {
        let name = file.file_name().unwrap_or_default().to_string_lossy();
        let made = httpdate::fmt_http_date(UNIX_EPOCH + Duration::from_secs(*made_at));
        let holds = match (rows, problem) {
            (Some(rows), _) => said(rows),
            (None, problem) => {
                format!("cannot be used: {}", problem.as_deref().unwrap_or_default())
            }
        };
        format!("{name}   {made}   {holds}\n")
    });
    lines.collect()
}

fn said(rows: &Rows) -> String {
    let count = |number: u32, thing| output::count(number as usize, thing);
    format!(
        "{}, {}, {}, {}",
        count(rows.places, "place"),
        if rows.rules > 0 { "rules" } else { "no rules" },
        count(rows.focus, "focal point"),
        count(rows.alts, "text")
    )
}
