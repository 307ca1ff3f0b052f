//! Fidelity targets.

use serde::{Deserialize, Serialize};

/// Closeness to the lossless rendition, 1 to 100 on the SSIMULACRA2 scale: 90 indistinguishable, 80
/// no visible loss at normal distance, 70 high, 50 medium.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Fidelity(u8);

impl Fidelity {
    /// The target at density 1 where a recipe names none.
    pub const DEFAULT: Self = Self(80);

    /// Nothing lowers a target below this; one that is lower already stays.
    pub const FLOOR: Self = Self(30);

    /// Nobody tells it from the lossless rendition.
    pub const INDISTINGUISHABLE: Self = Self(90);

    /// `None` outside 1 to 100.
    pub const fn new(value: u8) -> Option<Self> {
        if value >= 1 && value <= 100 { Some(Self(value)) } else { None }
    }

    /// This much lower, though not below [`FLOOR`](Self::FLOOR).
    pub fn lowered_by(self, amount: u8) -> Self {
        Self(self.0.saturating_sub(amount).max(Self::FLOOR.0.min(self.0)))
    }

    /// The target at `density` that looks as close as this one does at density 1: small pixels hide
    /// the same damage. `step` less for each doubling; a density below 1 changes nothing.
    pub fn at_density(self, density: f64, step: u8) -> Self {
        self.lowered_by((density.max(1.0).log2() * f64::from(step)).round().min(100.0) as u8)
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
