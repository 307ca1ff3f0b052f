//! Likeness of a file to the ideal it was made from, on the SSIMULACRA2 scale, and curves measured with it.

use fast_ssim2::{PixelDescriptor, PixelSlice, Ssimulacra2Reference};
use kivet_recipe::{Curve, Encoding, Format, Gamut, Rect, Sample, Scale, container_bytes};

use crate::{
    ImageError, Limits, Raster, Work, Writing,
    decode::{self, Reading},
    probe, resampled, write,
};

/// Larger pictures are scored on windows of about so many pixels in all: scoring takes ten times their bytes.
const WHOLE_UP_TO: u64 = 1_300_000;

/// The windows: columns, rows and their sides.
const WINDOWS: Windows = Windows { columns: 4, rows: 3, side: 256 };

/// The windows of a glance.
const GLANCE: Windows = Windows { columns: 3, rows: 2, side: 96 };

/// The windows of a probe at the larger scale.
const PROBE: Windows = Windows { columns: 3, rows: 2, side: 128 };

/// A picture as it should be, ready to be compared with files made of it.
pub struct Ideal {
    reference: Ssimulacra2Reference,
    windows: Option<Windows>,
    alpha: bool,
    gamut: Gamut,
}

impl Ideal {
    /// Of a drawn rendition that holds `gamut`. Memory: about 150 bytes a pixel, and never more than 200 MB.
    ///
    /// # Errors
    /// If the scorer refuses the picture.
    pub fn new(raster: &Raster, gamut: Gamut) -> Result<Self, ImageError> {
        let windows = (raster.size().pixels() > WHOLE_UP_TO).then_some(WINDOWS);
        let shown = windows.map(|windows| windows.of(raster));
        let reference = Ssimulacra2Reference::new(&slice(shown.as_ref().unwrap_or(raster))?).map_err(refused)?;
        Ok(Self { reference, windows, alpha: raster.has_alpha(), gamut })
    }

    /// The likeness of `file`: 100 for the same pixels, below zero where little is left.
    ///
    /// # Errors
    /// If it cannot be decoded or has another size.
    pub fn likeness(&self, file: &[u8]) -> Result<f32, ImageError> {
        let facts = probe(file, Limits::DEFAULT)?;
        let reading = Reading { eighths: 8, gamut: self.gamut, limits: Limits::DEFAULT };
        let mut source = decode::open(file, &facts, reading)?;
        let whole = Rect::whole(source.size());
        let shown =
            resampled(source.as_mut(), whole, facts.size, facts.alpha, &Work::default())?.with_alpha(self.alpha);
        let shown = self.windows.map_or_else(|| shown.clone(), |windows| windows.of(&shown));
        let score = self.reference.compare(&slice(&shown)?).map_err(refused)?;
        Ok(score as f32)
    }
}

/// The likeness that `format` reaches at `setting` on a few windows of a picture: a cheap guess at the whole's.
///
/// # Errors
/// If it cannot be encoded or scored.
pub fn glance(raster: &Raster, format: Format, setting: f32, gamut: Gamut) -> Result<f32, ImageError> {
    let windows = GLANCE.of(raster);
    let writing = Writing { gamut, ..Writing::new(Encoding::Lossy { setting }) };
    Ideal::new(&windows, gamut)?.likeness(&write(&windows, format, &writing)?)
}

/// A picture on which encoders are measured.
pub struct Probe {
    raster: Raster,
    scale: Scale,
    ideal: Ideal,
}

impl Probe {
    /// All of a small rendition drawn at `scale`.
    ///
    /// # Errors
    /// If the scorer refuses it.
    pub fn whole(raster: Raster, scale: Scale) -> Result<Self, ImageError> {
        let ideal = Ideal::new(&raster, Gamut::Srgb)?;
        Ok(Self { raster, scale, ideal })
    }

    /// A few windows of a larger one.
    ///
    /// # Errors
    /// If the scorer refuses it.
    pub fn windows(raster: &Raster, scale: Scale) -> Result<Self, ImageError> {
        Self::whole(PROBE.of(raster), scale)
    }

    /// The curve of `format`: its lossy form at a few settings, and the bytes of its exact form if `exact`.
    ///
    /// # Errors
    /// If it cannot be encoded or scored.
    pub fn curve(&self, format: Format, exact: bool) -> Result<Curve, ImageError> {
        let pixels = self.raster.size().pixels() as f32;
        let per_pixel = |file: &[u8]| (file.len() as f32 - container_bytes(format) as f32).max(1.0) / pixels;
        let mut samples = Vec::new();
        for setting in settings(format) {
            let file = crate::encode(&self.raster, format, Encoding::Lossy { setting: *setting })?;
            samples.push(Sample { setting: *setting, fidelity: self.ideal.likeness(&file)?, bytes: per_pixel(&file) });
        }
        let exact = match (exact, format) {
            (true, Format::Jxl | Format::Webp | Format::Png) => {
                Some(per_pixel(&crate::encode(&self.raster, format, Encoding::Lossless)?))
            }
            _ => None,
        };
        Ok(Curve { scale: self.scale, samples, exact })
    }
}

