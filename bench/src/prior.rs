//! The setting and bytes each encoder needs for a fidelity, averaged over the demo's photographs: the tables of
//! `crates/recipe/src/fidelity.rs`.

use anyhow::Result;
use fast_ssim2::{PixelDescriptor, PixelSlice, compute_ssimulacra2};
use kivet_image::{Limits, Raster, draw, encode, probe};
use kivet_recipe::{Encoding, Format, Recipe, plan_for};

use crate::photographs;

const WIDTHS: [u32; 3] = [320, 640, 1280];
const SETTINGS: [f32; 10] = [2.0, 8.0, 20.0, 35.0, 50.0, 65.0, 78.0, 88.0, 94.0, 100.0];
const TARGETS: [f64; 6] = [1.0, 30.0, 50.0, 70.0, 85.0, 90.0];

/// One encode: setting, score, bytes a pixel.
type Point = (f64, f64, f64);

/// Prints a table for each format, or for `only` one.
pub fn run(only: Option<&str>) -> Result<()> {
    let rasters = drawn(photographs::all()?)?;
    let formats = [Format::Avif, Format::Webp, Format::Jpeg, Format::Jxl];
    for format in formats.into_iter().filter(|format| only.is_none_or(|only| only == format.name())) {
        let curves: Vec<Vec<Point>> = rasters.iter().map(|raster| curve(raster, format)).collect::<Result<_>>()?;
        println!("{format}: (fidelity, setting, bytes per pixel), means over {} rasters", curves.len());
        for target in TARGETS {
            let reached: Vec<(f64, f64)> = curves.iter().map(|curve| at(curve, target)).collect();
            let mean = |pick: fn(&(f64, f64)) -> f64| reached.iter().map(pick).sum::<f64>() / reached.len() as f64;
            println!("    ({target:.1}, {:.1}, {:.3}),", mean(|point| point.0), mean(|point| point.1));
        }
    }
    Ok(())
}

/// Prints the bytes per pixel of exact renditions, of photographs and of flat drawings.
pub fn run_exact() -> Result<()> {
    for (kind, originals) in [("photo", photographs::all()?), ("flat", photographs::drawings()?)] {
        let rasters = drawn(originals)?;
        for format in [Format::Webp, Format::Png] {
            let mut sum = 0.0;
            for raster in &rasters {
                sum += encode(raster, format, Encoding::Lossless)?.len() as f64 / raster.size().pixels() as f64;
            }
            println!(
                "{kind} {format}: {:.3} bytes per pixel over {} rasters",
                sum / rasters.len() as f64,
                rasters.len()
            );
        }
    }
    Ok(())
}

/// Every original at every width.
fn drawn(originals: Vec<Vec<u8>>) -> Result<Vec<Raster>> {
    let mut rasters = Vec::new();
    for bytes in originals {
        let facts = probe(&bytes, Limits::default())?;
        for width in WIDTHS {
            let recipe: Recipe = format!("{width}w").parse()?;
            rasters.push(draw(&bytes, &facts, &plan_for(&recipe, &facts), None)?);
        }
    }
    Ok(rasters)
}

fn curve(raster: &Raster, format: Format) -> Result<Vec<Point>> {
    let pixels = raster.size().pixels() as f64;
    SETTINGS
        .into_iter()
        .map(|setting| {
            let bytes = encode(raster, format, Encoding::Lossy { setting })?;
            let facts = probe(&bytes, Limits::default())?;
            let back = draw(&bytes, &facts, &plan_for(&Recipe::default(), &facts), None)?;
            let score = score(raster, &back)?;
            Ok((f64::from(setting), score, bytes.len() as f64 / pixels))
        })
        .collect()
}

/// Likeness on the SSIMULACRA2 scale.
pub fn score(one: &Raster, other: &Raster) -> Result<f64> {
    Ok(compute_ssimulacra2(&slice(one)?, &slice(other)?)?)
}

fn slice(raster: &Raster) -> Result<PixelSlice<'_>> {
    let size = raster.size();
    PixelSlice::new(raster.bytes(), size.width, size.height, raster.stride(), PixelDescriptor::RGB8_SRGB)
        .map_err(|error| anyhow::anyhow!("{error:?}"))
}

/// Setting and bytes where a curve first reaches `target`, on a straight line between its points; beyond its ends,
/// the end.
fn at(curve: &[Point], target: f64) -> (f64, f64) {
    let Some(upper) = curve.iter().position(|point| point.1 >= target) else {
        let last = curve[curve.len() - 1];
        return (last.0, last.2);
    };
    if upper == 0 {
        return (curve[0].0, curve[0].2);
    }
    let (from, to) = (curve[upper - 1], curve[upper]);
    let share = (target - from.1) / (to.1 - from.1);
    (from.0 + (to.0 - from.0) * share, from.2 + (to.2 - from.2) * share)
}
