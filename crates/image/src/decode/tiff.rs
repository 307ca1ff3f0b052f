//! TIFF (6.0), decoded whole. The `tiff` crate unpacks strips and tiles; what samples mean is read
//! here, because common kinds of them are refused there.

use std::{borrow::Cow, io::Cursor};

use kivet_recipe::{Facts, Format, Gamut, Orientation, Size, Storage};
use tiff::{
    TiffError,
    decoder::{Decoder, DecodingResult, Limits as UnpackLimits},
    tags::Tag,
};

use super::Whole;
use crate::{
    ImageError, Limits,
    colour::{Buffer, Layout, Space, srgb_of_lab},
};

/// What samples mean (section 8; technical notes of 1995 and 2002).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Photometric {
    /// The unpacker has turned white-is-zero round already.
    Gray,
    Rgb,
    Palette,
    Inks,
    YCbCr,
    /// With signed, or with shifted, a and b.
    Lab {
        signed: bool,
    },
}

/// Values of tag 262 that the unpacker is told in place of those it refuses: samples stay as they
/// are.
const AS_GRAY: u16 = 1;
const AS_RGB: u16 = 2;

/// What the first directory says.
struct Header {
    size: Size,
    photometric: Photometric,
    /// Samples a pixel.
    samples: usize,
    bits: u8,
    alpha: Option<Alpha>,
    orientation: Orientation,
    icc: Option<Vec<u8>>,
    storage: Storage,
    planar: bool,
    /// True if luma and chroma are unpacked at the same size.
    whole_chroma: bool,
    /// Red, green and blue of each index, 16 bits each.
    palette: Vec<u16>,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Alpha {
    Straight,
    Premultiplied,
}

/// The facts of a TIFF, from its first directory.
pub(crate) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let header = Header::read(&mut opened(bytes, Limits::DEFAULT)?)?;
    Ok(Facts {
        orientation: header.orientation,
        alpha: header.alpha.is_some() && header.photometric != Photometric::Inks,
        profile: header.icc.as_deref().and_then(crate::probe::profile_name),
        depth: header.bits,
        wide: Space::of_icc(header.icc.as_deref()).is_wide(),
        ..Facts::plain(Format::Tiff, header.orientation.apply(header.size), header.storage)
    })
}

pub(super) fn open(bytes: &[u8], gamut: Gamut, limits: Limits) -> Result<Whole, ImageError> {
    let header = Header::read(&mut opened(bytes, limits)?)?;
    let Header { size, samples, bits, .. } = header;
    limits.check_whole(size, samples as u64 * u64::from(bits).div_ceil(8).max(2))?;
    let readable = readable(bytes, &header)?;
    let mut decoder = opened(&readable, limits)?;
    let mut unpacked = DecodingResult::U8(Vec::new());
    decoder.read_image_to_buffer(&mut unpacked).map_err(unreadable)?;
    let values = header.interleaved(values(unpacked, &header)?)?;
    let space = match header.photometric {
        Photometric::Lab { .. } => Space::Srgb,
        _ => Space::of_icc(header.icc.as_deref()),
    };
    let (layout, samples) = header.pixels(values)?;
    Ok(Whole::new(size, layout, samples, &space, gamut))
}

fn opened(bytes: &[u8], limits: Limits) -> Result<Decoder<Cursor<&[u8]>>, ImageError> {
    let mut unpack = UnpackLimits::default();
    unpack.decoding_buffer_size = usize::try_from(limits.whole).unwrap_or(usize::MAX);
    unpack.intermediate_buffer_size = unpack.decoding_buffer_size;
    unpack.ifd_value_size = 16 << 20;
    Ok(Decoder::new(Cursor::new(bytes)).map_err(unreadable)?.with_limits(unpack))
}

