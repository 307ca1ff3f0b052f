//! A 15-megapixel JPEG to 640 pixels wide, in each format: Kivet's whole work against the bare
//! codec calls and against general libraries, in the process and by HTTP from a running service.
//!
//! Measured on two files: a photograph written at the quality cameras use, and the demo's own,
//! which was pressed below 4 MB to be kept under version control and so decodes faster than
//! cameras' files do. The limit is for the former.

use anyhow::{Context, Result, ensure};
use fast_image_resize::{
    FilterType, PixelType, ResizeAlg, ResizeOptions, Resizer,
    images::{Image, ImageRef},
};
use kivet_image::{Limits, Raster, Task, draw, probe, reduction_for, render};
use kivet_recipe::{
    Choice, Curves, Encoding, Facts, Format, Policy, Recipe, Request, Setting, Size, choose,
    plan_for,
};

use crate::{
    bare,
    clock::{median, timed},
    photographs,
    served::Served,
};

/// Rounds measured; the two sides take turns in each, and the median round counts.
const ROUNDS: usize = 15;

/// The most Kivet may take, as a multiple of the bare calls: a first response is one encode and a
/// quarter.
const MAX: f64 = 1.25;

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
    let folder = tempfile::tempdir()?;
    let originals = folder.path().join("originals");
    std::fs::create_dir(&originals)?;
    let service = Served::start((folder.path(), "data"), 8497, false, &originals)?;
    println!(
        "{} JPEG {name}, {} bytes, to 640w; medians of {ROUNDS} rounds\n",
        facts.size,
        bytes.len()
    );
    println!(
        "| format | bare calls | libraries | Kivet | over bare calls | over libraries | by HTTP | over libraries |\n| --- | --- | --- | --- | --- | --- | --- | --- |"
    );
    let mut worst = 0f64;
    for format in ["avif", "webp", "jpeg"] {
        let recipe: Recipe = format!("640w_as-{format}").parse()?;
        let choice =
            choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, &Policy::default())?;
        let raster = draw(bytes, &facts, &choice.plan, None)?;
        let first = render(bytes, &facts, &choice, &Task::default())?;
        let Encoding::Lossy { setting } = first.encoding else {
            unreachable!("a photograph is written lossily")
        };
        let side = Side { bytes, facts: &facts, choice: &choice, raster: &raster, setting };
        let mut rounds = Vec::new();
        for round in 0..ROUNDS {
            // Another file for each round: what the service knows of one it need not learn again.
            let original = format!("{format}-{round}.jpg");
            std::fs::write(originals.join(&original), [bytes, original.as_bytes()].concat())?;
            let path = format!("/pic/640w_as-{format}/photos/{original}");
            rounds.push([
                timed(|| side.bare())?.1,
                timed(|| side.libraries())?.1,
                timed(|| {
                    let facts = probe(bytes, Limits::default())?;
                    Ok(render(bytes, &facts, &choice, &Task::default())?)
                })?
                .1,
                service.get(&path)?.0.as_secs_f64(),
            ]);
        }
        let time = |at: usize| median(rounds.iter().map(|times| times[at]).collect());
        let over = |at: usize, other: usize| {
            median(rounds.iter().map(|times| times[at] / times[other]).collect())
        };
        worst = worst.max(over(2, 0));
        println!(
            "| {format} | {:.1} ms | {:.1} ms | {:.1} ms | {:.3} | {:.3} | {:.1} ms | {:.3} |",
            time(0) * 1e3,
            time(1) * 1e3,
            time(2) * 1e3,
            over(2, 0),
            over(2, 1),
            time(3) * 1e3,
            over(3, 1),
        );
    }
    println!();
    Ok(worst)
}

/// One rendition to be made in ways other than Kivet's.
struct Side<'a> {
    bytes: &'a [u8],
    facts: &'a Facts,
    choice: &'a Choice,
    raster: &'a Raster,
    setting: Setting,
}

impl Side<'_> {
    fn decoded(&self) -> Result<(Size, Vec<u8>)> {
        let plan = &self.choice.plan;
        let eighths = reduction_for(self.facts, (plan.crop.width, plan.crop.height), plan.drawn);
        let part = |side: u32| (side * u32::from(eighths)).div_ceil(8);
        let Size { width, height } = self.facts.size;
        Ok((Size::new(part(width), part(height)), bare::decode_jpeg(self.bytes, eighths)?))
    }

    /// The codecs' own calls, with Kivet's settings: what no rendition can do without.
    fn bare(&self) -> Result<()> {
        self.decoded()?;
        self.encoded(self.raster, bare::FAST_METHOD)
    }

    /// The same from general libraries: decoded at the same scale, resized by the fastest crate for
    /// that over 8-bit values, encoded by the codecs' usual methods.
    fn libraries(&self) -> Result<()> {
        let (from, pixels) = self.decoded()?;
        let to = self.raster.size();
        let source = ImageRef::new(from.width, from.height, &pixels, PixelType::U8x3)?;
        let mut target = Image::new(to.width, to.height, PixelType::U8x3);
        let options = ResizeOptions::new().resize_alg(ResizeAlg::Convolution(FilterType::Lanczos3));
        Resizer::new().resize(&source, &mut target, &options)?;
        let raster =
            Raster::new(to, false, target.into_vec()).context("as many bytes as pixels")?;
        self.encoded(&raster, bare::USUAL)
    }

    fn encoded(&self, raster: &Raster, method: i32) -> Result<()> {
        match self.choice.format {
            Format::Avif => bare::encode_avif(raster, self.setting.get()),
            Format::Webp => bare::encode_webp(raster, self.setting.get(), method),
            _ => bare::encode_jpeg(raster, self.setting.get()),
        }
        .map(drop)
    }
}
