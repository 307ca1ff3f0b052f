//! What is known of an original without decoding its pixels.

use serde::{Deserialize, Serialize};

use crate::{Format, Position, Rect, Size, Subject};

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

    /// This orientation and then another, as one.
    pub const fn then(self, next: Self) -> Self {
        let (flip_x, flip_y) = if next.transpose { (self.flip_y, self.flip_x) } else { (self.flip_x, self.flip_y) };
        Self { transpose: self.transpose ^ next.transpose, flip_x: flip_x ^ next.flip_x, flip_y: flip_y ^ next.flip_y }
    }

    /// A region of a picture of `size`, as it lies once the picture is turned so.
    pub fn apply_to(self, rect: Rect, size: Size) -> Rect {
        let Rect { x, y, width, height } = rect;
        let rect = if self.transpose { Rect { x: y, y: x, width: height, height: width } } else { rect };
        let size = self.apply(size);
        let x = if self.flip_x { f64::from(size.width) - rect.x - rect.width } else { rect.x };
        let y = if self.flip_y { f64::from(size.height) - rect.y - rect.height } else { rect.y };
        Rect { x, y, ..rect }
    }

    /// The orientation that takes this one back.
    pub const fn inverse(self) -> Self {
        if self.transpose { Self { transpose: true, flip_x: self.flip_y, flip_y: self.flip_x } } else { self }
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
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
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
    pub animated: bool,
    /// Photographic or flat, judged from the header and the bytes spent per pixel.
    pub kind: Kind,
    /// The description of an embedded colour profile, if there is one.
    pub profile: Option<String>,
    /// Bits a channel.
    #[serde(default = "eight")]
    pub depth: u8,
    /// True if its colours reach beyond sRGB, as far as its header says.
    #[serde(default)]
    pub wide: bool,
    /// True if the file ends before its picture does.
    #[serde(default)]
    pub truncated: bool,
    /// How much there is to see in it, as far as its own encoder tells: the natural logarithm of the bits a pixel that it
    /// would take at quantiser steps of 1. About 1 for a clear sky, 3 for sand and grain.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub detail: Option<f32>,
    /// The focal point marked on it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub focus: Option<Position>,
    /// The analysis of its pixels, once one was made; not every recipe needs it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub analysis: Option<Analysis>,
    /// The trim box: the upright picture without its uniform borders, once it was found.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trim_box: Option<Rect>,
}

const fn eight() -> u8 {
    8
}

impl Facts {
    /// Facts of an upright, opaque, still 8-bit picture: what most files are.
    pub const fn plain(format: Format, size: Size, kind: Kind) -> Self {
        Self {
            format,
            size,
            orientation: Orientation { transpose: false, flip_x: false, flip_y: false },
            alpha: false,
            animated: false,
            kind,
            profile: None,
            depth: 8,
            wide: false,
            truncated: false,
            detail: None,
            focus: None,
            analysis: None,
            trim_box: None,
        }
    }
}

/// What an analysis of a picture's pixels tells.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Analysis {
    /// Where attention lies.
    pub subject: Subject,
    /// The colour there is most of, in sRGB.
    pub dominant: [u8; 3],
    /// A blurred miniature as a `data:` address of fewer than 400 bytes; none under transparency.
    pub soft: Option<String>,
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

    #[test]
    fn orientations_compose_and_are_taken_back() {
        let size = Size::new(7, 4);
        let corner = Rect { x: 1.0, y: 0.0, width: 2.0, height: 1.0 };
        let all = || (1..=8).filter_map(Orientation::from_exif);
        for first in all() {
            assert_eq!(first.then(first.inverse()), Orientation::default());
            for second in all() {
                let stepwise = second.apply_to(first.apply_to(corner, size), first.apply(size));
                assert_eq!(first.then(second).apply_to(corner, size), stepwise);
            }
        }
    }
}
