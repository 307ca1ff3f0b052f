//! Changing files where they are, with a way back.
//!
//! Before a file is touched, its bytes lie in `.kivet/N/before/` and its name in
//! `.kivet/N/journal.jsonl`, both on the disk for certain. Whenever the work is broken off, undoing
//! puts back every byte.

use std::{
    fs::{self, File},
    io::Write,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, bail};
use serde::{Deserialize, Serialize};

/// One file that is changed.
#[derive(Serialize, Deserialize)]
struct Entry {
    path: String,
    /// Hash of what is written.
    after: String,
}

/// What undoing did.
#[derive(Serialize)]
pub struct Undone {
    /// Files that are as they were.
    pub restored: Vec<String>,
    /// Files that somebody edited since: they stay as they are.
    pub edited: Vec<String>,
}

const JOURNAL: &str = "journal.jsonl";

/// Writes files of a folder, each with a way back.
pub fn write<'a>(folder: &Path, files: impl Iterator<Item = (&'a str, &'a [u8])>) -> Result<()> {
    let mut files = files.peekable();
    if files.peek().is_none() {
        return Ok(());
    }
    let room = folder.join(".kivet").join((latest(folder).unwrap_or(0) + 1).to_string());
    fs::create_dir_all(room.join("before")).with_context(|| cannot(&room))?;
    let mut journal = File::create(room.join(JOURNAL)).with_context(|| cannot(&room))?;
    for (path, bytes) in files {
        let (file, before) = (folder.join(path), room.join("before").join(path));
        fs::create_dir_all(before.parent().unwrap_or(&room)).with_context(|| cannot(&before))?;
        fs::copy(&file, &before).with_context(|| cannot(&before))?;
        File::open(&before)?.sync_all()?;
        let entry = Entry { path: path.to_owned(), after: hash(bytes) };
        writeln!(journal, "{}", serde_json::to_string(&entry)?).with_context(|| cannot(&room))?;
        journal.sync_all()?;
        replace(&file, bytes)?;
    }
    Ok(())
}

/// Puts the files back as they were before the last change.
pub fn undo(folder: &Path) -> Result<Undone> {
    let Some(number) = latest(folder) else {
        bail!("nothing was changed in {}; there is no .kivet in it", folder.display());
    };
    let room = folder.join(".kivet").join(number.to_string());
    let journal = fs::read_to_string(room.join(JOURNAL)).unwrap_or_default();
    let mut undone = Undone { restored: Vec::new(), edited: Vec::new() };
    // A line that was broken off names a file that was not touched yet.
    for entry in journal.lines().filter_map(|line| serde_json::from_str::<Entry>(line).ok()) {
        let (file, before) = (folder.join(&entry.path), room.join("before").join(&entry.path));
        let bytes =
            fs::read(&before).with_context(|| format!("cannot read {}", before.display()))?;
        let now = fs::read(&file).map(|now| hash(&now)).unwrap_or_default();
        if now != entry.after && now != hash(&bytes) {
            undone.edited.push(entry.path);
            continue;
        }
        replace(&file, &bytes)?;
        undone.restored.push(entry.path);
    }
    if undone.edited.is_empty() {
        fs::remove_dir_all(&room).with_context(|| cannot(&room))?;
        // The last one takes the folder with it; one that holds others stays.
        let _ = fs::remove_dir(folder.join(".kivet"));
    }
    Ok(undone)
}

/// The number of the last change.
fn latest(folder: &Path) -> Option<u32> {
    let entries = folder.join(".kivet").read_dir().ok()?;
    entries.filter_map(|entry| entry.ok()?.file_name().to_str()?.parse().ok()).max()
}

/// Writes a file whole or not at all, with the rights it has.
fn replace(file: &Path, bytes: &[u8]) -> Result<()> {
    let mut beside = file.as_os_str().to_owned();
    beside.push(".kivet-new");
    let beside = PathBuf::from(beside);
    let write = || -> std::io::Result<()> {
        let mut new = File::create(&beside)?;
        new.write_all(bytes)?;
        new.sync_all()?;
        if let Ok(known) = fs::metadata(file) {
            fs::set_permissions(&beside, known.permissions())?;
        }
        fs::rename(&beside, file)
    };
    write().with_context(|| cannot(file))
}

fn hash(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

fn cannot(path: &Path) -> String {
    format!("cannot write {}", path.display())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn folder(files: &[(&str, &str)]) -> tempfile::TempDir {
        let folder = tempfile::tempdir().expect("a folder");
        for (path, text) in files {
            let file = folder.path().join(path);
            fs::create_dir_all(file.parent().expect("a parent")).expect("made");
            fs::write(file, text).expect("written");
        }
        folder
    }

    fn text(folder: &Path, path: &str) -> String {
        fs::read_to_string(folder.join(path)).expect("a file")
    }

    #[test]
    fn every_byte_comes_back_also_after_a_kill_in_the_middle() {
        let folder = folder(&[("a.html", "one"), ("b/c.html", "two"), ("d.html", "three")]);
        let folder = folder.path();
        write(folder, [("a.html", &b"ONE"[..]), ("b/c.html", &b"TWO"[..])].into_iter())
            .expect("written");
        write(folder, [("a.html", &b"1"[..])].into_iter()).expect("written");
        assert_eq!(
            (text(folder, "a.html"), text(folder, "b/c.html")),
            ("1".to_owned(), "TWO".to_owned())
        );
        // Killed: the last line is cut, and of its file the new bytes never came.
        let journal = folder.join(".kivet/2/journal.jsonl");
        let cut = text(folder, ".kivet/2/journal.jsonl") + "{\"path\":\"d.ht";
        fs::write(journal, cut).expect("written");
        assert_eq!(undo(folder).expect("undone").restored, ["a.html"]);
        assert_eq!(text(folder, "a.html"), "ONE");
        assert_eq!(undo(folder).expect("undone").restored, ["a.html", "b/c.html"]);
        assert_eq!(
            (text(folder, "a.html"), text(folder, "b/c.html")),
            ("one".to_owned(), "two".to_owned())
        );
        assert!(!folder.join(".kivet").exists() && undo(folder).is_err());
    }

    #[test]
    fn what_somebody_edited_since_stays() {
        let folder = folder(&[("a.html", "one"), ("b.html", "two")]);
        let folder = folder.path();
        write(folder, [("a.html", &b"ONE"[..]), ("b.html", &b"TWO"[..])].into_iter())
            .expect("written");
        fs::write(folder.join("a.html"), "mine").expect("written");
        let undone = undo(folder).expect("undone");
        assert_eq!(
            (undone.edited, undone.restored),
            (vec!["a.html".to_owned()], vec!["b.html".to_owned()])
        );
        assert_eq!(text(folder, "a.html"), "mine");
        assert_eq!(text(folder, ".kivet/1/before/a.html"), "one");
    }
}
