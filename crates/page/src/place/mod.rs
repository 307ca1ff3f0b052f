//! Places: where in a layout pictures appear, and what that asks of them.
//!
//! A [`PlaceDocument`] is a place as people write it; a [`Place`] is one that was checked. From a
//! place and the [`Population`] of screens come the [`Offered`] widths.

mod crop;
mod document;
mod error;
mod loading;
mod offered;
mod placeholder;
mod population;

use std::borrow::Cow;

use kivet_recipe::{Density, Facts, Fidelity, PlaceName, PlaceRecipes, Recipe};

pub use crop::Crop;
pub use document::{AlternativeDocument, PlaceDocument};
pub use error::PlaceError;
pub use loading::{Loading, first_on};
pub use offered::{
    Band, Offered, OfferedLayout, OfferedStep, Targets, Trade, WrittenRecipe, expected_bytes,
};
pub use placeholder::Placeholder;
pub use population::{Population, Screen};

use crate::{Device, Sizes, media_matches};

/// Where in a layout pictures appear. Made from a [`PlaceDocument`], which checks it.
#[derive(Clone, Debug, PartialEq)]
pub struct Place {
    pub(crate) name: PlaceName,
    pub(crate) layout: Layout,
    pub(crate) alternatives: Vec<Alternative>,
    pub(crate) fidelity: Option<Fidelity>,
    pub(crate) density_cap: Option<Density>,
    pub(crate) loading: Loading,
    pub(crate) placeholder: Placeholder,
    pub(crate) auto_sizes: bool,
    pub(crate) natural_cap: bool,
}

/// How wide a picture is shown, and how it is cropped.
#[derive(Clone, Debug, PartialEq)]
pub struct Layout {
    /// The width.
    pub sizes: Sizes,
    /// The crop.
    pub crop: Crop,
}

/// Another layout of the same picture, where a media condition holds.
#[derive(Clone, Debug, PartialEq)]
pub struct Alternative {
    /// The condition: see [`is_media_condition`](crate::is_media_condition).
    pub media: String,
    /// The layout there.
    pub layout: Layout,
}

impl Place {
    /// Its name.
    pub const fn name(&self) -> &PlaceName {
        &self.name
    }

    /// A text that is the same for places with the same ladders: their layouts and targets, whatever
    /// they are called and however they load.
    pub fn ladder_key(&self) -> String {
        let layouts = self.layouts().map(|(media, layout)| {
            let crops: Vec<String> =
                layout.crop.geometries().iter().map(Recipe::to_string).collect();
            format!("{} | {} | {}", media.unwrap_or("all"), layout.sizes.as_str(), crops.join(" "))
        });
        let fidelity = self.fidelity.map_or(String::new(), |fidelity| fidelity.get().to_string());
        let cap = self.density_cap.map_or(String::new(), |cap| cap.factor().to_string());
        let layouts = layouts.collect::<Vec<_>>().join("\n");
        format!("{layouts}\n{fidelity} {cap} {}", self.natural_cap)
    }

    /// True if some of its layouts crop.
    pub fn crops(&self) -> bool {
        self.layouts().any(|(_, layout)| layout.crop.widest().ratio.is_some())
    }

    /// When its pictures are fetched.
    pub const fn loading(&self) -> Loading {
        self.loading
    }

    /// What stands in their room until they arrive.
    pub const fn placeholder(&self) -> &Placeholder {
        &self.placeholder
    }

    /// The place as an original is shown in it: its `sizes` capped at the original's natural width
    /// where the place says so.
    pub fn for_original(&self, facts: &Facts) -> Cow<'_, Self> {
        if !self.natural_cap {
            return Cow::Borrowed(self);
        }
        let mut place = self.clone();
        let layouts = place.alternatives.iter_mut().map(|one| &mut one.layout);
        for layout in layouts.chain([&mut place.layout]) {
            layout.sizes = layout.sizes.capped(facts.size.width);
        }
        Cow::Owned(place)
    }

    /// The same place with another loading policy.
    pub fn with_loading(self, loading: Loading) -> Self {
        Self { loading, ..self }
    }

    /// The same place with another placeholder.
    pub fn with_placeholder(self, placeholder: Placeholder) -> Self {
        Self { placeholder, ..self }
    }

    /// What `@name` stands for: the geometry outside the alternatives, and the fidelity.
    pub fn recipe(&self) -> Recipe {
        self.at_target(self.layout.crop.widest())
    }

    /// Every recipe that its markup names, sizes and formats apart: the highest target is that at
    /// density 1, the lowest that of the densest screens, where each doubling takes `density_step`.
    pub fn recipes(&self, policy_target: Fidelity, density_step: u8) -> Vec<PlaceRecipes> {
        let target = self.fidelity.unwrap_or(policy_target);
        let targets = target.at_density(MAX_DENSITY, density_step)..=target;
        self.layouts()
            .flat_map(|(_, layout)| layout.crop.geometries())
            .map(|geometry| PlaceRecipes {
                geometry: self.at_target(&geometry),
                targets: targets.clone(),
            })
            .collect()
    }

    fn at_target(&self, geometry: &Recipe) -> Recipe {
        self.fidelity.map_or_else(|| geometry.clone(), |target| geometry.with_fidelity(target))
    }

    /// Its layouts in the order a browser tries them: the alternatives with their conditions, then
    /// the one for everything else.
    pub fn layouts(&self) -> impl Iterator<Item = (Option<&str>, &Layout)> {
        self.alternatives
            .iter()
            .map(|one| (Some(one.media.as_str()), &one.layout))
            .chain([(None, &self.layout)])
    }

    /// The layout a screen shows, by its number in [`layouts`](Self::layouts).
    pub fn layout_on(&self, device: &Device) -> usize {
        let shows = |one: &Alternative| media_matches(&one.media, device);
        self.alternatives.iter().position(shows).unwrap_or(self.alternatives.len())
    }

    /// The density that pictures follow on a screen.
    pub fn density_on(&self, density: f64) -> f64 {
        self.density_cap.map_or(density, |cap| density.min(cap.factor()))
    }
}

/// No screen is taken to be denser.
const MAX_DENSITY: f64 = 4.0;
