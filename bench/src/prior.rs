//! The setting and bytes each encoder needs for a fidelity where nothing is known of a picture but
//! that it is one: the tables of `crates/recipe/src/fidelity.rs`.

use std::{iter::repeat_n, sync::Mutex};

use anyhow::{Context, Result, anyhow};
use kivet_image::{Limits, Raster, Reference, draw, encode, probe};
use kivet_recipe::{Effort, Encoding, Format, Gamut, Recipe, View, plan_for};

use crate::{
    clock::median,
    curve::{Point, at, measured},
    generated, photographs,
};

const WIDTHS: [u32; 3] = [320, 640, 1280];
const SETTINGS: [f32; 10] = [2.0, 8.0, 20.0, 35.0, 50.0, 65.0, 78.0, 88.0, 94.0, 100.0];
const TARGETS: [f32; 6] = [1.0, 30.0, 50.0, 70.0, 85.0, 90.0];

/// Where the slow preset is compared with the fast preset.
const COMPARED: [f32; 4] = [12.0, 35.0, 65.0, 88.0];

/// Every nth of the generated pictures, and how much one of the demo's counts beside one of them.
const EVERY: u32 = 4;
const DEMO: usize = 2;

/// One raster's curve with the fast preset, and a few points with the slow preset.
struct Curve {
    weight: usize,
    complexity: f32,
    fast: Vec<Point>,
    best: Vec<Point>,
}

/// Prints a table for each format, or for `only` one.
pub fn run(only: Option<&str>) -> Result<()> {
    let mut originals: Vec<(Vec<u8>, usize)> =
        photographs::all()?.into_iter().map(|bytes| (bytes, DEMO)).collect();
    for number in (0..generated::COUNT).step_by(EVERY as usize) {
        originals.push((generated::jpeg(number)?, 1));
    }
    let formats = [Format::Avif, Format::Webp, Format::Jpeg, Format::Jxl];
    for format in formats.into_iter().filter(|format| only.is_none_or(|only| only == format.name()))
    {
        let curves = curves(&originals, format)?;
        println!(
            "{format}: (fidelity, setting, bytes per pixel, and what complexity adds), over {} rasters",
            curves.len()
        );
        for target in TARGETS {
            let fitted = |pick: fn(&Point) -> f32| {
                let point = |curve: &Curve| {
                    repeat_n((curve.complexity, pick(&at(&curve.fast, target))), curve.weight)
                };
                line(&curves.iter().flat_map(point).collect::<Vec<_>>())
            };
            let ((setting, more_setting), (bytes, more_bytes)) =
                (fitted(|point| point.0), fitted(|point| point.2));
            println!(
                "    ({target:.1}, {setting:.1}, {:.4}, {more_setting:.1}, {more_bytes:.2}),",
                bytes.exp()
            );
        }
        let (gains, factors): (Vec<f64>, Vec<f64>) =
            curves.iter().filter(|curve| curve.weight == DEMO).flat_map(slow_samples).unzip();
        println!(
            "    with the slow preset, over the demo's: {:+.1} points, bytes times {:.2}",
            median(gains),
            median(factors).exp()
        );
    }
    Ok(())
}

/// Prints the bytes per pixel of lossless renditions, of photographs and of flat drawings.
pub fn run_lossless() -> Result<()> {
    for (kind, originals) in [("photo", photographs::all()?), ("flat", photographs::drawings()?)] {
        let rasters: Vec<Raster> = originals
            .iter()
            .map(|bytes| drawn(bytes))
            .collect::<Result<Vec<_>>>()?
            .into_iter()
            .flatten()
            .map(|one| one.0)
            .collect();
        for (format, encoding) in [
            (Format::Webp, Encoding::Lossless),
            (Format::Jxl, Encoding::Lossless),
            (Format::Png, Encoding::Lossless),
            (Format::Gif, Encoding::Palette),
        ] {
            let mut sum = 0.0;
            for raster in &rasters {
                sum +=
                    encode(raster, format, encoding)?.len() as f64 / raster.size().pixels() as f64;
            }
            let mean = sum / rasters.len() as f64;
            println!("{kind} {format}: {mean:.3} bytes per pixel over {} rasters", rasters.len());
        }
    }
    Ok(())
}

