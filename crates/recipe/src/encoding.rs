//! How a format is written.

use std::fmt;

use crate::Setting;

/// How a format is to be written.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Encoding {
    /// At the encoder's own quality setting, 0 to 100.
    Lossy {
        /// The setting.
        setting: Setting,
    },
    /// Losslessly.
    Lossless,
    /// In at most 256 colours a frame: exactly where there are no more.
    Palette,
    /// As a vector: cleaned, cropped by its viewBox.
    Vector,
    /// The file itself: location cut out, unless all metadata is kept.
    Original,
}

impl Encoding {
    /// Lossy, at the setting nearest to `setting` that encoders take.
    pub const fn lossy(setting: f32) -> Self {
        Self::Lossy { setting: Setting::nearest_to(setting) }
    }
}

impl fmt::Display for Encoding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Lossy { setting } => write!(f, "lossy {setting}"),
            Self::Lossless => f.write_str("lossless"),
            Self::Palette => f.write_str("256 colours"),
            Self::Vector => f.write_str("vector"),
            Self::Original => f.write_str("original"),
        }
    }
}
