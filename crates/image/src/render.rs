//! A choice followed: decode, crop, resample, turn, edit, composite, encode.

mod overlays;

use std::time::{Duration, Instant};

use kivet_recipe::{
    CanvasColour, Choice, Curves, Effort, Encoding, Facts, Format, Gamut, Keep, Orientation, Plan,
    Rect, Size,
};

use crate::{
    Assets, Fonts, ImageError, Limits, Raster, Reduction, Work,
    decode::{self, Reading, RowSource},
    encode::{Writing, animation, frame::TimedFrame},
    encode_first, filter, metadata, resampled, svg,
};

/// The finished bytes of one rendition.
#[derive(Clone, Debug, PartialEq)]
pub struct Rendition {
    /// What the bytes are.
    pub format: Format,
    /// Pixels.
    pub size: Size,
    /// The file.
    pub bytes: Vec<u8>,
    /// How it was written.
    pub encoding: Encoding,
    /// Where the time went.
    pub timings: Timings,
}

/// Where the time of one rendition went.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Timings {
    /// Decoding, cropping and resampling, which run row by row in step.
    pub draw: Duration,
    /// Encoding.
    pub encode: Duration,
}

/// What a rendering is made with beside the original and the choice.
#[derive(Clone, Debug, Default)]
pub struct Task<'a> {
    /// Overlays and fonts.
    pub assets: Option<&'a Assets>,
    /// What it may cost.
    pub limits: Limits,
    /// The way to end it.
    pub work: Work,
    /// What is known of the original's curves.
    pub curves: Option<&'a Curves>,
    /// A smaller intermediate that serves the choice's plan.
    pub reduction: Option<&'a Reduction>,
}

/// Makes the rendition that `choice` describes of the original in `bytes`.
///
/// Memory: the resampler's (see [`resample`](crate::resample())), the output's pixels (four floats
/// each while filters run), and for originals without rows (progressive JPEG, interlaced PNG, WebP,
/// AVIF, JPEG XL, BMP, TIFF, animated pictures) the whole original within [`Limits::whole`].
///
/// # Errors
/// If the original cannot be decoded or the rendition not be encoded, or a limit is met.
pub fn render(
    bytes: &[u8],
    facts: &Facts,
    choice: &Choice,
    task: &Task<'_>,
) -> Result<Rendition, ImageError> {
    match choice.encoding {
        Encoding::Vector => {
            let vector = svg::cut(bytes, facts.size, &choice.plan, choice.edits.canvas)?;
            Ok(passed_on(choice, choice.plan.size, vector.into_bytes()))
        }
        Encoding::Original if choice.edits.keep == Some(Keep::All) => {
            Ok(passed_on(choice, facts.size, bytes.to_vec()))
        }
        Encoding::Original => {
            let clean = metadata::without_location(bytes, facts.format)?;
            Ok(passed_on(choice, facts.size, clean))
        }
        _ if choice.animated => render_animated(bytes, facts, choice, task),
        _ => {
            let started = Instant::now();
            let raster = draw_edited(bytes, facts, choice, task)?;
            let draw = started.elapsed();
            let unknown = Curves::default();
            let curves = task.curves.unwrap_or(&unknown);
            let first = encode_first(&raster, (bytes, facts), choice, curves, &task.work)?;
            Ok(Rendition {
                format: choice.format,
                size: raster.size(),
                bytes: first.bytes,
                encoding: first.encoding,
                timings: Timings { draw, encode: started.elapsed() - draw },
            })
        }
    }
}

fn passed_on(choice: &Choice, size: Size, bytes: Vec<u8>) -> Rendition {
    Rendition {
        format: choice.format,
        size,
        bytes,
        encoding: choice.encoding,
        timings: Timings::default(),
    }
}

/// The pixels of a still rendition with all edits made: what every format of it is encoded from.
///
/// # Errors
/// As [`render`].
pub fn draw_edited(
    bytes: &[u8],
    facts: &Facts,
    choice: &Choice,
    task: &Task<'_>,
) -> Result<Raster, ImageError> {
    let fonts = task.assets.map(|assets| assets.fonts.clone()).unwrap_or_default();
    let canvas = choice.edits.canvas;
    let raster = match task.reduction {
        _ if facts.format == Format::Svg => {
            svg::draw(bytes, facts.size, &choice.plan, canvas, (&fonts, task.limits))?
        }
        Some(reduction) => {
            let mut source = reduction.source();
            placed(draw_from(&mut source, facts, &choice.plan, &task.work)?, &choice.plan, canvas)
        }
        None => {
            let mut source = open_for(bytes, facts, &choice.plan, choice.gamut, task.limits)?;
            placed(
                draw_from(source.as_mut(), facts, &choice.plan, &task.work)?,
                &choice.plan,
                canvas,
            )
        }
    };
    edited(raster, choice, task)
}

/// Opens an original as small as its codec can make it for a plan.
fn open_for<'a>(
    bytes: &'a [u8],
    facts: &Facts,
    plan: &Plan,
    gamut: Gamut,
    limits: Limits,
) -> Result<Box<dyn RowSource + 'a>, ImageError> {
    let crop = plan.stored_crop(facts.size, facts.orientation);
    let eighths = decode::reduction_for(facts, (crop.width, crop.height), as_stored(plan));
    decode::open(bytes, facts, Reading { eighths, gamut, limits })
}

/// The size a plan is drawn at, before it is turned.
fn as_stored(plan: &Plan) -> Size {
    plan.turned.apply(plan.drawn)
}

