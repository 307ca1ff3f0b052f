//! The encode of a first response, and single trials.

use kivet_recipe::{
    Bytes, Choice, Curves, Effort, Encoding, Facts, Fidelity, Format, Score, Search, Setting, Size,
    Trial, View,
};

use crate::{
    Work,
    encode::{Writing, write},
    error::ImageError,
    metadata,
    raster::Raster,
    score::{Reference, Tiles},
};

/// A setting is near enough within this much of its target on the sample.
const MAX_MISS: f32 = 3.0;

/// The sample is so small a part of the picture that encoding and scoring it takes about a quarter
/// of what the picture's own encode takes.
const SHARE: f64 = 1.0 / 7.0;

/// A trial that misses by more says little of the setting that meets the target: at full size grain
/// may take ten times what is usual. Then another follows, after the second only where that one is
/// farther off still.
const FAR: [f32; 3] = [6.0, 10.0, f32::MAX];

/// The shortest side of a tile of the sample: scores of smaller ones say little of the whole.
/// Pictures too small for that are tried whole.
const MIN_TILE: u32 = 128;

/// The longest: more of a large picture tells hardly more, and may be tried several times.
const MAX_TILE: u32 = 384;

/// Pictures of so few pixels are encoded in a few milliseconds: they are tried until one is near.
const TINY: u64 = 1 << 16;

/// Files of fewer bytes are not made lighter: they fit one network packet.
const LIGHT: u64 = 1200;

/// The file of a first response.
#[derive(Clone, Debug)]
pub struct FirstEncode {
    /// The file.
    pub bytes: Vec<u8>,
    /// How it was written.
    pub encoding: Encoding,
}

/// Encodes a drawn rendition for a first response. The setting is what the curves expect; where they
/// were not measured, it is corrected by trials on a small sample of the picture, or by one encode of
/// the whole where it is small itself. `bytes` are the original's, for the metadata the rendition keeps.
///
/// # Errors
/// If it cannot be encoded, or the work was ended.
pub fn encode_first(
    raster: &Raster,
    (bytes, facts): (&[u8], &Facts),
    choice: &Choice,
    curves: &Curves,
    work: &Work,
) -> Result<FirstEncode, ImageError> {
    let flat;
    let raster = match choice.flatten {
        Some(colour) if raster.has_alpha() => {
            flat = raster.clone().flattened(colour);
            &flat
        }
        _ => raster,
    };
    let writing = Writing {
        full_chroma: choice.full_chroma,
        gamut: choice.gamut,
        kept: metadata::kept(bytes, facts.format, choice.edits.keep),
        work: work.clone(),
        ..Writing::new(choice.encoding)
    };
    work.go_on()?;
    match (choice.encoding, choice.target) {
        (Encoding::Lossy { setting }, Some(target)) if !curves.are_measured(&[choice.format]) => {
            let view = View::of(&choice.plan, facts);
            let usual = |score| {
                curves
                    .expected_setting(choice.format, score, view, Effort::Fast)
                    .unwrap_or_else(|| setting.get())
            };
            encode_near(raster, (choice.format, &usual), target, &writing)
        }
        (encoding, _) => {
            Ok(FirstEncode { bytes: write(raster, choice.format, &writing)?, encoding })
        }
    }
}

/// Encodes a picture that was not measured, near the target: at the setting that `expected` gives,
/// corrected by trials.
///
/// # Errors
/// If it cannot be encoded or scored, or the work was ended.
pub fn encode_near(
    raster: &Raster,
    (format, expected): (Format, &dyn Fn(Score) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<FirstEncode, ImageError> {
    let Some(sample) = sample(raster) else {
        return encode_small(raster, (format, expected), target, writing);
    };
    let setting = first_setting(&sample, (format, expected), target, writing)?;
    writing.work.go_on()?;
    let encoding = Encoding::Lossy { setting };
    let bytes = write(raster, format, &Writing { encoding, ..writing.clone() })?;
    Ok(FirstEncode { bytes, encoding })
}

/// A small picture at the setting that `expected` gives for the target; at others where that one is
/// far off. The nearest is sent.
fn encode_small(
    raster: &Raster,
    (format, expected): (Format, &dyn Fn(Score) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<FirstEncode, ImageError> {
    let reference = Reference::new(raster, writing.gamut);
    let mut search = Search::new(format, target, FAR[0], Effort::Fast);
    let mut setting = Setting::nearest_to(expected(Score::new(target.as_f32())));
    let mut nearest = try_setting(raster, &reference, format, setting, writing)?;
    let mut last = nearest.0;
    let is_tiny = raster.size().pixels() <= TINY;
    for far in FAR.map(|far| if is_tiny { FAR[0] } else { far }) {
        search.tried(setting, last.score);
        // Of a file this small, nothing is saved that a viewer would notice.
        let is_light = last.bytes.get() < LIGHT && last.score.get() > target.as_f32();
        let is_far = last.misses(target) > far && !is_light;
        let next = search.next_setting(expected).filter(|_| is_far);
        let Some(next) = next else { break };
        writing.work.go_on()?;
        setting = next;
        let tried = try_setting(raster, &reference, format, setting, writing)?;
        last = tried.0;
        if last.misses(target) < nearest.0.misses(target) {
            nearest = tried;
        }
    }
    let (Trial { setting, .. }, bytes) = nearest;
    Ok(FirstEncode { bytes, encoding: Encoding::Lossy { setting } })
}

/// The setting that `expected` gives for the target, moved by what a trial on a sample of the picture
/// misses it by; by up to three where the first are far off.
fn first_setting(
    sample: &Raster,
    (format, expected): (Format, &dyn Fn(Score) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<Setting, ImageError> {
    let usual = Setting::nearest_to(expected(Score::new(target.as_f32())));
    let reference = Reference::new(sample, writing.gamut);
    let mut search = Search::new(format, target, MAX_MISS, Effort::Fast);
    let mut nearest: Option<Trial> = None;
    for far in FAR {
        let Some(setting) = search.next_setting(expected) else { break };
        let (trial, _) = try_setting(sample, &reference, format, setting, writing)?;
        search.tried(setting, trial.score);
        if nearest.is_none_or(|nearest| trial.misses(target) < nearest.misses(target)) {
            nearest = Some(trial);
        }
        if trial.misses(target) <= far {
            break;
        }
    }
    let nearest = nearest.map_or(usual, |nearest| nearest.setting);
    Ok(search.next_setting(expected).unwrap_or(nearest))
}

/// Two tiles of the picture beside each other; `None` of one too small for that.
pub(crate) fn sample(raster: &Raster) -> Option<Raster> {
    let side = (raster.size().pixels() as f64 * SHARE / 2.0).sqrt() as u32 / 8 * 8;
    let side = side.min(MAX_TILE);
    let shortest = raster.size().width.min(raster.size().height);
    let tiles = Tiles { tile: Size::new(side, side), across: 2, down: 1 };
    if side < MIN_TILE || shortest < MIN_TILE { None } else { tiles.cut(raster) }
}

/// One trial: `raster` encoded at `setting`, otherwise as `writing` says, and scored. Also the
/// file.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn try_setting(
    raster: &Raster,
    reference: &Reference,
    format: Format,
    setting: Setting,
    writing: &Writing,
) -> Result<(Trial, Vec<u8>), ImageError> {
    let bytes = write(
        raster,
        format,
        &Writing { encoding: Encoding::Lossy { setting }, ..writing.clone() },
    )?;
    let score = reference.score(&bytes)?;
    Ok((Trial { setting, score, bytes: Bytes::of(&bytes) }, bytes))
}
