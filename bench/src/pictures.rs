//! What a service sends of pictures that others made: the first response and the final rendition of
//! each, by score against the exactly drawn picture and in bytes.

use std::{
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result};
use kivet_image::{Limits, Raster, Reference, draw, encode, probe};
use kivet_recipe::{Encoding, Format, Gamut, Recipe, Size, plan_for};
use percent_encoding::{NON_ALPHANUMERIC, utf8_percent_encode};

use crate::served::Served;

/// Width on the page at most, in CSS pixels; each picture is sent for densities 1 and 2, with the
/// targets that markup gives them.
const SHOWN: u32 = 400;

const DENSITIES: [(u32, u8); 2] = [(1, 80), (2, 72)];

/// A first response is near its target within so many points, a final rendition within so many.
const NEAR: [f32; 2] = [8.0, 3.0];

/// Rows of a sheet.
const ROWS: usize = 4;

/// One rendition, at first and in the end.
struct Row {
    name: String,
    original: (Format, usize),
    width: u32,
    target: f32,
    sent: [Sent; 2],
}

struct Sent {
    format: Format,
    bytes: usize,
    score: f32,
    lossless: bool,
}

/// Prints the table; fails if a picture cannot be had.
pub fn run(folder: &Path, sheets: Option<&Path>) -> Result<()> {
    let place = tempfile::tempdir()?;
    let start = |name, port, improve| {
        Served::start((place.path(), name), port, improve, &folder.canonicalize()?)
    };
    // First responses are those of a service that has seen nothing of the picture.
    let (first, last) = (start("first", 8495, false)?, start("last", 8496, true)?);
    let mut files: Vec<PathBuf> =
        fs::read_dir(folder)?.filter_map(|entry| Some(entry.ok()?.path())).collect();
    files.sort();
    let (mut rows, mut pairs) = (Vec::new(), Vec::new());
    for file in &files {
        let measured = measured(&first, &last, file, &mut pairs)
            .with_context(|| format!("cannot measure {}", file.display()))?;
        rows.extend(measured);
    }
    print(&rows);
    sheets.map_or(Ok(()), |sheets| draw_sheets(sheets, &pairs))
}

fn measured(
    first: &Served,
    last: &Served,
    file: &Path,
    pairs: &mut Vec<[Raster; 2]>,
) -> Result<Vec<Row>> {
    let bytes = fs::read(file)?;
    let facts = probe(&bytes, Limits::default())?;
    let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let path = utf8_percent_encode(&name, NON_ALPHANUMERIC).to_string();
    let shown = SHOWN.min(facts.size.width / 2).max(1);
    let mut rows = Vec::new();
    for (density, target) in DENSITIES {
        let width = shown * density;
        let recipe: Recipe = format!("{width}w_fidelity-{target}").parse()?;
        let drawn = draw(&bytes, &facts, &plan_for(&recipe, &facts), None)?;
        let reference = Reference::new(&drawn, Gamut::Srgb);
        let url = format!("/pic/{recipe}/photos/{path}");
        let at_first = sent(&reference, first.picture(&url)?.1)?.0;
        let (finally, final_bytes) = sent(&reference, final_of(last, &url)?)?;
        if density == 2 {
            pairs.push([drawn, decoded(&final_bytes)?]);
        }
        rows.push(Row {
            name: name.clone(),
            original: (facts.format, bytes.len()),
            width,
            target: f32::from(target),
            sent: [at_first, finally],
        });
    }
    Ok(rows)
}

/// The final rendition. Once an original is measured another format may be chosen, which begins with
/// a first response of its own.
fn final_of(last: &Served, url: &str) -> Result<Vec<u8>> {
    const ROUNDS: usize = 4;
    let (mut header, mut bytes) = last.picture(url)?;
    for _ in 0..ROUNDS {
        if !header.contains("detail=first") {
            break;
        }
        last.wait_until_done()?;
        (header, bytes) = last.picture(url)?;
    }
    Ok(bytes)
}

fn sent(reference: &Reference, bytes: Vec<u8>) -> Result<(Sent, Vec<u8>)> {
    let facts = probe(&bytes, Limits::default())?;
    // A vector is sent as it is.
    let score = match facts.format {
        Format::Svg => 100.0,
        _ => reference.score(&bytes)?.get(),
    };
    let lossless = score > 99.9;
    Ok((Sent { format: facts.format, bytes: bytes.len(), score, lossless }, bytes))
}

