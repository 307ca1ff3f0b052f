//! JPEG segments (ITU-T T.81, annex B): frame size, EXIF orientation, ICC profile.

use kivet_recipe::{Facts, Format, Orientation, Size, Storage};

use crate::{ImageError, colour::Space};

const EXIF_HEADER: &[u8] = b"Exif\0\0";
const ICC_HEADER: &[u8] = b"ICC_PROFILE\0";

pub(super) fn probe(bytes: &[u8]) -> Result<Facts, ImageError> {
    let mut orientation = Orientation::default();
    let mut stored = None;
    for (marker, data) in segments(bytes) {
        match marker {
            0xE1 if data.starts_with(EXIF_HEADER) => {
                orientation = super::exif_orientation(&data[EXIF_HEADER.len()..])
            }
            // SOF0 to SOF15, less DHT (C4), JPG (C8) and DAC (CC).
            0xC0..=0xCF if !matches!(marker, 0xC4 | 0xC8 | 0xCC) => stored = frame_size(data),
            _ => {}
        }
    }
    let stored = stored.filter(|size| size.pixels() > 0).ok_or_else(|| {
        ImageError::damaged(Format::Jpeg, "no frame header with a size was found")
    })?;
    let icc = icc_profile(bytes);
    let truncated = !has_end(bytes);
    Ok(Facts {
        orientation,
        profile: icc.as_deref().and_then(super::profile_name),
        wide: Space::of_icc(icc.as_deref()).is_wide(),
        truncated,
        detail: detail(bytes, stored).filter(|_| !truncated),
        ..Facts::plain(Format::Jpeg, orientation.apply(stored), Storage::Lossy)
    })
}

/// Bits a pixel and the quantiser say how much detail an encoder found: over the demo's photographs
/// at five qualities from 75 to 97, bits fall by the power 0.57 of the steps.
fn detail(bytes: &[u8], stored: Size) -> Option<f32> {
    const POWER: f32 = 0.57;
    let coded = bytes.len().checked_sub(first_scan(bytes))?;
    let bits = coded as f32 * 8.0 / stored.pixels() as f32;
    Some(bits.ln() + POWER * luma_steps(bytes)?.ln()).filter(|detail| detail.is_finite())
}

/// The geometric mean of the first quantisation table (B.2.4.1), which is the one for luma.
fn luma_steps(bytes: &[u8]) -> Option<f32> {
    const DQT: u8 = 0xDB;
    let (_, table) = segments(bytes).find(|(marker, _)| *marker == DQT)?;
    let (kind, steps) = table.split_first()?;
    let steps: Vec<f32> = match kind >> 4 {
        0 => steps.get(..64)?.iter().map(|step| f32::from(*step)).collect(),
        _ => steps
            .get(..128)?
            .chunks_exact(2)
            .map(|step| f32::from(u16::from_be_bytes([step[0], step[1]])))
            .collect(),
    };
    let mean = steps.iter().map(|step| step.max(1.0).ln()).sum::<f32>() / steps.len() as f32;
    Some(mean.exp())
}

/// Where the first scan begins.
fn first_scan(bytes: &[u8]) -> usize {
    let mut segments = segments(bytes);
    segments.by_ref().for_each(drop);
    segments.at
}

/// True if an end marker follows the first scan. Within coded data 0xFF is followed by 0 or a
/// restart marker, so that the two bytes mean nothing else there (B.1.1.5).
fn has_end(bytes: &[u8]) -> bool {
    bytes
        .get(first_scan(bytes).min(bytes.len())..)
        .is_some_and(|rest| rest.windows(2).rev().any(|pair| pair == [0xFF, 0xD9]))
}

/// True if the picture comes in several scans of coefficients (G.1): all must be held until the
/// last.
pub(crate) fn is_progressive(bytes: &[u8]) -> bool {
    segments(bytes).any(|(marker, _)| matches!(marker, 0xC2 | 0xC6 | 0xCA | 0xCE))
}

/// Precision, then height and width (B.2.2).
fn frame_size(data: &[u8]) -> Option<Size> {
    let two = |at: usize| Some(u32::from(u16::from_be_bytes([*data.get(at)?, *data.get(at + 1)?])));
    Some(Size::new(two(3)?, two(1)?))
}

/// The ICC profile, joined from its numbered chunks (ICC.1:2022, annex B.4).
pub(crate) fn icc_profile(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut chunks: Vec<&[u8]> = segments(bytes)
        .filter(|(marker, data)| {
            *marker == 0xE2 && data.starts_with(ICC_HEADER) && data.len() > ICC_HEADER.len() + 2
        })
        .map(|(_, data)| &data[ICC_HEADER.len()..])
        .collect();
    chunks.sort_by_key(|chunk| chunk[0]);
    (!chunks.is_empty()).then(|| chunks.iter().flat_map(|chunk| &chunk[2..]).copied().collect())
}

/// Marker and payload of each segment up to the first scan. Bytes between segments are passed over, as
/// decoders do: a segment cut short takes in the beginning of the next.
pub(crate) fn segments(bytes: &[u8]) -> Segments<'_> {
    Segments { bytes, at: 2 }
}

/// See [`segments`].
pub(crate) struct Segments<'a> {
    bytes: &'a [u8],
    /// Where the next segment begins, or the first scan.
    at: usize,
}

impl<'a> Iterator for Segments<'a> {
    type Item = (u8, &'a [u8]);

    fn next(&mut self) -> Option<Self::Item> {
        // Fill bytes of 0xFF may precede a marker (B.1.1.2).
        let is_marker = |pair: &[u8]| pair[0] == 0xFF && !matches!(pair[1], 0 | 0xFF);
        self.at += self.bytes.get(self.at..)?.windows(2).position(is_marker)?;
        let [_, marker, high, low] = *self.bytes.get(self.at..)?.first_chunk::<4>()?;
        const SOS: u8 = 0xDA;
        if marker == SOS {
            return None;
        }
        let length = usize::from(u16::from_be_bytes([high, low]));
        let data = self.bytes.get(self.at + 4..self.at + 2 + length)?;
        self.at += 2 + length;
        Some((marker, data))
    }
}
