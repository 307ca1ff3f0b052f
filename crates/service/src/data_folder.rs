//! The data folder: its lock, and opening, recovering and backing up its records.

use std::{
    fs::{File, Permissions, TryLockError},
    io,
    os::unix::fs::{DirBuilderExt, PermissionsExt},
    path::Path,
    time::Duration,
};

use kivet_page::rules::RulesDocument;
use kivet_store::{Backups, Records, Recovery, StoreError};

use crate::{
    app::App, blocking::blocking, metrics::Metrics, places::places_as_toml, start_error::StartError,
};

/// Permissions of the folder, which holds the admin token.
const OWNER_ONLY: u32 = 0o700;

/// Time from a change to the check that makes a backup.
const SOON: Duration = Duration::from_secs(10);

/// Minimum time between backups.
const BETWEEN: Duration = Duration::from_secs(60);

/// The data folder of a running service.
pub(crate) struct DataFolder {
    pub(crate) records: Records,
    /// True if the index of renditions must be rebuilt from the blobs.
    pub(crate) lost_index: bool,
    /// Held while the folder is in use; `None` on a disk that is full or read-only.
    pub(crate) lock: Option<File>,
}

impl DataFolder {
    /// Locks the folder and opens its records. Broken records are recovered from a backup; on a disk
    /// that is full or read-only they are read into memory. Blocks.
    ///
    /// # Errors
    /// If the folder cannot be used, or another process has locked it.
    pub(crate) fn open(path: &Path, metrics: &Metrics) -> Result<Self, StartError> {
        let records = path.join("records.db");
        let unwritable = match made_private(path).err().or_else(|| probe(path).err()) {
            Some(error) if is_disk_full_or_read_only(&error) && records.is_file() => Some(error),
            Some(source) => return Err(StartError::Data { path: path.to_owned(), source }),
            None => None,
        };
        let lock = match lock_data_folder(path) {
            Err(StartError::Data { .. }) if unwritable.is_some() => None,
            lock => Some(lock?),
        };
        match (Records::open_or_recover(&records), unwritable) {
            (Ok((records, recovery)), _) => {
                if let Some(recovery) = &recovery {
                    report(recovery);
                }
                metrics.recovered(recovery.is_some());
                Ok(Self { records, lost_index: recovery.is_some(), lock })
            }
            (Err(_), Some(error)) => {
                tracing::error!(
                    folder = %path.display(),
                    %error,
                    "the data folder is not writable; records are in memory and changes are lost when the service stops"
                );
                Ok(Self { records: Records::open_in_memory(&records)?, lost_index: false, lock })
            }
            (Err(error), None) => Err(error.into()),
        }
    }
}

/// Creates the folder with access for its owner only, also where an earlier version allowed more.
fn made_private(path: &Path) -> io::Result<()> {
    std::fs::DirBuilder::new().recursive(true).mode(OWNER_ONLY).create(path)?;
    if path.metadata()?.permissions().mode() & 0o777 == OWNER_ONLY {
        return Ok(());
    }
    std::fs::set_permissions(path, Permissions::from_mode(OWNER_ONLY))
}

/// Writes as many bytes as SQLite needs beside a database.
fn probe(path: &Path) -> io::Result<()> {
    const BYTES: usize = 128 << 10;
    let file = path.join("probe");
    let written = std::fs::write(&file, vec![0; BYTES]);
    let removed = std::fs::remove_file(&file);
    written.and(removed)
}

fn is_disk_full_or_read_only(error: &io::Error) -> bool {
    use io::ErrorKind::{QuotaExceeded, ReadOnlyFilesystem, StorageFull};
    matches!(error.kind(), StorageFull | QuotaExceeded | ReadOnlyFilesystem)
}

/// Locks a data folder for this process while the returned file is open.
///
/// # Errors
/// If another process has locked it, or the lock file cannot be created.
pub fn lock_data_folder(data: &Path) -> Result<File, StartError> {
    let problem = |source| StartError::Data { path: data.to_owned(), source };
    let file = File::create(data.join("lock")).map_err(problem)?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(StartError::InUse { path: data.to_owned() }),
        Err(TryLockError::Error(source)) => Err(problem(source)),
    }
}

fn report(recovery: &Recovery) {
    let shown = |path: &Option<std::path::PathBuf>| {
        path.as_ref().map_or("none".to_owned(), |path| path.display().to_string())
    };
    tracing::error!(
        aside = shown(&recovery.aside),
        backup = shown(&recovery.backup),
        "the records were broken, empty or missing; places, rules, focal points and texts were restored from the backup"
    );
}

/// Makes a backup soon after each change of user records. Never returns.
pub(crate) async fn back_up(app: App) {
    // Changes of an earlier process may be in no backup.
    let mut known = None;
    loop {
        let changes = Some(app.records.changes());
        if changes != known {
            back_up_now(&app).await;
            known = changes;
            tokio::time::sleep(BETWEEN).await;
        }
        tokio::time::sleep(SOON).await;
    }
}

/// Makes a backup, unless the newest one has the same contents, and writes places and rules as TOML.
pub(crate) async fn back_up_now(app: &App) {
    let (records, places) = (app.records.clone(), app.places.all());
    let made = blocking(move || {
        let backups = Backups::of(records.path());
        backups.make(&records)?;
        let places = places.iter().map(|kept| (kept.place.name().as_str(), &kept.document));
        let rules = records.rules()?.and_then(|rules| serde_json::from_str(&rules).ok());
        write_texts(backups.folder(), places_as_toml(places).ok(), rules)
    });
    let made = made.await;
    if let Some(made) = app.metrics.of_store("backups", "back up the records", made) {
        app.metrics.of_store("backups", "back up the records", made);
    }
}

/// Writes `places.toml` and `rules.toml`, for `kivet place import` and `kivet rules set`.
fn write_texts(
    folder: &Path,
    places: Option<String>,
    rules: Option<RulesDocument>,
) -> Result<(), StoreError> {
    let rules = rules.and_then(|rules| toml::to_string(&rules).ok());
    for (name, text) in [("places.toml", places), ("rules.toml", rules)] {
        let (file, unfinished) = (folder.join(name), folder.join("unfinished"));
        if let Some(text) = text.filter(|text| !text.is_empty()) {
            std::fs::write(&unfinished, text)
                .and_then(|()| std::fs::rename(&unfinished, &file))
                .map_err(|source| StoreError::Folder { path: file, source })?;
        }
    }
    Ok(())
}
