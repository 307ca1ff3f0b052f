//! Opening records whose file is broken, missing, or on a disk that is full or read-only.

use std::path::{Path, PathBuf};

use crate::{
    Records, StoreError,
    backups::{Backups, read_into},
    inspect::{Found, inspect, set_aside},
};

/// How records that were broken, empty or missing were recovered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Recovery {
    /// The broken file under its new name; `None` if the file was missing or empty.
    pub aside: Option<PathBuf>,
    /// The backup that was restored; `None` if none can be used.
    pub backup: Option<PathBuf>,
}

impl Records {
    /// As [`open`](Self::open), but a file that is damaged or not Kivet's is renamed, and the user
    /// records of a broken, empty or missing file are restored from the newest usable backup. A
    /// database of an earlier version is copied before it is migrated.
    ///
    /// # Errors
    /// As [`open`](Self::open), or if the broken file cannot be renamed.
    pub fn open_or_recover(path: &Path) -> Result<(Self, Option<Recovery>), StoreError> {
        let aside = match inspect(path) {
            Ok(Found::Current) => return Ok((Self::open(path)?, None)),
            Ok(Found::Earlier { version }) => {
                Backups::of(path).keep_earlier(path, version)?;
                return Ok((Self::open(path)?, None));
            }
            Ok(Found::Nothing) => None,
            Err(StoreError::Broken { .. }) => Some(set_aside(path)?),
            Err(error) => return Err(error),
        };
        let records = Self::open(path)?;
        let backup = Backups::of(path).newest_good()?;
        if let Some(backup) = &backup {
            records.restore(backup)?;
        }
        let recovery = Recovery { aside, backup };
        let is_new = recovery.aside.is_none() && recovery.backup.is_none();
        Ok((records, Some(recovery).filter(|_| !is_new)))
    }

    /// Reads the file at `path` into a database in memory, for a disk that is full or read-only. Tables
    /// that cannot be read are empty. Changes are lost when the process ends.
    ///
    /// # Errors
    /// If SQLite cannot allocate it.
    pub fn open_in_memory(path: &Path) -> Result<Self, StoreError> {
        let records = Self::empty_in_memory(path)?;
        read_into(&*records.connection()?, path);
        Ok(records)
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Format;
    use rusqlite::Connection;

    use super::*;
    use crate::{records::tests::rendition, schema::STEPS};

    #[test]
    fn user_records_survive_every_loss_of_the_file() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let (records, recovery) = Records::open_or_recover(&file).expect("opened");
        assert_eq!((recovery, records.changes()), (None, 0));
        records.keep_places(&[("card".to_owned(), "{}".to_owned())]).expect("kept");
        assert!(records.changes() > 0);
        let backup = Backups::of(&file).make(&records).expect("made");
        drop(records);
        let whole = std::fs::read(&file).expect("there");
        let without_table = || {
            std::fs::write(&file, &whole).expect("written");
            let other = Connection::open(&file).expect("opened");
            other.execute_batch("DROP TABLE renditions").expect("dropped");
        };
        let lose: [(&str, bool, &dyn Fn()); 5] = [
            ("deleted", false, &|| std::fs::remove_file(&file).expect("removed")),
            ("emptied", false, &|| std::fs::write(&file, b"").expect("emptied")),
            ("cut", true, &|| std::fs::write(&file, &whole[..whole.len() / 2]).expect("cut")),
            ("a header cut", true, &|| std::fs::write(&file, &whole[100..]).expect("cut")),
            ("without a table", true, &without_table),
        ];
        for (name, is_kept, lose) in lose {
            lose();
            let (records, recovery) = Records::open_or_recover(&file).expect(name);
            let Recovery { aside, backup: from } = recovery.expect(name);
            assert_eq!((from.as_ref(), aside.is_some()), (Some(&backup), is_kept), "{name}");
            assert_eq!(records.places().expect("asked")[0].name, "card", "{name}");
        }
        let (_, recovery) = Records::open_or_recover(&file).expect("opened");
        assert_eq!(recovery, None, "nothing is wrong any more");
    }

