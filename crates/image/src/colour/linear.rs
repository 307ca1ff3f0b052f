//! Rows of samples as decoders give them, and rows of linear light as the resampler takes them.

use std::sync::Arc;

use kivet_recipe::Gamut;
use moxcms::{ColorProfile, DataColorSpace, ToneReprCurve, TransformExecutor, TransformOptions};

use super::{LINEAR, Space, lab::light_of, target, to_linear};

/// What the channels of a pixel are, in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Layout {
    Gray,
    GrayAlpha,
    Rgb,
    Rgba,
    /// Amounts of light left by each ink: 255 or 65535 is no ink.
    Cmyk,
}

impl Layout {
    /// Channels a pixel.
    pub(crate) const fn channels(self) -> usize {
        match self {
            Self::Gray => 1,
            Self::GrayAlpha => 2,
            Self::Rgb => 3,
            Self::Rgba | Self::Cmyk => 4,
        }
    }

    const fn has_alpha(self) -> bool {
        matches!(self, Self::GrayAlpha | Self::Rgba)
    }
}

/// Samples of 8 or 16 bits.
#[derive(Clone, Copy)]
pub(crate) enum Samples<'a> {
    Eight(&'a [u8]),
    Sixteen(&'a [u16]),
}

impl Samples<'_> {
    fn value(self, at: usize) -> usize {
        match self {
            Self::Eight(values) => values[at].into(),
            Self::Sixteen(values) => values[at].into(),
        }
    }

    const fn len(self) -> usize {
        match self {
            Self::Eight(values) => values.len(),
            Self::Sixteen(values) => values.len(),
        }
    }

    /// The value that means one.
    const fn max(self) -> f32 {
        match self {
            Self::Eight(_) => 255.0,
            Self::Sixteen(_) => 65_535.0,
        }
    }
}

/// A whole picture of samples.
pub(crate) enum Buffer {
    Eight(Vec<u8>),
    Sixteen(Vec<u16>),
}

impl Buffer {
    /// Samples `from` to `to`.
    pub(crate) fn part(&self, from: usize, to: usize) -> Samples<'_> {
        match self {
            Self::Eight(values) => Samples::Eight(&values[from..to]),
            Self::Sixteen(values) => Samples::Sixteen(&values[from..to]),
        }
    }

    pub(crate) const fn is_deep(&self) -> bool {
        matches!(self, Self::Sixteen(_))
    }
}

/// How the rows of one original become linear light in the rendition's gamut.
pub(crate) struct Linear {
    layout: Layout,
    way: Way,
}

enum Way {
    /// 8-bit sRGB to sRGB.
    Plain,
    /// A curve for each channel, then a matrix.
    Shaped { curves: [Vec<f32>; 3], matrix: Option<[[f32; 3]; 3]> },
    /// A profile made of tables; to the encoded target first.
    Tables {
        transform: Arc<dyn TransformExecutor<f32> + Send + Sync>,
        source: Vec<f32>,
        encoded: Vec<f32>,
    },
    /// CMYK without a profile.
    Inks,
}

impl Linear {
    /// For rows of `layout` in `space`, of 16 bits a sample where `deep`.
    pub(crate) fn new(space: &Space, gamut: Gamut, layout: Layout, deep: bool) -> Self {
        let way = match space {
            _ if layout == Layout::Cmyk && !space.is_inks() => Way::Inks,
            Space::Srgb if !deep && gamut == Gamut::Srgb => Way::Plain,
            Space::Srgb => Self::shaped(&ColorProfile::new_srgb(), 1.0, gamut, layout, deep)
                .unwrap_or(Way::Plain),
            Space::Described(profile, brighter) => {
                let way = Self::shaped(profile, *brighter, gamut, layout, deep);
                way.or_else(|| Self::tables(profile, gamut, layout))
                    .or_else(|| Self::shaped(&ColorProfile::new_srgb(), 1.0, gamut, layout, deep))
                    .unwrap_or(Way::Plain)
            }
        };
        Self { layout, way }
    }

    /// `None` unless the profile is curves and a matrix, or one curve for gray.
    fn shaped(
        profile: &ColorProfile,
        brighter: f32,
        gamut: Gamut,
        layout: Layout,
        deep: bool,
    ) -> Option<Way> {
        let table = |curve: &ToneReprCurve| -> Option<Vec<f32>> {
            let evaluator = curve.make_linear_evaluator().ok()?;
            let max = if deep { 65_535u32 } else { 255 };
            Some(
                (0..=max)
                    .map(|value| evaluator.evaluate_value(value as f32 / max as f32) * brighter)
                    .collect(),
            )
        };
        if let Some(gray) = &profile.gray_trc {
            let mut curve = table(gray)?;
            // The curve gives the connection space's lightness, or its light (ICC.1:2022, F.2).
            if profile.pcs == DataColorSpace::Lab {
                let light = |value: &mut f32| *value = light_of(f64::from(*value) * 100.0) as f32;
                curve.iter_mut().for_each(light);
            }
            return (layout.channels() <= 2)
                .then(|| Way::Shaped { curves: [curve, Vec::new(), Vec::new()], matrix: None });
        }
        let tables_rule =
            profile.lut_a_to_b_perceptual.is_some() || profile.lut_a_to_b_colorimetric.is_some();
        if !profile.is_matrix_shaper() || tables_rule {
            return None;
        }
        let curves = [
            table(profile.red_trc.as_ref()?)?,
            table(profile.green_trc.as_ref()?)?,
            table(profile.blue_trc.as_ref()?)?,
        ];
        let matrix =
            profile.transform_matrix(&target(gamut)).v.map(|row| row.map(|value| value as f32));
        Some(Way::Shaped { curves, matrix: Some(matrix) })
    }

