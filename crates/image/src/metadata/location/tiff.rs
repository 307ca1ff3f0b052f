//! TIFF (6.0): the first directory written anew with its pixels and what they need; other
//! directories, and whatever else lies in the file, go.

use super::Input;

/// Tags of the directory that are kept: how pixels are stored and what colours mean (sections 8 to
/// 23; ICC.1, B.5), who made them with what.
const KEPT: [u16; 44] = [
    254, 255, 256, 257, 258, 259, 262, 266, 269, 270, 271, 272, 273, 274, 277, 278, 279, 280, 281,
    282, 283, 284, 290, 291, 292, 296, 301, 305, 306, 315, 317, 318, 319, 320, 322, 323, 324, 325,
    332, 338, 339, 347, 529, 530,
];
const KEPT_MORE: [u16; 4] = [531, 532, 33432, 34675];

/// Pairs of tags that say where pixels lie and how many bytes they are.
const PIXELS: [(u16, u16); 2] = [(273, 279), (324, 325)];

#[derive(Clone, Copy)]
struct Order {
    little: bool,
}

impl Order {
    fn short(self, input: &mut Input<'_>) -> Option<u16> {
        let two = input.array()?;
        Some(if self.little { u16::from_le_bytes(two) } else { u16::from_be_bytes(two) })
    }

    fn long(self, input: &mut Input<'_>) -> Option<u32> {
        let four = input.array()?;
        Some(if self.little { u32::from_le_bytes(four) } else { u32::from_be_bytes(four) })
    }

    fn put_short(self, value: u16) -> [u8; 2] {
        if self.little { value.to_le_bytes() } else { value.to_be_bytes() }
    }

    fn put_long(self, value: u32) -> [u8; 4] {
        if self.little { value.to_le_bytes() } else { value.to_be_bytes() }
    }
}

/// One entry of a directory, its value taken from where it lies.
struct Entry {
    tag: u16,
    kind: u16,
    count: u32,
    value: Vec<u8>,
}

impl Entry {
    /// Whole numbers, whatever their width.
    fn numbers(&self, order: Order) -> Option<Vec<u32>> {
        let mut input = Input(&self.value);
        let read = |_| match self.kind {
            3 => order.short(&mut input).map(u32::from),
            4 => order.long(&mut input),
            _ => None,
        };
        (0..self.count).map(read).collect()
    }
}

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut input = Input(bytes);
    let order = match &input.array::<2>()? {
        b"II" => Order { little: true },
        b"MM" => Order { little: false },
        _ => return None,
    };
    // The variant with 64-bit offsets is not taken apart.
    if order.short(&mut input)? != 42 {
        return None;
    }
    let directory = order.long(&mut input)? as usize;
    let mut entries = read_directory(bytes, directory, order)?;
    let mut pixels = Vec::new();
    for (offsets, lengths) in PIXELS {
        let numbers = |tag: u16| {
            entries.iter().find(|entry| entry.tag == tag).map(|entry| entry.numbers(order))
        };
        let (Some(offsets_of), Some(lengths_of)) = (numbers(offsets), numbers(lengths)) else {
            continue;
        };
        for (offset, length) in offsets_of?.into_iter().zip(lengths_of?) {
            let from = (offset as usize).min(bytes.len());
            let end = from.checked_add(length as usize)?.min(bytes.len());
            pixels.push(&bytes[from..end]);
        }
        let moved = entries.iter_mut().find(|entry| entry.tag == offsets)?;
        (moved.kind, moved.value) = (4, vec![0; moved.count as usize * 4]);
    }
    Some(written(&mut entries, &pixels, order))
}

/// The kept entries of a directory.
fn read_directory(bytes: &[u8], at: usize, order: Order) -> Option<Vec<Entry>> {
    let mut input = Input(bytes.get(at..)?);
    let mut entries = Vec::new();
    for _ in 0..order.short(&mut input)? {
        let (tag, kind) = (order.short(&mut input)?, order.short(&mut input)?);
        let count = order.long(&mut input)?;
        let mut field = Input(input.take(4)?);
        let size = match kind {
            1 | 2 | 6 | 7 => 1,
            3 | 8 => 2,
            4 | 9 | 11 => 4,
            5 | 10 | 12 => 8,
            _ => continue,
        };
        if !KEPT.contains(&tag) && !KEPT_MORE.contains(&tag) {
            continue;
        }
        let length = (count as usize).checked_mul(size)?;
        let value = if length <= 4 {
            field.take(length)?
        } else {
            let from = order.long(&mut field)? as usize;
            bytes.get(from..from.checked_add(length)?)?
        };
        entries.push(Entry { tag, kind, count, value: value.to_vec() });
    }
    Some(entries)
}

/// Header, directory, values, pixels.
fn written(entries: &mut [Entry], pixels: &[&[u8]], order: Order) -> Vec<u8> {
    const HEADER: usize = 8;
    let even = |length: usize| length + length % 2;
    let values = HEADER + 2 + entries.len() * 12 + 4;
    let long_values: usize =
        entries.iter().map(|entry| entry.value.len()).filter(|length| *length > 4).map(even).sum();
    let mut at = values + long_values;
    let mut places = pixels.iter().map(|part| {
        let place = at as u32;
        at += even(part.len());
        place
    });
    for (offsets, _) in PIXELS {
        if let Some(entry) = entries.iter_mut().find(|entry| entry.tag == offsets) {
            let own = places.by_ref().take(entry.count as usize);
            entry.value = own.flat_map(|place| order.put_long(place)).collect();
        }
    }
    let mut out = if order.little { b"II".to_vec() } else { b"MM".to_vec() };
    out.extend(order.put_short(42));
    out.extend(order.put_long(HEADER as u32));
    out.extend(order.put_short(entries.len() as u16));
    let mut value_at = values;
    for entry in entries.iter() {
        out.extend(order.put_short(entry.tag));
        out.extend(order.put_short(entry.kind));
        out.extend(order.put_long(entry.count));
        if entry.value.len() <= 4 {
            out.extend(&entry.value);
            out.extend(vec![0; 4 - entry.value.len()]);
        } else {
            out.extend(order.put_long(value_at as u32));
            value_at += even(entry.value.len());
        }
    }
    out.extend([0; 4]);
    for value in entries.iter().map(|entry| &entry.value).filter(|value| value.len() > 4) {
        out.extend(value);
        out.extend(vec![0; value.len() % 2]);
    }
    for part in pixels {
        out.extend(*part);
        out.extend(vec![0; part.len() % 2]);
    }
    out
}
