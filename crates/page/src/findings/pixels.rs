//! Pixels and formats: more than is shown, cut away, old formats, drawings as photographs,
//! metadata, duplicates.

use kivet_recipe::{Format, Kind};

use super::{Code, Cost, Finding, name, px, size};
use crate::observation::{Covering, Fitted, Observation, PictureFile, Placement, Role, Use};

/// More than this many times the pixels shown are too many: ladders of widths leave less than
/// twice.
const SURPLUS: f64 = 2.0;

/// Cutting away less than this share is what a crop by ratio costs at best.
const CUT: f64 = 0.2;

/// A better format must save this share of the bytes.
const FORMAT_GAIN: f64 = 0.25;

/// WebP is no old format; only waste in how it was written is worth a word.
const WEBP_GAIN: f64 = 0.5;

/// Fewer bytes than this are not worth making another file for.
const MIN_BYTES: u64 = 2_000;

/// Fewer bytes than this are not worth another width or crop, which a service gives for the asking.
const MIN_SURPLUS: u64 = 1_000;

/// Metadata up to this length may hold a credit.
const METADATA: u64 = 2_000;

pub(super) fn findings(page: &Observation) -> Vec<Finding> {
    let mut found = Vec::new();
    let mut told: Vec<(&str, Code)> = Vec::new();
    for place in &page.uses {
        let Some(file) = page.file(place) else { continue };
        let mut of_place = of_file(page, place, file);
        if let (Some(placement), Some(fitted)) = (placement(place, file), &place.fitted) {
            of_place.extend(of_fit(page, place, file, &placement, fitted));
        }
        // What is true of the file is said once, however often it is used.
        of_place.retain(|one| {
            !one.code.is_of_file() || !told.contains(&(place.url.as_str(), one.code))
        });
        told.extend(of_place.iter().map(|one| (place.url.as_str(), one.code)));
        found.extend(of_place);
    }
    found.extend(duplicates(page));
    found
}

impl Code {
    const fn is_of_file(self) -> bool {
        matches!(
            self,
            Self::BetterFormat
                | Self::FlatAsPixels
                | Self::VectorBeside
                | Self::AnimatedGif
                | Self::MetadataLeft
        )
    }
}

/// Where the picture of a use lies, if it is made of pixels and shown at all.
pub(crate) fn placement(place: &Use, file: &PictureFile) -> Option<Placement> {
    let natural = file.pixels()?;
    if !place.rendered || place.area.is_empty() {
        return None;
    }
    let placement = Placement::new(natural, place.area, place.uncut, &place.fit, &place.position);
    (!placement.seen.is_empty()).then_some(placement)
}

/// What of the file's pixels is too much for how it is shown.
fn of_fit(
    page: &Observation,
    place: &Use,
    file: &PictureFile,
    at: &Placement,
    fitted: &Fitted,
) -> Vec<Finding> {
    let mut found = Vec::new();
    let Some((width, height)) = file.pixels() else { return found };
    let moves = file.facts.as_ref().is_some_and(|facts| facts.animated);
    let density = page.device.density;
    let (shown_width, shown_height) = (at.drawn.width * density, at.drawn.height * density);
    let surplus = (width * height) / (shown_width.min(width) * shown_height.min(height)).max(1.0);
    // Metadata is waste of its own, with a finding of its own.
    let sent = file.bytes.saturating_sub(file.metadata_bytes);
    // Bytes follow pixels: each cause bears its share of what is sent.
    let after_pixels = if surplus > SURPLUS { (sent as f64 / surplus) as u64 } else { sent };
    let cost = sent - after_pixels;
    if surplus > SURPLUS && cost >= MIN_SURPLUS {
        let shown = format!("{} x {} px", px(at.drawn.width), px(at.drawn.height));
        let why = format!(
            "{} is {width} x {height} and is shown at {shown}, {} x {} device pixels: {surplus:.1} times the pixels",
            name(&place.url),
            px(shown_width),
            px(shown_height),
        );
        found.push(Finding::at(
            Code::MorePixels,
            place,
            Cost::bytes(cost),
            why,
            smaller(place, fitted, at),
        ));
    }
    found.extend(cut_away(place, at, fitted, after_pixels));
    let counted = if at.covering != Covering::Piece {
        (after_pixels as f64 * (1.0 - at.cut())) as u64
    } else {
        after_pixels
    };
    let saved = counted.saturating_sub(fitted.bytes);
    if !moves && file.kind == Kind::Photo && is_worth_another_format(file, counted, saved, fitted) {
        let was = file.facts.as_ref().map_or("?", |facts| facts.format.name());
        let way = if fitted.made { "made here" } else { "expected" };
        let why = format!(
            "what is shown of {} takes {} as {was} and {} as {} at fidelity {} ({way})",
            name(&place.url),
            size(counted),
            size(fitted.bytes),
            fitted.format,
            fitted.target.get(),
        );
        found.push(Finding::at(
            Code::BetterFormat,
            place,
            Cost::bytes(saved),
            why,
            typed(place, fitted),
        ));
    }
    found.extend(too_heavy_a_drawing(place, file, sent, fitted).filter(|_| !moves));
    found
}

