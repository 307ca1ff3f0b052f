//! What the files behind pictures are, and what exactly fitting ones would weigh.

use std::{
    borrow::Cow,
    collections::HashMap,
    hash::Hash,
    sync::{Arc, Mutex, PoisonError},
};

use crate::fetch::FileHeader;
use base64::{Engine, prelude::BASE64_STANDARD};
use kivet_image::{
    Limits, Raster, Reference, Writing, draw, encode, kind, metadata, probe, try_setting,
};
use kivet_page::observation::{Area, Fitted, PictureFile, Placement};
use kivet_recipe::{
    Curves, Effort, Encoding, Facts, Fidelity, Format, Gamut, Kind, Plan, Policy, REFINED, Rect,
    Score, Search, Size, Storage, Trial, expected,
};

/// Pictures larger than this are not decoded for a check.
const LIMITS: Limits = Limits::DEFAULT;

/// The longest side of a thumbnail, in pixels.
const THUMBNAIL: f64 = 224.0;

/// What is known of a file from all its bytes.
fn examine(bytes: &[u8]) -> PictureFile {
    let facts = probe(bytes, LIMITS).ok();
    let metadata = metadata(bytes);
    let pixels = facts.as_ref().filter(|facts| is_drawn(facts));
    PictureFile {
        // A file that cannot be decoded does not count as a drawing; that it is broken, the
        // browser says.
        kind: pixels.and_then(|facts| kind(bytes, facts, LIMITS).ok()).unwrap_or(Kind::Photo),
        bytes: bytes.len() as u64,
        hash: blake3::hash(bytes).to_hex().to_string(),
        metadata_bytes: metadata.bytes,
        has_location: metadata.has_location,
        facts,
    }
}

/// What the beginning of a file says of it.
fn examine_part(header: &FileHeader) -> PictureFile {
    let facts =
        probe(&as_if_whole(header), LIMITS).ok().map(|facts| of_length(facts, header.length));
    let metadata = metadata(&header.bytes);
    let expected =
        |facts: &Facts| kivet_recipe::kind(facts, &Curves::default(), &Policy::default());
    PictureFile {
        kind: facts.as_ref().map_or(Kind::Photo, expected),
        bytes: header.length,
        // The length tells apart what begins alike.
        hash: format!("{}-{}", blake3::hash(&header.bytes).to_hex(), header.length),
        metadata_bytes: metadata.bytes,
        has_location: metadata.has_location,
        facts,
    }
}

/// An AVIF says at its beginning where its pictures lie, and is refused if they lie beyond its end.
fn as_if_whole(header: &FileHeader) -> Cow<'_, [u8]> {
    const MAX: u64 = 64 << 20;
    if header.bytes.get(4..8) != Some(b"ftyp") || header.length > MAX {
        return Cow::Borrowed(&header.bytes);
    }
    let mut bytes = header.bytes.clone();
    bytes.resize(header.length as usize, 0);
    Cow::Owned(bytes)
}

/// How densely a file is packed tells by all its bytes, of which a header is only a part.
fn of_length(facts: Facts, length: u64) -> Facts {
    let storage = match facts.storage {
        Storage::Packed(_) => Storage::packed(length, facts.size),
        other => other,
    };
    Facts { storage, ..facts }
}

/// True if this version can decode it.
fn is_drawn(facts: &Facts) -> bool {
    !facts.animated && facts.format != Format::Svg
}

/// Scores that are no further above a target count as made for it.
const NEAR: f32 = 4.0;

/// What one rendition was made of: the file, the part, the size and the target.
type Made = (String, [u32; 4], Size, Fidelity);

/// Its bytes and format; `None` if it cannot be made.
type Lightest = Option<(u64, Format)>;

/// Weighs renditions, each once.
#[derive(Clone, Default)]
pub struct Scales {
    made: Arc<Mutex<HashMap<Made, Lightest>>>,
    files: Arc<Mutex<HashMap<blake3::Hash, PictureFile>>>,
}

/// Files and renditions remembered at once, so that memory stays flat over many pages.
const REMEMBERED: usize = 4096;

/// What a map remembers of `key`, or what `found` finds out now.
fn remembered<K: Eq + Hash, V: Clone>(
    map: &Mutex<HashMap<K, V>>,
    key: K,
    found: impl FnOnce() -> V,
) -> V {
    let lock = || map.lock().unwrap_or_else(PoisonError::into_inner);
    let known = lock().get(&key).cloned();
    known.unwrap_or_else(|| {
        let value = found();
        let mut map = lock();
        if map.len() >= REMEMBERED {
            map.clear();
        }
        map.insert(key, value.clone());
        value
    })
}

