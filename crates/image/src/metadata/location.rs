//! Where a picture was taken, cut out of its file without touching a pixel: bytes are blanked in
//! place, so that nothing else moves.

use kivet_recipe::Format;

use super::{blocks, png_chunks};

/// Of TIFF (6.0, section 2): the pointer to the block of positions, and the orientation.
const GPS: u16 = 0x8825;
const ORIENTATION: u16 = 0x0112;

/// Properties of XMP that name a place, by local name.
const PLACES: [&str; 10] = [
    "GPS",
    "City",
    "State",
    "Country",
    "CountryCode",
    "Location",
    "LocationCreated",
    "LocationShown",
    "SubLocation",
    "Sublocation",
];

/// The same file without the place it was taken at.
pub fn without_location(bytes: &[u8], format: Format) -> Vec<u8> {
    let mut out = bytes.to_vec();
    if format == Format::Tiff {
        blank_gps(&mut out);
    } else if let Some(block) = blocks::exif(bytes, format)
        && let Some(at) = blocks::find(bytes, &block)
    {
        blank_gps(&mut out[at..at + block.len()]);
    }
    if let Some(packet) = blocks::xmp(bytes, format)
        && let Some(at) = blocks::find(bytes, &packet)
    {
        blank_places(&mut out[at..at + packet.len()]);
    }
    if format == Format::Jpeg {
        blank_iptc(&mut out);
    }
    if format == Format::Png {
        repair_png(&mut out, bytes);
    }
    out
}

/// Says in a TIFF structure that the picture is upright.
pub(super) fn set_upright(tiff: &mut [u8]) {
    let Some(order) = Order::of(tiff) else { return };
    let Some(ifd) = order.long(tiff, 4) else { return };
    for entry in entries(order, tiff, ifd as usize) {
        if order.short(tiff, entry) == Some(ORIENTATION) {
            order.put_short(tiff, entry + 8, 1);
        }
    }
}

/// Byte order of a TIFF structure.
#[derive(Clone, Copy)]
enum Order {
    Little,
    Big,
}

impl Order {
    fn of(tiff: &[u8]) -> Option<Self> {
        match tiff.get(..4)? {
            [b'I', b'I', 42, 0] => Some(Self::Little),
            [b'M', b'M', 0, 42] => Some(Self::Big),
            _ => None,
        }
    }

    fn short(self, bytes: &[u8], at: usize) -> Option<u16> {
        let two = *bytes.get(at..)?.first_chunk::<2>()?;
        Some(match self {
            Self::Little => u16::from_le_bytes(two),
            Self::Big => u16::from_be_bytes(two),
        })
    }

    fn long(self, bytes: &[u8], at: usize) -> Option<u32> {
        let four = *bytes.get(at..)?.first_chunk::<4>()?;
        Some(match self {
            Self::Little => u32::from_le_bytes(four),
            Self::Big => u32::from_be_bytes(four),
        })
    }

    fn put_short(self, bytes: &mut [u8], at: usize, value: u16) {
        let two = match self {
            Self::Little => value.to_le_bytes(),
            Self::Big => value.to_be_bytes(),
        };
        if let Some(place) = bytes.get_mut(at..at + 2) {
            place.copy_from_slice(&two);
        }
    }
}

/// Where the twelve-byte entries of a directory are.
fn entries(order: Order, tiff: &[u8], ifd: usize) -> Vec<usize> {
    let count = order.short(tiff, ifd).map_or(0, usize::from);
    (0..count).map(|i| ifd + 2 + i * 12).filter(|at| at + 12 <= tiff.len()).collect()
}

/// Blanks the block of positions with all it points at, and takes its entry out of the first
/// directory.
fn blank_gps(tiff: &mut [u8]) {
    let Some(order) = Order::of(tiff) else { return };
    let Some(first) = order.long(tiff, 4).map(|at| at as usize) else { return };
    let listed = entries(order, tiff, first);
    let Some(position) = listed.iter().position(|at| order.short(tiff, *at) == Some(GPS)) else {
        return;
    };
    if let Some(block) = order.long(tiff, listed[position] + 8).map(|at| at as usize) {
        for entry in entries(order, tiff, block) {
            blank_value(order, tiff, entry);
        }
        let length = 2 + entries(order, tiff, block).len() * 12;
        blank(tiff, block, length);
    }
    // Later entries and the pointer to the next directory move up by one.
    let end = first + 2 + listed.len() * 12 + 4;
    if end <= tiff.len() {
        tiff.copy_within(listed[position] + 12..end, listed[position]);
        blank(tiff, end - 12, 12);
        order.put_short(tiff, first, listed.len() as u16 - 1);
    } else {
        blank(tiff, listed[position] + 4, 8);
    }
}

