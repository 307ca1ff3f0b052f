//! Filters over a drawn picture: CSS's by their definitions (Filter Effects 1, sections 6 and 9),
//! and two of our own.
//!
//! They work on encoded values, as the shorthand functions of CSS do, and clamp after each step.

mod blur;
mod matrix;

use kivet_recipe::{CanvasColour, Edits, Effect, Filter, Size};

use crate::{ImageError, Raster, Work};

/// A picture being filtered: straight RGBA from 0 to 1, four floats a pixel.
struct Layer<'a> {
    size: Size,
    pixels: Vec<f32>,
    work: &'a Work,
}

/// Runs the filters of `edits`, then the policy's sharpening.
///
/// # Errors
/// If the work is ended.
pub(crate) fn apply(raster: Raster, edits: &Edits, work: &Work) -> Result<Raster, ImageError> {
    work.go_on()?;
    if edits.filters.is_empty() && edits.sharpen == 0 {
        return Ok(raster);
    }
    // CSS draws a blur that fades out at the edges, into what lies behind. Where nothing is said to
    // lie there, the edge is extended instead, so that an opaque picture stays one.
    let fades = edits.canvas.is_some()
        && edits.filters.iter().any(|f| f.effect == Effect::Blur && f.region.is_none());
    let alpha = raster.has_alpha() || fades;
    let mut layer = Layer::of(&raster, work);
    for filter in &edits.filters {
        layer.filter(*filter, edits.scale, if fades { Edge::Clear } else { Edge::Extended })?;
    }
    if edits.sharpen > 0 {
        layer.sharpen(f32::from(edits.sharpen) / 100.0)?;
    }
    let raster = layer.into_raster(alpha);
    Ok(match edits.canvas {
        Some(CanvasColour::Rgb(colour)) if fades => raster.flattened(colour),
        _ => raster,
    })
}

/// What lies beyond the picture's edge.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Edge {
    /// The edge's own colour.
    Extended,
    /// Nothing.
    Clear,
}

impl<'a> Layer<'a> {
    fn of(raster: &Raster, work: &'a Work) -> Self {
        let channels = raster.channels();
        let value = |byte: u8| f32::from(byte) / 255.0;
        let pixels = raster
            .bytes()
            .chunks_exact(channels)
            .flat_map(|pixel| {
                let alpha = if channels == 4 { value(pixel[3]) } else { 1.0 };
                [value(pixel[0]), value(pixel[1]), value(pixel[2]), alpha]
            })
            .collect();
        Self { size: raster.size(), pixels, work }
    }

    fn into_raster(self, alpha: bool) -> Raster {
        let mut raster = Raster::filled(self.size, [0; 4], alpha);
        let channels = raster.channels();
        for (pixel, out) in
            self.pixels.chunks_exact(4).zip(raster.bytes_mut().chunks_exact_mut(channels))
        {
            for (value, out) in pixel.iter().zip(out) {
                *out = (value.clamp(0.0, 1.0) * 255.0 + 0.5) as u8;
            }
        }
        raster
    }

    fn filter(&mut self, filter: Filter, scale: f32, edge: Edge) -> Result<(), ImageError> {
        self.work.go_on()?;
        let before = filter
            .region
            .map(|region| (region.edges(self.size.width, self.size.height), self.pixels.clone()));
        let amount = filter.amount() * if filter.effect.is_length() { scale } else { 1.0 };
        match filter.effect {
            Effect::Blur => {
                self.blur(amount, if filter.region.is_some() { Edge::Extended } else { edge })?
            }
            Effect::Sharpen => self.sharpen(amount / 100.0)?,
            Effect::Pixelate => self.pixelate(amount),
            Effect::Brightness => self.each(|value| value * amount / 100.0),
            Effect::Contrast => self.each(|value| (value - 0.5) * amount / 100.0 + 0.5),
            Effect::Saturate => self.mix(&matrix::saturate(amount / 100.0)),
            Effect::Grayscale => self.mix(&matrix::grayscale(amount / 100.0)),
            Effect::Sepia => self.mix(&matrix::sepia(amount / 100.0)),
            Effect::HueRotate => self.mix(&matrix::hue_rotate(amount)),
        }
        if let Some(((left, top, right, bottom), before)) = before {
            let width = self.size.width;
            for (at, (pixel, before)) in
                self.pixels.chunks_exact_mut(4).zip(before.chunks_exact(4)).enumerate()
            {
                let (x, y) = (at as u32 % width, at as u32 / width);
                if !(left..right).contains(&x) || !(top..bottom).contains(&y) {
                    pixel.copy_from_slice(before);
                }
            }
        }
        Ok(())
    }

