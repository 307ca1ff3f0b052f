//! Writing within one folder: no link and no `..` in a path leads out of it, and a file is written
//! whole under a new name before it takes its place.

use std::{
    fs::{File, Permissions},
    io::{self, ErrorKind, Read, Write},
    path::{Component, Path, PathBuf},
    sync::atomic::{AtomicU32, Ordering},
};

use anyhow::{Context, Result, bail};
use cap_std::{
    ambient_authority,
    fs::{Dir, MetadataExt, OpenOptions},
};

/// A folder that is open for writing.
pub struct Beneath {
    folder: Dir,
    path: PathBuf,
    /// True to sync each file to the disk before it is renamed.
    durable: bool,
}

/// Numbers the files on their way.
static NEXT: AtomicU32 = AtomicU32::new(0);

impl Beneath {
    /// Opens a folder, which is made if it is missing.
    pub fn new(path: &Path) -> Result<Self> {
        std::fs::create_dir_all(path).with_context(|| cannot_write(path))?;
        let folder = Dir::open_ambient_dir(path, ambient_authority());
        let folder = folder.with_context(|| cannot_write(path))?;
        Ok(Self { folder, path: path.to_owned(), durable: false })
    }

    /// The same, for files that must survive a machine that loses its power.
    pub fn durable(path: &Path) -> Result<Self> {
        Ok(Self { durable: true, ..Self::new(path)? })
    }

    /// The bytes of a file.
    pub fn read(&self, inside: &Path) -> Result<Vec<u8>> {
        let path = self.path.join(inside);
        self.folder.read(inside).with_context(|| format!("cannot read {}", path.display()))
    }

    /// The names in a folder; none if it is missing.
    pub fn names(&self, inside: &Path) -> Vec<String> {
        let entries = self.folder.read_dir(inside).into_iter().flatten();
        entries.filter_map(|entry| entry.ok()?.file_name().into_string().ok()).collect()
    }

    /// Makes a folder, and those around it.
    pub fn make_folder(&self, inside: &Path) -> Result<()> {
        match inside.as_os_str().is_empty() {
            true => Ok(()),
            false => self.done(inside, self.folder.create_dir_all(inside)),
        }
    }

    /// Creates a file that is appended to.
    pub fn begin(&self, inside: &Path) -> Result<File> {
        let new = self.folder.open_with(inside, OpenOptions::new().write(true).create_new(true));
        self.done(inside, new.map(cap_std::fs::File::into_std))
    }

    /// Writes a file whole or not at all, with these rights, or those of the file it replaces.
    pub fn write(
        &self,
        inside: &Path,
        content: &mut dyn Read,
        rights: Option<Permissions>,
    ) -> Result<()> {
        let number = NEXT.fetch_add(1, Ordering::Relaxed);
        let beside = inside.with_file_name(format!(".kivet-new-{}-{number}", std::process::id()));
        let written = self.write_new(&beside, content, rights, inside);
        let placed = written.and_then(|()| self.folder.rename(&beside, &self.folder, inside));
        if placed.is_err() {
            // Leave no partial file behind.
            let _ = self.folder.remove_file(&beside);
        }
        self.done(inside, placed)
    }

    fn write_new(
        &self,
        beside: &Path,
        content: &mut dyn Read,
        rights: Option<Permissions>,
        replaced: &Path,
    ) -> io::Result<()> {
        let new = || self.folder.open_with(beside, OpenOptions::new().write(true).create_new(true));
        let made = match new() {
            Err(error) if error.kind() == ErrorKind::AlreadyExists => {
                self.folder.remove_file(beside)?;
                new()
            }
            made => made,
        };
        let mut file = made?.into_std();
        io::copy(content, &mut file)?;
        file.flush()?;
        let known = self.folder.symlink_metadata(replaced).ok().filter(|known| known.is_file());
        if let Some(known) = &known {
            // Only the superuser may; then a file keeps its owner.
            let _ = std::os::unix::fs::fchown(&file, Some(known.uid()), Some(known.gid()));
        }
        let kept = || known.map(|known| std::os::unix::fs::PermissionsExt::from_mode(known.mode()));
        if let Some(rights) = rights.or_else(kept) {
            file.set_permissions(rights)?;
        }
        if self.durable { file.sync_all() } else { Ok(()) }
    }

