//! The screens that ladders are made for.

use std::sync::OnceLock;

use serde::Deserialize;

use crate::Device;

/// Screens with their shares of views.
#[derive(Clone, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Population {
    /// Where the numbers come from.
    pub source: String,
    /// The screens. Their shares need not add up to 1.
    pub screens: Vec<Screen>,
}

/// One kind of screen.
#[derive(Clone, Copy, Debug, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Screen {
    /// Viewport in CSS pixels.
    pub width: u32,
    /// Viewport in CSS pixels.
    pub height: u32,
    /// Device pixels per CSS pixel.
    pub density: f64,
    /// How much it counts.
    pub share: f64,
}

impl Population {
    /// The population that stands in until views were seen: `population.toml`.
    pub fn assumed() -> &'static Self {
        static ASSUMED: OnceLock<Population> = OnceLock::new();
        ASSUMED.get_or_init(|| {
            // A test reads the file; it cannot fail in a build that passed.
            toml::from_str(include_str!("population.toml"))
                .unwrap_or(Self { source: String::new(), screens: Vec::new() })
        })
    }
}

impl Screen {
    /// As media conditions and `sizes` see it.
    pub const fn device(&self) -> Device {
        Device::screen(self.width, self.height, self.density)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_assumed_population_is_whole() {
        let Population { source, screens } =
            toml::from_str(include_str!("population.toml")).expect("readable");
        assert!(!source.is_empty() && screens.len() > 20);
        let total: f64 = screens.iter().map(|screen| screen.share).sum();
        assert!((total - 1.0).abs() < 1e-9, "{total}");
    }
}
