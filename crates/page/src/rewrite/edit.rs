//! Changes to a document, by where they stand.

use std::ops::Range;

/// One change: bytes that are replaced.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Edit {
    /// What is replaced, in bytes of the document; empty to put something in.
    pub range: Range<usize>,
    /// By what.
    pub bytes: Vec<u8>,
}

impl Edit {
    /// Puts text in.
    pub fn insert(at: usize, text: &str) -> Self {
        Self { range: at..at, bytes: text.as_bytes().to_vec() }
    }

    /// The same, so many bytes further on.
    pub fn moved(self, by: usize) -> Self {
        Self { range: self.range.start + by..self.range.end + by, ..self }
    }

    /// Takes something away.
    pub fn remove(range: Range<usize>) -> Self {
        Self { range, bytes: Vec::new() }
    }
}

/// A document with changes made to it, in whatever order they are given. Of two that overlap the
/// one that begins first is made. All else stays, byte for byte.
pub fn splice(document: &[u8], edits: &[Edit]) -> Vec<u8> {
    let mut order: Vec<&Edit> = edits.iter().collect();
    // What is put in comes before what begins at the same byte.
    order.sort_by_key(|edit| (edit.range.start, edit.range.end));
    let mut out = Vec::with_capacity(document.len() + document.len() / 4);
    let mut done = 0;
    for edit in order.into_iter().filter(|edit| edit.range.end <= document.len()) {
        if edit.range.start < done {
            continue;
        }
        out.extend_from_slice(&document[done..edit.range.start]);
        out.extend_from_slice(&edit.bytes);
        done = edit.range.end;
    }
    out.extend_from_slice(&document[done..]);
    out
}
