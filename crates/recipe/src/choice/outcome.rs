//! What was chosen, and why.

use serde::{Deserialize, Serialize};

use super::target::Lowered;
use crate::{
    Basis, Bytes, CanvasColour, Curves, Encoding, Facts, Fidelity, Filter, Format, Gamut, Keep,
    Plan, Recipe, Scale, Score, Storage, WidthFrom,
};

/// A format expected to take more than so many times the fewest bytes is not tried: hardly any
/// turns out to take the fewest. WebP takes longest to write, so it must be nearer.
const fn trial_limit(format: Format) -> f64 {
    if matches!(format, Format::Webp) { 1.1 } else { 1.3 }
}

/// Originals that take more bytes per pixel without loss are photographs: lossy forms always take
/// less.
const DENSE: f32 = 1.0;

/// What happens to pixels after they are drawn.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Edits {
    /// Filters in the order they are applied.
    pub filters: Vec<Filter>,
    /// Pixels of the rendition to one of the asked box before density: what lengths in filters are
    /// multiplied by.
    pub scale: f32,
    /// Sharpening by policy, in percent.
    pub sharpen: u16,
    /// Names of pictures laid over it, in order.
    pub overlays: Vec<String>,
    /// What lies around the picture and under its transparent parts.
    pub canvas: Option<CanvasColour>,
    /// Metadata kept.
    pub keep: Option<Keep>,
}

/// One format that could be sent.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Candidate {
    /// The format.
    pub format: Format,
    /// How it would be written.
    pub encoding: Encoding,
    /// The bytes its final rendition is expected to take.
    pub predicted_bytes: Bytes,
    /// The score expected of it; lossless if `None`.
    pub predicted_score: Option<Score>,
    /// What both rest on.
    pub basis: Basis,
}

/// Why a format was chosen.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reason {
    /// The recipe names it with `as-`.
    Named,
    /// Of those the request accepts, it is expected to take the fewest bytes.
    FewestBytes,
    /// Others are expected to take fewer bytes, but the request wants them less, by more than they
    /// save.
    Preferred,
    /// It is the least work to write among those whose bytes the policy finds close enough.
    LeastWork,
    /// A vector stays one.
    Vector,
    /// The recipe asks for the original.
    Original,
    /// The original has the very pixels that are asked for, in fewer bytes than any rendition.
    LighterOriginal,
}

/// What to make of an original for one request, and why.
#[derive(Clone, Debug, PartialEq)]
pub struct Choice {
    /// The recipe that is followed: its width settled by the hints where it left it open, its
    /// density by thrift.
    pub recipe: Recipe,
    /// Where the width comes from.
    pub width: WidthFrom,
    /// True if a client hint decided any of it: a response for this viewer alone.
    pub private: bool,
    /// What to cut and at which size.
    pub plan: Plan,
    /// What is done to the pixels then.
    pub edits: Edits,
    /// True if the rendition moves as the original does.
    pub animated: bool,
    /// The colours it holds.
    pub gamut: Gamut,
    /// The format to write.
    pub format: Format,
    /// How to write it.
    pub encoding: Encoding,
    /// True if chroma is kept at full resolution whatever the setting: the original was never
    /// encoded lossily, and drawn edges between colours show it.
    pub full_chroma: bool,
    /// The opaque colour to lay under transparent parts; `None` keeps them.
    pub flatten: Option<[u8; 3]>,
    /// The fidelity aimed at; lossless if `None`.
    pub target: Option<Fidelity>,
    /// What lowered the target.
    pub lowered: Vec<Lowered>,
    /// Every format that could have been sent: those that reach the target first, fewest expected
    /// bytes first.
    pub candidates: Vec<Candidate>,
    /// The rule that decided.
    pub reason: Reason,
}

impl Choice {
    /// The formats worth encoding once without loss, so that choices compare real bytes: where the
    /// recipe leaves open whether there is loss and the original has none.
    pub fn lossless_trials(&self, facts: &Facts, curves: &Curves) -> Vec<Format> {
        let open = self.recipe.quality.is_none() && self.recipe.format != Some(Format::Png);
        let dense = matches!(facts.storage, Storage::Packed(bytes) if bytes.get() > DENSE);
        if !open || dense || self.animated || !facts.storage.is_lossless() {
            return Vec::new();
        }
        let may_send = |format: Format| self.candidates.iter().any(|one| one.format == format);
        let modern = [Format::Webp, Format::Jxl].into_iter().filter(|one| may_send(*one));
        let mut formats: Vec<Format> = modern.collect();
        if formats.is_empty() && may_send(Format::Png) {
            formats.push(Format::Png);
        }
        let scale = Scale::of(&self.plan);
        formats.retain(|format| !curves.has_made_lossless(*format, scale));
        formats
    }

    /// The lossy candidates that may turn out to take the fewest bytes: worth trying once at this
    /// very size.
    pub fn trial_candidates(&self) -> impl Iterator<Item = &Candidate> {
        let fewest = self.candidates.first().map_or(0.0, |best| best.predicted_bytes.get() as f64);
        let lossy = |one: &&Candidate| matches!(one.encoding, Encoding::Lossy { .. });
        self.candidates
            .iter()
            .filter(lossy)
            .filter(move |one| one.predicted_bytes.get() as f64 <= fewest * trial_limit(one.format))
    }
}

impl Reason {
    /// The name in JSON and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::Named => "named",
            Self::FewestBytes => "fewest-bytes",
            Self::Preferred => "preferred",
            Self::LeastWork => "least-work",
            Self::Vector => "vector",
            Self::Original => "original",
            Self::LighterOriginal => "lighter-original",
        }
    }
}