/// What the layout cuts away of a file that weighs `bytes` without its surplus of pixels.
fn cut_away(place: &Use, at: &Placement, fitted: &Fitted, bytes: u64) -> Option<Finding> {
    let cut = at.cut();
    let cost = (bytes as f64 * cut) as u64;
    if cut <= CUT || at.covering == Covering::Piece || cost < MIN_SURPLUS {
        return None;
    }
    let why = format!(
        "{:.0}% of {} is cut away: {} x {} px of it are seen",
        cut * 100.0,
        name(&place.url),
        px(at.seen.width),
        px(at.seen.height),
    );
    let fix = format!(
        "/pic/{}w_ratio-{}/<shelf>/{}",
        fitted.width,
        ratio(at.seen.width, at.seen.height),
        name(&place.url)
    );
    Some(Finding::at(Code::CutAway, place, Cost::bytes(cost), why, fix))
}

/// A drawing has no right number of pixels: all that is sent beyond what shows it is waste.
fn too_heavy_a_drawing(
    place: &Use,
    file: &PictureFile,
    sent: u64,
    fitted: &Fitted,
) -> Option<Finding> {
    let saved = sent.saturating_sub(fitted.bytes);
    if file.kind == Kind::Photo || saved < MIN_BYTES || (saved as f64) < FORMAT_GAIN * sent as f64 {
        return None;
    }
    let why = format!(
        "{} is flat art and takes {}; what is shown of it would take {} as {}, less still as a vector",
        name(&place.url),
        size(sent),
        size(fitted.bytes),
        fitted.format,
    );
    let fix = format!("an SVG from whoever drew it, else {}", typed(place, fitted));
    Some(Finding::at(Code::FlatAsPixels, place, Cost::bytes(saved), why, fix))
}

fn is_worth_another_format(file: &PictureFile, counted: u64, saved: u64, fitted: &Fitted) -> bool {
    let Some(facts) = &file.facts else { return false };
    let gain = match facts.format {
        Format::Avif | Format::Jxl | Format::Svg => return false,
        Format::Webp => WEBP_GAIN,
        _ => FORMAT_GAIN,
    };
    facts.format != fitted.format && saved >= MIN_BYTES && saved as f64 >= gain * counted as f64
}

/// What is true of the file however it is shown.
fn of_file(page: &Observation, place: &Use, file: &PictureFile) -> Vec<Finding> {
    let mut found = Vec::new();
    let Some(facts) = &file.facts else { return found };
    if let Some(vector) = &place.vector_beside {
        let why = format!("{} is sent, and {} lies beside it", name(&place.url), name(vector));
        let fix = place.element.rewritten(&[
            ("src", Some(name_in_place_of(&place.element, vector))),
            ("srcset", None),
        ]);
        found.push(Finding::at(Code::VectorBeside, place, Cost::bytes(file.bytes), why, fix));
    }
    if facts.format == Format::Gif && facts.animated && file.bytes >= MIN_BYTES {
        let why = format!("{} moves and takes {} as GIF", name(&place.url), size(file.bytes));
        let fix = format!(
            "<video autoplay muted loop playsinline width=\"{}\" height=\"{}\" src=\"{}.mp4\"></video>, or an animated WebP",
            facts.size.width,
            facts.size.height,
            stem(name(&place.url)),
        );
        found.push(Finding::at(Code::AnimatedGif, place, Cost::bytes(file.bytes), why, fix));
    }
    let sent = page.request(&place.url).map_or(file.bytes, |request| request.bytes.max(file.bytes));
    if file.metadata_bytes >= METADATA || (file.has_location && file.metadata_bytes > 0) {
        let location =
            if file.has_location { ", among it where the picture was taken" } else { "" };
        let why = format!(
            "{} of the {} of {} are metadata and thumbnails{location}",
            size(file.metadata_bytes),
            size(sent),
            name(&place.url)
        );
        let fix = format!("/pic/{}w/<shelf>/{}", facts.size.width, name(&place.url));
        found.push(Finding::at(
            Code::MetadataLeft,
            place,
            Cost::bytes(file.metadata_bytes),
            why,
            fix,
        ));
    }
    found
}