    #[test]
    fn a_broken_file_is_set_aside_whole_and_what_is_only_locked_is_left() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("records.db");
        let fresh = |file: &Path| drop(Records::open(file).expect("made"));
        fresh(&file);
        let whole = std::fs::read(&file).expect("there");
        let foreign = folder.path().join("foreign.db");
        Connection::open(&foreign)
            .and_then(|other| other.execute_batch("CREATE TABLE guests (name TEXT);"))
            .expect("made");
        let foreign = std::fs::read(foreign).expect("there");
        let mut overwritten = whole.clone();
        overwritten[..200].fill(0x41);
        for (name, bytes) in [
            ("text", b"not a database, but long enough to have a header of its own".to_vec()),
            ("overwritten", overwritten),
            ("truncated", whole[..whole.len() / 2 + 100].to_vec()),
            ("another program's", foreign),
        ] {
            std::fs::write(&file, &bytes).expect("written");
            assert!(matches!(Records::open(&file), Err(StoreError::Broken { .. })), "{name}");
            let (records, recovery) = Records::open_or_recover(&file).expect(name);
            records.keep_rendition(&rendition("k")).expect("it can be used");
            let aside = recovery.and_then(|recovery| recovery.aside).expect("a name");
            assert_eq!(std::fs::read(&aside).expect("kept"), bytes, "{name}");
            drop(records);
            std::fs::remove_file(aside).expect("removed");
        }
        std::fs::remove_file(&file).expect("removed");
        std::fs::create_dir(&file).expect("made");
        let (_, recovery) = Records::open_or_recover(&file).expect("a folder in its place");
        let aside = recovery.and_then(|recovery| recovery.aside);
        assert!(aside.is_some_and(|aside| aside.is_dir()));
        let locking = Connection::open(&file).expect("opened");
        locking.execute_batch("PRAGMA locking_mode = EXCLUSIVE; BEGIN EXCLUSIVE;").expect("locked");
        assert!(!matches!(Records::open_or_recover(&file), Ok(_) | Err(StoreError::Broken { .. })));
    }

    #[test]
    fn databases_of_every_earlier_version_keep_what_people_made_and_a_later_one_is_refused() {
        let folder = tempfile::tempdir().expect("a folder");
        let rows = [
            "INSERT INTO checks (page, at, mode, findings, measures, report) VALUES ('p', 1, 'text', 0, '{}', '{}')",
            "INSERT INTO focus (shelf, path, x, y) VALUES ('photos', 'a.jpg', 20, 70)",
            r#"INSERT INTO curves (hash, format, measured) VALUES
                ('aa', 'jpeg', '{"curves":[],"seen":[]}'), ('aa', 'avif', '{"curves":[],"seen":[]}')"#,
        ];
        for version in 1..STEPS.len() {
            let file = folder.path().join(format!("{version}.db"));
            let mut older = rusqlite::Connection::open(&file).expect("opened");
            rusqlite_migration::Migrations::from_slice(&STEPS[..version])
                .to_latest(&mut older)
                .expect("made");
            // The first versions had fewer tables.
            let [checked, focused, measured] = rows.map(|row| older.execute(row, []).is_ok());
            drop(older);
            let (records, _) = Records::open_or_recover(&file)
                .unwrap_or_else(|error| panic!("version {version}: {error}"));
            let kept = Backups::of(&file).folder().join(format!("before-update-{version}.db"));
            assert!(kept.is_file(), "{version}");
            let checks: bool = records
                .connection()
                .expect("free")
                .prepare("SELECT 1 FROM checks")
                .expect("a table")
                .exists([])
                .expect("asked");
            assert_eq!(
                (checks, records.focus("photos", "a.jpg").expect("asked").is_some()),
                (checked, focused),
                "{version}"
            );
            let curves = records.curves("aa", |_| 1).expect("asked").0;
            assert!(
                curves.is_empty(),
                "{version}: curves of encoders at no revision, or an earlier one"
            );
            records.keep_curve("aa", Format::Avif, 1, &Default::default()).expect("kept");
            assert_eq!(records.curves("aa", |_| 1).expect("asked").0.len(), 1);
            assert_eq!(records.places().expect("a table"), []);
            if version + 1 == STEPS.len() {
                assert!(checked && focused && measured, "what is kept was there");
            }
        }
        let later = folder.path().join("later.db");
        drop(Records::open(&later).expect("made"));
        let ahead = format!("PRAGMA user_version = {}", STEPS.len() + 1);
        rusqlite::Connection::open(&later)
            .and_then(|file| file.execute_batch(&ahead))
            .expect("written");
        let refused = Records::open(&later).expect_err("unknown tables").to_string();
        assert!(refused.contains("later.db were written by a later version of Kivet"), "{refused}");
    }
}
