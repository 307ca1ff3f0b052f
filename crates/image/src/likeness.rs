//! Likeness of a file to the ideal it was made from, on the SSIMULACRA2 scale, and curves measured with it.

use fast_ssim2::{PixelDescriptor, PixelSlice, Ssimulacra2Reference};
use kivet_recipe::{Curve, Effort, Encoding, Format, Gamut, Rect, Sample, Scale, Size};

use crate::{
    ImageError, Limits, Raster, Work, Writing,
    decode::{self, Reading},
    probe, resampled, write,
};

/// Larger pictures are scored on strips of about so many pixels in all: scoring takes many times their bytes.
const WHOLE_UP_TO: u64 = 600_000;

/// The strips of such a score.
const STRIPS: Strips = Strips { count: 3, width: 768, height: 256 };

/// The strips of a glance.
const GLANCE: Strips = Strips { count: 3, width: 512, height: 160 };

/// The strips of a probe at the larger scales.
const PROBE: Strips = Strips { count: 2, width: 336, height: 104 };

/// A picture as it should be, ready to be compared with files made of it.
pub struct Ideal {
    reference: Ssimulacra2Reference,
    strips: Option<Strips>,
    alpha: bool,
    gamut: Gamut,
}

impl Ideal {
    /// Of a drawn rendition that holds `gamut`. Memory: about 150 bytes a pixel, and never more than 100 MB.
    ///
    /// # Errors
    /// If the scorer refuses the picture.
    pub fn new(raster: &Raster, gamut: Gamut) -> Result<Self, ImageError> {
        let strips = (raster.size().pixels() > WHOLE_UP_TO).then_some(STRIPS);
        let shown = strips.map(|strips| strips.of(raster));
        let reference = Ssimulacra2Reference::new(&slice(shown.as_ref().unwrap_or(raster))?).map_err(refused)?;
        Ok(Self { reference, strips, alpha: raster.has_alpha(), gamut })
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
        let shown = self.strips.map_or_else(|| shown.clone(), |strips| strips.of(&shown));
        let score = self.reference.compare(&slice(&shown)?).map_err(refused)?;
        Ok(score as f32)
    }
}

/// A few strips of a picture: what is tried on them is a cheap guess at the whole. `None` where they would hardly be
/// fewer pixels.
pub(crate) fn strips_of(raster: &Raster) -> Option<Raster> {
    let strips = GLANCE.of(raster);
    (strips.size() != raster.size()).then_some(strips)
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

    /// Two strips of a larger one.
    ///
    /// # Errors
    /// If the scorer refuses it.
    pub fn strips(raster: &Raster, scale: Scale) -> Result<Self, ImageError> {
        Self::whole(PROBE.of(raster), scale)
    }

    /// The curve of `format`: its lossy form at a few settings, and the bytes of its exact form if `exact`.
    ///
    /// # Errors
    /// If it cannot be encoded or scored.
    pub fn curve(&self, format: Format, exact: bool) -> Result<Curve, ImageError> {
        let mut samples = Vec::new();
        for setting in settings(format) {
            samples.push(self.sample(format, *setting, Effort::Fast)?);
        }
        let exact = match (exact, format) {
            (true, Format::Jxl | Format::Webp | Format::Png) => {
                let file = crate::encode(&self.raster, format, Encoding::Lossless)?;
                Some(crate::sample(&self.raster, format, 0.0, 0.0, file.len()).bytes)
            }
            _ => None,
        };
        Ok(Curve { scale: self.scale, samples, exact })
    }

    /// One encode at high likeness with an encoder at its best: how far that lies from the curve.
    ///
    /// # Errors
    /// If it cannot be encoded or scored.
    pub fn at_best(&self, format: Format) -> Result<Option<Sample>, ImageError> {
        settings(format).get(2).map(|setting| self.sample(format, *setting, Effort::Best)).transpose()
    }

    fn sample(&self, format: Format, setting: f32, effort: Effort) -> Result<Sample, ImageError> {
        let writing = Writing { effort, ..Writing::new(Encoding::Lossy { setting }) };
        let file = write(&self.raster, format, &writing)?;
        Ok(crate::sample(&self.raster, format, setting, self.ideal.likeness(&file)?, file.len()))
    }
}

/// Where an encoder is sampled: from the least it gives, or about fidelity 25, to the best it has.
const fn settings(format: Format) -> &'static [f32] {
    match format {
        Format::Avif => &[24.0, 48.0, 70.0, 88.0, 97.0],
        Format::Jxl => &[0.0, 40.0, 74.0, 95.0],
        Format::Webp => &[0.0, 40.0, 80.0, 100.0],
        Format::Jpeg => &[15.0, 42.0, 76.0, 92.0, 99.0],
        _ => &[],
    }
}

/// Strips spread over a picture: few, so that they have few seams, which no encoder would meet in it.
#[derive(Clone, Copy)]
struct Strips {
    count: u32,
    width: u32,
    height: u32,
}

impl Strips {
    /// The strips one below the other; all of a picture that is hardly larger than they are.
    fn of(self, raster: &Raster) -> Raster {
        let Size { width: across, height: down } = raster.size();
        let (width, height) = (self.width.min(across), self.height.min(down));
        if raster.size().pixels() * 4 <= u64::from(self.count * self.width * self.height) * 5
            || down < self.count * height
        {
            return raster.clone();
        }
        let mut sheet = Raster::filled(Size::new(width, self.count * height), [0; 4], raster.has_alpha());
        for index in 0..self.count {
            // From one side to the other on the way down.
            let at = |free: u32| free * (2 * index + 1) / (2 * self.count);
            let strip = raster.cut(at(across - width), at(down - height), Size::new(width, height));
            sheet = strip.placed_on(sheet, 0, index * height);
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
        let probe = Probe::strips(&raster, Scale::of(&plan)).expect("scored");
        for format in [Format::Avif, Format::Webp, Format::Jpeg] {
            let curve = probe.curve(format, true).expect("measured");
            assert!(curve.samples.windows(2).all(|pair| pair[0].fidelity < pair[1].fidelity), "{curve:?}");
            let middle = curve.samples[2];
            let target = kivet_recipe::Fidelity::new(middle.fidelity.round() as u8).expect("a fidelity");
            let writing = Writing::new(Encoding::Lossless);
            let expected = |points: f32| points - 10.0;
            let (file, _) = crate::at_a_glance(&raster, (format, &expected), target, &writing).expect("scored");
            let like = Ideal::new(&raster, Gamut::Srgb).and_then(|ideal| ideal.likeness(&file)).expect("scored");
            assert!((like - middle.fidelity).abs() <= 6.0, "{format}: {like} for {}", middle.fidelity);
            assert_eq!(curve.exact.is_some(), format == Format::Webp);
        }
    }
}
