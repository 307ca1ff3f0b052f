//! Fidelity targets.

use serde::{Deserialize, Serialize};

/// Closeness to the lossless rendition, 1 to 100 on the SSIMULACRA2 scale: 90 indistinguishable, 70
/// high, 50 medium.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Fidelity(u8);

impl Fidelity {
    /// The target where a recipe names none.
    pub const DEFAULT: Self = Self(70);

    /// Nobody tells it from the lossless rendition.
    pub const INDISTINGUISHABLE: Self = Self(90);

    /// `None` outside 1 to 100.
    pub const fn new(value: u8) -> Option<Self> {
        if value >= 1 && value <= 100 { Some(Self(value)) } else { None }
    }

    /// The value, 1 to 100.
    pub const fn get(self) -> u8 {
        self.0
    }

    /// The value as scores are written.
    pub fn as_f32(self) -> f32 {
        self.0.into()
    }
}