/// The vector's address, written the way the page wrote the picture's.
fn name_in_place_of(element: &crate::Element, vector: &str) -> String {
    let written = element.attribute("src").unwrap_or(vector);
    match written.rsplit_once('/') {
        Some((folder, _)) => format!("{folder}/{}", name(vector)),
        None => name(vector).to_owned(),
    }
}

fn duplicates(page: &Observation) -> Vec<Finding> {
    let mut found: Vec<Finding> = Vec::new();
    let mut first: Vec<(&str, &Use)> = Vec::new();
    for place in &page.uses {
        let Some(file) = page.file(place) else { continue };
        let fetched = page.request(&place.url).is_some_and(|request| request.bytes > 0);
        if !fetched || file.bytes < MIN_BYTES / 4 {
            continue;
        }
        match first.iter().find(|(hash, _)| *hash == file.hash) {
            Some((_, earlier))
                if earlier.url != place.url && !found.iter().any(|one| one.url == place.url) =>
            {
                let why =
                    format!("{} and {} are the same bytes, fetched twice", place.url, earlier.url);
                let fix = format!("use {} in both places", earlier.url);
                found.push(Finding::at(
                    Code::DuplicatePicture,
                    place,
                    Cost::bytes(file.bytes),
                    why,
                    fix,
                ));
            }
            Some(_) => {}
            None => first.push((&file.hash, place)),
        }
    }
    found
}

/// Markup or CSS that asks for the pixels shown.
fn smaller(place: &Use, fitted: &Fitted, at: &Placement) -> String {
    let address = |width: u32| format!("/pic/{width}w/<shelf>/{}", name(&place.url));
    let widths = [fitted.width.div_ceil(2).max(1), fitted.width];
    if place.role == Role::Img {
        let srcset: Vec<String> =
            widths.iter().map(|width| format!("{} {width}w", address(*width))).collect();
        return place.element.rewritten(&[
            ("src", Some(address(fitted.width))),
            ("srcset", Some(srcset.join(", "))),
            ("sizes", Some(format!("{}px", px(at.drawn.width)))),
        ]);
    }
    format!(
        "background-image: image-set(url({}) 1x, url({}) 2x)",
        address(widths[0]),
        address(widths[1])
    )
}

/// Markup that offers the lighter format first.
/// A file's name without `.gif`.
fn stem(name: &str) -> &str {
    name.strip_suffix(".gif").unwrap_or(name)
}

fn typed(place: &Use, fitted: &Fitted) -> String {
    let address =
        format!("/pic/{}w_as-{}/<shelf>/{}", fitted.width, fitted.format.name(), name(&place.url));
    if place.role == Role::Img {
        let media = fitted.format.media_type();
        return format!(
            "<picture><source type=\"{media}\" srcset=\"{address}\">{}</picture>",
            place.element.rewritten(&[])
        );
    }
    format!("background-image: image-set(url({address}) type(\"{}\"))", fitted.format.media_type())
}

/// A ratio in small whole numbers, near enough for a crop.
fn ratio(width: f64, height: f64) -> String {
    let target = width / height;
    let best = (1..=20_u32)
        .map(|down| ((target * f64::from(down)).round().max(1.0), f64::from(down)))
        .min_by(|a, b| {
            let off =
                |(across, down): &(f64, f64)| (across / down / target).ln().abs() + down / 1e4;
            off(a).total_cmp(&off(b))
        })
        .unwrap_or((1.0, 1.0));
    format!("{}-{}", best.0, best.1)
}