impl Header {
    fn read(decoder: &mut Decoder<Cursor<&[u8]>>) -> Result<Self, ImageError> {
        let (width, height) = decoder.dimensions().map_err(unreadable)?;
        if width == 0 || height == 0 {
            return Err(damaged("it has no size"));
        }
        let mut number = |tag: Tag| decoder.find_tag_unsigned::<u16>(tag).map_err(unreadable);
        let samples = usize::from(number(Tag::SamplesPerPixel)?.unwrap_or(1));
        let planar = number(Tag::PlanarConfiguration)? == Some(2);
        let orientation = number(Tag::Orientation)?.unwrap_or(1);
        // Only JPEG loses anything, of what is unpacked.
        let lossy = matches!(number(Tag::Compression)?, Some(6 | 7));
        let photometric = match number(Tag::PhotometricInterpretation)? {
            Some(0 | 1 | 4) => Photometric::Gray,
            Some(2) | None => Photometric::Rgb,
            Some(3) => Photometric::Palette,
            Some(5) => Photometric::Inks,
            Some(6) => Photometric::YCbCr,
            Some(8) => Photometric::Lab { signed: true },
            Some(9) => Photometric::Lab { signed: false },
            Some(other) => {
                return Err(damaged(format!("its pixels are of the unknown kind {other}")));
            }
        };
        let mut numbers = |tag: Tag| {
            decoder
                .find_tag_unsigned_vec::<u16>(tag)
                .map_err(unreadable)
                .map(Option::unwrap_or_default)
        };
        let bits = numbers(Tag::BitsPerSample)?.first().copied().unwrap_or(1);
        let extra = numbers(Tag::ExtraSamples)?;
        let subsampling = numbers(Tag::ChromaSubsampling)?;
        let palette =
            if photometric == Photometric::Palette { numbers(Tag::ColorMap)? } else { Vec::new() };
        let colours = photometric.colours();
        let alpha = match extra.first() {
            Some(1) => Some(Alpha::Premultiplied),
            Some(2) => Some(Alpha::Straight),
            Some(_) => None,
            // Files of four samples that do not say what the fourth is mean this.
            None => (samples == 4 && photometric == Photometric::Rgb).then_some(Alpha::Straight),
        };
        let icc = decoder.get_tag_u8_vec(Tag::IccProfile).ok();
        if samples < colours {
            return Err(damaged(format!("its pixels have {samples} samples, which are too few")));
        }
        Ok(Self {
            size: Size::new(width, height),
            photometric,
            samples,
            bits: u8::try_from(bits).unwrap_or(u8::MAX),
            alpha: alpha.filter(|_| samples > colours),
            orientation: Orientation::from_exif(orientation.into()).unwrap_or_default(),
            icc,
            storage: if lossy { Storage::Lossy } else { Storage::Lossless },
            planar,
            whole_chroma: lossy || subsampling == [1, 1],
            palette,
        })
    }

    /// Samples of a row as they are stored.
    fn across(&self) -> usize {
        self.size.width as usize * if self.planar { 1 } else { self.samples }
    }

    /// Bytes of a row as they are stored.
    fn row_bytes(&self) -> usize {
        (self.across() * usize::from(self.bits)).div_ceil(8)
    }

    /// Samples pixel by pixel, of files that hold a plane after another.
    fn interleaved(&self, values: Values) -> Result<Values, ImageError> {
        let pixels = self.size.pixels() as usize;
        if values.samples.len() != pixels * self.samples {
            return Err(damaged("it does not hold as many samples as pixels need"));
        }
        if !self.planar || self.samples == 1 {
            return Ok(values);
        }
        let at = |i: usize| values.samples[i % self.samples * pixels + i / self.samples];
        Ok(Values { samples: (0..values.samples.len()).map(at).collect(), ..values })
    }

