use exif::{Field, In, Rational, Tag, Value, experimental::Writer};
use kivet_recipe::{Encoding, Size};

use super::*;
use crate::{Limits, Raster, draw, encode, probe};

/// A place, as digits that stand nowhere else.
const DEGREES: u32 = 0x0054_3219;
const WRITTEN: &str = "54.3219876";

fn exif_block(little: bool) -> Vec<u8> {
    let degrees = Value::Rational(vec![Rational { num: DEGREES, denom: 100_000 }; 3]);
    let note = Value::Undefined(format!("note {WRITTEN}").into_bytes(), 0);
    let field = |tag, value| Field { tag, ifd_num: In::PRIMARY, value };
    let fields = [
        field(Tag::Artist, Value::Ascii(vec![b"Ilse Varga".to_vec()])),
        field(Tag::GPSLatitude, degrees.clone()),
        field(Tag::GPSDestLongitude, degrees),
        field(Tag::MakerNote, note.clone()),
        field(Tag::UserComment, note),
    ];
    let mut writer = Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    let mut block = std::io::Cursor::new(Vec::new());
    writer.write(&mut block, little).expect("written");
    block.into_inner()
}

fn packet(property: &str) -> String {
    format!(
        r#"<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:odd="http://ns.adobe.com/exif/1.0/" xmlns:dc="http://purl.org/dc/elements/1.1/" odd:{property}="{WRITTEN}" dc:creator="Ilse Varga"/></rdf:RDF></x:xmpmeta>"#
    )
}

fn utf_16(text: &str) -> Vec<u8> {
    [0xFEFFu16].into_iter().chain(text.encode_utf16()).flat_map(u16::to_be_bytes).collect()
}

/// True if the place is in there, in any way of writing it.
fn tells(bytes: &[u8]) -> bool {
    let ways = [
        DEGREES.to_be_bytes().to_vec(),
        DEGREES.to_le_bytes().to_vec(),
        WRITTEN.as_bytes().to_vec(),
        utf_16(WRITTEN)[2..].to_vec(),
        packed(WRITTEN.as_bytes())[2..10].to_vec(),
    ];
    ways.iter().any(|way| bytes.windows(way.len()).any(|window| window == way))
}

fn packed(bytes: &[u8]) -> Vec<u8> {
    use std::io::Write;
    let mut packer = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::none());
    packer.write_all(bytes).expect("packed");
    packer.finish().expect("packed")
}

fn picture(format: Format) -> Vec<u8> {
    let pixels = (0..45 * 31 * 3u32).map(|i| (i * 37 % 251) as u8).collect();
    let raster = Raster::new(Size::new(45, 31), false, pixels).expect("pixels");
    let encoding = match format {
        Format::Gif => Encoding::Palette,
        Format::Png => Encoding::Lossless,
        _ => Encoding::lossy(70.0),
    };
    encode(&raster, format, encoding).expect("encoded")
}

fn seen(bytes: &[u8]) -> Raster {
    let facts = probe(bytes, Limits::default()).expect("a picture");
    let plan = kivet_recipe::plan_for(&Default::default(), &facts);
    draw(bytes, &facts, &plan, None).expect("drawn")
}

#[track_caller]
fn loses_its_place(name: &str, file: &[u8]) -> Vec<u8> {
    assert!(tells(file), "{name}: the test says no place");
    let facts = probe(file, Limits::default()).expect("a picture");
    let clean = without_location(file, facts.format).expect(name);
    assert!(!tells(&clean), "{name} still tells");
    assert_eq!(seen(&clean), seen(file), "{name}: other pixels");
    assert_eq!(probe(&clean, Limits::default()).expect("facts").size, facts.size);
    clean
}

fn segment(marker: u8, content: &[u8]) -> Vec<u8> {
    [&[0xFF, marker], &(content.len() as u16 + 2).to_be_bytes()[..], content].concat()
}