impl Scales {
    /// What is known of a file from all its bytes; looked at once.
    pub fn examine(&self, bytes: &[u8]) -> PictureFile {
        remembered(&self.files, blake3::hash(bytes), || examine(bytes))
    }

    /// What is known of a file from its header: all of it where the header is the whole file.
    pub fn examine_header(&self, header: &FileHeader) -> PictureFile {
        if header.is_whole() { self.examine(&header.bytes) } else { examine_part(header) }
    }

    /// The bytes that what is seen of a picture would take at `density`, by really making it. What
    /// this version cannot make weighs what it weighs now. One that a service made of its original
    /// with a score near the target is taken at its word: made once more of what was sent, it would
    /// lose what was meant to stay, and seem to need less.
    pub fn weigh(
        &self,
        (bytes, score): (&[u8], Option<f32>),
        file: &PictureFile,
        at: &Placement,
        density: f64,
    ) -> Fitted {
        let target = target_at(density);
        let as_it_is = as_it_is(file, target);
        let Some(facts) = file.facts.as_ref().filter(|facts| is_drawn(facts)) else {
            return as_it_is;
        };
        let plan = plan(facts, at, density);
        if score.is_some_and(|score| score < target.as_f32() + NEAR) {
            let Size { width, height } = plan.size;
            let bytes = (file.bytes as f64 * share_of_bytes(facts, &plan)) as u64;
            return Fitted { width, height, bytes, ..as_it_is };
        }
        let corner = [plan.crop.x, plan.crop.y, plan.crop.width, plan.crop.height]
            .map(|value| value.round() as u32);
        let key = (file.hash.clone(), corner, plan.size, target);
        let lightest =
            remembered(&self.made, key, || lightest(bytes, facts, file.kind, &plan, target));
        match lightest {
            Some((bytes, format)) if bytes < file.bytes => Fitted {
                width: plan.size.width,
                height: plan.size.height,
                bytes,
                format,
                target,
                made: true,
            },
            // Nothing lighter can be made of it: it fits already.
            Some(_) => {
                Fitted { width: plan.size.width, height: plan.size.height, made: true, ..as_it_is }
            }
            None => as_it_is,
        }
    }
}

/// The share of a picture's bytes that is left of it by a plan: what is cut away takes its share with
/// it, and fewer pixels of the rest save less than their share.
fn share_of_bytes(facts: &Facts, plan: &Plan) -> f64 {
    let kept = plan.crop.width * plan.crop.height;
    let cut = kept / facts.size.pixels() as f64;
    let reduced = plan.size.pixels() as f64 / kept;
    (cut * kivet_recipe::bytes_by_pixels(reduced)).min(1.0)
}

/// What is predicted to be needed of a file of which only the header is known.
pub fn predict(file: &PictureFile, at: &Placement, density: f64) -> Fitted {
    let target = target_at(density);
    let as_it_is = as_it_is(file, target);
    let Some(facts) = file.facts.as_ref().filter(|facts| is_drawn(facts)) else { return as_it_is };
    let size = plan(facts, at, density).size;
    // Few colours at screen size take about what the file takes for as many pixels.
    let share = size.pixels() as f64 / facts.size.pixels() as f64;
    let predicted = if file.kind == Kind::Flat {
        Some((file.bytes as f64 * share * FLAT_GAIN, Format::Webp))
    } else {
        expected(Format::Avif, target)
            .map(|one| (f64::from(one.bytes_per_pixel.get()) * size.pixels() as f64, Format::Avif))
    };
    match predicted {
        Some((bytes, format)) if (bytes as u64) < file.bytes => Fitted {
            width: size.width,
            height: size.height,
            bytes: bytes as u64,
            format,
            target,
            made: false,
        },
        _ => Fitted { width: size.width, height: size.height, ..as_it_is },
    }
}

/// The fidelity that a screen needs, by the rule that renditions are made by.
fn target_at(density: f64) -> Fidelity {
    Fidelity::DEFAULT.at_density(density, Policy::FEWEST_BYTES.density_step)
}

/// What lossless WebP saves over PNG on flat art, at least.
const FLAT_GAIN: f64 = 0.8;

fn as_it_is(file: &PictureFile, target: Fidelity) -> Fitted {
    let (format, size) = file
        .facts
        .as_ref()
        .map_or((Format::Png, Size::new(0, 0)), |facts| (facts.format, facts.size));
    Fitted {
        width: size.width,
        height: size.height,
        bytes: file.bytes,
        format,
        target,
        made: false,
    }
}

