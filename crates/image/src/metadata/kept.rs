//! Metadata that a rendition carries on.

use exif::{Field, In, Tag, Value, experimental::Writer};
use kivet_recipe::{Format, Keep};

use super::{blocks, upright};

/// Blocks to write into a rendition.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Kept {
    /// EXIF, as a TIFF structure.
    pub exif: Option<Vec<u8>>,
    /// An XMP packet.
    pub xmp: Option<Vec<u8>>,
}

/// Whose a picture is, as far as its metadata says.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Credit {
    /// Who made it.
    pub creator: Option<String>,
    /// Whose it is.
    pub copyright: Option<String>,
}

/// What a rendition of the original in `bytes` keeps.
pub fn kept(bytes: &[u8], format: Format, keep: Option<Keep>) -> Kept {
    match keep {
        None => Kept::default(),
        // A TIFF's structure holds its pixels too: only the credit of it goes elsewhere.
        Some(Keep::All) if format != Format::Tiff => {
            // What cannot be read is left out: encoders refuse it.
            let is_read = |block: &Vec<u8>| exif::Reader::new().read_raw(block.clone()).is_ok();
            let exif = blocks::exif(bytes, format).filter(is_read).map(|mut exif| {
                upright::in_exif(&mut exif);
                exif
            });
            let xmp = blocks::xmp(bytes, format).and_then(|packet| upright::in_xmp(&packet));
            Kept { exif, xmp }
        }
        Some(Keep::Credit | Keep::All) => {
            let credit = credit(bytes, format);
            Kept { exif: credit_as_exif(&credit), xmp: credit_as_xmp(&credit) }
        }
    }
}

/// The credit in a file's EXIF, else in its XMP.
pub fn credit(bytes: &[u8], format: Format) -> Credit {
    let block = blocks::exif(bytes, format);
    let exif = block.and_then(|block| exif::Reader::new().read_raw(block).ok());
    let in_exif = |tag: Tag| {
        let field = exif.as_ref()?.get_field(tag, In::PRIMARY)?;
        let Value::Ascii(parts) = &field.value else { return None };
        let text: Vec<String> =
            parts.iter().map(|part| String::from_utf8_lossy(part).trim().to_owned()).collect();
        Some(text.join("; ")).filter(|text| !text.is_empty())
    };
    let packet = blocks::xmp(bytes, format).and_then(|packet| String::from_utf8(packet).ok());
    let in_packet = packet.map(|packet| credit_in_xmp(&packet)).unwrap_or_default();
    Credit {
        creator: in_exif(Tag::Artist).or(in_packet.creator),
        copyright: in_exif(Tag::Copyright).or(in_packet.copyright),
    }
}

/// The credit in an XMP packet.
pub(super) fn credit_in_xmp(packet: &str) -> Credit {
    let Ok(document) = roxmltree::Document::parse(packet) else { return Credit::default() };
    let first = |names: &[&str]| names.iter().find_map(|name| said(&document, name));
    Credit {
        creator: first(&["creator", "Credit"]),
        copyright: first(&["rights", "CopyrightNotice"]),
    }
}

/// What an XMP property of that local name says, as an element or an attribute.
fn said(document: &roxmltree::Document<'_>, name: &str) -> Option<String> {
    let clean = |text: &str| Some(text.trim().to_owned()).filter(|text| !text.is_empty());
    document.descendants().find_map(|node| {
        if node.is_element() && node.tag_name().name() == name {
            let parts: Vec<&str> = node
                .descendants()
                .filter_map(|part| part.text().filter(|_| part.is_text()))
                .map(str::trim)
                .collect();
            return clean(
                &parts.into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join("; "),
            );
        }
        node.attributes()
            .find(|attribute| attribute.name() == name)
            .and_then(|attribute| clean(attribute.value()))
    })
}

fn credit_as_exif(credit: &Credit) -> Option<Vec<u8>> {
    let field = |tag, text: &Option<String>| {
        let text = text.as_ref()?;
        Some(Field {
            tag,
            ifd_num: In::PRIMARY,
            value: Value::Ascii(vec![text.clone().into_bytes()]),
        })
    };
    let fields: Vec<Field> =
        [field(Tag::Artist, &credit.creator), field(Tag::Copyright, &credit.copyright)]
            .into_iter()
            .flatten()
            .collect();
    if fields.is_empty() {
        return None;
    }
    let mut writer = Writer::new();
    fields.iter().for_each(|field| writer.push_field(field));
    let mut block = std::io::Cursor::new(Vec::new());
    writer.write(&mut block, false).ok()?;
    Some(block.into_inner())
}

/// An XMP packet that says whose a picture is; `None` where that is not known.
pub(super) fn credit_as_xmp(credit: &Credit) -> Option<Vec<u8>> {
    let escaped =
        |text: &String| text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
    let creator = credit.creator.as_ref().map(|text| {
        format!("<dc:creator><rdf:Seq><rdf:li>{}</rdf:li></rdf:Seq></dc:creator>", escaped(text))
    });
    let rights = credit.copyright.as_ref().map(|text| {
        format!(
            "<dc:rights><rdf:Alt><rdf:li xml:lang=\"x-default\">{}</rdf:li></rdf:Alt></dc:rights>",
            escaped(text)
        )
    });
    let said: String = creator.into_iter().chain(rights).collect();
    (!said.is_empty()).then(|| {
        format!("<x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\"><rdf:Description rdf:about=\"\" xmlns:dc=\"http://purl.org/dc/elements/1.1/\">{said}</rdf:Description></rdf:RDF></x:xmpmeta>").into_bytes()
    })
}
