//! Whether a picture is photographic or flat art, by what it costs.

use kivet_recipe::{Encoding, Facts, Fidelity, Format, Kind, Storage, expected};

use super::plan_within;
use crate::{Fonts, ImageError, Limits, Raster, draw_plan, encode};

/// The longer side of the rendition that is weighed.
const WEIGHED: u32 = 480;

/// The most by which neighbours of one plain area differ once a lossy encoder was at work.
const NOISE: u8 = 9;

/// And the most that making them alike changes a sample on average.
const MAX_CHANGE: f64 = 1.2;

/// What it is: flat art where a small rendition takes no more bytes losslessly than with the least
/// loss that nobody sees. It is the rule of the choice ([`kivet_recipe::kind`]), measured. Noise
/// that a lossy original's encoder left in plain areas does not count.
///
/// # Errors
/// If it cannot be decoded, or not within the limits.
pub fn kind(bytes: &[u8], facts: &Facts, limits: Limits) -> Result<Kind, ImageError> {
    if facts.storage == Storage::Vector {
        return Ok(Kind::Flat);
    }
    let plan = plan_within(WEIGHED, facts);
    let raster = draw_plan(bytes, facts, &plan, None, &Fonts::default(), limits)?;
    let plain = if facts.storage.is_lossless() { None } else { without_noise(&raster) };
    let lossless = encode(plain.as_ref().unwrap_or(&raster), Format::Webp, Encoding::Lossless)?;
    let mut lossy = usize::MAX;
    for format in [Format::Avif, Format::Webp] {
        if let Some(usual) = expected(format, Fidelity::INDISTINGUISHABLE) {
            let encoding = Encoding::Lossy { setting: usual.setting };
            lossy = lossy.min(encode(&raster, format, encoding)?.len());
        }
    }
    Ok(if lossless.len() <= lossy { Kind::Flat } else { Kind::Photo })
}

/// The picture with each pixel that hardly differs from the one before or above it made its like;
/// `None` where that changes it all over: then it was no noise.
fn without_noise(raster: &Raster) -> Option<Raster> {
    let (channels, stride) = (raster.channels(), raster.stride());
    let mut plain = raster.clone();
    let bytes = plain.bytes_mut();
    for at in (0..bytes.len()).step_by(channels) {
        let before = (at % stride != 0).then(|| at - channels);
        let above = at.checked_sub(stride);
        let is_alike = |from: &usize| {
            (0..channels).all(|part| bytes[at + part].abs_diff(bytes[from + part]) <= NOISE)
        };
        if let Some(from) = before.into_iter().chain(above).find(is_alike) {
            bytes.copy_within(from..from + channels, at);
        }
    }
    let changes = raster.bytes().iter().zip(plain.bytes()).map(|(a, b)| u64::from(a.abs_diff(*b)));
    let mean = changes.sum::<u64>() as f64 / raster.bytes().len() as f64;
    (mean <= MAX_CHANGE).then_some(plain)
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Size;

    use super::*;
    use crate::probe;

    fn kind_of(colour: impl Fn(u32, u32) -> [f32; 3], format: Format) -> Kind {
        let size = Size::new(611, 407);
        let pixels = (0..size.pixels() as u32)
            .flat_map(|at| colour(at % size.width, at / size.width))
            .map(|value| value.clamp(0.0, 255.0) as u8);
        let raster = Raster::new(size, false, pixels.collect()).expect("pixels");
        let encoding =
            if format == Format::Jpeg { Encoding::lossy(85.0) } else { Encoding::Lossless };
        let bytes = encode(&raster, format, encoding).expect("encoded");
        let facts = probe(&bytes, Limits::default()).expect("facts");
        kind(&bytes, &facts, Limits::DEFAULT).expect("decoded")
    }

    fn grain(x: u32, y: u32) -> f32 {
        let n = (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(0x85EB_CA77))
            .wrapping_mul(2_246_822_519);
        (n >> 24) as f32 / 255.0 - 0.5
    }

    #[test]
    fn flat_art_is_told_from_photographs_and_paintings() {
        let bars = |x: u32, _: u32| {
            [[200.0, 30.0, 40.0], [250.0, 250.0, 240.0], [20.0, 60.0, 120.0]][(x / 40 % 3) as usize]
        };
        let print = |x: u32, y: u32| {
            let inked = y % 24 < 12 && grain(x / 4, y / 24 * 7 + y % 24 / 4) > 0.0;
            if inked { [30.0; 3] } else { [250.0, 248.0, 240.0] }
        };
        let noise = |x: u32, y: u32| {
            let n = grain(x, y) * 160.0;
            [128.0 + n, 110.0 + n * 0.6, 120.0]
        };
        let fog = |x: u32, y: u32| {
            let hill = (x as f32 / 140.0).sin() * 14.0 + y as f32 / 9.0;
            [168.0 + hill + grain(x, y) * 7.0, 172.0 + hill + grain(y, x) * 7.0, 180.0 + hill]
        };
        // Painted: soft shades, no two pixels alike for long.
        let dusk = |x: u32, y: u32| {
            let (u, v) = (x as f32 / 190.0, y as f32 / 120.0);
            let cloud = (u * 2.3 + (v * 1.7).sin()).sin() * 26.0 + (u * 5.1 - v * 3.0).cos() * 9.0;
            [
                206.0 - v * 40.0 + cloud,
                120.0 + cloud * 1.4,
                96.0 + v * 38.0 - cloud + grain(x, y) * 3.0,
            ]
        };
        let on_white = |x: u32, y: u32| if y > 120 && x > 200 { noise(x, y) } else { [255.0; 3] };
        assert_eq!(kind_of(print, Format::Png), Kind::Flat, "print");
        for format in [Format::Png, Format::Jpeg] {
            assert_eq!(kind_of(bars, format), Kind::Flat, "bars as {format}");
            assert_eq!(kind_of(noise, format), Kind::Photo, "noise as {format}");
            assert_eq!(kind_of(fog, format), Kind::Photo, "fog as {format}");
            assert_eq!(kind_of(dusk, format), Kind::Photo, "a painted dusk as {format}");
            assert_eq!(kind_of(on_white, format), Kind::Photo, "a photograph on white as {format}");
        }
    }
}
