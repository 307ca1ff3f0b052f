//! A whole ladder of one 15-megapixel JPEG: six widths in three formats, made as the service makes them, through
//! reductions; against one decode and the eighteen bare encodes. Also how like the direct ones the results are.

use std::time::{Duration, Instant};

use anyhow::{Result, ensure};
use kivet_image::{Limits, Raster, Reduction, Task, Work, draw_edited, finish, probe};
use kivet_recipe::{Choice, Curves, Encoding, Facts, Gamut, Policy, Recipe, Request, choose};

use crate::{bare, photographs, prior::score};

const WIDTHS: [u32; 6] = [320, 480, 640, 960, 1280, 1920];
const FORMATS: [&str; 3] = ["avif", "webp", "jpeg"];
const ROUNDS: usize = 7;

/// The most the ladder may take, as a multiple of the decode and the encodes.
const MOST: f64 = 1.15;

/// The least likeness of what comes through a reduction to what comes directly.
const ALIKE: f64 = 90.0;

/// Prints the tables and fails if a bound is missed.
pub fn run() -> Result<()> {
    let bytes = photographs::read("night/lanterns")?;
    let facts = probe(&bytes, Limits::default())?;
    println!("decoding {} alone, by eighths of its size", facts.size);
    for eighths in [1, 2, 4, 5, 8] {
        let times = (0..5).map(|_| timed(|| bare::decode_jpeg(&bytes, eighths).map(|_| ())));
        println!("  {eighths}/8: {:.1} ms", median(times.collect::<Result<_>>()?).as_secs_f64() * 1e3);
    }
    let likeness = likeness(&bytes, &facts)?;
    let mut ratios = Vec::new();
    for _ in 0..ROUNDS {
        let decode = timed(|| bare::decode_jpeg(&bytes, 8).map(|_| ()))?;
        let encodes = bare_encodes(&bytes, &facts)?;
        let ladder = timed(|| whole_ladder(&bytes, &facts))?;
        ratios.push((ladder.as_secs_f64() / (decode + encodes).as_secs_f64(), decode, encodes, ladder));
    }
    ratios.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (ratio, decode, encodes, ladder) = ratios[ROUNDS / 2];
    let ms = |time: Duration| time.as_secs_f64() * 1e3;
    println!(
        "\n| one decode | 18 bare encodes | the ladder | ratio | least likeness |\n| --- | --- | --- | --- | --- |"
    );
    println!("| {:.0} ms | {:.0} ms | {:.0} ms | {ratio:.3} | {likeness:.1} |", ms(decode), ms(encodes), ms(ladder));
    ensure!(ratio <= MOST, "the ladder takes {ratio:.3} of the codecs' time, above {MOST}");
    ensure!(likeness >= ALIKE, "a rendition through a reduction scores {likeness:.1}, below {ALIKE}");
    Ok(())
}

fn choice_of(facts: &Facts, width: u32, format: &str) -> Result<Choice> {
    let recipe: Recipe = format!("{width}w_as-{format}").parse()?;
    Ok(choose(&recipe, facts, &Curves::default(), &Request::ANYTHING, &Policy::default())?)
}

/// As the service's pipeline goes: the largest reduction once, halved as far as serves, each shape drawn once.
fn whole_ladder(bytes: &[u8], facts: &Facts) -> Result<()> {
    let largest = Reduction::make(bytes, facts, Gamut::Srgb, Limits::default(), &Work::default())?;
    let mut levels = vec![largest];
    for width in WIDTHS {
        let raster = drawn(bytes, facts, &mut levels, &choice_of(facts, width, "avif")?)?;
        for format in FORMATS {
            finish(&raster, &[], facts, &choice_of(facts, width, format)?)?;
        }
    }
    Ok(())
}

fn drawn(bytes: &[u8], facts: &Facts, levels: &mut Vec<Reduction>, choice: &Choice) -> Result<Raster> {
    if !Reduction::would_serve(facts, &choice.plan, 0) {
        return Ok(draw_edited(bytes, facts, choice, &Task::default())?);
    }
    let mut level = 0;
    while Reduction::would_serve(facts, &choice.plan, level as u32 + 1) {
        level += 1;
        if levels.len() == level {
            levels.push(levels[level - 1].halved()?);
        }
    }
    Ok(draw_edited(bytes, facts, choice, &Task { reduction: Some(&levels[level]), ..Task::default() })?)
}

fn bare_encodes(bytes: &[u8], facts: &Facts) -> Result<Duration> {
    let mut sum = Duration::ZERO;
    for width in WIDTHS {
        for format in FORMATS {
            let choice = choice_of(facts, width, format)?;
            let Encoding::Lossy { setting } = choice.encoding else { unreachable!("a photograph is written lossily") };
            let raster = draw_edited(bytes, facts, &choice, &Task::default())?;
            sum += timed(|| {
                match format {
                    "avif" => bare::encode_avif(&raster, setting),
                    "webp" => bare::encode_webp(&raster, setting),
                    _ => bare::encode_jpeg(&raster, setting),
                }
                .map(|_| ())
            })?;
        }
    }
    Ok(sum)
}

/// The least score of a picture drawn through reductions against the same drawn from the original.
fn likeness(bytes: &[u8], facts: &Facts) -> Result<f64> {
    let mut levels = vec![Reduction::make(bytes, facts, Gamut::Srgb, Limits::default(), &Work::default())?];
    let mut least = f64::MAX;
    for width in WIDTHS {
        let choice = choice_of(facts, width, "avif")?;
        let through = drawn(bytes, facts, &mut levels, &choice)?;
        let direct = draw_edited(bytes, facts, &choice, &Task::default())?;
        let alike = score(&direct, &through)?;
        println!("  {width}w through a reduction scores {alike:.1} against direct");
        least = least.min(alike);
    }
    Ok(least)
}

fn timed(work: impl FnOnce() -> Result<()>) -> Result<Duration> {
    let started = Instant::now();
    work()?;
    Ok(started.elapsed())
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}