    fn tables(profile: &ColorProfile, gamut: Gamut, layout: Layout) -> Option<Way> {
        let from = match layout {
            Layout::Cmyk => moxcms::Layout::Rgba,
            Layout::Rgb | Layout::Rgba => moxcms::Layout::Rgb,
            Layout::Gray | Layout::GrayAlpha => moxcms::Layout::Gray,
        };
        let options = TransformOptions { prefer_fixed_point: false, ..TransformOptions::default() };
        let transform = profile
            .create_transform_f32(from, &target(gamut), moxcms::Layout::Rgb, options)
            .ok()?;
        Some(Way::Tables { transform, source: Vec::new(), encoded: Vec::new() })
    }

    /// True if samples are 8-bit sRGB as they stand.
    pub(crate) const fn is_plain(&self) -> bool {
        matches!(self.way, Way::Plain)
    }

    /// One row to linear RGBA, premultiplied.
    pub(crate) fn row(&mut self, samples: Samples<'_>, out: &mut [f32]) {
        match (&mut self.way, self.layout, samples) {
            (Way::Plain, Layout::Rgb, Samples::Eight(row)) => plain::<3>(row, out),
            (Way::Plain, Layout::Rgba, Samples::Eight(row)) => plain::<4>(row, out),
            (Way::Plain, layout, samples) => {
                let channels = layout.channels();
                for (pixel, out) in
                    out.chunks_exact_mut(4).enumerate().take(samples.len() / channels)
                {
                    let value = LINEAR[0][samples.value(pixel * channels).min(255)][0];
                    out.copy_from_slice(&[value, value, value, 1.0]);
                }
            }
            (Way::Shaped { curves, matrix }, layout, samples) => {
                shaped(curves, matrix.as_ref(), layout, samples, out)
            }
            (Way::Tables { transform, source, encoded }, layout, samples) => {
                through_tables(transform.as_ref(), source, encoded, layout, samples, out);
            }
            (Way::Inks, _, samples) => {
                for (pixel, out) in out.chunks_exact_mut(4).enumerate().take(samples.len() / 4) {
                    let left =
                        |channel: usize| samples.value(pixel * 4 + channel) as f32 / samples.max();
                    let light =
                        |channel: usize| to_linear(f64::from(left(channel) * left(3))) as f32;
                    out.copy_from_slice(&[light(0), light(1), light(2), 1.0]);
                }
            }
        }
        if self.layout.has_alpha() {
            premultiply(samples, self.layout.channels(), out);
        }
    }
}

/// Each pixel is the sum of three entries, one a channel.
fn plain<const CHANNELS: usize>(row: &[u8], out: &mut [f32]) {
    let [reds, greens, blues] = &**LINEAR;
    for (pixel, out) in row.as_chunks::<CHANNELS>().0.iter().zip(out.as_chunks_mut::<4>().0) {
        let (red, green, blue) =
            (&reds[pixel[0] as usize], &greens[pixel[1] as usize], &blues[pixel[2] as usize]);
        *out = std::array::from_fn(|lane| red[lane] + green[lane] + blue[lane]);
    }
}

fn shaped(
    curves: &[Vec<f32>; 3],
    matrix: Option<&[[f32; 3]; 3]>,
    layout: Layout,
    samples: Samples<'_>,
    out: &mut [f32],
) {
    let channels = layout.channels();
    let step = usize::from(channels > 2);
    for (pixel, out) in out.chunks_exact_mut(4).enumerate().take(samples.len() / channels) {
        let at = pixel * channels;
        // Gray goes through the first curve only, if it has the only one.
        let light = |channel: usize| {
            let curve = if curves[channel].is_empty() { &curves[0] } else { &curves[channel] };
            curve[samples.value(at + channel * step)]
        };
        let [r, g, b] = [light(0), light(1), light(2)];
        let mixed = match matrix {
            Some(rows) => rows.map(|row| row[0] * r + row[1] * g + row[2] * b),
            None => [r, g, b],
        };
        out[..3].copy_from_slice(&mixed);
        out[3] = 1.0;
    }
}

fn through_tables(
    transform: &(dyn TransformExecutor<f32> + Send + Sync),
    source: &mut Vec<f32>,
    encoded: &mut Vec<f32>,
    layout: Layout,
    samples: Samples<'_>,
    out: &mut [f32],
) {
    let channels = layout.channels();
    let pixels = samples.len() / channels;
    let colours = if layout.has_alpha() { channels - 1 } else { channels };
    let inks = layout == Layout::Cmyk;
    source.clear();
    for pixel in 0..pixels {
        for channel in 0..colours {
            let value = samples.value(pixel * channels + channel) as f32 / samples.max();
            source.push(if inks { 1.0 - value } else { value });
        }
    }
    encoded.resize(pixels * 3, 0.0);
    if transform.transform(source, encoded).is_err() {
        encoded.fill(0.5);
    }
    for (pixel, out) in encoded.chunks_exact(3).zip(out.chunks_exact_mut(4)) {
        for channel in 0..3 {
            out[channel] = to_linear(f64::from(pixel[channel].clamp(0.0, 1.0))) as f32;
        }
        out[3] = 1.0;
    }
}

fn premultiply(samples: Samples<'_>, channels: usize, out: &mut [f32]) {
    let max = samples.max();
    for (pixel, out) in out.chunks_exact_mut(4).enumerate().take(samples.len() / channels) {
        let alpha = samples.value(pixel * channels + channels - 1) as f32 / max;
        out.iter_mut().for_each(|channel| *channel *= alpha);
    }
}