    /// Samples as rows of light are made from.
    fn pixels(&self, values: Values) -> Result<(Layout, Buffer), ImageError> {
        let Values { samples, max } = values;
        let colours = self.photometric.colours();
        let alpha = self.alpha.filter(|_| self.photometric != Photometric::Inks);
        let mut out: Vec<u16> = Vec::with_capacity(samples.len());
        for pixel in samples.chunks_exact(self.samples) {
            let opacity = alpha.map(|alpha| (alpha, pixel[colours]));
            let colour = &pixel[..colours];
            let from = out.len();
            match self.photometric {
                Photometric::Gray | Photometric::Rgb => out.extend(colour),
                Photometric::Inks => out.extend(colour.iter().map(|ink| max - ink)),
                Photometric::YCbCr => {
                    out.extend(rgb_of_ycbcr([colour[0], colour[1], colour[2]], max))
                }
                Photometric::Palette => out.extend(self.entry(colour[0])?),
                Photometric::Lab { signed } => {
                    let lab = lab([colour[0], colour[1], colour[2]], max, signed);
                    out.extend(srgb_of_lab(lab).map(|part| (part * 65_535.0 + 0.5) as u16));
                }
            }
            if let Some((alpha, value)) = opacity {
                let top = u32::from(self.top(max));
                let value = u32::from(value) * top / u32::from(max);
                if alpha == Alpha::Premultiplied {
                    unmultiply(&mut out[from..], value, top);
                }
                out.push(value as u16);
            }
        }
        let layout = match (self.photometric, alpha.is_some()) {
            (Photometric::Gray, false) => Layout::Gray,
            (Photometric::Gray, true) => Layout::GrayAlpha,
            (Photometric::Inks, _) => Layout::Cmyk,
            (_, false) => Layout::Rgb,
            (_, true) => Layout::Rgba,
        };
        Ok((layout, buffer(out, self.top(max))))
    }

    /// The value that means one once samples are pixels.
    const fn top(&self, max: u16) -> u16 {
        match self.photometric {
            Photometric::Palette | Photometric::Lab { .. } => u16::MAX,
            _ => max,
        }
    }

    /// A palette's colour.
    fn entry(&self, index: u16) -> Result<[u16; 3], ImageError> {
        let length = self.palette.len() / 3;
        let part = |plane: usize| self.palette.get(plane * length + usize::from(index)).copied();
        let colour = || Some([part(0)?, part(1)?, part(2)?]);
        let colour = colour().filter(|_| usize::from(index) < length);
        let colour = colour.ok_or_else(|| damaged(format!("it has no colour {index}")))?;
        // Some writers give 8 bits of each.
        let narrow = self.palette.iter().all(|part| *part < 256);
        Ok(if narrow { colour.map(|part| part * 257) } else { colour })
    }
}

impl Photometric {
    const fn colours(self) -> usize {
        match self {
            Self::Gray | Self::Palette => 1,
            Self::Inks => 4,
            Self::Rgb | Self::YCbCr | Self::Lab { .. } => 3,
        }
    }
}

/// Samples one by one, and the value that means one.
struct Values {
    samples: Vec<u16>,
    max: u16,
}

fn values(unpacked: DecodingResult, header: &Header) -> Result<Values, ImageError> {
    let wide = |samples: Vec<u16>| Ok(Values { samples, max: u16::MAX });
    let share = |value: f64| (value.clamp(0.0, 1.0) * 65_535.0 + 0.5) as u16;
    match unpacked {
        DecodingResult::U8(bytes) if header.bits == 8 => {
            Ok(Values { samples: bytes.into_iter().map(u16::from).collect(), max: 255 })
        }
        DecodingResult::U8(bytes) if header.bits < 16 => Ok(packed(&bytes, header)),
        DecodingResult::U16(samples) => wide(samples),
        DecodingResult::U32(samples) => {
            wide(samples.into_iter().map(|one| (one >> 16) as u16).collect())
        }
        DecodingResult::F32(samples) => {
            wide(samples.into_iter().map(|one| share(one.into())).collect())
        }
        DecodingResult::F64(samples) => wide(samples.into_iter().map(share).collect()),
        _ => Err(damaged(format!("samples of {} bits like these cannot be read", header.bits))),
    }
}

