//! What is known of an original without decoding its pixels.

use serde::{Deserialize, Serialize};

use crate::{Format, Size};

/// Whether a picture is photographic or drawn in few colours.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Continuous tone: lossy formats pay.
    Photo,
    /// Few colours and hard edges: lossless formats pay.
    Flat,
}

/// How the stored pixels must be turned to be shown upright: the EXIF orientation tag (CIPA DC-008, 4.6.5).
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "u8", try_from = "u8")]
pub struct Orientation {
    /// Rows and columns swap places, before the flips.
    pub transpose: bool,
    /// Left and right swap places.
    pub flip_x: bool,
    /// Top and bottom swap places.
    pub flip_y: bool,
}

impl Orientation {
    /// The orientation of an EXIF tag value, 1 to 8; `None` for any other value.
    pub const fn from_exif(tag: u32) -> Option<Self> {
        let (transpose, flip_x, flip_y) = match tag {
            1 => (false, false, false),
            2 => (false, true, false),
            3 => (false, true, true),
            4 => (false, false, true),
            5 => (true, false, false),
            6 => (true, true, false),
            7 => (true, true, true),
            8 => (true, false, true),
            _ => return None,
        };
        Some(Self { transpose, flip_x, flip_y })
    }

    /// The EXIF tag value, 1 to 8.
    pub const fn to_exif(self) -> u8 {
        match (self.transpose, self.flip_x, self.flip_y) {
            (false, false, false) => 1,
            (false, true, false) => 2,
            (false, true, true) => 3,
            (false, false, true) => 4,
            (true, false, false) => 5,
            (true, true, false) => 6,
            (true, true, true) => 7,
            (true, false, true) => 8,
        }
    }

    /// The size a stored picture has once turned upright; its own inverse.
    pub const fn apply(self, size: Size) -> Size {
        if self.transpose { Size { width: size.height, height: size.width } } else { size }
    }
}

impl From<Orientation> for u8 {
    fn from(orientation: Orientation) -> Self {
        orientation.to_exif()
    }
}

impl TryFrom<u8> for Orientation {
    type Error = String;

    fn try_from(tag: u8) -> Result<Self, Self::Error> {
        Self::from_exif(tag.into()).ok_or_else(|| format!("orientation {tag} is not one of 1 to 8"))
    }
}

/// What is known of one original.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Facts {
    /// What the bytes are, whatever the file is called.
    pub format: Format,
    /// Pixels as shown, after the orientation was applied.
    pub size: Size,
    /// How the stored pixels are turned.
    pub orientation: Orientation,
    /// True if any pixel may be transparent.
    pub alpha: bool,
    /// True if there is more than one frame.
    pub motion: bool,
    /// Photographic or flat, judged from the header and the bytes spent per pixel.
    pub kind: Kind,
    /// The description of an embedded colour profile, if there is one.
    pub profile: Option<String>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn exif_tags_round_trip() {
        for tag in 1..=8 {
            let orientation = Orientation::from_exif(tag).expect("1 to 8 are orientations");
            assert_eq!(u32::from(orientation.to_exif()), tag);
        }
        assert_eq!(Orientation::from_exif(0), None);
        assert_eq!(Orientation::from_exif(9), None);
    }
}
