//! Pictures made for the test pages: `dunes-400x300.jpg` and the like, the same bytes every time.

use kivet_image::{Limits, Raster, encode, probe};
use kivet_page::observation::PictureFile;
use kivet_recipe::{Encoding, Fidelity, Format, Kind, Size, expected};

/// The picture of that file name; `None` if it is no name of one.
pub fn picture(name: &str) -> Option<(Vec<u8>, &'static str)> {
    let (stem, extension) = name.rsplit_once('.')?;
    let (subject, size) = stem.rsplit_once('-')?;
    let (width, height) = size.split_once('x')?;
    let size = Size::new(width.parse().ok()?, height.parse().ok()?);
    let lossy = |format| {
        expected(format, Fidelity::DEFAULT)
            .map_or(Encoding::lossy(75.0), |one| Encoding::Lossy { setting: one.setting })
    };
    let made = |format, encoding| encode(&drawn(subject, size), format, encoding).ok();
    match extension {
        "jpg" => Some((made(Format::Jpeg, Encoding::lossy(91.0))?, "image/jpeg")),
        "png" => Some((made(Format::Png, Encoding::Lossless)?, "image/png")),
        "webp" => Some((made(Format::Webp, lossy(Format::Webp))?, "image/webp")),
        "avif" => Some((made(Format::Avif, lossy(Format::Avif))?, "image/avif")),
        "gif" => Some((gif(size, if subject == "animated" { 4 } else { 1 }), "image/gif")),
        "svg" if subject == "drawn" => Some((svg(size), "image/svg+xml")),
        _ => None,
    }
}

/// What reading knows of that picture.
pub fn file(name: &str) -> PictureFile {
    let (bytes, _) = picture(name).expect("a picture");
    PictureFile {
        facts: probe(&bytes, Limits::default()).ok(),
        bytes: bytes.len() as u64,
        hash: String::new(),
        metadata_bytes: 0,
        has_location: false,
        kind: Kind::Photo,
    }
}

fn drawn(subject: &str, size: Size) -> Raster {
    let seed = subject
        .bytes()
        .fold(7_u32, |seed, byte| seed.wrapping_mul(31).wrapping_add(u32::from(byte)));

    let pixel = |at: u32| {
        let (x, y) = (at % size.width, at / size.width);
        let (u, v) = (f64::from(x) / f64::from(size.width), f64::from(y) / f64::from(size.height));
        match subject {
            "flat" => crest(u, v),
            // Two colours, and a straight edge.
            "mark" | "drawn" => {
                if u + v < 0.9 {
                    [178, 58, 46]
                } else {
                    [250, 246, 236]
                }
            }
            // Grain is where formats differ most.
            "calm" => scene(seed, x, y, u, v, 0.0),
            "haze" => scene(seed, x, y, u, v, 8.0),
            _ => scene(seed, x, y, u, v, 26.0),
        }
    };
    let bytes = (0..size.width * size.height).flat_map(pixel).collect();
    Raster::new(size, false, bytes).expect("as many bytes as pixels")
}

/// Hills under a sky, with so much grain.
fn scene(seed: u32, x: u32, y: u32, u: f64, v: f64, grained: f64) -> [u8; 3] {
    let phase = f64::from(seed % 100) / 15.0;
    let ridge = 0.45 + 0.12 * (u * 7.0 + phase).sin() + 0.05 * (u * 31.0 + phase * 3.0).sin();
    let mut noise = x.wrapping_mul(374_761_393) ^ y.wrapping_mul(668_265_263) ^ seed;
    noise = (noise ^ (noise >> 13)).wrapping_mul(1_274_126_177);
    let grain = f64::from((noise >> 16) & 0xFF) / 255.0 - 0.5;
    let [red, green, blue] = if v < ridge {
        [120.0 + 90.0 * v, 160.0 + 50.0 * v, 210.0]
    } else {
        let dune = ((u * 60.0 + v * 90.0 + phase).sin() + (u * 23.0 - v * 47.0).cos()) * 18.0;
        [190.0 + dune - 60.0 * v, 160.0 + dune - 60.0 * v, 105.0 + dune * 0.6]
    };
    [red, green, blue].map(|value| (value + grain * grained).clamp(0.0, 255.0) as u8)
}

/// A crest in three colours.
fn crest(u: f64, v: f64) -> [u8; 3] {
    let ring = ((u - 0.5).powi(2) + (v - 0.5).powi(2)).sqrt();
    match ((ring * 9.0) as u32 % 2, (u * 3.0 + v * 4.0) as u32 % 3) {
        (0, 0) => [178, 58, 46],
        (0, _) => [250, 246, 236],
        _ => [13, 43, 69],
    }
}

fn gif(size: Size, frames: u8) -> Vec<u8> {
    let mut bytes = Vec::new();
    let (width, height) = (size.width as u16, size.height as u16);
    let palette: Vec<u8> = (0..=255_u8).flat_map(|grey| [grey, grey / 2 + 40, 120]).collect();
    {
        let mut encoder = gif::Encoder::new(&mut bytes, width, height, &palette).expect("a GIF");
        for frame in 0..frames {
            let pixels: Vec<u8> = (0..u32::from(width) * u32::from(height))
                .map(|at| {
                    let (x, y) = (at % u32::from(width), at / u32::from(width));
                    let (u, v) =
                        (f64::from(x) / f64::from(width), f64::from(y) / f64::from(height));
                    scene(77 * u32::from(frame), x, y, u, v, 26.0)[0]
                })
                .collect();
            let frame = gif::Frame {
                width,
                height,
                buffer: pixels.into(),
                delay: 10,
                ..gif::Frame::default()
            };
            encoder.write_frame(&frame).expect("a frame");
        }
    }
    bytes
}

fn svg(size: Size) -> Vec<u8> {
    let Size { width, height } = size;
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 {width} {height}\" width=\"{width}\" height=\"{height}\"><rect width=\"100%\" height=\"100%\" fill=\"#b23a2e\"/></svg>"
    )
    .into_bytes()
}

/// A JPEG with `length` bytes of EXIF in front of its picture.
pub fn tagged(jpeg: &[u8], length: u16) -> Vec<u8> {
    let mut bytes = jpeg[..2].to_vec();
    bytes.extend([0xFF, 0xE1]);
    bytes.extend((length + 2).to_be_bytes());
    bytes.extend(b"Exif\0\0II*\0\x08\0\0\0\0\0\0\0\0\0");
    bytes.extend(std::iter::repeat_n(b' ', usize::from(length) - 20));
    bytes.extend(&jpeg[2..]);
    bytes
}
