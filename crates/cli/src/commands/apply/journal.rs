//! Changing files where they are, with a way back.
//!
//! Before a file is touched, its bytes lie in `.kivet/N/before/` and its name in
//! `.kivet/N/journal.jsonl`, both on the disk for certain. Whenever the work is broken off, undoing
//! puts back every byte.

use std::{io::Write, path::Path};

use anyhow::{Context, Result, bail};
use serde::{Deserialize, Serialize};

use crate::beneath::{Beneath, only_down};

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

/// The folder of changes, within the site.
const KEPT: &str = ".kivet";

/// In the folder of one change: files as they were, and their names.
const BEFORE: &str = "before";
const JOURNAL: &str = "journal.jsonl";

/// Writes files of a folder, each with a way back.
pub fn write<'a>(folder: &Path, files: impl Iterator<Item = (&'a str, &'a [u8])>) -> Result<()> {
    let mut files = files.peekable();
    if files.peek().is_none() {
        return Ok(());
    }
    let site = Beneath::durable(folder)?;
    let room = Path::new(KEPT).join((latest(&site).unwrap_or(0) + 1).to_string());
    site.make_folder(&room.join(BEFORE))?;
    let mut journal = site.begin(&room.join(JOURNAL))?;
    for (path, bytes) in files {
        let (file, before) = (Path::new(path), room.join(BEFORE).join(path));
        site.make_folder(before.parent().unwrap_or(&room))?;
        site.write(&before, &mut site.read(file)?.as_slice(), None)?;
        let entry = Entry { path: path.to_owned(), after: hash(bytes) };
        writeln!(journal, "{}", serde_json::to_string(&entry)?).with_context(|| cannot(&room))?;
        journal.sync_all()?;
        site.write(file, &mut &*bytes, None)?;
    }
    Ok(())
}

/// Puts the files back as they were before the last change.
pub fn undo(folder: &Path) -> Result<Undone> {
    let site = Beneath::durable(folder)?;
    let Some(number) = latest(&site) else {
        bail!("nothing was changed in {}; there is no {KEPT} in it", folder.display());
    };
    let room = Path::new(KEPT).join(number.to_string());
    let journal = site.read(&room.join(JOURNAL)).unwrap_or_default();
    let journal = String::from_utf8_lossy(&journal);
    // A line that was broken off names a file that was not touched yet.
    let entries = journal.lines().filter_map(|line| serde_json::from_str::<Entry>(line).ok());
    let entries: Vec<Entry> = entries.collect();
    for entry in &entries {
        only_down(&entry.path).with_context(|| {
            let journal = folder.join(&room).join(JOURNAL);
            format!("nothing was put back: {} was not written by kivet", journal.display())
        })?;
    }
    let mut undone = Undone { restored: Vec::new(), edited: Vec::new() };
    for entry in entries {
        let file = Path::new(&entry.path);
        let bytes = site.read(&room.join(BEFORE).join(file))?;
        let now = site.read(file).map(|now| hash(&now)).unwrap_or_default();
        if now != entry.after && now != hash(&bytes) {
            undone.edited.push(entry.path);
            continue;
        }
        site.write(file, &mut bytes.as_slice(), None)?;
        undone.restored.push(entry.path);
    }
    if undone.edited.is_empty() {
        site.remove(&room)?;
        // The last one takes the folder with it; one that holds others stays.
        site.remove_empty_around(&room);
    }
    Ok(undone)
}

/// The number of the last change.
fn latest(site: &Beneath) -> Option<u32> {
    site.names(Path::new(KEPT)).iter().filter_map(|name| name.parse().ok()).max()
}

fn hash(bytes: &[u8]) -> String {
    blake3::hash(bytes).to_hex().to_string()
}

fn cannot(path: &Path) -> String {
    format!("cannot write {}", path.display())
}

#[cfg(test)]
mod tests {
    use std::{fs, os::unix::fs::symlink};

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

    #[test]
    fn planted_links_and_journals_lead_nowhere() {
        let folder = folder(&[("site/a.html", "one"), ("beyond/mine", "mine")]);
        let (site, mine) = (folder.path().join("site"), folder.path().join("beyond/mine"));
        symlink("../beyond/mine", site.join("a.html.kivet-new")).expect("linked");
        write(&site, [("a.html", &b"ONE"[..])].into_iter()).expect("written");
        assert_eq!(text(&site, "a.html"), "ONE");
        let planted = format!("{{\"path\":\"../beyond/mine\",\"after\":\"{}\"}}", hash(b"mine"));
        fs::write(site.join(".kivet/1/journal.jsonl"), planted).expect("written");
        let refused = undo(&site).err().map(|error| format!("{error:#}")).unwrap_or_default();
        assert!(refused.contains("../beyond/mine") && refused.contains("nothing"), "{refused}");
        fs::remove_dir_all(site.join(".kivet")).expect("removed");
        symlink("../beyond", site.join(".kivet")).expect("linked");
        assert!(write(&site, [("a.html", &b"two"[..])].into_iter()).is_err());
        assert_eq!(
            (text(&site, "a.html"), fs::read(mine).expect("a file")),
            ("ONE".into(), b"mine".into())
        );
    }
}
