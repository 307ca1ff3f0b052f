//! What the service's owner decided for all renditions.

use crate::{Fidelity, Format};

/// The colours a rendition can hold.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash)]
pub enum Gamut {
    /// sRGB (IEC 61966-2-1): what every screen shows.
    #[default]
    Srgb,
    /// Display P3: the wider gamut of newer screens, with sRGB's transfer function.
    DisplayP3,
}

/// Settings that are the same for every recipe.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Policy {
    /// The widest gamut kept, where an original's own is as wide.
    pub gamut: Gamut,
    /// Sharpening of every reduced rendition, in percent as the `sharpen-` clause takes it; 0 for
    /// none.
    pub sharpen: u16,
    /// The target where a recipe names none.
    pub fidelity: Fidelity,
    /// The formats that are chosen; a recipe can name any other that is built.
    pub formats: Formats,
    /// True if JPEG XL is written: not every build can.
    pub jxl: bool,
    /// A format that is less work to write is taken where it costs at most so many percent more
    /// bytes.
    pub surplus: u8,
    /// True if first renditions are followed by better ones.
    pub improve: bool,
    /// How much each doubling of an explicit density lowers the target.
    pub density_step: u8,
    /// How much Save-Data lowers it.
    pub save_data_step: u8,
}

impl Policy {
    /// The fewest bytes, whatever the work.
    pub const FEWEST_BYTES: Self = Self {
        gamut: Gamut::Srgb,
        sharpen: 0,
        fidelity: Fidelity::DEFAULT,
        formats: Formats::ALL,
        jxl: true,
        surplus: 0,
        improve: true,
        density_step: 8,
        save_data_step: 15,
    };

    /// The least work: up to a third more bytes, each rendition made once.
    pub const LEAST_WORK: Self = Self { surplus: 33, improve: false, ..Self::FEWEST_BYTES };
}

impl Default for Policy {
    fn default() -> Self {
        Self::FEWEST_BYTES
    }
}

/// A set of formats.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub struct Formats(u16);

impl Formats {
    /// Every format.
    pub const ALL: Self = Self(u16::MAX);

    /// Those given.
    pub fn of(formats: impl IntoIterator<Item = Format>) -> Self {
        Self(formats.into_iter().fold(0, |set, format| set | 1 << format as u16))
    }

    /// The names of those among them that Kivet writes, in one order.
    pub fn names(self) -> Vec<&'static str> {
        Format::NAMEABLE
            .into_iter()
            .filter(|format| self.contains(*format))
            .map(Format::name)
            .collect()
    }

    /// True if `format` is among them.
    pub const fn contains(self, format: Format) -> bool {
        self.0 & (1 << format as u16) != 0
    }
}
