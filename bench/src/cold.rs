//! A 15-megapixel JPEG to 640 pixels wide, in each format: Kivet's whole work against the bare
//! codec calls.
//!
//! Measured on two files: a photograph written at the quality cameras use, and the demo's own,
//! which was pressed below 4 MB to be kept under version control and so decodes faster than
//! cameras' files do. The limit is for the former.

use anyhow::{Result, ensure};
use kivet_image::{Limits, Task, draw, probe, reduction_for, render};
use kivet_recipe::{Curves, Encoding, Policy, Recipe, Request, choose, plan_for};

use crate::{
    bare,
    clock::{median, timed},
    photographs,
};

/// Rounds measured; the two sides take turns in each, and the median round counts.
const ROUNDS: usize = 15;

/// The most Kivet may take, as a multiple of the bare calls.
const MAX: f64 = 1.10;

/// What cameras write, on mozjpeg's scale.
const CAMERA_QUALITY: f32 = 94.0;

/// Prints a table for each file and fails if any format is above the limit for the camera's.
pub fn run() -> Result<()> {
    let pressed = photographs::read("night/lanterns")?;
    let facts = probe(&pressed, Limits::default())?;
    let pixels = draw(&pressed, &facts, &plan_for(&Recipe::default(), &facts), None)?;
    let camera = bare::camera_jpeg(&pixels, CAMERA_QUALITY)?;
    let worst = table("as a camera writes it", &camera)?;
    table("pressed below 4 MB", &pressed)?;
    ensure!(worst <= MAX, "the worst ratio, {worst:.3}, is above {MAX}");
    Ok(())
}

/// Prints the table of one file and returns its worst ratio.
fn table(name: &str, bytes: &[u8]) -> Result<f64> {
    let facts = probe(bytes, Limits::default())?;
    println!(
        "{} JPEG {name}, {} bytes, to 640w; medians of {ROUNDS} rounds\n",
        facts.size,
        bytes.len()
    );
    println!(
        "| format | bare decode | bare encode | Kivet | ratio |\n| --- | --- | --- | --- | --- |"
    );
    let mut worst = 0f64;
    for format in ["avif", "webp", "jpeg"] {
        let recipe: Recipe = format!("640w_as-{format}").parse()?;
        let choice =
            choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, &Policy::default())?;
        let raster = draw(bytes, &facts, &choice.plan, None)?;
        let eighths = reduction_for(
            &facts,
            (choice.plan.crop.width, choice.plan.crop.height),
            choice.plan.drawn,
        );
        let Encoding::Lossy { setting } = choice.encoding else {
            unreachable!("a photograph is written lossily")
        };
        let (mut decodes, mut encodes, mut wholes, mut ratios) = (vec![], vec![], vec![], vec![]);
        for _ in 0..ROUNDS {
            let (_, decode) = timed(|| bare::decode_jpeg(bytes, eighths))?;
            let (_, encode) = timed(|| match format {
                "avif" => bare::encode_avif(&raster, setting.get()),
                "webp" => bare::encode_webp(&raster, setting.get(), bare::FAST_METHOD),
                _ => bare::encode_jpeg(&raster, setting.get()),
            })?;
            let (_, whole) = timed(|| {
                let facts = probe(bytes, Limits::default())?;
                Ok(render(bytes, &facts, &choice, &Task::default())?)
            })?;
            ratios.push(whole / (decode + encode));
            decodes.push(decode);
            encodes.push(encode);
            wholes.push(whole);
        }
        let ratio = median(ratios);
        worst = worst.max(ratio);
        let show = |times: Vec<f64>| format!("{:.1} ms", median(times) * 1e3);
        println!(
            "| {format} | {} | {} | {} | {ratio:.3} |",
            show(decodes),
            show(encodes),
            show(wholes)
        );
    }
    println!();
    Ok(worst)
}