fn decoded(bytes: &[u8]) -> Result<Raster> {
    let facts = probe(bytes, Limits::default())?;
    Ok(draw(bytes, &facts, &plan_for(&Recipe::default(), &facts), None)?)
}

fn print(rows: &[Row]) {
    println!(
        "{} renditions; bytes and score at first, and in the end\n\n| picture | its file | width, target | first | final | of the file |\n| --- | --- | --- | --- | --- | --- |",
        rows.len()
    );
    for row in rows {
        let [first, last] = row.sent.each_ref().map(Sent::text);
        println!(
            "| {} | {} {} | {}, {} | {first} | {last} | {:.2} |",
            row.name,
            row.original.0,
            row.original.1,
            row.width,
            row.target,
            row.sent[1].bytes as f64 / row.original.1 as f64
        );
    }
    println!();
    for (at, (kind, near)) in ["first responses", "final renditions"].iter().zip(NEAR).enumerate() {
        let lossy: Vec<f32> = rows
            .iter()
            .filter(|row| !row.sent[at].lossless)
            .map(|row| row.sent[at].score - row.target)
            .collect();
        let within = lossy.iter().filter(|off| off.abs() <= near).count();
        let mean = lossy.iter().sum::<f32>() / lossy.len().max(1) as f32;
        println!(
            "- Of {} lossy {kind} {within} are within {near} points of their target; {mean:+.1} in the mean.",
            lossy.len()
        );
    }
    let heavier = |row: &&Row| row.sent[1].bytes > row.original.1;
    let grown = |row: &&Row| {
        let [first, last] = &row.sent;
        last.bytes > first.bytes && last.score <= first.score
    };
    println!(
        "- Heavier than the original's file in the end: {}; heavier than the first response without a better score: {}.",
        rows.iter().filter(heavier).count(),
        rows.iter().filter(grown).count()
    );
}

impl Sent {
    fn text(&self) -> String {
        match self.lossless {
            true => format!("{} {} exact", self.format, self.bytes),
            false => format!("{} {} {:.1}", self.format, self.bytes, self.score),
        }
    }
}

/// Sheets of pairs at their own pixels: the drawn picture, and what was sent of it.
fn draw_sheets(folder: &Path, pairs: &[[Raster; 2]]) -> Result<()> {
    fs::create_dir_all(folder)?;
    for (number, rows) in pairs.chunks(ROWS).enumerate() {
        let mut sheet = Sheet::new(rows.len());
        for (row, pair) in rows.iter().enumerate() {
            for (column, raster) in pair.iter().enumerate() {
                sheet.put(raster, (column, row));
            }
        }
        fs::write(folder.join(format!("sheet-{number:02}.png")), sheet.png()?)?;
    }
    Ok(())
}

/// Cells of a sheet, in pixels; a larger picture shows its middle.
const CELL: (usize, usize) = (640, 320);

struct Sheet {
    rows: usize,
    pixels: Vec<u8>,
}

impl Sheet {
    fn new(rows: usize) -> Self {
        Self { rows, pixels: vec![255; 2 * CELL.0 * rows * CELL.1 * 3] }
    }

    fn put(&mut self, raster: &Raster, (column, row): (usize, usize)) {
        let (width, height) = (raster.size().width as usize, raster.size().height as usize);
        // A gap between cells.
        let (wide, high) = (width.min(CELL.0 - 8), height.min(CELL.1 - 8));
        let (left, top) = ((width - wide) / 2, (height - high) / 2);
        let channels = raster.channels();
        for y in 0..high {
            for x in 0..wide {
                let from = (top + y) * raster.stride() + (left + x) * channels;
                let pixel = &raster.bytes()[from..from + channels];
                let alpha = pixel.get(3).map_or(1.0, |alpha| f32::from(*alpha) / 255.0);
                let to = ((row * CELL.1 + y) * 2 * CELL.0 + column * CELL.0 + x) * 3;
                for (target, value) in self.pixels[to..to + 3].iter_mut().zip(pixel) {
                    *target = (f32::from(*value) * alpha + 255.0 * (1.0 - alpha)).round() as u8;
                }
            }
        }
    }

    fn png(self) -> Result<Vec<u8>> {
        let size = Size::new(2 * CELL.0 as u32, (self.rows * CELL.1) as u32);
        let raster = Raster::new(size, false, self.pixels).context("as many bytes as pixels")?;
        Ok(encode(&raster, Format::Png, Encoding::Lossless)?)
    }
}