fn edited(raster: Raster, choice: &Choice, task: &Task<'_>) -> Result<Raster, ImageError> {
    let mut raster = filter::apply(raster, &choice.edits, &task.work)?;
    if !choice.edits.overlays.is_empty() {
        let none = Assets::default();
        overlays::lay(task.assets.unwrap_or(&none), &choice.edits.overlays, &mut raster)?;
    }
    Ok(raster)
}

fn writing(bytes: &[u8], facts: &Facts, choice: &Choice, work: &Work) -> Writing {
    Writing {
        encoding: choice.encoding,
        effort: Effort::Fast,
        full_chroma: choice.full_chroma,
        gamut: choice.gamut,
        kept: metadata::kept(bytes, facts.format, choice.edits.keep),
        work: work.clone(),
    }
}

fn render_animated(
    bytes: &[u8],
    facts: &Facts,
    choice: &Choice,
    task: &Task<'_>,
) -> Result<Rendition, ImageError> {
    let started = Instant::now();
    let frames = decode::frames(bytes, facts, task.limits)?;
    let (loop_count, space) = (frames.loop_count, frames.space.clone());
    let mut drawing = Duration::ZERO;
    let mut timed_frames = frames.map(|frame| {
        task.work.go_on()?;
        let drawn = Instant::now();
        let frame = frame?;
        let shown_ms = frame.shown_ms;
        let mut source = decode::of_frame(frame, &space, choice.gamut);
        let plan = &choice.plan;
        let raster =
            placed(draw_from(&mut source, facts, plan, &task.work)?, plan, choice.edits.canvas);
        let raster = edited(raster, choice, task)?;
        let raster = match choice.flatten {
            Some(colour) => raster.flattened(colour),
            None => raster,
        };
        drawing += drawn.elapsed();
        Ok(TimedFrame { raster, shown_ms })
    });
    let size = choice.plan.size;
    let bytes = animation::write(
        choice.format,
        size,
        loop_count,
        &mut timed_frames,
        &writing(bytes, facts, choice, &task.work),
    )?;
    let timings = Timings { draw: drawing, encode: started.elapsed().saturating_sub(drawing) };
    Ok(Rendition { format: choice.format, size, bytes, encoding: choice.encoding, timings })
}

/// The pixels of a plan in sRGB: cropped, resampled, turned, on its canvas; transparent parts kept.
/// An animated picture gives its first frame.
///
/// # Errors
/// If the original cannot be decoded.
pub fn draw(
    bytes: &[u8],
    facts: &Facts,
    plan: &Plan,
    canvas: Option<CanvasColour>,
) -> Result<Raster, ImageError> {
    draw_plan(bytes, facts, plan, canvas, &Fonts::default(), Limits::DEFAULT)
}

pub(crate) fn draw_plan(
    bytes: &[u8],
    facts: &Facts,
    plan: &Plan,
    canvas: Option<CanvasColour>,
    fonts: &Fonts,
    limits: Limits,
) -> Result<Raster, ImageError> {
    if facts.format == Format::Svg {
        return svg::draw(bytes, facts.size, plan, canvas, (fonts, limits));
    }
    let mut source = open_for(bytes, facts, plan, Gamut::Srgb, limits)?;
    Ok(placed(draw_from(source.as_mut(), facts, plan, &Work::within(limits))?, plan, canvas))
}

/// A drawn picture drawn again by a plan for its own size.
pub(crate) fn redraw(raster: &Raster, plan: &Plan) -> Result<Raster, ImageError> {
    redraw_turned(raster, plan, Orientation::default())
}

/// Stored pixels drawn again by a plan for them once they are upright.
pub(crate) fn redraw_turned(
    stored: &Raster,
    plan: &Plan,
    orientation: Orientation,
) -> Result<Raster, ImageError> {
    let facts = Facts {
        alpha: stored.has_alpha(),
        orientation,
        ..Facts::plain(Format::Png, orientation.apply(stored.size()), kivet_recipe::Storage::Lossy)
    };
    let plan = Plan { turned: orientation, ..*plan };
    draw_from(&mut decode::lent(stored, (1.0, 1.0)), &facts, &plan, &Work::default())
}

/// Draws `plan` from a source, which may deliver the picture reduced.
fn draw_from(
    source: &mut dyn RowSource,
    facts: &Facts,
    plan: &Plan,
    work: &Work,
) -> Result<Raster, ImageError> {
    let crop = plan.stored_crop(facts.size, facts.orientation);
    let (x, y) = source.scale();
    let crop =
        Rect { x: crop.x * x, y: crop.y * y, width: crop.width * x, height: crop.height * y };
    let raster = resampled(source, crop, as_stored(plan), facts.alpha, work)?;
    Ok(raster.oriented(plan.turned))
}

/// The drawn picture on its canvas, if the plan has one.
fn placed(raster: Raster, plan: &Plan, canvas: Option<CanvasColour>) -> Raster {
    let Some(at) = plan.canvas else { return raster };
    let (colour, alpha) = match canvas {
        Some(CanvasColour::Rgb([r, g, b])) => ([r, g, b, 255], false),
        Some(CanvasColour::Clear) | None => ([0; 4], true),
    };
    let raster = if alpha { raster } else { raster.flattened([colour[0], colour[1], colour[2]]) };
    raster.placed_on(Raster::filled(plan.size, colour, alpha), at.left, at.top)
}

#[cfg(test)]
mod tests;
