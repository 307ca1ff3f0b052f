//! Whether a picture is photographic or flat art, by what it costs.

use kivet_recipe::{Encoding, Facts, Fidelity, Format, Kind, Storage, expected};

use super::{plain_areas::has_plain_areas, plan_within};
use crate::{Fonts, ImageError, Limits, Raster, draw_plan, encode};

/// The longer side of the rendition that is weighed: about that of a picture across a page.
const WEIGHED: u32 = 1000;

/// What it is: flat art where a small rendition takes no more bytes losslessly than with the least
/// loss that nobody sees. It is the rule of the choice ([`kivet_recipe::kind`]), measured. Lossily
/// stored pictures, which the choice never sends losslessly, are flat art where they are drawn in
/// plain areas.
///
/// # Errors
/// If it cannot be decoded, or not within the limits.
pub fn kind(bytes: &[u8], facts: &Facts, limits: Limits) -> Result<Kind, ImageError> {
    let flat = match facts.storage {
        Storage::Vector => true,
        Storage::Lossy => has_plain_areas(bytes, facts, limits)?,
        Storage::Lossless | Storage::Packed(_) => {
            let plan = plan_within(WEIGHED, facts);
            let raster = draw_plan(bytes, facts, &plan, None, &Fonts::default(), limits)?;
            is_lighter_losslessly(&raster)?
        }
    };
    Ok(if flat { Kind::Flat } else { Kind::Photo })
}

fn is_lighter_losslessly(raster: &Raster) -> Result<bool, ImageError> {
    let lossless = encode(raster, Format::Webp, Encoding::Lossless)?;
    for format in [Format::Avif, Format::Webp] {
        if let Some(usual) = expected(format, Fidelity::INDISTINGUISHABLE)
            && encode(raster, format, Encoding::Lossy { setting: usual.setting })?.len()
                < lossless.len()
        {
            return Ok(false);
        }
    }
    Ok(true)
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
        let crest = |x: u32, y: u32| {
            let (u, v) = (x as f32 / 611.0, y as f32 / 407.0);
            let ring = ((u - 0.5).powi(2) + (v - 0.5).powi(2)).sqrt();
            match ((ring * 9.0) as u32 % 2, (u * 3.0 + v * 4.0) as u32 % 3) {
                (0, 0) => [178.0, 58.0, 46.0],
                (0, _) => [250.0, 246.0, 236.0],
                _ => [13.0, 43.0, 69.0],
            }
        };
        let on_white = |x: u32, y: u32| if y > 120 && x > 200 { noise(x, y) } else { [255.0; 3] };
        assert_eq!(kind_of(print, Format::Png), Kind::Flat, "print");
        for format in [Format::Png, Format::Jpeg] {
            assert_eq!(kind_of(bars, format), Kind::Flat, "bars as {format}");
            assert_eq!(kind_of(crest, format), Kind::Flat, "a crest as {format}");
            assert_eq!(kind_of(noise, format), Kind::Photo, "noise as {format}");
            assert_eq!(kind_of(fog, format), Kind::Photo, "fog as {format}");
            assert_eq!(kind_of(dusk, format), Kind::Photo, "a painted dusk as {format}");
            assert_eq!(kind_of(on_white, format), Kind::Photo, "a photograph on white as {format}");
        }
    }
}