/// The part that is seen, at the pixels of the screen, never enlarged.
fn plan(facts: &Facts, at: &Placement, density: f64) -> Plan {
    let Size { width, height } = facts.size;
    let Area { x, y, width: across, height: down } = at.seen_part();
    let crop = Rect {
        x: (x.clamp(0.0, 1.0)) * f64::from(width),
        y: (y.clamp(0.0, 1.0)) * f64::from(height),
        width: (across.min(1.0 - x) * f64::from(width)).max(1.0),
        height: (down.min(1.0 - y) * f64::from(height)).max(1.0),
    };
    let side = |seen: f64, available: f64| (seen * density).min(available).round().max(1.0) as u32;
    let size = Size::new(side(at.seen.width, crop.width), side(at.seen.height, crop.height));
    Plan { turned: facts.orientation, crop, drawn: size, canvas: None, size, requested_size: None }
}

fn lightest(bytes: &[u8], facts: &Facts, kind: Kind, plan: &Plan, target: Fidelity) -> Lightest {
    let raster = draw(bytes, facts, plan, None).ok()?;
    let reference = Reference::new(&raster, Gamut::Srgb);
    let longest = raster.size().width.max(raster.size().height);
    let lossless = (kind == Kind::Flat).then(|| lossless(&raster)).flatten();
    // Flat art stays as it was drawn, by the rule that renditions are made by; in a file that was not
    // kept so, it is a picture like others.
    if lossless.is_some() && facts.storage.is_lossless() {
        return lossless;
    }
    let is_large = raster.size().pixels() > LARGE;
    let lossy = [Format::Avif, Format::Webp]
        .into_iter()
        .filter(|format| longest <= format.max_side())
        .filter(|format| *format == Format::Avif || !is_large || longest > Format::Avif.max_side())
        .filter_map(|format| Some((lossy(&raster, &reference, format, target)?, format)));
    lossy.chain(lossless).min_by_key(|(bytes, _)| *bytes)
}

/// The bytes of the pixels as they are.
fn lossless(raster: &Raster) -> Lightest {
    let longest = raster.size().width.max(raster.size().height);
    [Format::Webp, Format::Png]
        .into_iter()
        .filter(|format| longest <= format.max_side())
        .filter_map(|format| {
            let file = encode(raster, format, Encoding::Lossless).ok()?;
            Some((file.len() as u64, format))
        })
        .min_by_key(|(bytes, _)| *bytes)
}

/// Pictures above so many pixels are weighed as AVIF alone, which no other format beats there.
const LARGE: u64 = 65_536;

/// The bytes at the target, on the line through two tries: a setting that is only expected to meet it
/// is far off for some pictures, and a page would be told to need less than it does.
fn lossy(raster: &Raster, reference: &Reference, format: Format, target: Fidelity) -> Option<u64> {
    let writing = Writing::new(Encoding::Lossless);
    let guess = |score: Score| {
        let target = Fidelity::new(score.get().round().clamp(1.0, 100.0) as u8);
        target.and_then(|target| expected(format, target)).map_or(f32::MAX, |one| one.setting.get())
    };
    let mut search = Search::new(format, target, REFINED, Effort::Fast);
    let mut tries: Vec<Trial> = Vec::new();
    while tries.len() < 2
        && let Some(setting) = search.next_setting(&guess)
    {
        let (trial, _) = try_setting(raster, reference, format, setting, &writing).ok()?;
        search.tried(setting, trial.score);
        tries.push(trial);
    }
    match tries.as_slice() {
        [first, second] if second.misses(target) > REFINED => Some(between(first, second, target)),
        _ => tries.last().map(|trial| trial.bytes.get()),
    }
}

/// Bytes where the line of their logarithm over the score reaches the target; no further beyond the
/// two than they lie apart.
fn between(one: &Trial, other: &Trial, target: Fidelity) -> u64 {
    let (from, to) = (one.score.get(), other.score.get());
    let share = (target.as_f32() - from) / (to - from);
    if !share.is_finite() {
        return other.bytes.get();
    }
    let [from, to] = [one, other].map(|trial| (trial.bytes.get().max(1) as f64).ln());
    (from + (to - from) * f64::from(share.clamp(-1.0, 2.0))).exp() as u64
}

/// A small picture of what is seen, as a data address.
pub fn thumbnail(bytes: &[u8], facts: &Facts, at: &Placement) -> Option<String> {
    let scale = (THUMBNAIL / at.seen.width.max(at.seen.height)).min(1.0);
    let raster = draw(bytes, facts, &plan(facts, at, scale), None).ok()?;
    let webp = encode(&raster, Format::Webp, Encoding::lossy(60.0)).ok()?;
    Some(format!("data:image/webp;base64,{}", BASE64_STANDARD.encode(webp)))
}