/// Blanks what an entry points at, where it does not fit the entry itself.
fn blank_value(order: Order, tiff: &mut [u8], entry: usize) {
    let size = match order.short(tiff, entry + 2) {
        Some(1 | 2 | 6 | 7) => 1,
        Some(3 | 8) => 2,
        Some(4 | 9 | 11) => 4,
        _ => 8,
    };
    let length = order.long(tiff, entry + 4).map_or(0, |count| count as usize).saturating_mul(size);
    if length > 4
        && let Some(at) = order.long(tiff, entry + 8)
    {
        blank(tiff, at as usize, length);
    }
}

fn blank(bytes: &mut [u8], at: usize, length: usize) {
    let end = at.saturating_add(length).min(bytes.len());
    if let Some(part) = bytes.get_mut(at.min(end)..end) {
        part.fill(0);
    }
}

/// Blanks, with spaces, every property of a packet that names a place: `prefix:Name="..."` and
/// `<prefix:Name ...>...</prefix:Name>`.
fn blank_places(packet: &mut [u8]) {
    let mut at = 0;
    while let Some(colon) =
        packet[at..].iter().position(|byte| *byte == b':').map(|colon| at + colon)
    {
        at = colon + 1;
        let name: Vec<u8> =
            packet[at..].iter().copied().take_while(u8::is_ascii_alphanumeric).collect();
        let names_place = PLACES
            .iter()
            .any(|place| name == place.as_bytes() || (*place == "GPS" && name.starts_with(b"GPS")));
        if !names_place {
            continue;
        }
        let start = packet[..colon]
            .iter()
            .rposition(|byte| !byte.is_ascii_alphanumeric())
            .map_or(0, |before| before + 1);
        let after = at + name.len();
        let is_element = start > 0 && packet[start - 1] == b'<';
        let end = if is_element {
            element_end(packet, start, after)
        } else {
            attribute_end(packet, after)
        };
        if let Some(end) = end {
            packet[if is_element { start - 1 } else { start }..end].fill(b' ');
            at = end;
        }
    }
}

/// Past the closing quote of an attribute whose name ends at `after`.
fn attribute_end(packet: &[u8], after: usize) -> Option<usize> {
    let value = after + packet[after..].iter().position(|byte| matches!(byte, b'"' | b'\''))?;
    if !packet[after..value].iter().all(|byte| byte.is_ascii_whitespace() || *byte == b'=') {
        return None;
    }
    let quote = packet[value];
    Some(value + 1 + packet[value + 1..].iter().position(|byte| *byte == quote)? + 1)
}

/// Past the element whose name stands from `start` to `after`.
fn element_end(packet: &[u8], start: usize, after: usize) -> Option<usize> {
    let tag_end = after + packet[after..].iter().position(|byte| *byte == b'>')?;
    if packet[tag_end - 1] == b'/' {
        return Some(tag_end + 1);
    }
    let closing = [b"</", &packet[start..after], b">"].concat();
    Some(tag_end + blocks::find(&packet[tag_end..], &closing)? + closing.len())
}

/// Blanks the places of IPTC records in an APP13 segment (IPTC-IIM 4.2, record 2: 26, 27, 90, 92,
/// 95, 100, 101).
fn blank_iptc(jpeg: &mut [u8]) {
    let parts: Vec<(usize, usize)> = crate::probe::jpeg::segments(jpeg)
        .filter(|(marker, _)| *marker == 0xED)
        .map(|(_, data)| (data.as_ptr() as usize - jpeg.as_ptr() as usize, data.len()))
        .collect();
    for (start, length) in parts {
        let mut at = start;
        while at + 5 <= start + length {
            let [0x1C, 2, record, high, low] = jpeg[at..at + 5] else {
                at += 1;
                continue;
            };
            let size = usize::from(u16::from_be_bytes([high, low]));
            let end = (at + 5 + size).min(start + length);
            if matches!(record, 26 | 27 | 90 | 92 | 95 | 100 | 101) {
                jpeg[at + 5..end].fill(b' ');
            }
            at = end.max(at + 5);
        }
    }
}

/// Gives changed chunks their checksum again (PNG, third edition, 5.5).
fn repair_png(out: &mut [u8], before: &[u8]) {
    for (_, data) in png_chunks(before) {
        let start = data.as_ptr() as usize - before.as_ptr() as usize;
        let end = start + data.len();
        if out[start..end] != before[start..end] && end + 4 <= out.len() {
            let sum = crc32(&out[start - 4..end]).to_be_bytes();
            out[end..end + 4].copy_from_slice(&sum);
        }
    }
}

/// CRC-32 as PNG uses it (annex D).
fn crc32(bytes: &[u8]) -> u32 {
    let mut crc = flate2::Crc::new();
    crc.update(bytes);
    crc.sum()
}
