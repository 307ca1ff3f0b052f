//! Pixels and formats: more than is shown, cut away, old formats, drawings as photographs,
//! metadata, duplicates.

use kivet_recipe::{Format, Kind};
use url::Url;

use super::{Code, Cost, Finding, Fix, name, px, size};
use crate::observation::{Covering, Fitted, Observation, PictureFile, Placement, Role, Use};
use crate::{read_srcset, source_for};

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
        of_place.extend(described(page, place, file));
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
        found.push(Finding::at(Code::MorePixels, place, Cost::bytes(cost), why, Fix::Renditions));
    }
    found.extend(too_few(page, place, at));
    found.extend(cut_away(place, at, after_pixels));
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
            Fix::Renditions,
        ));
    }
    found.extend(too_heavy_a_drawing(place, file, sent, fitted).filter(|_| !moves));
    found
}

/// Screens denser than this show no finer detail that eyes could miss.
const DENSE: f64 = 2.0;

/// Shown with less than this share of the pixels it could have, a picture looks blurred.
const SHARP: f64 = 0.75;

/// A mark this small hides it.
const MARK: f64 = 24.0;

/// A picture that is enlarged so far that it is seen.
fn too_few(page: &Observation, place: &Use, at: &Placement) -> Option<Finding> {
    let file = page.file(place)?;
    let (width, _) = file.pixels()?;
    let shown = at.drawn.width * page.device.density.min(DENSE);
    let is_meant = at.covering == Covering::Piece || at.drawn.width < MARK || width < MARK;
    if is_meant || width >= SHARP * shown {
        return None;
    }
    let why = format!(
        "{} is {width} px wide and is shown at {} px, {} device pixels: it looks blurred",
        name(&place.url),
        px(at.drawn.width),
        px(at.drawn.width * page.device.density),
    );
    let fix = match place.url.contains("/pic/") {
        true => Fix::Renditions,
        false => Fix::Words(format!("a larger original: {} px wide or more", px(shown))),
    };
    Some(Finding::at(Code::TooFewPixels, place, Cost::NONE, why, fix))
}

/// A width that `srcset` says of the candidate taken, and its file does not have.
fn described(page: &Observation, place: &Use, file: &PictureFile) -> Option<Finding> {
    let (width, _) = file.pixels().filter(|_| place.role == Role::Img)?;
    let srcset = match source_for(&place.sources, &page.device) {
        Some(source) => source.srcset.as_str(),
        None => place.element.attribute("srcset")?,
    };
    let base = Url::parse(&page.url).ok()?;
    let candidates = read_srcset(srcset);
    let taken = candidates
        .iter()
        .find(|one| base.join(&one.url).is_ok_and(|url| url.as_str() == place.url))?;
    let said = taken.width?;
    let off = (said / width - 1.0).abs();
    if off < DESCRIBED || (said - width).abs() < 4.0 {
        return None;
    }
    let why = format!(
        "srcset says {} is {said} px wide, and it is {width}: browsers take it for the wrong screens",
        name(&place.url)
    );
    Some(Finding::at(Code::DescriptorWrong, place, Cost::NONE, why, Fix::Renditions))
}

/// A descriptor this far off is wrong.
const DESCRIBED: f64 = 0.03;

/// What the layout cuts away of a file that weighs `bytes` without its surplus of pixels.
fn cut_away(place: &Use, at: &Placement, bytes: u64) -> Option<Finding> {
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
    Some(Finding::at(Code::CutAway, place, Cost::bytes(cost), why, Fix::Renditions))
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
    Some(Finding::at(Code::FlatAsPixels, place, Cost::bytes(saved), why, Fix::Renditions))
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
        let fix = Fix::all(&[
            ("src", Some(name_in_place_of(&place.element, vector))),
            ("srcset", None),
            ("sizes", None),
        ]);
        found.push(Finding::at(Code::VectorBeside, place, Cost::bytes(file.bytes), why, fix));
    }
    if facts.format == Format::Gif && facts.animated && file.bytes >= MIN_BYTES {
        let why = format!("{} moves and takes {} as GIF", name(&place.url), size(file.bytes));
        let fix = Fix::Words(format!(
            "<video autoplay muted loop playsinline width=\"{}\" height=\"{}\" src=\"{}.mp4\"></video>, or an animated WebP",
            facts.size.width,
            facts.size.height,
            stem(name(&place.url)),
        ));
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
        found.push(Finding::at(
            Code::MetadataLeft,
            place,
            Cost::bytes(file.metadata_bytes),
            why,
            Fix::Renditions,
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
                let fix = Fix::Words(format!("use {} in both places", earlier.url));
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

/// A file's name without `.gif`.
fn stem(name: &str) -> &str {
    name.strip_suffix(".gif").unwrap_or(name)
}
