//! What is to be made of which original, and the names it goes by in the tiers.

use std::sync::Arc;

use kivet_recipe::{Choice, Edits, Encoding, Plan, Recipe, Request, Scale, View};

use crate::shelves::Original;

/// Part of every key: raised when the engine's output changes, so that no older rendition is taken for a newer one.
pub(super) const ENGINE_REVISION: u32 = 10;

/// What is to be made of which original.
#[derive(Clone, Debug)]
pub struct Job {
    /// The original.
    pub original: Arc<Original>,
    /// The recipe that was asked for.
    pub recipe: Recipe,
    /// What the first who asked said of itself.
    pub request: Request,
    /// What was chosen for that request.
    pub choice: Choice,
}

impl Job {
    /// The name of the rendition in every tier: a hash of all that shapes it. The encoder's setting is left out: the
    /// fidelity it stands for is what was asked for, and a better one may be found.
    pub(super) fn key(&self, overlays: &str) -> String {
        let Choice { animated, format, encoding, flatten, edits, target, .. } = &self.choice;
        let quality = match (encoding, target) {
            (Encoding::Lossy { .. }, Some(target)) => format!("fidelity-{}", target.get()),
            _ => encoding.to_string(),
        };
        let keep = edits.keep;
        hashed(&format!("{animated} {format} {quality} {flatten:?} {keep:?} {}", self.shape(overlays)))
    }

    /// All that shapes its pixels: what renditions in several formats share.
    pub(super) fn shape(&self, overlays: &str) -> String {
        let Plan { crop, drawn, canvas, size, .. } = &self.choice.plan;
        let scale = if self.choice.edits.filters.is_empty() { 0.0 } else { self.choice.edits.scale };
        format!("{crop:?} {drawn} {canvas:?} {size} {scale} {}", self.look(overlays))
    }

    /// What it shares with renditions of the same shape at other sizes, in other formats and fidelities.
    pub(super) fn family(&self, overlays: &str) -> String {
        let Plan { crop, size, .. } = &self.choice.plan;
        let [x, y, width, height] = [crop.x, crop.y, crop.width, crop.height].map(f64::round);
        // Whole pixels bend the ratio of small renditions a little.
        let ratio = (f64::from(size.width) / f64::from(size.height)).ln() * 20.0;
        let Choice { animated, flatten, .. } = &self.choice;
        hashed(&format!("{x} {y} {width} {height} {} {animated} {flatten:?} {}", ratio.round(), self.look(overlays)))
    }

    /// All that is done to the pixels, size and crop apart.
    fn look(&self, overlays: &str) -> String {
        let Choice { plan, edits, gamut, .. } = &self.choice;
        let Edits { filters, scale: _, sharpen, overlays: names, canvas, keep: _ } = edits;
        let colour = if plan.drawn != plan.size || !filters.is_empty() { *canvas } else { None };
        let hash = &self.original.record.hash;
        let names = if names.is_empty() { String::new() } else { format!("{names:?} {overlays}") };
        format!("{ENGINE_REVISION} {hash} {:?} {filters:?} {sharpen} {names} {colour:?} {gamut:?}", plan.turned)
    }

    /// How much of the original's detail it holds.
    pub(super) fn scale(&self) -> Scale {
        Scale::of(&self.choice.plan)
    }

    /// What it shows of the original.
    pub(super) fn view(&self) -> View {
        View::of(&self.choice.plan, self.original.facts())
    }
}

fn hashed(text: &str) -> String {
    blake3::hash(text.as_bytes()).to_hex().to_string()
}
