//! Metadata: nothing by default, credit without location, everything, and originals with the place
//! cut out.

use exif::{Field, In, Rational, Tag, Value, experimental::Writer};
use kivet_image::{Limits, credit, metadata, probe, without_location};
use kivet_recipe::Format;

use crate::{pixels, rendered};

const XMP: &str = r#"<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" xmlns:exif="http://ns.adobe.com/exif/1.0/" xmlns:photoshop="http://ns.adobe.com/photoshop/1.0/" exif:GPSLatitude="54,10.5N" photoshop:City="Port Ellery" xmlns:tiff="http://ns.adobe.com/tiff/1.0/" tiff:Orientation="6"><exif:GPSLongitude>4,20.1W</exif:GPSLongitude><photoshop:Credit>Windmark Kite Week</photoshop:Credit></rdf:Description></rdf:RDF></x:xmpmeta>"#;

/// EXIF with an author, an owner, an orientation and a place.
fn exif_block() -> Vec<u8> {
    let text = |tag, text: &str| Field {
        tag,
        ifd_num: In::PRIMARY,
        value: Value::Ascii(vec![text.as_bytes().to_vec()]),
    };
    let degrees = |tag, whole: u32| Field {
        tag,
        ifd_num: In::PRIMARY,
        value: Value::Rational(vec![
            Rational { num: whole, denom: 1 },
            Rational { num: 10, denom: 1 },
            Rational { num: 3333, denom: 100 },
        ]),
    };
    let fields = [
        text(Tag::Artist, "Ilse Varga"),
        text(Tag::Copyright, "Windmark Kite Week"),
        text(Tag::Make, "Harbour Optics"),
        Field { tag: Tag::Orientation, ifd_num: In::PRIMARY, value: Value::Short(vec![6]) },
        text(Tag::GPSLatitudeRef, "N"),
        degrees(Tag::GPSLatitude, 54),
        text(Tag::GPSLongitudeRef, "W"),
        degrees(Tag::GPSLongitude, 4),
    ];
    let mut writer = Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    let mut block = std::io::Cursor::new(Vec::new());
    writer.write(&mut block, false).expect("written");
    block.into_inner()
}

fn jpeg() -> Vec<u8> {
    let mut compress = mozjpeg::Compress::new(mozjpeg::ColorSpace::JCS_RGB);
    compress.set_size(48, 32);
    let mut started = compress.start_compress(Vec::new()).expect("started");
    started
        .write_marker(mozjpeg::Marker::APP(1), &[b"Exif\0\0".as_slice(), &exif_block()].concat());
    started.write_marker(
        mozjpeg::Marker::APP(1),
        &[b"http://ns.adobe.com/xap/1.0/\0".as_slice(), XMP.as_bytes()].concat(),
    );
    let pixels: Vec<u8> =
        (0..48u32 * 32).flat_map(|i| [(i % 48 * 5) as u8, (i / 48 * 7) as u8, 90]).collect();
    started.write_scanlines(&pixels).expect("written");
    started.finish().expect("finished")
}

fn png() -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, 48, 32);
    encoder.set_color(png::ColorType::Rgb);
    let mut writer = encoder.write_header().expect("a header");
    writer.write_chunk(png::chunk::eXIf, &exif_block()).expect("a chunk");
    let text = [b"XML:com.adobe.xmp\0\0\0\0\0".as_slice(), XMP.as_bytes()].concat();
    writer.write_chunk(png::chunk::iTXt, &text).expect("a chunk");
    writer
        .write_image_data(&(0..48u32 * 32 * 3).map(|i| (i % 251) as u8).collect::<Vec<_>>())
        .expect("pixels");
    writer.finish().expect("finished");
    bytes
}

fn says(bytes: &[u8], text: &str) -> bool {
    bytes.windows(text.len()).any(|window| window == text.as_bytes())
}

#[test]
fn by_default_nothing_goes_along() {
    for format in ["jpeg", "png", "webp", "avif", "jxl"] {
        let made = rendered(&jpeg(), &format!("as-{format}"));
        assert_eq!(metadata(&made.bytes).bytes, 0, "{format}");
        for word in ["Ilse", "Windmark", "GPS", "Ellery"] {
            assert!(!says(&made.bytes, word), "{format} says {word}");
        }
    }
}