/// Samples of fewer than 16 bits, packed from the highest bit of each byte on; rows begin at whole
/// bytes. More than 8 bits are brought to 16.
fn packed(bytes: &[u8], header: &Header) -> Values {
    let bits = usize::from(header.bits).max(1);
    let (across, max) = (header.across(), (1u32 << bits) - 1);
    let mut samples = Vec::new();
    for row in bytes.chunks_exact(header.row_bytes()) {
        samples.extend((0..across).map(|at| {
            let bit = at * bits;
            let byte = |at: usize| u32::from(row.get(bit / 8 + at).copied().unwrap_or(0));
            let window = byte(0) << 16 | byte(1) << 8 | byte(2);
            let value = window >> (24 - bits - bit % 8) & max;
            (if bits > 8 { value * u32::from(u16::MAX) / max } else { value }) as u16
        }));
    }
    Values { samples, max: if bits > 8 { u16::MAX } else { max as u16 } }
}

/// Colour as it is before it was multiplied by an alpha of `value` in `top`.
fn unmultiply(colour: &mut [u16], value: u32, top: u32) {
    if value > 0 {
        colour.iter_mut().for_each(|part| *part = (u32::from(*part) * top / value).min(top) as u16);
    }
}

/// Samples brought to 8 bits where they have no more, else to 16.
fn buffer(samples: Vec<u16>, max: u16) -> Buffer {
    match max {
        u16::MAX => Buffer::Sixteen(samples),
        max => Buffer::Eight(
            samples
                .into_iter()
                .map(|value| (u32::from(value) * 255 / u32::from(max)) as u8)
                .collect(),
        ),
    }
}

/// Luma and chroma of ITU-R BT.601 in full range, TIFF's default (section 21).
fn rgb_of_ycbcr(samples: [u16; 3], max: u16) -> [u16; 3] {
    let top = f32::from(max);
    let [y, cb, cr] = samples.map(|value| f32::from(value) / top);
    // The middle is 128 of 255.
    let middle = if max == 255 { 128.0 / 255.0 } else { 32_768.0 / 65_535.0 };
    let (cb, cr) = (cb - middle, cr - middle);
    [y + 1.402 * cr, y - 0.344_136 * cb - 0.714_136 * cr, y + 1.772 * cb]
        .map(|value| (value.clamp(0.0, 1.0) * top + 0.5) as u16)
}

/// L* from 0 to 100, a* and b* around 0.
fn lab([l, a, b]: [u16; 3], max: u16, signed: bool) -> [f32; 3] {
    let steps = if max == 255 { 1.0 } else { 256.0 };
    let part = |value: u16| match (signed, max) {
        (true, 255) => f32::from(value as u8 as i8),
        (true, _) => f32::from(value as i16) / steps,
        (false, _) => f32::from(value) / steps - 128.0,
    };
    [f32::from(l) * 100.0 / f32::from(max), part(a), part(b)]
}