    fn each(&mut self, change: impl Fn(f32) -> f32) {
        for pixel in self.pixels.chunks_exact_mut(4) {
            pixel[..3].iter_mut().for_each(|value| *value = change(*value).clamp(0.0, 1.0));
        }
    }

    fn mix(&mut self, rows: &[[f32; 3]; 3]) {
        for pixel in self.pixels.chunks_exact_mut(4) {
            let [r, g, b] = [pixel[0], pixel[1], pixel[2]];
            for (out, row) in pixel.iter_mut().zip(rows) {
                *out = (row[0] * r + row[1] * g + row[2] * b).clamp(0.0, 1.0);
            }
        }
    }

    fn blur(&mut self, deviation: f32, edge: Edge) -> Result<(), ImageError> {
        if deviation <= 0.0 {
            return Ok(());
        }
        self.premultiplied(|layer| {
            blur::blur(&mut layer.pixels, layer.size, (deviation, edge), layer.work)
        })
    }

    /// Adds to each pixel what a slight blur takes from its luminance, so that colours do not shift
    /// at edges. Transparent pixels have no luminance: each counts by its opacity.
    fn sharpen(&mut self, amount: f32) -> Result<(), ImageError> {
        const DEVIATION: f32 = 0.8;
        let luminance = |pixel: &[f32]| 0.2126 * pixel[0] + 0.7152 * pixel[1] + 0.0722 * pixel[2];
        let mut soft: Vec<f32> = self
            .pixels
            .chunks_exact(4)
            .flat_map(|pixel| [luminance(pixel) * pixel[3], 0.0, 0.0, pixel[3]])
            .collect();
        blur::blur(&mut soft, self.size, (DEVIATION, Edge::Extended), self.work)?;
        for (pixel, soft) in self.pixels.chunks_exact_mut(4).zip(soft.chunks_exact(4)) {
            if soft[3] <= 0.0 {
                continue;
            }
            let gain = (luminance(pixel) - soft[0] / soft[3]) * amount;
            pixel[..3].iter_mut().for_each(|value| *value = (*value + gain).clamp(0.0, 1.0));
        }
        Ok(())
    }

    /// Squares of `side` pixels, each of the mean of what it covers.
    fn pixelate(&mut self, side: f32) {
        let side = (side.round() as usize).max(1);
        let (width, height) = (self.size.width as usize, self.size.height as usize);
        self.premultiplied(|layer| {
            for top in (0..height).step_by(side) {
                for left in (0..width).step_by(side) {
                    let (right, bottom) = ((left + side).min(width), (top + side).min(height));
                    let mut sum = [0.0f32; 4];
                    for y in top..bottom {
                        for pixel in layer.pixels[(y * width + left) * 4..(y * width + right) * 4]
                            .chunks_exact(4)
                        {
                            sum.iter_mut().zip(pixel).for_each(|(sum, value)| *sum += value);
                        }
                    }
                    let mean = sum.map(|sum| sum / ((right - left) * (bottom - top)) as f32);
                    for y in top..bottom {
                        for pixel in layer.pixels[(y * width + left) * 4..(y * width + right) * 4]
                            .chunks_exact_mut(4)
                        {
                            pixel.copy_from_slice(&mean);
                        }
                    }
                }
            }
        });
    }

