//! The names renditions go by in the tiers: hashes of explicit fields, so that renaming a type
//! keeps every cache.

use std::fmt::Display;

use kivet_recipe::{CanvasColour, Choice, Encoding, Gamut, Keep, Plan, Policy, Recipe, Rect};

use super::Job;
use crate::shelves::Original;

/// Part of every key: raised when the engine's output changes, so that no older rendition is taken
/// for a newer one.
pub(super) const ENGINE_REVISION: u32 = 12;

/// The name of a rendition in every tier.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub struct RenditionKey(String);

impl RenditionKey {
    /// The key as hexadecimal text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// A key as the index lists it.
    pub(super) const fn from_index(key: String) -> Self {
        Self(key)
    }

    /// The key of a job's rendition: a hash of all that shapes its bytes. The encoder's setting is
    /// left out: the fidelity it stands for is what was asked for, and a better one may be found.
    pub(super) fn of(job: &Job, overlays: &str) -> Self {
        let Choice { animated, format, encoding, flatten, edits, target, .. } = &job.choice;
        let quality = match (encoding, target) {
            (Encoding::Lossy { .. }, Some(target)) => format!("fidelity-{}", target.get()),
            _ => encoding.to_string(),
        };
        let fields = Fields::new("rendition")
            .field("shape", shape(job, overlays))
            .field("animated", animated)
            .field("format", format)
            .field("quality", quality)
            .option("flatten", flatten.map(hex))
            .option("keep", edits.keep.map(Keep::name));
        Self(fields.hash())
    }
}

/// All that shapes a job's pixels: what its renditions in several formats share.
pub(super) fn shape(job: &Job, overlays: &str) -> String {
    let Plan { crop, drawn, canvas, size, .. } = &job.choice.plan;
    let Rect { x, y, width, height } = crop;
    let edits = &job.choice.edits;
    let scale = if edits.filters.is_empty() { 0.0 } else { edits.scale };
    edited(Fields::new("shape"), job, overlays)
        .field("crop", format_args!("{x} {y} {width} {height}"))
        .field("drawn", drawn)
        .option("canvas", canvas.map(|canvas| format!("{} {}", canvas.left, canvas.top)))
        .field("size", size)
        .field("scale", scale)
        .hash()
}

/// What a job's rendition shares with those of the same shape at other sizes, in other formats and
/// fidelities.
pub(super) fn family(job: &Job, overlays: &str) -> String {
    let Plan { crop, size, .. } = &job.choice.plan;
    let [x, y, width, height] = [crop.x, crop.y, crop.width, crop.height].map(f64::round);
    // Whole pixels bend the ratio of small renditions a little.
    let ratio = ((f64::from(size.width) / f64::from(size.height)).ln() * 20.0).round();
    edited(Fields::new("family"), job, overlays)
        .field("crop", format_args!("{x} {y} {width} {height}"))
        .field("ratio", ratio)
        .field("animated", job.choice.animated)
        .option("flatten", job.choice.flatten.map(hex))
        .hash()
}

/// A hash of all that shapes renditions of an original beside what the URL says: what `?v=` names.
/// `placed` is the recipe with its place looked up, where it names one.
pub(super) fn version(
    original: &Original,
    placed: Option<&Recipe>,
    policy: &Policy,
    overlays: &str,
) -> String {
    let Policy {
        gamut,
        sharpen,
        fidelity,
        formats,
        jxl,
        surplus,
        improve,
        density_step,
        save_data_step,
    } = policy;
    let fields = Fields::new("version")
        .field("engine", ENGINE_REVISION)
        .field("original", &original.record.hash)
        .option("focus", original.facts().focus)
        .option("placed", placed)
        .field("overlays", overlays)
        .field("gamut", gamut_name(*gamut))
        .field("sharpen", sharpen)
        .field("fidelity", fidelity.get())
        .field("formats", formats.names().join(" "))
        .field("jxl", jxl)
        .field("surplus", surplus)
        .field("improve", improve)
        .field("density-step", density_step)
        .field("save-data-step", save_data_step);
    fields.hash()[..12].to_owned()
}

