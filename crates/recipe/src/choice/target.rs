//! The target, and what lowers it: many small pixels hide what few large ones show, and some
//! viewers pay for every byte.

use crate::{Fidelity, Policy, Quality, Recipe, Request, WidthFrom};

/// What a density that nobody tells counts as: between the laptop's 1 and the phone's 2 to 3.
const UNTOLD_DENSITY: f64 = 1.5;

/// Why a target was lowered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lowered {
    /// A density above 1 that the recipe or a hint tells.
    Density {
        /// By how much.
        amount: u8,
    },
    /// A density that nobody tells, which counts as 1.5. A target that the recipe names is the
    /// caller's, and stays.
    UntoldDensity {
        /// By how much.
        amount: u8,
    },
    /// Save-Data.
    SaveData {
        /// By how much.
        amount: u8,
    },
}

/// What a rendition aims at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Aim {
    /// The target.
    pub target: Fidelity,
    /// What lowered it.
    pub lowered: Vec<Lowered>,
    /// True if a hint told the density.
    pub by_hint: bool,
}

impl Aim {
    /// The aim of a recipe for one request, and the recipe: under Save-Data a density above 1 is
    /// halved, though not below 1. Hints count where the recipe left its width to them.
    pub(super) fn of(
        recipe: Recipe,
        width: WidthFrom,
        request: &Request,
        policy: &Policy,
    ) -> (Recipe, Self) {
        let named = match recipe.quality {
            Some(Quality::Fidelity(fidelity)) => Some(fidelity),
            _ => None,
        };
        let recipe = if request.save_data { recipe.at_half_density() } else { recipe };
        let hinted = request.hints.density.filter(|_| width != WidthFrom::Recipe);
        let told = recipe.density.map(|density| density.factor()).or(hinted);
        let target = named.unwrap_or(policy.fidelity);
        let mut aim = Self {
            target,
            lowered: Vec::new(),
            by_hint: recipe.density.is_none() && hinted.is_some(),
        };
        match told {
            Some(density) => aim.lower(target.at_density(density, policy.density_step), |amount| {
                Lowered::Density { amount }
            }),
            None if named.is_none() => aim
                .lower(target.at_density(UNTOLD_DENSITY, policy.density_step), |amount| {
                    Lowered::UntoldDensity { amount }
                }),
            None => {}
        }
        if request.save_data {
            let thrifty = aim.target.lowered_by(policy.save_data_step);
            aim.lower(thrifty, |amount| Lowered::SaveData { amount });
        }
        (recipe, aim)
    }

    fn lower(&mut self, to: Fidelity, why: impl Fn(u8) -> Lowered) {
        if to < self.target {
            self.lowered.push(why(self.target.get() - to.get()));
            self.target = to;
        }
    }
}