/// An original at every width.
fn drawn(bytes: &[u8]) -> Result<Vec<(Raster, View)>> {
    let facts = probe(bytes, Limits::default())?;
    let at = |width: u32| {
        let plan = plan_for(&Recipe::of_width(width), &facts);
        Ok((draw(bytes, &facts, &plan, None)?, View::of(&plan, &facts)))
    };
    WIDTHS.into_iter().map(at).collect()
}

/// The curves of every original at every width, measured on as many threads as there are cores.
fn curves(originals: &[(Vec<u8>, usize)], format: Format) -> Result<Vec<Curve>> {
    let (queue, done) = (Mutex::new(originals.iter()), Mutex::new(Vec::new()));
    let work = || -> Result<()> {
        loop {
            let Some((bytes, weight)) =
                queue.lock().map_err(|_| anyhow!("a measure broke down"))?.next()
            else {
                return Ok(());
            };
            for (raster, view) in drawn(bytes)? {
                let curve = Curve { weight: *weight, ..curve(&raster, view, format)? };
                done.lock().map_err(|_| anyhow!("a measure broke down"))?.push(curve);
            }
        }
    };
    std::thread::scope(|scope| {
        let count = std::thread::available_parallelism().map_or(1, usize::from);
        let workers: Vec<_> = (0..count).map(|_| scope.spawn(work)).collect();
        workers
            .into_iter()
            .try_for_each(|worker| worker.join().map_err(|_| anyhow!("a measure broke down"))?)
    })?;
    done.into_inner().map_err(|_| anyhow!("a measure broke down"))
}

fn curve(raster: &Raster, view: View, format: Format) -> Result<Curve> {
    Ok(Curve {
        weight: 1,
        complexity: view.complexity(),
        fast: measured(raster, format, &SETTINGS, Effort::Fast)?,
        best: measured(raster, format, &COMPARED, Effort::Slow)?,
    })
}

/// The score that a setting gives, on straight lines between a curve's points; beyond its ends, the
/// end.
fn score_at(curve: &[Point], setting: f32) -> f32 {
    let upper = curve.iter().position(|point| point.0 >= setting).unwrap_or(curve.len() - 1);
    let (from, to) = (curve[upper.saturating_sub(1)], curve[upper]);
    let share =
        if upper == 0 { 1.0 } else { ((setting - from.0) / (to.0 - from.0)).clamp(0.0, 1.0) };
    from.1 + (to.1 - from.1) * share
}

/// What the slow preset gives beside the fast preset: score at the same setting, and the logarithm
/// of a factor of bytes at the same score.
fn slow_samples(curve: &Curve) -> impl Iterator<Item = (f64, f64)> {
    curve.best.iter().map(|point| {
        let gained = point.1 - score_at(&curve.fast, point.0);
        (f64::from(gained), f64::from(point.2 - at(&curve.fast, point.1).2))
    })
}

/// Value at zero and slope of the straight line nearest to points.
fn line(points: &[(f32, f32)]) -> (f32, f32) {
    let count = points.len() as f32;
    let (x, y) = points
        .iter()
        .fold((0.0, 0.0), |sum, point| (sum.0 + point.0 / count, sum.1 + point.1 / count));
    let (mut products, mut squares) = (0.0, f32::EPSILON);
    for point in points {
        products += (point.0 - x) * (point.1 - y);
        squares += (point.0 - x).powi(2);
    }
    let slope = products / squares;
    (y - slope * x, slope)
}

/// Score on the SSIMULACRA2 scale.
pub fn score(one: &Raster, other: &Raster) -> Result<f64> {
    let lossless = encode(other, Format::Png, Encoding::Lossless).context("a picture to score")?;
    Ok(f64::from(Reference::new(one, Gamut::Srgb).score(&lossless)?.get()))
}
