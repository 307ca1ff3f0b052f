//! The codecs called directly, with the settings Kivet uses and nothing of Kivet around them: the
//! work a rendition cannot avoid.
#![allow(unsafe_code)]

use std::ptr::null_mut;

use anyhow::{Context, Result, anyhow, ensure};
use kivet_image::Raster;
use libavif_sys as avif;
use libwebp_sys as webp;
use mozjpeg::{
    ColorSpace, Compress, Decompress,
    qtable::{MSSSIM_Luma, NRobidoux},
};

/// The WebP method of renditions made with the fast preset.
pub const FAST_METHOD: i32 = 6;

/// The library's default method.
pub const USUAL: i32 = 4;

/// Decodes a JPEG at `eighths` of its size into one buffer.
pub fn decode_jpeg(bytes: &[u8], eighths: u8) -> Result<Vec<u8>> {
    let mut decoder = Decompress::new_mem(bytes)?;
    decoder.scale(eighths);
    let mut reader = decoder.rgb()?;
    let mut pixels = vec![0; reader.width() * reader.height() * 3];
    reader.read_scanlines_into::<u8>(&mut pixels)?;
    Ok(pixels)
}

/// A JPEG as cameras write it: baseline.
pub fn camera_jpeg(raster: &Raster, setting: f32) -> Result<Vec<u8>> {
    let mut compress = Compress::new(ColorSpace::JCS_RGB);
    compress.set_fastest_defaults();
    compress.set_size(raster.size().width as usize, raster.size().height as usize);
    compress.set_quality(setting);
    let mut started = compress.start_compress(Vec::new())?;
    started.write_scanlines(raster.bytes())?;
    Ok(started.finish()?)
}

/// Encodes a JPEG.
pub fn encode_jpeg(raster: &Raster, setting: f32) -> Result<Vec<u8>> {
    let mut compress = Compress::new(ColorSpace::JCS_RGB);
    compress.set_optimize_scans(false);
    compress.set_size(raster.size().width as usize, raster.size().height as usize);
    compress.set_luma_qtable(&MSSSIM_Luma.scaled(setting, setting));
    compress.set_chroma_qtable(&NRobidoux.scaled(setting, setting));
    compress.set_progressive_mode();
    let mut started = compress.start_compress(Vec::new())?;
    started.write_scanlines(raster.bytes())?;
    Ok(started.finish()?)
}

/// Encodes a lossy WebP by the library's `method`, 0 (fastest) to 6.
pub fn encode_webp(raster: &Raster, setting: f32, method: i32) -> Result<Vec<u8>> {
    let mut config =
        webp::WebPConfig::new().map_err(|()| anyhow!("libwebp has another version"))?;
    config.quality = setting;
    config.method = method;
    // SAFETY: the raster's memory outlives the import, which copies it; the writer outlives the
    // encode, and its bytes are copied before they are freed; both are freed once.
    unsafe {
        let mut picture =
            webp::WebPPicture::new().map_err(|()| anyhow!("libwebp has another version"))?;
        picture.width = raster.size().width as i32;
        picture.height = raster.size().height as i32;
        ensure!(
            webp::WebPPictureImportRGB(
                &mut picture,
                raster.bytes().as_ptr(),
                raster.stride() as i32
            ) != 0
        );
        let mut writer = std::mem::zeroed::<webp::WebPMemoryWriter>();
        webp::WebPMemoryWriterInit(&mut writer);
        picture.writer = Some(webp::WebPMemoryWrite);
        picture.custom_ptr = (&raw mut writer).cast();
        let done = webp::WebPEncode(&config, &mut picture);
        let file =
            (done != 0).then(|| std::slice::from_raw_parts(writer.mem, writer.size).to_vec());
        webp::WebPMemoryWriterClear(&mut writer);
        webp::WebPPictureFree(&mut picture);
        file.context("the picture is refused")
    }
}

/// Encodes an AVIF.
pub fn encode_avif(raster: &Raster, setting: f32) -> Result<Vec<u8>> {
    // SAFETY: the raster's memory outlives the conversion, which copies it; on success the library
    // owns `size` bytes at `data`, copied before they are freed; every object is freed once.
    unsafe {
        let image = avif::avifImageCreate(
            raster.size().width,
            raster.size().height,
            8,
            avif::AVIF_PIXEL_FORMAT_YUV420,
        );
        let encoder = avif::avifEncoderCreate();
        ensure!(!image.is_null() && !encoder.is_null());
        let mut rgb = avif::avifRGBImage::default();
        avif::avifRGBImageSetDefaults(&mut rgb, image);
        rgb.depth = 8;
        rgb.format = avif::AVIF_RGB_FORMAT_RGB;
        rgb.pixels = raster.bytes().as_ptr().cast_mut();
        rgb.rowBytes = raster.stride() as u32;
        (*encoder).speed = 9;
        (*encoder).quality = setting.round() as i32;
        (*encoder).maxThreads = 1;
        let options = [
            (c"color:enable-qm", c"1"),
            (c"color:qm-min", c"0"),
            (c"color:dist-metric", c"qm-psnr"),
            (c"color:enable-palette", c"0"),
        ];
        for (name, value) in options {
            ensure!(
                avif::avifEncoderSetCodecSpecificOption(encoder, name.as_ptr(), value.as_ptr())
                    == avif::AVIF_RESULT_OK
            );
        }
        let mut output = avif::avifRWData { data: null_mut(), size: 0 };
        let converted = avif::avifImageRGBToYUV(image, &rgb);
        let written = avif::avifEncoderWrite(encoder, image, &mut output);
        let done = converted == avif::AVIF_RESULT_OK && written == avif::AVIF_RESULT_OK;
        let file = done.then(|| std::slice::from_raw_parts(output.data, output.size).to_vec());
        avif::avifRWDataFree(&mut output);
        avif::avifEncoderDestroy(encoder);
        avif::avifImageDestroy(image);
        file.context("the picture is refused")
    }
}