/// The file with what the unpacker refuses put in words it knows: its kind of pixels, samples of 9 to
/// 15 bits as the bytes they are packed into, and bytes whose bits are stored the other way round
/// (`FillOrder` 2).
fn readable<'a>(bytes: &'a [u8], header: &Header) -> Result<Cow<'a, [u8]>, ImageError> {
    let mut decoder = opened(bytes, Limits::DEFAULT)?;
    let mut out = Cow::Borrowed(bytes);
    let as_bytes = (9..16).contains(&header.bits);
    let told = match header.photometric {
        Photometric::Gray => None,
        _ if as_bytes => Some(AS_GRAY),
        Photometric::Palette => Some(AS_GRAY),
        Photometric::Lab { .. } => Some(AS_RGB),
        // A JPEG within unpacks to whole pixels; elsewhere halved chroma stays refused.
        Photometric::YCbCr if header.whole_chroma => Some(AS_RGB),
        _ => None,
    };
    let told = told.map(|kind| (Tag::PhotometricInterpretation, u32::from(kind)));
    let mut changes: Vec<(Tag, u32)> = told.into_iter().collect();
    if as_bytes {
        let mut number = |tag: Tag| decoder.find_tag_unsigned::<u32>(tag).map_err(unreadable);
        if number(Tag::Predictor)?.is_some_and(|kind| kind != 1)
            || number(Tag::TileWidth)?.is_some()
        {
            let bits = header.bits;
            return Err(damaged(format!(
                "samples of {bits} bits in tiles or as differences cannot be read"
            )));
        }
        changes.push((Tag::ImageWidth, header.row_bytes() as u32));
        changes.push((Tag::BitsPerSample, 8));
        if header.samples > 1 && !header.planar {
            changes.push((Tag::SamplesPerPixel, 1));
        }
    }
    for (tag, value) in changes {
        let at = entry(bytes, tag).ok_or_else(|| damaged("its directory cannot be read"))?;
        put(&mut out.to_mut()[at..at + 12], value, bytes.starts_with(b"II"));
    }
    if decoder.find_tag_unsigned::<u16>(Tag::FillOrder).map_err(unreadable)? == Some(2) {
        for (offsets, lengths) in
            [(Tag::StripOffsets, Tag::StripByteCounts), (Tag::TileOffsets, Tag::TileByteCounts)]
        {
            let mut numbers = |tag| {
                decoder
                    .find_tag_unsigned_vec::<u64>(tag)
                    .map_err(unreadable)
                    .map(Option::unwrap_or_default)
            };
            let (offsets, lengths) = (numbers(offsets)?, numbers(lengths)?);
            for (offset, length) in offsets.into_iter().zip(lengths) {
                let from = (offset as usize).min(bytes.len());
                let end = from.saturating_add(length as usize).min(bytes.len());
                out.to_mut()[from..end].iter_mut().for_each(|byte| *byte = byte.reverse_bits());
            }
        }
    }
    Ok(out)
}

/// Where the entry of a tag stands in the first directory, of the classic kind: 12 bytes (section 2).
fn entry(bytes: &[u8], tag: Tag) -> Option<usize> {
    let little = bytes.starts_with(b"II");
    let short = |at: usize| {
        let two = *bytes.get(at..)?.first_chunk::<2>()?;
        Some(if little { u16::from_le_bytes(two) } else { u16::from_be_bytes(two) })
    };
    if short(2)? != 42 {
        return None;
    }
    let four = *bytes.get(4..)?.first_chunk::<4>()?;
    let directory =
        if little { u32::from_le_bytes(four) } else { u32::from_be_bytes(four) } as usize;
    let entries = (0..usize::from(short(directory)?)).map(|entry| directory + 2 + entry * 12);
    let found = entries.into_iter().find(|at| short(*at) == Some(tag.to_u16()))?;
    bytes.get(found..found + 12).map(|_| found)
}

/// Makes the value of an entry one number of four bytes.
fn put(entry: &mut [u8], value: u32, little: bool) {
    const LONG: u16 = 4;
    let two = |value: u16| if little { value.to_le_bytes() } else { value.to_be_bytes() };
    let four = |value: u32| if little { value.to_le_bytes() } else { value.to_be_bytes() };
    entry[2..4].copy_from_slice(&two(LONG));
    entry[4..8].copy_from_slice(&four(1));
    entry[8..12].copy_from_slice(&four(value));
}

fn unreadable(error: TiffError) -> ImageError {
    match error {
        TiffError::IoError(_) => damaged("it is cut short, or points beyond its end"),
        other => damaged(other),
    }
}

fn damaged(error: impl ToString) -> ImageError {
    ImageError::damaged(Format::Tiff, error)
}
