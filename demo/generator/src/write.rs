//! From scenes to files, the way cameras and hurried people leave them.

use std::path::Path;

use anyhow::{Context, Result, ensure};
use exif::{Field, In, Rational, Tag, Value, experimental::Writer};
use moxcms::ColorProfile;
use mozjpeg::{ColorSpace, Compress, Marker};
use rayon::prelude::*;

use crate::light::develop;
use crate::noise::hash;
use crate::scenes::Scene;

/// Every original stays below this, so that it can be kept under version control as it is.
const MAX_BYTES: usize = 4_000_000;

/// What a camera writes into a photograph beside its pixels.
#[derive(Clone, Copy, Default)]
pub struct Camera {
    /// Stored lying down, with the EXIF orientation that turns it upright (6).
    pub turned: bool,
    /// Pixels meant as Display P3, with its profile.
    pub wide_gamut: bool,
    /// Says where it was taken, in two places: EXIF and XMP.
    pub located: bool,
    /// Strength of the sensor's grain in 8-bit steps.
    pub grain: f32,
}

/// Renders a scene with grain and writes it as a JPEG: at quality 92, or lower until it fits.
pub fn photograph(
    path: &Path,
    width: usize,
    height: usize,
    camera: Camera,
    scene: impl Fn(f32) -> Scene,
) -> Result<()> {
    let pixels = expose(width, height, camera.grain, &scene(width as f32 / height as f32));
    let (pixels, width, height) = if camera.turned {
        (lay_down(&pixels, width, height), height, width)
    } else {
        (pixels, width, height)
    };
    for quality in [92.0, 88.0, 84.0, 80.0, 75.0, 70.0, 64.0, 58.0, 50.0] {
        let bytes = jpeg(&pixels, width, height, quality, camera)?;
        if bytes.len() < MAX_BYTES {
            return keep(path, &bytes);
        }
    }
    anyhow::bail!("{} does not fit in {MAX_BYTES} bytes", path.display())
}

fn expose(width: usize, height: usize, grain: f32, scene: &Scene) -> Vec<u8> {
    let pixel = 1.0 / height as f32;
    let mut bytes = vec![0; width * height * 3];
    bytes.par_chunks_exact_mut(width * 3).enumerate().for_each(|(row, line)| {
        for (column, out) in line.chunks_exact_mut(3).enumerate() {
            let light = scene((column as f32 + 0.5) * pixel, (row as f32 + 0.5) * pixel, pixel);
            // Grain of about two pixels across, mostly of brightness, strongest in the middle
            // tones.
            let speck = |seed| {
                hash(column as i32, row as i32, seed)
                    + 0.7 * hash(column as i32 / 2, row as i32 / 2, seed)
                    - 0.85
            };
            let brightness = speck(900);
            for channel in 0..3 {
                let value = develop(light[channel]);
                let tone = 0.4 + 0.6 * (1.0 - (value / 127.5 - 1.0).abs());
                let noise = (brightness * 0.8 + speck(901 + channel as u32) * 0.35) * grain * tone;
                out[channel] = (value + noise + 0.5) as u8;
            }
        }
    });
    bytes
}

/// Turned a quarter to the left, so that orientation 6 shows it upright.
fn lay_down(pixels: &[u8], width: usize, height: usize) -> Vec<u8> {
    let at = |x: usize, y: usize| &pixels[(y * width + x) * 3..][..3];
    (0..width)
        .rev()
        .flat_map(|x| (0..height).map(move |y| (x, y)))
        .flat_map(|(x, y)| at(x, y).iter().copied())
        .collect()
}

fn jpeg(
    pixels: &[u8],
    width: usize,
    height: usize,
    quality: f32,
    camera: Camera,
) -> Result<Vec<u8>> {
    let mut compress = Compress::new(ColorSpace::JCS_RGB);
    compress.set_fastest_defaults();
    compress.set_optimize_coding(true);
    compress.set_size(width, height);
    compress.set_quality(quality);
    let mut started = compress.start_compress(Vec::new())?;
    if camera.turned {
        // A TIFF header and one directory entry: orientation, a short, 6.
        started.write_marker(
            Marker::APP(1),
            b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0",
        );
    }
    if camera.located {
        let exif = [b"Exif\0\0".as_slice(), &location()?].concat();
        started.write_marker(Marker::APP(1), &exif);
        let xmp = [b"http://ns.adobe.com/xap/1.0/\0".as_slice(), LOCATION.as_bytes()].concat();
        started.write_marker(Marker::APP(1), &xmp);
    }
    if camera.wide_gamut {
        let profile =
            ColorProfile::new_display_p3().encode().map_err(|error| anyhow::anyhow!("{error}"))?;
        started.write_icc_profile(&profile);
    }
    started.write_scanlines(pixels)?;
    Ok(started.finish()?)
}