/// Adds all that is done to the pixels, size and crop apart.
fn edited(fields: Fields, job: &Job, overlays: &str) -> Fields {
    let Choice { plan, edits, gamut, .. } = &job.choice;
    let shows_canvas = plan.drawn != plan.size || !edits.filters.is_empty();
    let filters: Vec<String> = edits.filters.iter().map(ToString::to_string).collect();
    fields
        .field("engine", ENGINE_REVISION)
        .field("original", &job.original.record.hash)
        .field("turned", plan.turned.to_exif())
        .field("filters", filters.join("_"))
        .field("sharpen", edits.sharpen)
        .field("overlays", edits.overlays.join("_"))
        .field("overlay-state", if edits.overlays.is_empty() { "" } else { overlays })
        .option(
            "behind",
            edits.canvas.filter(|_| shows_canvas).as_ref().map(CanvasColour::to_string),
        )
        .field("gamut", gamut_name(*gamut))
}

const fn gamut_name(gamut: Gamut) -> &'static str {
    match gamut {
        Gamut::Srgb => "srgb",
        Gamut::DisplayP3 => "display-p3",
    }
}

fn hex([red, green, blue]: [u8; 3]) -> String {
    format!("{red:02x}{green:02x}{blue:02x}")
}

/// Named values, one a line, that are hashed together.
struct Fields(String);

impl Fields {
    fn new(kind: &str) -> Self {
        Self(format!("{kind}\n"))
    }

    fn field(mut self, name: &str, value: impl Display) -> Self {
        self.0.push_str(&format!("{name}={value}\n"));
        self
    }

    fn option(self, name: &str, value: Option<impl Display>) -> Self {
        match value {
            Some(value) => self.field(name, value),
            None => self,
        }
    }

    fn hash(&self) -> String {
        blake3::hash(self.0.as_bytes()).to_hex().to_string()
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;

    use kivet_recipe::{Accepted, Curves, Facts, Format, Request, Size, Storage, choose};
    use kivet_store::{OriginalRecord, Stamp};

    use super::*;
    use crate::shelves::OriginalId;

    fn job(recipe: &str) -> Job {
        let facts = Facts::plain(Format::Jpeg, Size::new(4000, 3000), Storage::Lossy);
        let stamp = Stamp { bytes: 9, modified_ms: 9, changed_ns: 9, inode: 9 };
        let record = OriginalRecord { stamp, hash: "ab".repeat(32), facts };
        let id = OriginalId::from_text("photos/harbour/kites-dawn.jpg").expect("an original");
        let original =
            Arc::new(Original { id, file: "kites-dawn.jpg".into(), record, is_lost: false });
        let (recipe, request) =
            (recipe.parse().expect("a recipe"), Request::accepting(Accepted::EVERYTHING));
        let choice =
            choose(&recipe, original.facts(), &Curves::default(), &request, &Policy::default())
                .expect("a choice");
        Job { original, recipe, request, choice }
    }

    /// A change here throws away every cache in the field: raise [`ENGINE_REVISION`] if that is
    /// meant, and pin anew.
    #[test]
    fn keys_are_pinned() {
        let job = job("640w_ratio-3-2_blur-6_overlay-mark_on-f4efe6_keep-credit");
        let version = version(&job.original, None, &Policy::default(), "state");
        let found = [
            RenditionKey::of(&job, "state").0,
            shape(&job, "state"),
            family(&job, "state"),
            version,
        ];
        let first: Vec<&str> = found.iter().map(|key| &key[..12]).collect();
        assert_eq!(first, ["e0357148230b", "621127b1a967", "ef3c2ffb6e67", "ed376a7faae8"]);
    }

    #[test]
    fn what_shapes_a_rendition_is_in_its_key() {
        let key = |recipe: &str| RenditionKey::of(&job(recipe), "state");
        let base = key("640w");
        assert_eq!(base, key("640w"));
        for other in [
            "641w",
            "640w_fidelity-71",
            "640w_as-png",
            "640w_flip-x",
            "640w_blur-3",
            "640w_keep-all",
            "640w_trim",
        ] {
            assert_eq!(other == "640w_trim", key(other) == base, "{other}");
        }
        let marked = job("640w_overlay-mark");
        assert_ne!(RenditionKey::of(&marked, "state"), RenditionKey::of(&marked, "another"));
        assert_eq!(
            RenditionKey::of(&job("640w"), "state"),
            RenditionKey::of(&job("640w"), "another")
        );
        assert_eq!(
            family(&job("640w"), "state"),
            family(&job("320w_fidelity-50_as-webp"), "state")
        );
        assert_ne!(family(&job("640w"), "state"), family(&job("640w_ratio-1-1"), "state"));
    }
}
