//! What the files behind a page's pictures are.

use kivet_recipe::{Facts, Fidelity, Format, Kind};

/// A picture file, as far as it was read.
#[derive(Clone, Debug, PartialEq)]
pub struct PictureFile {
    /// Its facts; `None` if it is no picture we know.
    pub facts: Option<Facts>,
    /// Its length in bytes.
    pub bytes: u64,
    /// A hash of its bytes: equal for equal pictures.
    pub hash: String,
    /// Bytes of metadata that no viewer sees, colour profile apart.
    pub metadata_bytes: u64,
    /// True if the metadata says where the picture was taken.
    pub has_location: bool,
    /// Whether it is photographic, or drawn so flat that lines or a palette would hold it.
    pub kind: Kind,
}

/// What exactly fitting bytes for one use would be.
#[derive(Clone, Debug, PartialEq)]
pub struct Fitted {
    /// Pixels across that are really needed.
    pub width: u32,
    /// Pixels down that are really needed.
    pub height: u32,
    /// The bytes of the lightest rendition.
    pub bytes: u64,
    /// Its format.
    pub format: Format,
    /// The fidelity that the screen needs: less, the denser it is.
    pub target: Fidelity,
    /// True if it was really made; false if it was predicted.
    pub made: bool,
}

impl PictureFile {
    /// Pixels across and down, upright; `None` for vectors and unknown files.
    pub fn pixels(&self) -> Option<(f64, f64)> {
        let facts = self.facts.as_ref().filter(|facts| facts.format != Format::Svg)?;
        Some((f64::from(facts.size.width), f64::from(facts.size.height)))
    }
}
