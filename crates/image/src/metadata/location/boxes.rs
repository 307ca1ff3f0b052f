//! AVIF: boxes of the ISO base media file format (ISO/IEC 14496-12) and the items of its `meta` box
//! (ISO/IEC 23008-12). Offsets point into the file, so that nothing may move: what goes is blanked,
//! and what is kept of EXIF and XMP takes no more room than before.

use super::{Input, clean_exif, clean_xmp};

/// One box: its type, its content, and where that begins in the file.
pub(super) struct IsoBox<'a> {
    pub(super) name: [u8; 4],
    pub(super) content: &'a [u8],
}

/// The next box; `None` at the end, or where its length is none.
pub(super) fn next_box<'a>(input: &mut Input<'a>) -> Option<IsoBox<'a>> {
    let whole = input.0.len();
    let length = input.be32()? as usize;
    let name = input.array()?;
    let content = match length {
        0 => input.rest(),
        1 => {
            let length = usize::try_from(u64::from_be_bytes(input.array()?)).ok()?;
            input.take(length.checked_sub(16)?.min(whole))?
        }
        length => input.take(length.checked_sub(8)?)?,
    };
    Some(IsoBox { name, content })
}

/// Writes a box.
pub(super) fn push(out: &mut Vec<u8>, name: [u8; 4], content: &[u8]) {
    match u32::try_from(content.len() + 8) {
        Ok(length) => {
            out.extend(length.to_be_bytes());
            out.extend(name);
        }
        Err(_) => {
            out.extend(1u32.to_be_bytes());
            out.extend(name);
            out.extend((content.len() as u64 + 16).to_be_bytes());
        }
    }
    out.extend(content);
}

/// Boxes at the top of a file that show pictures.
const SHOWN: [&[u8; 4]; 4] = [b"ftyp", b"meta", b"moov", b"mdat"];

/// Items that are pictures, or parts or descriptions of their pixels.
const PICTURES: [&[u8; 4]; 5] = [b"av01", b"grid", b"iovl", b"iden", b"tmap"];

/// Boxes of a `meta` box that say where its items lie and what belongs together.
const DESCRIBED: [&[u8; 4]; 9] =
    [b"iinf", b"iloc", b"idat", b"hdlr", b"pitm", b"iref", b"iprp", b"grpl", b"dinf"];

/// Boxes of tracks that hold others.
const HOLDERS: [&[u8; 4]; 4] = [b"moov", b"trak", b"mdia", b"minf"];

pub(super) fn clean(bytes: &[u8]) -> Option<Vec<u8>> {
    let mut out = bytes.to_vec();
    let mut input = Input(bytes);
    while !input.0.is_empty() {
        let at = position(bytes, input.0);
        let Some(IsoBox { name, content }) = next_box(&mut input) else {
            // No box any more: nobody reads what is left.
            out[at..].fill(0);
            break;
        };
        let from = position(bytes, content);
        match &name {
            b"meta" => clean_items(bytes, content, &mut out)?,
            b"moov" => clean_track(bytes, content, &mut out),
            _ if SHOWN.contains(&&name) => {}
            _ => out[from..from + content.len()].fill(0),
        }
    }
    Some(out)
}

/// Where `part` begins in `whole`, of which it is a part.
fn position(whole: &[u8], part: &[u8]) -> usize {
    part.as_ptr() as usize - whole.as_ptr() as usize
}

/// Blanks what a track's users left in it, positions among it (`udta`, `meta`, `uuid`).
fn clean_track(bytes: &[u8], content: &[u8], out: &mut [u8]) {
    let mut input = Input(content);
    while let Some(IsoBox { name, content }) = next_box(&mut input) {
        if HOLDERS.contains(&&name) {
            clean_track(bytes, content, out);
        } else if matches!(&name, b"udta" | b"uuid" | b"meta") {
            let from = position(bytes, content);
            out[from..from + content.len()].fill(0);
        }
    }
}

/// One item of a `meta` box.
struct Item {
    id: u32,
    kind: [u8; 4],
}

/// Blanks every item but pictures; EXIF and XMP are cleaned where they lie.
fn clean_items(bytes: &[u8], meta: &[u8], out: &mut [u8]) -> Option<()> {
    let mut input = Input(meta);
    // Version and flags.
    input.take(4)?;
    while let Some(IsoBox { name, content }) = next_box(&mut input) {
        if !DESCRIBED.contains(&&name) {
            let from = position(bytes, content);
            out[from..from + content.len()].fill(0);
        }
    }
    let items = Items::read(bytes, meta)?;
    for place in &items.places {
        let kind = items.kind_of(place)?;
        if PICTURES.contains(&&kind) {
            continue;
        }
        let start = items.start_of(place)?;
        let mut single = place.extents.len() == 1;
        for (offset, length) in &place.extents {
            let from = start.checked_add(*offset)?.min(bytes.len());
            // Without a length it reaches to the end, where pictures may lie.
            let end = match length {
                0 => return None,
                length => from.checked_add(*length)?.min(bytes.len()),
            };
            let before = &bytes[from..end];
            let clean = match &kind {
                b"Exif" => exif_block(before),
                b"mime" => clean_xmp(before),
                _ => None,
            };
            let clean = clean.filter(|clean| single && clean.len() <= before.len());
            single = false;
            let blank = if &kind == b"mime" { b' ' } else { 0 };
            out[from..end].fill(blank);
            let clean = clean.unwrap_or_default();
            out[from..from + clean.len()].copy_from_slice(&clean);
        }
    }
    Some(())
}

