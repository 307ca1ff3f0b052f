//! Finding the setting that meets a fidelity: at a glance for somebody waiting, by search for nobody waiting.

use kivet_recipe::{
    Effort, Encoding, Fidelity, Finalist, Format, REFINED, Sample, Search, Size, container_bytes, search,
};

use crate::{Ideal, ImageError, Raster, Writing, likeness::Sheet, write};

/// The parts on which a setting is found for a larger picture.
const GLANCE: Sheet = Sheet { part: Size::new(256, 256), across: 2, down: 2 };

/// A first answer this near its target is near enough, in points: on parts of it, and as a whole.
const GLANCED: f32 = 3.0;
const GLANCED_WHOLE: f32 = 5.0;

/// What a search found.
#[derive(Clone, Debug)]
pub struct Found {
    /// The file nearest the target.
    pub bytes: Vec<u8>,
    /// What it is worth.
    pub finalist: Finalist,
    /// All that was tried, in order.
    pub tried: Vec<Sample>,
}

/// A file for somebody waiting.
#[derive(Clone, Debug)]
pub struct Glanced {
    /// The file.
    pub bytes: Vec<u8>,
    /// The encoder's setting.
    pub setting: f32,
    /// Its likeness, if this very file was scored.
    pub fidelity: Option<f32>,
}

/// Encodes `raster` for somebody waiting: led by the settings `expected` to give so many points, corrected by what it
/// shows. Of a large one a few parts lead to the setting, and it is written once more if they misled.
///
/// Memory: that of [`Ideal::new`], 40 bytes a pixel.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn at_a_glance(
    raster: &Raster,
    (format, expected): (Format, &dyn Fn(f32) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<Glanced, ImageError> {
    let parts = GLANCE.cut(raster);
    let shown = parts.as_ref().unwrap_or(raster);
    let ideal = Ideal::new(shown, writing.gamut);
    let found =
        searched(shown, &ideal, format, search(format, target, GLANCED, Effort::Fast, expected), writing, &|_| true)?;
    let Finalist { setting, fidelity, .. } = found.finalist;
    if parts.is_none() {
        return Ok(Glanced { bytes: found.bytes, setting, fidelity: Some(fidelity) });
    }
    let written =
        |setting: f32| write(raster, format, &Writing { encoding: Encoding::Lossy { setting }, ..writing.clone() });
    let bytes = written(setting)?;
    let fidelity = Ideal::new(raster, writing.gamut).likeness(&bytes)?;
    let goal = f32::from(target.get());
    // As far along the expected line as the whole lies from its parts.
    let better = (setting + expected(2.0 * goal - fidelity) - expected(goal)).clamp(0.0, 100.0);
    if (fidelity - goal).abs() <= GLANCED_WHOLE || (better - setting).abs() < 0.5 {
        return Ok(Glanced { bytes, setting, fidelity: Some(fidelity) });
    }
    Ok(Glanced { bytes: written(better)?, setting: better, fidelity: None })
}

/// Encodes `raster` until its likeness to `ideal` meets `target`, led by the settings `expected` to give so many points.
/// `goes_on` is asked before every encode, with the nearest so far: it may wait, for work that comes first, and end the search.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn refine(
    raster: &Raster,
    ideal: &Ideal,
    (format, expected): (Format, &dyn Fn(f32) -> f32),
    target: Fidelity,
    writing: &Writing,
    goes_on: &dyn Fn(Option<&Finalist>) -> bool,
) -> Result<Found, ImageError> {
    searched(raster, ideal, format, search(format, target, REFINED, writing.effort, expected), writing, goes_on)
}

fn searched(
    raster: &Raster,
    ideal: &Ideal,
    format: Format,
    mut search: Search<'_>,
    writing: &Writing,
    goes_on: &dyn Fn(Option<&Finalist>) -> bool,
) -> Result<Found, ImageError> {
    let target = search.target();
    let mut best: Option<(Vec<u8>, Finalist)> = None;
    let mut tried = Vec::new();
    while let Some(setting) = search.next_setting() {
        if !goes_on(best.as_ref().map(|(_, nearest)| nearest)) {
            break;
        }
        let bytes = write(raster, format, &Writing { encoding: Encoding::Lossy { setting }, ..writing.clone() })?;
        let fidelity = ideal.likeness(&bytes)?;
        search.tried(setting, fidelity);
        tried.push(sample(raster, format, setting, fidelity, bytes.len()));
        let found = Finalist { setting, fidelity, bytes: bytes.len() as u64 };
        if best.as_ref().is_none_or(|(_, best)| found.misses(target) < best.misses(target)) {
            best = Some((bytes, found));
        }
    }
    let (bytes, finalist) =
        best.ok_or_else(|| ImageError::NotScored { problem: "the search tried nothing".to_owned() })?;
    Ok(Found { bytes, finalist, tried })
}

/// A scored file as curves remember it.
pub fn sample(raster: &Raster, format: Format, setting: f32, fidelity: f32, bytes: usize) -> Sample {
    let coded = (bytes as f32 - container_bytes(format) as f32).max(1.0);
    Sample { setting, fidelity, bytes: coded / raster.size().pixels() as f32 }
}
