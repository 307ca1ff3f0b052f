//! A whole ladder of one 15-megapixel JPEG: six widths in three formats, made as the service makes
//! them, through reductions; against one decode and the eighteen bare encodes. Also how like the
//! direct ones the results are.

use anyhow::{Result, ensure};
use kivet_image::{Limits, Raster, Reduction, Task, Work, draw_edited, encode, probe};
use kivet_recipe::{Choice, Curves, Encoding, Facts, Gamut, Policy, Recipe, Request, choose};

use crate::{
    bare,
    clock::{median, timed},
    photographs,
    prior::score,
};

const WIDTHS: [u32; 6] = [320, 480, 640, 960, 1280, 1920];
const FORMATS: [&str; 3] = ["avif", "webp", "jpeg"];
const ROUNDS: usize = 7;

/// The most the ladder may take, as a multiple of the decode and the encodes.
const MAX: f64 = 1.15;

/// The least score of what comes through a reduction to what comes directly.
const ALIKE: f64 = 90.0;

/// Prints the tables and fails if a bound is missed.
pub fn run() -> Result<()> {
    let bytes = photographs::read("night/lanterns")?;
    let facts = probe(&bytes, Limits::default())?;
    println!("decoding {} alone, by eighths of its size", facts.size);
    for eighths in [1, 2, 4, 5, 8] {
        let times = (0..5)
            .map(|_| Ok(timed(|| bare::decode_jpeg(&bytes, eighths))?.1))
            .collect::<Result<_>>()?;
        println!("  {eighths}/8: {:.1} ms", median(times) * 1e3);
    }
    let score = least_score(&bytes, &facts)?;
    let mut rounds = Vec::new();
    for _ in 0..ROUNDS {
        let (_, decode) = timed(|| bare::decode_jpeg(&bytes, 8))?;
        let encodes = bare_encodes(&bytes, &facts)?;
        let (parts, ladder) = timed(|| whole_ladder(&bytes, &facts))?;
        rounds.push((ladder / (decode + encodes), decode, encodes, ladder, parts));
    }
    rounds.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (ratio, decode, encodes, ladder, Parts { reduced, drawn, encoded }) = rounds[ROUNDS / 2];
    println!(
        "\n| one decode | 18 bare encodes | the ladder | its reductions | its drawing | its encodes | ratio | least score |\n| --- | --- | --- | --- | --- | --- | --- | --- |"
    );
    let ms = [decode, encodes, ladder, reduced, drawn, encoded]
        .map(|seconds| format!("{:.0} ms", seconds * 1e3));
    println!("| {} | {ratio:.3} | {score:.1} |", ms.join(" | "));
    ensure!(ratio <= MAX, "the ladder takes {ratio:.3} of the codecs' time, above {MAX}");
    ensure!(score >= ALIKE, "a rendition through a reduction scores {score:.1}, below {ALIKE}");
    Ok(())
}

fn choice_of(facts: &Facts, width: u32, format: &str) -> Result<Choice> {
    let recipe: Recipe = format!("{width}w_as-{format}").parse()?;
    Ok(choose(&recipe, facts, &Curves::default(), &Request::ANYTHING, &Policy::default())?)
}

/// What a ladder's seconds went into.
#[derive(Clone, Copy, Default)]
struct Parts {
    reduced: f64,
    drawn: f64,
    encoded: f64,
}

/// As the service's pipeline goes: the largest reduction once, halved as far as serves, each shape
/// drawn once.
fn whole_ladder(bytes: &[u8], facts: &Facts) -> Result<Parts> {
    let mut parts = Parts::default();
    let mut levels = Vec::new();
    for width in WIDTHS {
        let choice = choice_of(facts, width, "avif")?;
        let (level, reduced) = timed(|| reduction(bytes, facts, &mut levels, &choice))?;
        let (raster, drawn) =
            timed(|| drawn(bytes, facts, level.map(|level| &levels[level]), &choice))?;
        let (_, encoded) = timed(|| {
            FORMATS.iter().try_for_each(|format| {
                let choice = choice_of(facts, width, format)?;
                encode(&raster, choice.format, choice.encoding).map(drop).map_err(Into::into)
            })
        })?;
        parts = Parts {
            reduced: parts.reduced + reduced,
            drawn: parts.drawn + drawn,
            encoded: parts.encoded + encoded,
        };
    }
    Ok(parts)
}

/// The level a rendition is drawn from, made if need be; `None` where it is drawn from the
/// original.
fn reduction(
    bytes: &[u8],
    facts: &Facts,
    levels: &mut Vec<Reduction>,
    choice: &Choice,
) -> Result<Option<usize>> {
    if !Reduction::would_serve(facts, &choice.plan, 0) {
        return Ok(None);
    }
    if levels.is_empty() {
        levels.push(Reduction::make(
            bytes,
            facts,
            Gamut::Srgb,
            Limits::default(),
            &Work::default(),
        )?);
    }
    let mut level = 0;
    while Reduction::would_serve(facts, &choice.plan, level as u32 + 1) {
        level += 1;
        if levels.len() == level {
            levels.push(levels[level - 1].halved()?);
        }
    }
    Ok(Some(level))
}

fn drawn(
    bytes: &[u8],
    facts: &Facts,
    reduction: Option<&Reduction>,
    choice: &Choice,
) -> Result<Raster> {
    Ok(draw_edited(bytes, facts, choice, &Task { reduction, ..Task::default() })?)
}

fn bare_encodes(bytes: &[u8], facts: &Facts) -> Result<f64> {
    let mut sum = 0.0;
    for width in WIDTHS {
        for format in FORMATS {
            let choice = choice_of(facts, width, format)?;
            let Encoding::Lossy { setting } = choice.encoding else {
                unreachable!("a photograph is written lossily")
            };
            let raster = drawn(bytes, facts, None, &choice)?;
            let (_, took) = timed(|| match format {
                "avif" => bare::encode_avif(&raster, setting.get()),
                "webp" => bare::encode_webp(&raster, setting.get(), bare::FAST_METHOD),
                _ => bare::encode_jpeg(&raster, setting.get()),
            })?;
            sum += took;
        }
    }
    Ok(sum)
}

/// The least score of a picture drawn through reductions against the same drawn from the original.
fn least_score(bytes: &[u8], facts: &Facts) -> Result<f64> {
    let mut levels = Vec::new();
    let mut least = f64::MAX;
    for width in WIDTHS {
        let choice = choice_of(facts, width, "avif")?;
        let level = reduction(bytes, facts, &mut levels, &choice)?;
        let through = drawn(bytes, facts, level.map(|level| &levels[level]), &choice)?;
        let direct = drawn(bytes, facts, None, &choice)?;
        let alike = score(&direct, &through)?;
        println!("  {width}w through a reduction scores {alike:.1} against direct");
        least = least.min(alike);
    }
    Ok(least)
}
