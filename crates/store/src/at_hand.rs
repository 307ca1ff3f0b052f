//! Files that the system has in memory, read without waiting for a disk.

use std::path::Path;

use bytes::Bytes;

/// The bytes of a file of at most `most` bytes, if neither finding nor reading it has to wait;
/// `None` if it would, or the system cannot tell, or the file is missing. (openat2(2),
/// `RESOLVE_CACHED`; preadv2(2), `RWF_NOWAIT`.)
#[cfg(target_os = "linux")]
pub fn read(path: &Path, most: u64) -> Option<Bytes> {
    use std::io::IoSliceMut;

    use rustix::{
        fs::{CWD, Mode, OFlags, ResolveFlags, fstat, openat2},
        io::{ReadWriteFlags, preadv2},
    };

    let flags = OFlags::RDONLY | OFlags::CLOEXEC;
    let file = openat2(CWD, path, flags, Mode::empty(), ResolveFlags::CACHED).ok()?;
    let length = u64::try_from(fstat(&file).ok()?.st_size).ok().filter(|length| *length <= most)?;
    let mut bytes = vec![0; length as usize];
    let mut parts = [IoSliceMut::new(&mut bytes)];
    let read = preadv2(&file, &mut parts, 0, ReadWriteFlags::NOWAIT).ok()?;
    (read == bytes.len()).then(|| bytes.into())
}

/// Other systems cannot tell.
#[cfg(not(target_os = "linux"))]
pub fn read(_: &Path, _: u64) -> Option<Bytes> {
    None
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_just_written_is_at_hand_and_what_is_not_there_is_not() {
        let folder = tempfile::tempdir().expect("a folder");
        let file = folder.path().join("a");
        std::fs::write(&file, b"pixels").expect("written");
        // A file system that cannot tell has nothing at hand, and is read the long way.
        let found = read(&file, 6);
        assert!(found.is_none() || found.as_deref() == Some(b"pixels"), "{found:?}");
        assert_eq!(read(&file, 5), None, "it is longer");
        assert_eq!(read(&folder.path().join("b"), 6), None);
    }
}