/// Where an encoder is sampled: about fidelity 20, 50, 70, 82 and the best it has.
const fn settings(format: Format) -> &'static [f32] {
    match format {
        Format::Avif => &[25.0, 45.0, 62.0, 78.0, 96.0],
        Format::Jxl => &[8.0, 35.0, 62.0, 82.0, 96.0],
        Format::Webp => &[5.0, 30.0, 70.0, 90.0, 100.0],
        Format::Jpeg => &[18.0, 38.0, 68.0, 87.0, 98.0],
        _ => &[],
    }
}

/// Square windows spread evenly over a picture.
#[derive(Clone, Copy)]
struct Windows {
    columns: u32,
    rows: u32,
    side: u32,
}

impl Windows {
    /// The windows side by side; all of a picture that is not larger than they are.
    fn of(self, raster: &Raster) -> Raster {
        let Self { columns, rows, side } = self;
        let size = raster.size();
        if size.pixels() <= u64::from(columns * rows * side * side) || size.width < side || size.height < side {
            return raster.clone();
        }
        let window = kivet_recipe::Size::new(side, side);
        let mut sheet =
            Raster::filled(kivet_recipe::Size::new(columns * side, rows * side), [0; 4], raster.has_alpha());
        for (column, row) in (0..columns).flat_map(|column| (0..rows).map(move |row| (column, row))) {
            let at = |free: u32, index: u32, count: u32| free * (2 * index + 1) / (2 * count);
            let left = at(size.width - side, column, columns);
            let top = at(size.height - side, row, rows);
            sheet = raster.cut(left, top, window).placed_on(sheet, column * side, row * side);
        }
        sheet
    }
}

fn slice(raster: &Raster) -> Result<PixelSlice<'_>, ImageError> {
    let size = raster.size();
    let descriptor = if raster.has_alpha() { PixelDescriptor::RGBA8_SRGB } else { PixelDescriptor::RGB8_SRGB };
    PixelSlice::new(raster.bytes(), size.width, size.height, raster.stride(), descriptor)
        .map_err(|error| refused(format!("{error:?}")))
}

fn refused(problem: impl ToString) -> ImageError {
    ImageError::NotScored { problem: problem.to_string() }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Size;

    use super::*;

    /// Waves with a hard edge across them.
    fn picture(size: Size) -> Raster {
        let pixel = |x: u32, y: u32| {
            let wave = ((x as f32 / 9.0).sin() * (y as f32 / 7.0).cos() * 90.0 + 128.0) as u8;
            if (x + 2 * y) % 90 < 30 { [wave, 40, 255 - wave] } else { [wave, wave, 60] }
        };
        let bytes = (0..size.height).flat_map(|y| (0..size.width).flat_map(move |x| pixel(x, y))).collect();
        Raster::new(size, false, bytes).expect("as many pixels as its size says")
    }

    #[test]
    fn likeness_is_whole_for_the_same_pixels_and_falls_with_the_setting() {
        for size in [Size::new(5, 7), Size::new(320, 200), Size::new(1500, 1000)] {
            let raster = picture(size);
            let ideal = Ideal::new(&raster, Gamut::Srgb).expect("scored");
            let like = |format, encoding| {
                ideal.likeness(&crate::encode(&raster, format, encoding).expect("encoded")).expect("scored")
            };
            assert!(like(Format::Png, Encoding::Lossless) > 99.9, "{size}");
            let [low, high] = [20.0, 90.0].map(|setting| like(Format::Jpeg, Encoding::Lossy { setting }));
            assert!(size.pixels() < 100 || low + 5.0 < high, "{size}: {low} and {high}");
        }
    }

    #[test]
    fn a_probe_gives_a_rising_curve_and_a_glance_lies_near_it() {
        let raster = picture(Size::new(900, 600));
        let plan = kivet_recipe::plan(&Default::default(), raster.size());
        let probe = Probe::windows(&raster, Scale::of(&plan)).expect("scored");
        for format in [Format::Avif, Format::Webp, Format::Jpeg] {
            let curve = probe.curve(format, true).expect("measured");
            assert!(curve.samples.windows(2).all(|pair| pair[0].fidelity < pair[1].fidelity), "{curve:?}");
            let middle = curve.samples[2];
            let seen = glance(&raster, format, middle.setting, Gamut::Srgb).expect("scored");
            assert!((seen - middle.fidelity).abs() < 6.0, "{format}: {seen} beside {middle:?}");
            assert_eq!(curve.exact.is_some(), format == Format::Webp);
        }
    }
}
