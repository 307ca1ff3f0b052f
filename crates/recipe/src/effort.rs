//! The presets of encoders.

use serde::{Deserialize, Serialize};

/// The preset of an encoder.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Effort {
    /// The fast preset: for a response that a viewer waits for.
    #[default]
    Fast,
    /// The slow preset: for the background, where the bytes are sent many times.
    Slow,
}