#[test]
fn credit_goes_along_and_the_place_does_not() {
    for original in [jpeg(), png()] {
        for format in [Format::Jpeg, Format::Png, Format::Webp, Format::Avif, Format::Jxl] {
            let made = rendered(&original, &format!("as-{format}_keep-credit"));
            let kept = credit(&made.bytes, format);
            assert_eq!(kept.creator.as_deref(), Some("Ilse Varga"), "{format}");
            assert_eq!(kept.copyright.as_deref(), Some("Windmark Kite Week"), "{format}");
            assert!(!metadata(&made.bytes).has_location, "{format}");
            for word in ["GPS", "Ellery", "Harbour Optics"] {
                assert!(!says(&made.bytes, word), "{format} says {word}");
            }
            let facts = probe(&made.bytes, Limits::default()).expect("a picture");
            assert_eq!(
                facts.size,
                probe(&original, Limits::default()).expect("a picture").size,
                "{format}"
            );
        }
    }
}

#[test]
fn everything_goes_along_where_it_is_asked_for_but_the_turn_that_was_made() {
    for format in [Format::Jpeg, Format::Png, Format::Webp, Format::Avif, Format::Jxl] {
        let made = rendered(&jpeg(), &format!("as-{format}_keep-all"));
        for word in ["Ilse Varga", "Harbour Optics", "Port Ellery"] {
            assert!(says(&made.bytes, word), "{format} lost {word}");
        }
        let facts = probe(&made.bytes, Limits::default()).expect("a picture");
        assert_eq!(
            (facts.size.width, facts.size.height, facts.orientation.to_exif()),
            (32, 48, 1),
            "{format}"
        );
        assert!(!says(&made.bytes, "Orientation=\"6\""), "{format}");
    }
}

#[test]
fn metadata_that_cannot_be_read_costs_no_rendition() {
    let broken = [b"Exif\0\0".as_slice(), b"MM\0*\0\0\xFF\xFF", &[7; 40]].concat();
    let mut original = vec![0xFF, 0xD8, 0xFF, 0xE1];
    original.extend((broken.len() as u16 + 2).to_be_bytes());
    original.extend(broken);
    original.extend(&jpeg()[2..]);
    for format in ["jpeg", "png", "webp", "avif", "jxl"] {
        rendered(&original, &format!("as-{format}_keep-all"));
    }
}

#[test]
fn an_original_loses_its_place_and_not_a_pixel() {
    let webp = rendered(&jpeg(), "as-webp_keep-all").bytes;
    let avif = rendered(&jpeg(), "as-avif_keep-all").bytes;
    let jxl = rendered(&jpeg(), "as-jxl_keep-all").bytes;
    for original in [jpeg(), png(), webp, avif, jxl] {
        let facts = probe(&original, Limits::default()).expect("a picture");
        let format = facts.format;
        let clean = without_location(&original, format).expect("cleaned");
        assert_ne!(clean, original, "{format}");
        let after = probe(&clean, Limits::default()).expect("a picture");
        assert_eq!((after.size, after.orientation), (facts.size, facts.orientation), "{format}");
        assert_eq!(pixels(&clean), pixels(&original), "{format}");
        assert!(!metadata(&clean).has_location, "{format}");
        for word in ["GPSL", "Port Ellery", "54,10.5N", "4,20.1W"] {
            assert!(!says(&clean, word), "{format} still says {word}");
        }
        let kept = credit(&clean, format);
        assert_eq!(kept.creator.as_deref(), Some("Ilse Varga"), "{format}");
        // The numbers themselves are gone too: 54 degrees and 33.33 seconds as TIFF rationals.
        assert!(
            !clean.windows(8).any(|window| window == [0, 0, 0x0D, 0x05, 0, 0, 0, 100]),
            "{format}"
        );
        let again = without_location(&clean, format).expect("cleaned");
        assert_eq!(again, clean, "{format}: nothing more to cut");
    }
}
