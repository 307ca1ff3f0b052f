//! The recipe as typed values: each clause a checked type, the whole written in one canonical
//! order.

mod change;
mod clauses;
mod parse;
mod values;

use std::{fmt, ops::Deref};

use crate::Fidelity;
pub use clauses::Clauses;
pub use values::{CanvasColour, Density, Fit, Keep, Placement, Quality, Ratio, Turn};

/// What is asked of an original. Parse it with [`str::parse`]; `Display` writes the canonical form,
/// which is the cache's.
///
/// Guaranteed: no clause twice, a fit only where there is a box to fit, a density only where there
/// is something to multiply, at most two of width, height and ratio; `original` alone. So every
/// recipe written out can be parsed again. Its [`Clauses`] can be read like fields; a change makes
/// another recipe and is checked.
#[derive(Clone, Debug, Default, PartialEq, Eq, Hash)]
pub struct Recipe {
    clauses: Clauses,
}

impl Deref for Recipe {
    type Target = Clauses;

    fn deref(&self) -> &Clauses {
        &self.clauses
    }
}

impl Recipe {
    /// The longest side a clause can ask for, in pixels.
    pub const MAX_SIDE: u32 = 16_383;

    /// `original`: the file itself.
    pub fn original() -> Self {
        Self { clauses: Clauses { original: true, ..Clauses::default() } }
    }

    /// The whole picture at a width, which is brought within 1 to [`MAX_SIDE`](Self::MAX_SIDE).
    pub fn of_width(width: u32) -> Self {
        Self {
            clauses: Clauses { width: Some(width.clamp(1, Self::MAX_SIDE)), ..Clauses::default() },
        }
    }

    /// The whole picture at a height, which is brought within 1 to [`MAX_SIDE`](Self::MAX_SIDE).
    pub fn of_height(height: u32) -> Self {
        Self {
            clauses: Clauses {
                height: Some(height.clamp(1, Self::MAX_SIDE)),
                ..Clauses::default()
            },
        }
    }

    /// The same picture at another width, whatever size it asked for: two sides become a ratio, a
    /// density goes.
    pub fn at_width(&self, width: u32) -> Self {
        let mut clauses = self.clauses.clone();
        let box_ratio = clauses
            .width
            .zip(clauses.height)
            .and_then(|(width, height)| Ratio::nearest(width, height));
        clauses.ratio = clauses.ratio.or(box_ratio);
        clauses.width = Some(width.clamp(1, Self::MAX_SIDE));
        clauses.height = None;
        clauses.density = None;
        Self { clauses }
    }

    /// The same picture at a density half as high, though not below 1.
    pub(crate) fn at_half_density(&self) -> Self {
        let density = self.density.map(Density::halved);
        Self { clauses: Clauses { density, ..self.clauses.clone() } }
    }

    /// The same without a fixed format.
    pub fn in_any_format(&self) -> Self {
        Self { clauses: Clauses { format: None, ..self.clauses.clone() } }
    }

    /// The same without a target, or the wish to be lossless.
    pub fn in_any_quality(&self) -> Self {
        Self { clauses: Clauses { quality: None, ..self.clauses.clone() } }
    }

    /// The same with a fidelity target.
    pub fn with_fidelity(&self, target: Fidelity) -> Self {
        Self {
            clauses: Clauses { quality: Some(Quality::Fidelity(target)), ..self.clauses.clone() },
        }
    }
}

impl fmt::Display for Recipe {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.clauses.fmt(f)
    }
}
