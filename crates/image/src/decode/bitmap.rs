//! BMP through the `image` crate, decoded whole.

use std::io::Cursor;

use image::{DynamicImage, ImageDecoder, codecs::bmp::BmpDecoder};
use kivet_recipe::{Facts, Format, Gamut, Orientation, Size, Storage};

use super::Whole;
use crate::{
    ImageError, Limits,
    colour::{Buffer, Layout, Space},
};

/// The facts of a BMP, from its header.
pub(crate) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let mut decoder = BmpDecoder::new(Cursor::new(bytes)).map_err(damaged)?;
    let (width, height) = decoder.dimensions();
    let turned = decoder.orientation().map_err(damaged)?;
    let orientation = Orientation::from_exif(turned.to_exif().into()).unwrap_or_default();
    let colour = decoder.original_color_type();
    let icc = decoder.icc_profile().ok().flatten();
    let bits = colour.bits_per_pixel() / u16::from(colour.channel_count().max(1));
    let size = orientation.apply(Size::new(width, height));
    if size.pixels() == 0 {
        return Err(damaged("it has no size"));
    }
    Ok(Facts {
        orientation,
        alpha: decoder.color_type().has_alpha(),
        profile: icc.as_deref().and_then(crate::probe::profile_name),
        depth: u8::try_from(bits).unwrap_or(u8::MAX),
        wide: Space::of_icc(icc.as_deref()).is_wide(),
        ..Facts::plain(Format::Bmp, size, Storage::Lossless)
    })
}

pub(super) fn open(bytes: &[u8], gamut: Gamut, limits: Limits) -> Result<Whole, ImageError> {
    let mut decoder = BmpDecoder::new(Cursor::new(bytes)).map_err(damaged)?;
    let (width, height) = decoder.dimensions();
    let size = Size::new(width, height);
    limits.check_whole(size, u64::from(decoder.color_type().bytes_per_pixel()))?;
    let space = Space::of_icc(decoder.icc_profile().ok().flatten().as_deref());
    let (layout, samples) = match DynamicImage::from_decoder(decoder).map_err(damaged)? {
        DynamicImage::ImageLuma8(pixels) => (Layout::Gray, Buffer::Eight(pixels.into_raw())),
        DynamicImage::ImageLumaA8(pixels) => (Layout::GrayAlpha, Buffer::Eight(pixels.into_raw())),
        DynamicImage::ImageRgb8(pixels) => (Layout::Rgb, Buffer::Eight(pixels.into_raw())),
        DynamicImage::ImageRgba8(pixels) => (Layout::Rgba, Buffer::Eight(pixels.into_raw())),
        DynamicImage::ImageLuma16(pixels) => (Layout::Gray, Buffer::Sixteen(pixels.into_raw())),
        DynamicImage::ImageLumaA16(pixels) => {
            (Layout::GrayAlpha, Buffer::Sixteen(pixels.into_raw()))
        }
        DynamicImage::ImageRgb16(pixels) => (Layout::Rgb, Buffer::Sixteen(pixels.into_raw())),
        other if other.color().has_alpha() => {
            (Layout::Rgba, Buffer::Sixteen(other.into_rgba16().into_raw()))
        }
        other => (Layout::Rgb, Buffer::Sixteen(other.into_rgb16().into_raw())),
    };
    Ok(Whole::new(size, layout, samples, &space, gamut))
}

fn damaged(error: impl ToString) -> ImageError {
    ImageError::damaged(Format::Bmp, error)
}