/// Off the made-up town of Port Ellery.
const LOCATION: &str = r#"<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:exif="http://ns.adobe.com/exif/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/" exif:GPSLatitude="54,10.5N" exif:GPSLongitude="4,20.1W" dc:creator="Noor Hale"/></rdf:RDF></x:xmpmeta>"#;

/// The same place as EXIF.
fn location() -> Result<Vec<u8>> {
    let degrees = |whole, tenths| {
        Value::Rational(vec![
            Rational { num: whole, denom: 1 },
            Rational { num: tenths, denom: 10 },
            Rational { num: 0, denom: 1 },
        ])
    };
    let text = |text: &str| Value::Ascii(vec![text.as_bytes().to_vec()]);
    let fields = [
        (Tag::Artist, text("Noor Hale")),
        (Tag::GPSLatitudeRef, text("N")),
        (Tag::GPSLatitude, degrees(54, 105)),
        (Tag::GPSLongitudeRef, text("W")),
        (Tag::GPSLongitude, degrees(4, 201)),
    ]
    .map(|(tag, value)| Field { tag, ifd_num: In::PRIMARY, value });
    let mut writer = Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    let mut block = std::io::Cursor::new(Vec::new());
    writer.write(&mut block, false)?;
    Ok(block.into_inner())
}

/// Renders a scene without grain as an opaque PNG, as painting programs export: soft shades whose
/// file is small for a PNG.
pub fn painting(
    path: &Path,
    width: usize,
    height: usize,
    scene: impl Fn(f32) -> Scene,
) -> Result<()> {
    let bytes = expose(width, height, 0.0, &scene(width as f32 / height as f32));
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, width as u32, height as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_compression(png::Compression::High);
    encoder.write_header()?.write_image_data(&bytes)?;
    keep(path, &file)
}

/// Writes a drawing as an RGBA PNG, smoothed by four samples a pixel.
pub fn drawing(
    path: &Path,
    width: usize,
    height: usize,
    colour: impl Fn(f32, f32, f32) -> [u8; 4] + Sync,
) -> Result<()> {
    let pixel = 1.0 / height as f32;
    let mut bytes = vec![0; width * height * 4];
    bytes.par_chunks_exact_mut(width * 4).enumerate().for_each(|(row, line)| {
        for (column, out) in line.chunks_exact_mut(4).enumerate() {
            let mut sum = [0u32; 4];
            for (dx, dy) in [(0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75)] {
                let [r, g, b, a] =
                    colour((column as f32 + dx) * pixel, (row as f32 + dy) * pixel, pixel)
                        .map(u32::from);
                sum = [sum[0] + r * a, sum[1] + g * a, sum[2] + b * a, sum[3] + a];
            }
            let [r, g, b, alpha] = sum;
            // Where nothing was painted the colour is of no matter.
            let mean = |channel: u32| channel.checked_div(alpha).unwrap_or(0);
            out.copy_from_slice(&[mean(r), mean(g), mean(b), alpha / 4].map(|value| value as u8));
        }
    });
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, width as u32, height as u32);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    encoder.write_header()?.write_image_data(&bytes)?;
    keep(path, &file)
}

/// Writes a scene's frames as an animated GIF that loops for ever.
pub fn animated(
    path: &Path,
    width: u16,
    height: u16,
    frames: u32,
    scene: impl Fn(f32) -> Scene,
) -> Result<()> {
    let mut file = Vec::new();
    {
        let mut encoder = gif::Encoder::new(&mut file, width, height, &[])?;
        encoder.set_repeat(gif::Repeat::Infinite)?;
        for number in 0..frames {
            let pixels =
                expose(width.into(), height.into(), 0.0, &scene(number as f32 / frames as f32));
            let mut frame = gif::Frame::from_rgb_speed(width, height, &pixels, 10);
            frame.delay = 6;
            encoder.write_frame(&frame)?;
        }
    }
    keep(path, &file)
}

/// Writes finished bytes.
pub fn keep(path: &Path, bytes: &[u8]) -> Result<()> {
    ensure!(bytes.len() < MAX_BYTES, "{} would be {} bytes", path.display(), bytes.len());
    if let Some(folder) = path.parent() {
        std::fs::create_dir_all(folder)?;
    }
    std::fs::write(path, bytes).with_context(|| format!("cannot write {}", path.display()))?;
    println!("{:>9}  {}", bytes.len(), path.display());
    Ok(())
}
