//! Metadata that is kept whole says that the picture is upright: renditions are.

/// The orientation among TIFF's tags (6.0, section 8).
const ORIENTATION: u16 = 0x0112;

/// Says in a TIFF structure that the picture is upright.
pub(super) fn in_exif(tiff: &mut [u8]) {
    let Some(order) = Order::of(tiff) else { return };
    let Some(ifd) = order.long(tiff, 4) else { return };
    for entry in entries(order, tiff, ifd as usize) {
        if order.short(tiff, entry) == Some(ORIENTATION) {
            order.put_short(tiff, entry + 8, 1);
        }
    }
}

/// Says in an XMP packet that the picture is upright: `tiff:Orientation`, as an attribute or an
/// element. `None` where the packet cannot be read, and might say something else.
pub(super) fn in_xmp(packet: &[u8]) -> Option<Vec<u8>> {
    let text = std::str::from_utf8(packet).ok()?;
    let document = roxmltree::Document::parse(text).ok()?;
    let mut values = Vec::new();
    for node in document.descendants() {
        let attributes = node.attributes().filter(|one| one.name() == "Orientation");
        values.extend(attributes.map(|attribute| attribute.range_value()));
        if node.is_element() && node.tag_name().name() == "Orientation" {
            values.extend(node.children().filter(|part| part.is_text()).map(|part| part.range()));
        }
    }
    let mut upright = text.to_owned();
    values.sort_by_key(|range| range.start);
    values.into_iter().rev().for_each(|range| upright.replace_range(range, "1"));
    Some(upright.into_bytes())
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
