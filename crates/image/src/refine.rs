//! Finding the encoder setting that meets a fidelity target.

use kivet_recipe::{Effort, Encoding, Fidelity, Format, REFINED, Sample, Search, Size, Trial, container_bytes, search};

use crate::{ImageError, Raster, Reference, Writing, score::Tiles, write};

/// The tiles on which a setting is found for a larger picture.
const TILES: Tiles = Tiles { tile: Size::new(256, 256), across: 2, down: 2 };

/// A first response is near enough within this much of its target: on tiles of it, and as a whole.
const MAX_MISS: f32 = 3.0;
const MAX_MISS_WHOLE: f32 = 5.0;

/// What a search found.
#[derive(Clone, Debug)]
pub struct Found {
    /// The file nearest the target.
    pub bytes: Vec<u8>,
    /// What it is worth.
    pub trial: Trial,
    /// All that was tried, in order.
    pub tried: Vec<Sample>,
}

/// The file of a first response.
#[derive(Clone, Debug)]
pub struct FirstEncode {
    /// The file.
    pub bytes: Vec<u8>,
    /// The encoder's setting.
    pub setting: f32,
    /// Its score, if this very file was scored.
    pub fidelity: Option<f32>,
}

/// Encodes `raster` for a first response: starts from the setting that `expected` gives for a score and corrects it by what it
/// shows. Of a large one a few tiles lead to the setting, and it is written once more if they misled.
///
/// Memory: that of [`Reference::new`], 40 bytes a pixel.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn encode_first(
    raster: &Raster,
    (format, expected): (Format, &dyn Fn(f32) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<FirstEncode, ImageError> {
    let tiles = TILES.cut(raster);
    let shown = tiles.as_ref().unwrap_or(raster);
    let reference = Reference::new(shown, writing.gamut);
    let found = searched(
        shown,
        &reference,
        format,
        search(format, target, MAX_MISS, Effort::Fast, expected),
        writing,
        &|_| true,
    )?;
    let Trial { setting, fidelity, .. } = found.trial;
    if tiles.is_none() {
        return Ok(FirstEncode { bytes: found.bytes, setting, fidelity: Some(fidelity) });
    }
    let written =
        |setting: f32| write(raster, format, &Writing { encoding: Encoding::Lossy { setting }, ..writing.clone() });
    let bytes = written(setting)?;
    let fidelity = Reference::new(raster, writing.gamut).score(&bytes)?;
    let goal = f32::from(target.get());
    // Shift the setting by the error measured on the whole picture.
    let better = (setting + expected(2.0 * goal - fidelity) - expected(goal)).clamp(0.0, 100.0);
    if (fidelity - goal).abs() <= MAX_MISS_WHOLE || (better - setting).abs() < 0.5 {
        return Ok(FirstEncode { bytes, setting, fidelity: Some(fidelity) });
    }
    Ok(FirstEncode { bytes: written(better)?, setting: better, fidelity: None })
}

/// Encodes `raster` until its score to `reference` meets `target`, starting from the setting that `expected` gives for a score.
/// `goes_on` is asked before every encode, with the nearest so far: it may wait, for work that comes first, and end the search.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn refine(
    raster: &Raster,
    reference: &Reference,
    (format, expected): (Format, &dyn Fn(f32) -> f32),
    target: Fidelity,
    writing: &Writing,
    goes_on: &dyn Fn(Option<&Trial>) -> bool,
) -> Result<Found, ImageError> {
    searched(raster, reference, format, search(format, target, REFINED, writing.effort, expected), writing, goes_on)
}

fn searched(
    raster: &Raster,
    reference: &Reference,
    format: Format,
    mut search: Search<'_>,
    writing: &Writing,
    goes_on: &dyn Fn(Option<&Trial>) -> bool,
) -> Result<Found, ImageError> {
    let target = search.target();
    let mut best: Option<(Vec<u8>, Trial)> = None;
    let mut tried = Vec::new();
    while let Some(setting) = search.next_setting() {
        if !goes_on(best.as_ref().map(|(_, nearest)| nearest)) {
            break;
        }
        let bytes = write(raster, format, &Writing { encoding: Encoding::Lossy { setting }, ..writing.clone() })?;
        let fidelity = reference.score(&bytes)?;
        search.tried(setting, fidelity);
        tried.push(sample(raster, format, setting, fidelity, bytes.len()));
        let found = Trial { setting, fidelity, bytes: bytes.len() as u64 };
        if best.as_ref().is_none_or(|(_, best)| found.misses(target) < best.misses(target)) {
            best = Some((bytes, found));
        }
    }
    let (bytes, trial) =
        best.ok_or_else(|| ImageError::NotScored { problem: "the search tried nothing".to_owned() })?;
    Ok(Found { bytes, trial, tried })
}

/// A scored file as curves remember it.
pub fn sample(raster: &Raster, format: Format, setting: f32, fidelity: f32, bytes: usize) -> Sample {
    let coded = (bytes as f32 - container_bytes(format) as f32).max(1.0);
    Sample { setting, fidelity, bytes: coded / raster.size().pixels() as f32 }
}
