//! Targets that follow the screens which fetch a step, against one target for all steps: bytes over
//! the population at the same mean score.

use anyhow::{Context, Result, bail};
use kivet_image::{Limits, analyse, draw, probe};
use kivet_page::{Offered, OfferedStep, PlaceDocument};
use kivet_recipe::{Effort, Format, Quality, plan_for};

use crate::{
    clock::median,
    curve::{Point, at, measured},
    generated, photographs,
};

/// Generated photographs beside the demo's thirteen.
const GENERATED: u32 = 7;
const FORMAT: Format = Format::Webp;

/// Where its targets lie on the encoder's scale, and some more.
const SETTINGS: [f32; 5] = [30.0, 50.0, 65.0, 78.0, 90.0];

/// The layouts measured: of a fixed width, dense screens need the most pixels; in a grid, phones show
/// pictures larger than laptops do; across the window, smaller.
const PLACES: [(&str, &str); 3] = [
    ("300 px wide", "300px"),
    ("in a grid", "(max-width: 520px) 92vw, (max-width: 860px) 46vw, 376px"),
    ("across the window", "100vw"),
];

/// One step of a ladder: the share of views that take it, its own target, pixels, and its curve.
struct Step {
    share: f64,
    target: f32,
    pixels: f64,
    curve: Vec<Point>,
}

/// Prints a line for each photograph in each layout, or in one, and sums.
pub fn run(only: Option<&str>) -> Result<()> {
    let mut originals: Vec<(String, Vec<u8>)> = photographs::NAMES
        .into_iter()
        .map(|name| Ok((name.to_owned(), photographs::read(name)?)))
        .collect::<Result<_>>()?;
    for number in 0..GENERATED {
        let number = number * (generated::COUNT / GENERATED);
        originals.push((format!("generated {number}"), generated::jpeg(number)?));
    }
    println!(
        "| layout | photograph | steps | mean score | one target for all | KiB a view | with targets of their own, KiB | of it |"
    );
    println!("| --- | --- | --: | --: | --: | --: | --: | --: |");
    for (layout, sizes) in
        PLACES.into_iter().filter(|(name, _)| only.is_none_or(|only| *name == only))
    {
        of_layout(layout, sizes, &originals)?;
    }
    Ok(())
}

fn of_layout(layout: &str, sizes: &str, originals: &[(String, Vec<u8>)]) -> Result<()> {
    let (mut shares, mut sums) = (Vec::new(), (0.0, 0.0));
    for (name, bytes) in originals {
        let steps = steps(bytes, sizes).with_context(|| name.clone())?;
        let own = weighed(&steps, |step| step.target);
        let (one, flat) = same_score(&steps, own.1);
        println!(
            "| {layout} | {name} | {} | {:.1} | {one:.1} | {:.1} | {:.1} | {:.3} |",
            steps.len(),
            own.1,
            flat / 1024.0,
            own.0 / 1024.0,
            own.0 / flat,
        );
        shares.push(own.0 / flat);
        sums = (sums.0 + own.0, sums.1 + flat);
    }
    println!(
        "| {layout} | all {} | | | | {:.1} | {:.1} | {:.3}, median {:.3} |",
        originals.len(),
        sums.1 / 1024.0,
        sums.0 / 1024.0,
        sums.0 / sums.1,
        median(shares),
    );
    Ok(())
}

/// Bytes and score of a view, on average, with each step at the target that `target` says.
fn weighed(steps: &[Step], target: impl Fn(&Step) -> f32) -> (f64, f64) {
    steps.iter().fold((0.0, 0.0), |(bytes, score), step| {
        let (_, reached, size) = at(&step.curve, target(step));
        (
            bytes + step.share * f64::from(size).exp() * step.pixels,
            score + step.share * f64::from(reached),
        )
    })
}

/// The one target that gives the mean score, and the bytes of a view with it.
fn same_score(steps: &[Step], score: f64) -> (f32, f64) {
    let (mut low, mut high) = (1.0f32, 100.0f32);
    for _ in 0..30 {
        let middle = f32::midpoint(low, high);
        if weighed(steps, |_| middle).1 < score { low = middle } else { high = middle }
    }
    (high, weighed(steps, |_| high).0)
}

/// The ladder of an original in a layout, and the curve of each of its steps.
fn steps(bytes: &[u8], sizes: &str) -> Result<Vec<Step>> {
    let mut facts = probe(bytes, Limits::DEFAULT)?;
    facts.analysis = Some(analyse(bytes, &facts, Limits::DEFAULT)?);
    let place = PlaceDocument::of_sizes(sizes).checked(&"measured".parse()?)?;
    let offered = Offered::expected(&place, &facts, false);
    let layout = offered.layouts.first().context("a layout")?;
    let step = |step: &OfferedStep| {
        let plan = plan_for(&step.recipe, &facts);
        let raster = draw(bytes, &facts, &plan, None)?;
        let Some(Quality::Fidelity(target)) = step.recipe.quality else {
            bail!("a step without a target");
        };
        Ok(Step {
            share: step.share,
            target: f32::from(target.get()),
            pixels: raster.size().pixels() as f64,
            curve: measured(&raster, FORMAT, &SETTINGS, Effort::Fast)?,
        })
    };
    layout.steps.iter().map(step).collect()
}
