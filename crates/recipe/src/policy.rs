//! What the service's owner decided for all renditions.

use serde::{Deserialize, Serialize};

/// The colours a rendition can hold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Gamut {
    /// sRGB (IEC 61966-2-1): what every screen shows.
    #[default]
    Srgb,
    /// Display P3: the wider gamut of newer screens, with sRGB's transfer function.
    DisplayP3,
}

/// Knobs that are the same for every recipe.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Policy {
    /// The widest gamut kept, where an original's own is as wide.
    pub gamut: Gamut,
    /// Sharpening of every reduced rendition, in percent as the `sharpen-` clause takes it; 0 for none.
    pub sharpen: u16,
    /// True if JPEG XL is written: not every build can.
    pub jxl: bool,
}

impl Default for Policy {
    fn default() -> Self {
        Self { gamut: Gamut::Srgb, sharpen: 0, jxl: true }
    }
}
