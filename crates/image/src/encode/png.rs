//! PNG: with a palette where the picture has few enough colours, gray where it is gray; always
//! lossless.

use std::{collections::HashMap, time::Duration};

use kivet_recipe::{Format, Gamut};
use png::{BitDepth, ColorType, Compression, Encoder, chunk::ChunkType};

use super::Writing;
use crate::{ImageError, Raster};

/// How long the best compression is searched for.
const OPTIMISED_FOR: Duration = Duration::from_secs(20);

/// Code points of Display P3 with sRGB's transfer function, RGB, full range (ITU-T H.273; PNG,
/// third edition, 11.3.2.6).
const CICP_P3: [u8; 4] = [12, 13, 0, 1];

pub(super) fn encode(raster: &Raster, writing: &Writing) -> Result<Vec<u8>, ImageError> {
    let failed = |error: png::EncodingError| ImageError::not_encoded(Format::Png, error);
    let mut bytes = Vec::new();
    let mut encoder = Encoder::new(&mut bytes, raster.size().width, raster.size().height);
    encoder.set_compression(Compression::Fast);
    // What says that colours are wide must stand before a palette, where the writer puts nothing of
    // ours.
    let indexed = if writing.gamut == Gamut::Srgb { Indexed::of(raster) } else { None };
    let packed;
    let data = match &indexed {
        Some(indexed) => {
            encoder.set_color(ColorType::Indexed);
            encoder.set_depth(indexed.depth);
            encoder.set_palette(
                indexed
                    .palette
                    .iter()
                    .flat_map(|colour| [colour[0], colour[1], colour[2]])
                    .collect::<Vec<u8>>(),
            );
            let alphas: Vec<u8> = indexed
                .palette
                .iter()
                .map(|colour| colour[3])
                .take_while(|alpha| *alpha < 255)
                .collect();
            if !alphas.is_empty() {
                encoder.set_trns(alphas);
            }
            // Rows of indices compress best as they are, which the fastest compression, made for
            // filtered rows, hardly does.
            encoder.set_filter(png::Filter::NoFilter);
            encoder.set_compression(Compression::Balanced);
            packed = indexed.rows(raster.size().width as usize);
            &packed
        }
        None => {
            encoder.set_color(if raster.has_alpha() { ColorType::Rgba } else { ColorType::Rgb });
            encoder.set_depth(BitDepth::Eight);
            raster.bytes()
        }
    };
    let mut writer = encoder.write_header().map_err(failed)?;
    if writing.gamut == Gamut::DisplayP3 {
        writer.write_chunk(ChunkType(*b"cICP"), &CICP_P3).map_err(failed)?;
    }
    if let Some(exif) = &writing.kept.exif {
        writer.write_chunk(png::chunk::eXIf, exif).map_err(failed)?;
    }
    if let Some(xmp) = &writing.kept.xmp {
        // Not compressed, no language, no translated keyword (11.3.3.4).
        let text = [b"XML:com.adobe.xmp\0\0\0\0\0".as_slice(), xmp].concat();
        writer.write_chunk(png::chunk::iTXt, &text).map_err(failed)?;
    }
    writer.write_image_data(data).map_err(failed)?;
    writer.finish().map_err(failed)?;
    if writing.is_best() { optimised(&bytes) } else { Ok(bytes) }
}

/// The same pixels with filters and compression tried until few bytes are left, for at most
/// [`OPTIMISED_FOR`].
fn optimised(bytes: &[u8]) -> Result<Vec<u8>, ImageError> {
    let options =
        oxipng::Options { timeout: Some(OPTIMISED_FOR), ..oxipng::Options::from_preset(3) };
    oxipng::optimize_from_memory(bytes, &options)
        .map_err(|error| ImageError::not_encoded(Format::Png, error))
}

/// A picture of at most 256 colours.
struct Indexed {
    /// Transparent ones first, so that the opaque rest needs no alpha.
    palette: Vec<[u8; 4]>,
    indices: Vec<u8>,
    depth: BitDepth,
}

impl Indexed {
    fn of(raster: &Raster) -> Option<Self> {
        const MAX: usize = 256;
        let pixel =
            |bytes: &[u8]| [bytes[0], bytes[1], bytes[2], bytes.get(3).copied().unwrap_or(255)];
        let mut known: HashMap<[u8; 4], u8> = HashMap::new();
        let mut last = None;
        for colour in raster.bytes().chunks_exact(raster.channels()).map(pixel) {
            if last == Some(colour) {
                continue;
            }
            last = Some(colour);
            known.entry(colour).or_default();
            if known.len() > MAX {
                return None;
            }
        }
        let mut palette: Vec<[u8; 4]> = known.keys().copied().collect();
        palette.sort_unstable_by_key(|colour| (colour[3], *colour));
        for (index, colour) in palette.iter().enumerate() {
            known.insert(*colour, index as u8);
        }
        let indices = raster
            .bytes()
            .chunks_exact(raster.channels())
            .map(|bytes| known[&pixel(bytes)])
            .collect();
        let depth = match palette.len() {
            0..=2 => BitDepth::One,
            3..=4 => BitDepth::Two,
            5..=16 => BitDepth::Four,
            _ => BitDepth::Eight,
        };
        Some(Self { palette, indices, depth })
    }

    /// Rows of indices, packed from the left, each beginning at a byte (7.2).
    fn rows(&self, width: usize) -> Vec<u8> {
        let bits = self.depth as usize;
        let each = 8 / bits;
        self.indices
            .chunks_exact(width)
            .flat_map(|row| row.chunks(each))
            .map(|group| {
                group
                    .iter()
                    .enumerate()
                    .fold(0, |byte, (i, index)| byte | index << (8 - bits * (i + 1)))
            })
            .collect()
    }
}
