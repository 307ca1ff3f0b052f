//! How stored pixels are turned: quarter turns and mirrors, as EXIF numbers them.

use serde::{Deserialize, Serialize};

use crate::{Rect, Size};

/// How the stored pixels must be turned to be shown upright: the EXIF orientation tag (CIPA DC-008,
/// 4.6.5).
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
    /// Stored as it is shown.
    pub const UPRIGHT: Self = Self { transpose: false, flip_x: false, flip_y: false };

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
        let (flip_x, flip_y) =
            if next.transpose { (self.flip_y, self.flip_x) } else { (self.flip_x, self.flip_y) };
        Self {
            transpose: self.transpose ^ next.transpose,
            flip_x: flip_x ^ next.flip_x,
            flip_y: flip_y ^ next.flip_y,
        }
    }

    /// A region of a picture of `size`, as it lies once the picture is turned so.
    pub fn apply_to(self, rect: Rect, size: Size) -> Rect {
        let Rect { x, y, width, height } = rect;
        let rect =
            if self.transpose { Rect { x: y, y: x, width: height, height: width } } else { rect };
        let size = self.apply(size);
        let x = if self.flip_x { f64::from(size.width) - rect.x - rect.width } else { rect.x };
        let y = if self.flip_y { f64::from(size.height) - rect.y - rect.height } else { rect.y };
        Rect { x, y, ..rect }
    }

    /// The orientation that takes this one back.
    pub const fn inverse(self) -> Self {
        if self.transpose {
            Self { transpose: true, flip_x: self.flip_y, flip_y: self.flip_x }
        } else {
            self
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