    /// Work that mixes neighbours, so that the colour of transparent pixels does not count.
    fn premultiplied<T>(&mut self, work: impl FnOnce(&mut Self) -> T) -> T {
        for pixel in self.pixels.chunks_exact_mut(4) {
            let alpha = pixel[3];
            pixel[..3].iter_mut().for_each(|value| *value *= alpha);
        }
        let done = work(self);
        for pixel in self.pixels.chunks_exact_mut(4) {
            let straight = if pixel[3] > 0.0 { pixel[3].recip() } else { 0.0 };
            pixel[..3].iter_mut().for_each(|value| *value = (*value * straight).clamp(0.0, 1.0));
        }
        done
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Region;

    use super::*;

    fn edits(recipe: &str) -> Edits {
        let recipe: kivet_recipe::Recipe = recipe.parse().expect(recipe);
        Edits {
            filters: recipe.filters.clone(),
            scale: 1.0,
            canvas: recipe.canvas,
            ..Edits::default()
        }
    }

    fn apply(raster: Raster, edits: &Edits) -> Raster {
        super::apply(raster, edits, &Work::default()).expect("work that is not ended")
    }

    fn one_pixel(recipe: &str, colour: [u8; 4]) -> [u8; 4] {
        let filtered = apply(Raster::filled(Size::new(1, 1), colour, true), &edits(recipe));
        <[u8; 4]>::try_from(filtered.bytes()).expect("a pixel")
    }

    #[test]
    fn colours_follow_the_definitions() {
        let kite = [200, 100, 50, 255];
        assert_eq!(one_pixel("brightness-50", kite), [100, 50, 25, 255]);
        assert_eq!(one_pixel("contrast-0", kite), [128, 128, 128, 255]);
        // Luminance by the coefficients of the specification: 0.2126 R + 0.7152 G + 0.0722 B.
        assert_eq!(one_pixel("grayscale-100", kite), [118, 118, 118, 255]);
        assert_eq!(one_pixel("saturate-100", kite), kite);
        assert_eq!(one_pixel("hue-rotate-360", kite), kite);
        // 0.393 R + 0.769 G + 0.189 B and so on.
        assert_eq!(one_pixel("sepia-100", kite), [165, 147, 114, 255]);
        assert_eq!(one_pixel("brightness-200", [200, 100, 50, 128]), [255, 200, 100, 128]);
    }

    #[test]
    fn a_region_keeps_to_itself_and_order_is_fixed() {
        let raster = Raster::filled(Size::new(10, 10), [200, 100, 50, 255], false);
        let half = apply(raster, &edits("brightness-0.in-0-0-50-100"));
        assert_eq!(
            (&half.bytes()[12..18], Region::new(0, 0, 0, 9)),
            (&[0, 0, 0, 200, 100, 50][..], None)
        );
        assert_eq!(
            one_pixel("contrast-0_brightness-50", [9, 9, 9, 255]),
            one_pixel("brightness-50_contrast-0", [9, 9, 9, 255])
        );
    }

    #[test]
    fn a_blur_keeps_the_mean_and_fades_only_on_a_canvas() {
        let raster = Raster::filled(Size::new(40, 30), [90, 120, 150, 255], false);
        for recipe in ["blur-1", "blur-6", "blur-40"] {
            let blurred = apply(raster.clone(), &edits(recipe));
            assert_eq!(blurred, raster, "{recipe}: a plain colour stays, to the edge");
        }
        let faded = apply(raster.clone(), &edits("blur-6_on-ffffff"));
        assert!(
            !faded.has_alpha() && faded.bytes()[0] > 150,
            "half of the corner's neighbourhood is white"
        );
        let clear = apply(raster, &edits("blur-6_on-clear"));
        assert!(clear.has_alpha() && clear.bytes()[3] < 120);
    }

    #[test]
    fn squares_are_means_and_sharpening_spares_what_is_plain() {
        let bytes =
            (0..16).flat_map(|i| if i % 4 < 2 { [0, 0, 0] } else { [200, 100, 40] }).collect();
        let bars = Raster::new(Size::new(4, 4), false, bytes).expect("pixels");
        assert_eq!(&apply(bars.clone(), &edits("pixelate-4")).bytes()[..3], &[100, 50, 20]);
        assert_eq!(apply(bars.clone(), &edits("pixelate-2")), bars);
        let crisp = apply(bars.clone(), &edits("sharpen-100"));
        assert!(
            crisp.bytes()[6] > 200 || crisp.bytes()[7] > 100,
            "the edge's bright side is brighter"
        );
        let plain = Raster::filled(Size::new(5, 5), [9, 80, 200, 255], false);
        assert_eq!(apply(plain.clone(), &edits("sharpen-150")), plain);
        // A cut-out of one colour has no edge between colours to sharpen.
        let cut_out: Vec<u8> =
            (0..35).flat_map(|i| if i % 7 < 3 { [90, 140, 60, 255] } else { [0; 4] }).collect();
        let cut_out = Raster::new(Size::new(7, 5), true, cut_out).expect("pixels");
        let sharpened = apply(cut_out.clone(), &edits("sharpen-150"));
        let worst =
            cut_out.bytes().iter().zip(sharpened.bytes()).map(|(a, b)| a.abs_diff(*b)).max();
        assert!(worst <= Some(1), "{worst:?}");
    }

    #[test]
    fn twenty_blurs_end_when_the_work_is_ended() {
        let raster = Raster::filled(Size::new(3000, 2000), [9, 80, 200, 255], false);
        let blurs: Vec<String> =
            (0..20).map(|at| format!("blur-30.in-0-0-50-{}", 60 + at)).collect();
        let blurs = blurs.join("_");
        let work = Work::default();
        let ending = work.clone();
        let end = std::thread::spawn(move || {
            std::thread::sleep(std::time::Duration::from_millis(50));
            ending.stop();
        });
        let ended = super::apply(raster, &edits(&blurs), &work);
        assert!(matches!(ended, Err(ImageError::Stopped)));
        end.join().expect("no panic");
    }
}
