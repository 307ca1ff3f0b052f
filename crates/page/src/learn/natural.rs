//! Pictures as wide as their own pixels, or as what is around them where that is narrower: what
//! `max-width: 100%` makes of them.

use std::collections::{BTreeMap, BTreeSet};

use super::SeenPicture;
use crate::{
    PlaceDocument, Sample, fit_sizes,
    observation::{Role, Window},
};

/// Widths that differ by no more are the same.
const ALIKE: f64 = 0.02;

/// A picture this much narrower than its pixels, in CSS pixels, is held by what is around it.
const HELD_PX: f64 = 1.5;

/// How wide the container of some pictures is, as far as they show it.
#[derive(Clone, Debug, Default)]
pub(super) struct Container {
    /// By the window's width.
    at: BTreeMap<u32, Room>,
}

#[derive(Clone, Copy, Debug, Default)]
struct Room {
    /// Its width, where it holds a picture.
    width: Option<f64>,
    /// It is at least as wide: a picture is shown in full.
    at_least: f64,
}

impl Container {
    /// The container as far as one picture shows it; `None` if its own width does not decide how wide it
    /// is shown.
    pub fn of(picture: &SeenPicture) -> Option<Self> {
        let is_plain = picture.role == Role::Img && picture.fit != "cover" && !picture.vector;
        let own = picture.natural.0;
        if !is_plain || own < 1.0 {
            return None;
        }
        let mut container = Self::default();
        let mut in_full = false;
        for one in &picture.samples {
            if one.size.0 < 1.0 || one.of != Window::Swept {
                continue;
            }
            if one.size.0 > own + HELD_PX {
                return None;
            }
            let held = one.size.0 < own - HELD_PX;
            in_full |= !held;
            let room = container.at.entry(one.window.0 as u32).or_default();
            room.width = room.width.or(held.then_some(one.size.0));
            room.at_least = room.at_least.max(one.size.0);
        }
        in_full.then_some(container)
    }

    /// True if both may be the same container.
    pub fn agrees(&self, other: &Self) -> bool {
        let near = |one: f64, other: f64| (one - other).abs() <= ALIKE * one.max(other);
        self.at.iter().all(|(window, one)| {
            let Some(other) = other.at.get(window) else { return true };
            match (one.width, other.width) {
                (Some(one), Some(other)) => near(one, other),
                (Some(one), None) => other.at_least <= one * (1.0 + ALIKE),
                (None, Some(other)) => one.at_least <= other * (1.0 + ALIKE),
                (None, None) => true,
            }
        })
    }

    /// Adds what another picture shows of it.
    pub fn add(&mut self, other: &Self) {
        for (window, room) in &other.at {
            let known = self.at.entry(*window).or_default();
            // The widest counts, as everywhere: fewer pixels than shown would blur.
            known.width = match (known.width, room.width) {
                (Some(one), Some(other)) => Some(one.max(other)),
                (one, other) => one.or(other),
            };
            known.at_least = known.at_least.max(room.at_least);
        }
    }

    /// The place of its pictures. Windows at which it must still be measured are added to `missing`.
    pub fn place(&self, missing: &mut BTreeSet<u32>) -> PlaceDocument {
        let sizes = self.sizes(missing).unwrap_or_else(|| self.wide_enough());
        PlaceDocument { natural_cap: true, ..PlaceDocument::of_sizes(&sizes) }
    }

    /// `sizes` of a container that holds no picture: the window's width, or as much as pictures take
    /// that are wider than their window.
    fn wide_enough(&self) -> String {
        let wider = self.at.iter().filter(|(window, room)| room.at_least > f64::from(**window));
        match wider.map(|(_, room)| room.at_least).reduce(f64::max) {
            Some(most) => format!("max(100vw, {}px)", most.ceil()),
            None => "100vw".to_owned(),
        }
    }

    fn sizes(&self, missing: &mut BTreeSet<u32>) -> Option<String> {
        let held = |(window, room): (&u32, &Room)| {
            Some(Sample { viewport: f64::from(*window), shown: room.width? })
        };
        let samples: Vec<Sample> = self.at.iter().filter_map(held).collect();
        let last = samples.last()?.viewport;
        let sizes = fit_sizes(&samples, |viewport| {
            let known = self.at.get(&(viewport as u32));
            if known.is_none() {
                missing.insert(viewport as u32);
            }
            known.and_then(|room| room.width)
        })?;
        // In wider windows no picture shows how wide it is, only that it is wide enough.
        let widest = self.at.iter().filter(|(window, _)| f64::from(**window) > last);
        let most = widest.map(|(_, room)| room.at_least).fold(0.0, f64::max);
        let device = crate::Device::screen(last as u32, 900, 1.0);
        let parsed: crate::Sizes = sizes.parse().ok()?;
        let enough = parsed.shown_on(&device) >= most * (1.0 - ALIKE);
        Some(if enough {
            sizes
        } else {
            format!("(max-width: {last}px) {}, 100vw", single(&sizes)?)
        })
    }
}

/// `sizes` of one entry; `None` if it has several.
fn single(sizes: &str) -> Option<&str> {
    (!sizes.starts_with('(')).then_some(sizes)
}
