//! The target, and what lowers it: many small pixels hide what few large ones show, and some
//! viewers pay for every byte.

use crate::{Fidelity, Policy, Quality, Recipe, Request};

/// Nothing lowers a target below this; one that is lower already stays.
const FLOOR: u8 = 30;

/// Why a target was lowered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lowered {
    /// An explicit density above 1.
    Density {
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
}

impl Aim {
    /// The aim of a recipe for one request, and the recipe: under Save-Data a density above 1 is
    /// halved, though not below 1.
    pub(super) fn of(recipe: Recipe, request: &Request, policy: &Policy) -> (Recipe, Self) {
        let named = match recipe.quality {
            Some(Quality::Fidelity(fidelity)) => fidelity,
            _ => policy.fidelity,
        };
        let recipe = if request.save_data { recipe.at_half_density() } else { recipe };
        let doublings = recipe.density.map_or(0.0, |density| density.factor().log2().max(0.0));
        let by_density = (doublings * f64::from(policy.density_step)).round() as u8;
        let mut aim = Self { target: named, lowered: Vec::new() };
        aim.lower(by_density, |amount| Lowered::Density { amount });
        if request.save_data {
            aim.lower(policy.save_data_step, |amount| Lowered::SaveData { amount });
        }
        (recipe, aim)
    }

    fn lower(&mut self, amount: u8, why: impl Fn(u8) -> Lowered) {
        let from = self.target.get();
        let to = from.saturating_sub(amount).max(FLOOR.min(from));
        if let Some(lower) = Fidelity::new(to).filter(|lower| *lower < self.target) {
            self.target = lower;
            self.lowered.push(why(from - to));
        }
    }
}