/// The items of a file beside its pictures, each with its kind: EXIF, XMP, histories of editing.
pub(in crate::metadata) fn beside_pictures(bytes: &[u8]) -> Option<Vec<([u8; 4], &[u8])>> {
    let mut input = Input(bytes);
    let meta = loop {
        let IsoBox { name, content } = next_box(&mut input)?;
        if &name == b"meta" {
            break content;
        }
    };
    let items = Items::read(bytes, meta)?;
    let mut beside = Vec::new();
    for place in &items.places {
        let kind = items.kind_of(place)?;
        if PICTURES.contains(&&kind) {
            continue;
        }
        for (offset, length) in &place.extents {
            let from = items.start_of(place)?.checked_add(*offset)?;
            beside.push((kind, bytes.get(from..from.checked_add(*length)?)?));
        }
    }
    Some(beside)
}

/// The items of a `meta` box, and where they lie.
struct Items {
    items: Vec<Item>,
    places: Vec<Place>,
    /// Where the content of the `idat` box begins.
    data: Option<usize>,
}

impl Items {
    fn read(bytes: &[u8], meta: &[u8]) -> Option<Self> {
        let mut input = Input(meta);
        // Version and flags.
        input.take(4)?;
        let (mut items, mut places, mut data) = (None, None, None);
        while let Some(IsoBox { name, content }) = next_box(&mut input) {
            match &name {
                b"iinf" => items = Some(read_items(content)?),
                b"iloc" => places = Some(read_places(content)?),
                b"idat" => data = Some(position(bytes, content)),
                _ => {}
            }
        }
        Some(Self { items: items?, places: places?, data })
    }

    fn kind_of(&self, place: &Place) -> Option<[u8; 4]> {
        self.items.iter().find(|item| item.id == place.item).map(|item| item.kind)
    }

    /// What a place's offsets count from.
    const fn start_of(&self, place: &Place) -> Option<usize> {
        if place.in_data { self.data } else { Some(0) }
    }
}

/// Behind an offset of four bytes, which becomes 0.
fn exif_block(content: &[u8]) -> Option<Vec<u8>> {
    let (offset, rest) = content.split_first_chunk::<4>()?;
    let block = clean_exif(rest.get(u32::from_be_bytes(*offset) as usize..)?)?;
    Some([&[0; 4], block.as_slice()].concat())
}

/// The `iinf` box's items.
fn read_items(content: &[u8]) -> Option<Vec<Item>> {
    let mut input = Input(content);
    let [version, ..] = input.array::<4>()?;
    input.take(if version == 0 { 2 } else { 4 })?;
    let mut items = Vec::new();
    while let Some(IsoBox { name, content }) = next_box(&mut input) {
        let mut entry = Input(content);
        let [version, ..] = entry.array::<4>()?;
        // Versions before 2 have no type: AVIF does not allow them.
        let id = match (&name, version) {
            (b"infe", 2) => entry.be16()?.into(),
            (b"infe", 3) => entry.be32()?,
            _ => return None,
        };
        entry.take(2)?;
        items.push(Item { id, kind: entry.array()? });
    }
    Some(items)
}

/// Where the data of an item lies.
struct Place {
    item: u32,
    /// True if offsets count from the `idat` box, not from the file's beginning.
    in_data: bool,
    extents: Vec<(usize, usize)>,
}

/// The `iloc` box (ISO/IEC 14496-12, 8.11.3).
fn read_places(content: &[u8]) -> Option<Vec<Place>> {
    let mut input = Input(content);
    let [version, ..] = input.array::<4>()?;
    let [sizes, more] = input.array()?;
    let (offset_size, length_size) = (sizes >> 4, sizes & 15);
    let (base_size, index_size) = (more >> 4, if version == 0 { 0 } else { more & 15 });
    let number = |input: &mut Input<'_>, size: u8| -> Option<usize> {
        match size {
            0 => Some(0),
            4 => input.be32().map(|value| value as usize),
            8 => usize::try_from(u64::from_be_bytes(input.array()?)).ok(),
            _ => None,
        }
    };
    let wide = version == 2;
    let count = if wide { input.be32()? } else { input.be16()?.into() };
    let mut places = Vec::new();
    for _ in 0..count {
        let item = if wide { input.be32()? } else { input.be16()?.into() };
        let method = if version == 0 { 0 } else { input.be16()? & 15 };
        // Neither in this file nor in its own box: not understood.
        if method > 1 || input.be16()? != 0 {
            return None;
        }
        let base = number(&mut input, base_size)?;
        let mut extents = Vec::new();
        for _ in 0..input.be16()? {
            number(&mut input, index_size)?;
            let offset = base.checked_add(number(&mut input, offset_size)?)?;
            extents.push((offset, number(&mut input, length_size)?));
        }
        places.push(Place { item, in_data: method == 1, extents });
    }
    Some(places)
}