#[test]
fn of_jpegs() {
    let plain = picture(Format::Jpeg);
    let after_start =
        |segments: &[Vec<u8>]| [&plain[..2], &segments.concat(), &plain[2..]].concat();
    let exif = |little| segment(0xE1, &[b"Exif\0\0".as_slice(), &exif_block(little)].concat());
    let xmp =
        |text: &[u8]| segment(0xE1, &[b"http://ns.adobe.com/xap/1.0/\0".as_slice(), text].concat());
    let gps = packet("GPSLatitude");
    let extended = [
        b"http://ns.adobe.com/xmp/extension/\0".as_slice(),
        &[b'A'; 32],
        &[0, 0, 1, 0, 0, 0, 0, 0],
        gps.as_bytes(),
    ]
    .concat();
    let photoshop = [
        b"Photoshop 3.0\x008BIM\x04\x04\0\0\0\0\0\x0F\x1C\x02\x5A\0\x0A".as_slice(),
        WRITTEN.as_bytes(),
    ]
    .concat();
    for (name, file) in [
        ("two EXIF blocks", after_start(&[exif(false), exif(true)])),
        ("XMP twice", after_start(&[xmp(gps.as_bytes()), xmp(gps.as_bytes())])),
        ("an odd name", after_start(&[xmp(packet("PositionOfCamera").as_bytes())])),
        ("UTF-16", after_start(&[xmp(&utf_16(&gps))])),
        ("extended XMP", after_start(&[segment(0xE1, &extended)])),
        ("IPTC", after_start(&[segment(0xED, &photoshop)])),
        ("a comment", after_start(&[segment(0xFE, WRITTEN.as_bytes())])),
        ("an unknown segment", after_start(&[segment(0xE7, gps.as_bytes())])),
        ("after the end", [plain.clone(), exif(true), gps.clone().into_bytes()].concat()),
        ("a second picture", [plain.clone(), after_start(&[exif(false)])].concat()),
        ("before the scan's end", {
            let end = plain.len() - 2;
            [&plain[..end], &exif(true), &plain[end..]].concat()
        }),
    ] {
        let clean = loses_its_place(name, &file);
        for cut in (0..file.len()).step_by(41) {
            let part = without_location(&file[..cut], Format::Jpeg);
            assert!(part.is_err() || !tells(&part.unwrap_or_default()), "{name}, cut at {cut}");
        }
        assert_eq!(
            without_location(&clean, Format::Jpeg),
            Ok(clean),
            "{name}: nothing more to cut"
        );
    }
    let kept = loses_its_place("credit", &after_start(&[exif(true), xmp(gps.as_bytes())]));
    let credit = crate::credit(&kept, Format::Jpeg);
    assert_eq!(credit.creator.as_deref(), Some("Ilse Varga"));
}

fn chunk(name: &[u8; 4], data: &[u8]) -> Vec<u8> {
    let mut sum = flate2::Crc::new();
    sum.update(name);
    sum.update(data);
    [&(data.len() as u32).to_be_bytes(), name.as_slice(), data, &sum.sum().to_be_bytes()].concat()
}

#[test]
fn of_pngs() {
    let plain = picture(Format::Png);
    let with = |chunk: Vec<u8>| [&plain[..33], &chunk, &plain[33..]].concat();
    let hex: String = exif_block(true).iter().map(|byte| format!("{byte:02x}")).collect();
    let raw = [
        b"Raw profile type exif\0\0".as_slice(),
        &packed(format!("\nexif\n{hex}{WRITTEN}").as_bytes()),
    ];
    let text = packet("GPSLatitude");
    let xmp = |text: &str| [b"XML:com.adobe.xmp\0\0\0\0\0", text.as_bytes()].concat();
    let packed_xmp =
        [b"XML:com.adobe.xmp\0\x01\0\0\0".as_slice(), &packed(WRITTEN.as_bytes())].concat();
    let other_first = [
        chunk(b"iTXt", &[b"Comment\0\0\0\0\0", WRITTEN.as_bytes()].concat()),
        chunk(b"iTXt", &xmp(&text)),
    ];
    for (name, file) in [
        (
            "EXIF twice",
            with([chunk(b"eXIf", &exif_block(true)), chunk(b"eXIf", &exif_block(false))].concat()),
        ),
        ("a raw profile", with(chunk(b"zTXt", &raw.concat()))),
        ("packed XMP", with(chunk(b"iTXt", &packed_xmp))),
        ("XMP behind another text", with(other_first.concat())),
        ("an unknown chunk", with(chunk(b"loCa", WRITTEN.as_bytes()))),
        ("after the end", [plain.clone(), chunk(b"eXIf", &exif_block(true))].concat()),
    ] {
        loses_its_place(name, &file);
    }
}

#[test]
fn of_webps() {
    let plain = picture(Format::Webp);
    let chunk = |name: &[u8; 4], data: &[u8]| {
        [name, &(data.len() as u32).to_le_bytes()[..], data, &vec![0; data.len() % 2]].concat()
    };
    let extended = |chunks: &[Vec<u8>]| {
        let mut header = chunk(b"VP8X", &[0x0C, 0, 0, 0, 44, 0, 0, 30, 0, 0]);
        header.extend(&plain[12..]);
        let body = [b"WEBP".as_slice(), &header, &chunks.concat()].concat();
        [b"RIFF".as_slice(), &(body.len() as u32).to_le_bytes(), &body].concat()
    };
    let text = packet("GPSLatitude");
    for (name, file) in [
        (
            "EXIF and XMP",
            extended(&[chunk(b"EXIF", &exif_block(true)), chunk(b"XMP ", text.as_bytes())]),
        ),
        (
            "EXIF twice",
            extended(&[chunk(b"EXIF", &exif_block(true)), chunk(b"EXIF", &exif_block(false))]),
        ),
        ("an unknown chunk", extended(&[chunk(b"LOCA", WRITTEN.as_bytes())])),
        ("after the end", [plain.clone(), chunk(b"EXIF", &exif_block(false))].concat()),
    ] {
        loses_its_place(name, &file);
    }
}

