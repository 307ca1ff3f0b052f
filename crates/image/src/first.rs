//! The encode of a first response, and single trials.

use kivet_recipe::{
    Bytes, Effort, Encoding, Fidelity, Format, Score, Search, Setting, Size, Trial,
};

use crate::{
    encode::{Writing, write},
    error::ImageError,
    raster::Raster,
    score::{Reference, Tiles},
};

/// The tiles on which a setting is found for a larger picture.
const TILES: Tiles = Tiles { tile: Size::new(256, 256), across: 2, down: 2 };

/// A first response is near enough within this much of its target: on tiles of it, and as a whole.
const MAX_MISS: f32 = 3.0;
const MAX_MISS_WHOLE: f32 = 5.0;

/// The file of a first response.
#[derive(Clone, Debug)]
pub struct FirstEncode {
    /// The file.
    pub bytes: Vec<u8>,
    /// The encoder's setting.
    pub setting: Setting,
    /// Its score, if this very file was scored.
    pub score: Option<Score>,
}

/// Encodes `raster` for a first response: starts from the setting that `expected` gives for a score
/// and corrects it by what it measures. A large picture is measured on a few tiles, and encoded
/// once more if the whole then misses the target.
///
/// Memory: that of [`Reference::new`], 40 bytes a pixel.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn encode_first(
    raster: &Raster,
    (format, expected): (Format, &dyn Fn(Score) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<FirstEncode, ImageError> {
    let tiles = TILES.cut(raster);
    let shown = tiles.as_ref().unwrap_or(raster);
    let (trial, bytes) = search(shown, (format, expected), target, writing)?;
    if tiles.is_none() {
        return Ok(FirstEncode { bytes, setting: trial.setting, score: Some(trial.score) });
    }
    let reference = Reference::new(raster, writing.gamut);
    let (whole, bytes) = try_setting(raster, &reference, format, trial.setting, writing)?;
    // Shift the setting by the error measured on the whole picture.
    let goal = target.as_f32();
    let shift = expected(Score::new(2.0 * goal - whole.score.get())) - expected(Score::new(goal));
    let better = Setting::nearest_to(whole.setting.get() + shift);
    if whole.misses(target) <= MAX_MISS_WHOLE || (better.get() - whole.setting.get()).abs() < 0.5 {
        return Ok(FirstEncode { bytes, setting: whole.setting, score: Some(whole.score) });
    }
    let bytes = write(
        raster,
        format,
        &Writing { encoding: Encoding::Lossy { setting: better }, ..writing.clone() },
    )?;
    Ok(FirstEncode { bytes, setting: better, score: None })
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

/// The trial nearest to the target of a search with the fast preset.
fn search(
    raster: &Raster,
    (format, expected): (Format, &dyn Fn(Score) -> f32),
    target: Fidelity,
    writing: &Writing,
) -> Result<(Trial, Vec<u8>), ImageError> {
    let reference = Reference::new(raster, writing.gamut);
    let mut search = Search::new(format, target, MAX_MISS, Effort::Fast);
    let mut best: Option<(Trial, Vec<u8>)> = None;
    while let Some(setting) = search.next_setting(expected) {
        let (trial, bytes) = try_setting(raster, &reference, format, setting, writing)?;
        search.tried(setting, trial.score);
        if best.as_ref().is_none_or(|(best, _)| trial.misses(target) < best.misses(target)) {
            best = Some((trial, bytes));
        }
    }
    best.ok_or_else(|| ImageError::NotScored { problem: "the search tried nothing".to_owned() })
}