    /// Makes a link, whose target is relative.
    pub fn link(&self, inside: &Path, target: &Path) -> Result<()> {
        self.done(inside, self.folder.symlink(target, inside))
    }

    /// Removes an entry of another kind than the one to be written, and any link.
    pub fn make_way(&self, inside: &Path, for_folder: bool) -> Result<()> {
        let known = self.folder.symlink_metadata(inside);
        match known.is_ok_and(|known| known.is_symlink() || known.is_dir() != for_folder) {
            true => self.remove(inside),
            false => Ok(()),
        }
    }

    /// Removes the entry at a path, a folder with its contents. A missing entry is not an error.
    pub fn remove(&self, inside: &Path) -> Result<()> {
        let removed = match self.folder.symlink_metadata(inside) {
            Ok(known) if known.is_dir() => self.folder.remove_dir_all(inside),
            Ok(_) => self.folder.remove_file(inside),
            Err(error) if error.kind() == ErrorKind::NotFound => Ok(()),
            Err(error) => Err(error),
        };
        self.done(inside, removed)
    }

    /// Removes the folders around a path that are empty.
    pub fn remove_empty_around(&self, inside: &Path) {
        let around = inside.ancestors().skip(1).take_while(|one| !one.as_os_str().is_empty());
        for folder in around {
            if self.folder.remove_dir(folder).is_err() {
                return;
            }
        }
    }

    fn done<T>(&self, inside: &Path, result: io::Result<T>) -> Result<T> {
        result.with_context(|| cannot_write(&self.path.join(inside)))
    }
}

/// The path, if it leads down only: for names that were read from a file.
pub fn only_down(path: &str) -> Result<&Path> {
    let is_name = |part: Component<'_>| matches!(part, Component::Normal(_));
    if path.is_empty() || !Path::new(path).components().all(is_name) {
        bail!("`{path}` leads out of the folder");
    }
    Ok(Path::new(path))
}

fn cannot_write(path: &Path) -> String {
    format!("cannot write {}", path.display())
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::symlink;

    use super::*;

    #[test]
    fn nothing_is_written_outside() {
        let top = tempfile::tempdir().expect("a folder");
        let (out, beyond) = (top.path().join("out"), top.path().join("beyond"));
        std::fs::create_dir(&beyond).expect("made");
        std::fs::write(beyond.join("mine"), "mine").expect("written");
        let beneath = Beneath::new(&out).expect("opened");
        symlink("../beyond", out.join("folder")).expect("linked");
        symlink("../beyond/mine", out.join("file")).expect("linked");
        let write = |path: &str| beneath.write(Path::new(path), &mut b"ours".as_slice(), None);
        assert!(write("folder/new").is_err() && write("folder/mine").is_err());
        assert!(write("../beyond/new").is_err() && write("/tmp/kivet-new").is_err());
        assert!(beneath.make_folder(Path::new("folder/deep")).is_err());
        assert!(beneath.remove(Path::new("folder/mine")).is_err());
        // A link at the very path gives way to the file.
        write("file").expect("written");
        assert!(!out.join("file").is_symlink());
        assert_eq!(std::fs::read_to_string(out.join("file")).expect("a file"), "ours");
        beneath.make_way(Path::new("folder"), true).expect("removed");
        beneath.make_folder(Path::new("folder/deep")).expect("made");
        write("folder/deep/new").expect("written");
        let names: Vec<_> = beyond.read_dir().expect("read").flatten().collect();
        assert_eq!(names.len(), 1);
        assert_eq!(std::fs::read_to_string(beyond.join("mine")).expect("a file"), "mine");
        for path in ["../x", "/x", "a/../../x", "", "./x"] {
            assert!(only_down(path).is_err(), "{path}");
        }
    }
}