#[test]
fn of_gifs_and_tiffs() {
    let plain = picture(Format::Gif);
    let table = 13 + (3 << ((plain[10] & 7) + 1)) * usize::from(plain[10] >> 7);
    let text = [b"\x21\xFE\x0A".as_slice(), WRITTEN.as_bytes(), &[0]].concat();
    let xmp = [b"\x21\xFF\x0BXMP DataXMP\x0A".as_slice(), WRITTEN.as_bytes(), &[0]].concat();
    for block in [text, xmp] {
        loses_its_place("a GIF", &[&plain[..table], &block, &plain[table..]].concat());
    }
    loses_its_place("a GIF's end", &[&plain, WRITTEN.as_bytes()].concat());

    let mut tiff = std::io::Cursor::new(Vec::new());
    let pixels: Vec<u8> = (0..45 * 31 * 3u32).map(|i| (i * 37 % 251) as u8).collect();
    image::ImageEncoder::write_image(
        image::codecs::tiff::TiffEncoder::new(&mut tiff),
        &pixels,
        45,
        31,
        image::ExtendedColorType::Rgb8,
    )
    .expect("written");
    // The directory is put at the end with more entries: GPS, XMP, IPTC.
    let mut tiff = tiff.into_inner();
    let at = u32::from_le_bytes(*tiff[4..].first_chunk().expect("an offset")) as usize;
    let count = usize::from(u16::from_le_bytes([tiff[at], tiff[at + 1]]));
    let mut entries = tiff[at + 2..at + 2 + count * 12].to_vec();
    let positions = tiff.len() as u32;
    tiff.extend([1u16, 2, 5].into_iter().flat_map(u16::to_le_bytes));
    tiff.extend([3u32, positions + 18, 0].into_iter().flat_map(u32::to_le_bytes));
    tiff.extend([DEGREES, 100_000].repeat(3).into_iter().flat_map(u32::to_le_bytes));
    for tag in [700u16, 33_723] {
        let value = tiff.len() as u32;
        tiff.extend(packet("GPSLatitude").as_bytes());
        let length = tiff.len() as u32 - value;
        entries.extend([tag, 7].into_iter().flat_map(u16::to_le_bytes));
        entries.extend([length, value].into_iter().flat_map(u32::to_le_bytes));
    }
    entries.extend([0x8825u16, 4].into_iter().flat_map(u16::to_le_bytes));
    entries.extend([1, positions].into_iter().flat_map(u32::to_le_bytes));
    let directory = tiff.len() as u32;
    tiff.extend((count as u16 + 3).to_le_bytes());
    tiff.extend(entries);
    tiff.extend([0; 4]);
    tiff[4..8].copy_from_slice(&directory.to_le_bytes());
    loses_its_place("a TIFF", &tiff);
}

#[test]
fn of_avifs() {
    let raster = Raster::filled(Size::new(40, 24), [90, 140, 60, 255], false);
    let text = packet("GPSLatitude").into_bytes();
    let kept = crate::Kept { exif: Some(exif_block(false)), xmp: Some(text) };
    let writing = crate::Writing { kept, ..crate::Writing::new(Encoding::lossy(60.0)) };
    let avif = crate::write(&raster, Format::Avif, &writing).expect("an AVIF");
    let clean = loses_its_place("an AVIF", &avif);
    assert_eq!(crate::credit(&clean, Format::Avif).creator.as_deref(), Some("Ilse Varga"));
    loses_its_place(
        "an AVIF's end",
        &[avif, vec![0, 0, 0, 18], b"uuid".to_vec(), WRITTEN.into()].concat(),
    );
}

#[cfg(feature = "jxl")]
#[test]
fn of_jpeg_xl() {
    let raster = Raster::filled(Size::new(40, 24), [90, 140, 60, 255], false);
    let kept = crate::Kept { exif: Some(exif_block(false)), xmp: None };
    let writing = crate::Writing { kept, ..crate::Writing::new(Encoding::lossy(60.0)) };
    let jxl = crate::write(&raster, Format::Jxl, &writing).expect("a JPEG XL");
    let with = |name: &[u8; 4], content: &[u8]| {
        [&jxl, &(content.len() as u32 + 8).to_be_bytes()[..], name, content].concat()
    };
    let clean = loses_its_place("EXIF", &jxl);
    assert_eq!(crate::credit(&clean, Format::Jxl).creator.as_deref(), Some("Ilse Varga"));
    loses_its_place("EXIF without an offset", &with(b"Exif", &exif_block(true)));
    loses_its_place("packed", &with(b"brob", &[b"xml ", WRITTEN.as_bytes()].concat()));
    loses_its_place("unknown", &with(b"jumb", WRITTEN.as_bytes()));
}
