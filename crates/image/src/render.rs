//! A choice followed: decode, crop, resample, orient, composite, encode.

use std::time::{Duration, Instant};

use kivet_recipe::{CanvasColour, Choice, Facts, Format, Orientation, Plan, Rect, Size};

use crate::{ImageError, Raster, colour, decode, encode, resample};

/// The finished bytes of one rendition.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rendition {
    /// What the bytes are.
    pub format: Format,
    /// Pixels.
    pub size: Size,
    /// The file.
    pub bytes: Vec<u8>,
    /// Where the time went.
    pub timings: Timings,
}

/// Where the time of one rendition went.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Timings {
    /// Decoding, cropping and resampling, which run row by row in step.
    pub draw: Duration,
    /// Encoding.
    pub encode: Duration,
}

/// Makes the rendition that `choice` describes of the original in `bytes`.
///
/// Memory: the resampler's (see [`resample`]), the output's pixels, and for WebP, AVIF and interlaced PNG originals
/// the whole original at three or four bytes a pixel.
///
/// # Errors
/// If the original cannot be decoded or the rendition not be encoded.
pub fn render(
    bytes: &[u8],
    facts: &Facts,
    choice: &Choice,
    canvas: Option<CanvasColour>,
) -> Result<Rendition, ImageError> {
    let started = Instant::now();
    let raster = draw(bytes, facts, &choice.plan, canvas)?;
    let raster = match choice.flatten {
        Some(colour) => raster.flattened(colour),
        None => raster,
    };
    let drawn = Instant::now();
    let bytes = encode(&raster, choice.format, choice.encoding)?;
    let timings = Timings { draw: drawn - started, encode: drawn.elapsed() };
    Ok(Rendition { format: choice.format, size: raster.size(), bytes, timings })
}

/// The pixels of a plan: cropped, resampled, upright, on its canvas; transparent parts kept.
///
/// # Errors
/// If the original cannot be decoded.
pub fn draw(bytes: &[u8], facts: &Facts, plan: &Plan, canvas: Option<CanvasColour>) -> Result<Raster, ImageError> {
    let stored = facts.orientation.apply(facts.size);
    let crop = as_stored(plan.crop, facts.orientation, facts.size);
    let drawn = facts.orientation.apply(plan.drawn);
    let eighths = decode::reduction_for((crop.width, crop.height), drawn);
    let mut source = decode::open(bytes, facts, eighths)?;
    let (from_width, from_height) = (f64::from(source.size().width), f64::from(source.size().height));
    let (x, y) = (from_width / f64::from(stored.width), from_height / f64::from(stored.height));
    let crop = Rect { x: crop.x * x, y: crop.y * y, width: crop.width * x, height: crop.height * y };
    let raster = collect(source.as_mut(), crop, drawn, facts.alpha)?.oriented(facts.orientation);
    Ok(match plan.canvas {
        None => raster,
        Some(at) => {
            let (colour, alpha) = match canvas {
                Some(CanvasColour::Rgb([r, g, b])) => ([r, g, b, 255], false),
                Some(CanvasColour::Clear) | None => ([0; 4], true),
            };
            let raster = if alpha { raster } else { raster.flattened([colour[0], colour[1], colour[2]]) };
            raster.placed_on(Raster::filled(plan.size, colour, alpha), at.left, at.top)
        }
    })
}

fn collect(source: &mut dyn decode::RowSource, crop: Rect, size: Size, alpha: bool) -> Result<Raster, ImageError> {
    let mut raster = Raster::filled(size, [0; 4], alpha);
    let stride = raster.stride();
    let pack = if alpha { colour::pack_rgba } else { colour::pack_rgb };
    let mut rows = raster.bytes_mut().chunks_exact_mut(stride);
    resample(source, crop, size, &mut |row| {
        if let Some(out) = rows.next() {
            pack(row, out);
        }
    })?;
    drop(rows);
    Ok(raster)
}

/// A region of the upright picture in the coordinates of the stored one.
fn as_stored(upright: Rect, orientation: Orientation, size: Size) -> Rect {
    let Rect { mut x, mut y, width, height } = upright;
    if orientation.flip_x {
        x = f64::from(size.width) - x - width;
    }
    if orientation.flip_y {
        y = f64::from(size.height) - y - height;
    }
    if orientation.transpose { Rect { x: y, y: x, width: height, height: width } } else { Rect { x, y, width, height } }
}

#[cfg(test)]
mod tests;
