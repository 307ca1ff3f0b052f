//! Peak memory of the whole process for one rendition of a 100-megapixel original, each in a
//! process of its own.

use std::{fs::File, io::BufWriter, path::Path, process::Command};

use anyhow::{Context, Result, bail, ensure};
use kivet_image::{Limits, Task, Work, probe, render};
use kivet_recipe::{Curves, Policy, Request, choose};
use mozjpeg::{ColorSpace, Compress};

const SIDE: u32 = 10_000;

/// What is written, and the most its rendition may take, in MB; `None` where a clear refusal is
/// expected.
const SORTS: [(&str, Option<u64>); 4] = [
    ("baseline.jpg", Some(250)),
    ("plain.png", Some(300)),
    ("deep.png", Some(300)),
    ("progressive.jpg", None),
];

/// Prints the table and fails if a bound is missed.
pub fn run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    println!(
        "| original, {SIDE} x {SIDE} | bytes | peak memory, MB | allowed | outcome |\n| --- | --- | --- | --- | --- |"
    );
    for (name, allowed) in SORTS {
        let file = folder.path().join(name);
        write(&file, name)?;
        let said = Command::new(std::env::current_exe()?).arg("one").arg(&file).output()?;
        let text = String::from_utf8_lossy(&said.stdout).trim().to_owned();
        let (peak, outcome) = text.split_once(' ').context("the child says what it took")?;
        let peak: u64 = peak.parse()?;
        let bytes = file.metadata()?.len();
        println!(
            "| {name} | {bytes} | {peak} | {} | {outcome} |",
            allowed.map_or("refused".to_owned(), |most| most.to_string())
        );
        match allowed {
            Some(most) => {
                ensure!(peak <= most && outcome.starts_with("made"), "{name}: {peak} MB, {outcome}")
            }
            None => ensure!(
                outcome.contains("more than the limit"),
                "{name} was not refused: {outcome}"
            ),
        }
    }
    Ok(())
}

/// Makes one rendition and says what this process took at most, in MB, and how it went.
pub fn one(file: &Path) -> Result<()> {
    let bytes = std::fs::read(file)?;
    let facts = probe(&bytes, Limits::default())?;
    let choice = choose(
        &"640w".parse()?,
        &facts,
        &Curves::default(),
        &Request::ANYTHING,
        &Policy::default(),
    )?;
    let task = Task { work: Work::within(Limits::default()), ..Task::default() };
    let outcome = match render(&bytes, &facts, &choice, &task) {
        Ok(made) => format!("made {} bytes of {}", made.bytes.len(), made.format),
        Err(error) => error.to_string(),
    };
    let status = std::fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).context("no VmHWM")?;
    let peak = line.trim().trim_end_matches(" kB").trim().parse::<u64>()? * 1024 / 1_000_000;
    println!("{peak} {outcome}");
    Ok(())
}

/// A row of something between sky and grain.
fn row(y: u32) -> impl Iterator<Item = u8> {
    (0..SIDE).flat_map(move |x| {
        let grain = (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(40_503)) >> 29;
        [(x / 50 + grain) as u8, (y / 60 + grain) as u8, 150u8.wrapping_add(grain as u8)]
    })
}

fn write(file: &Path, name: &str) -> Result<()> {
    let out = BufWriter::new(File::create(file)?);
    match name {
        "plain.png" | "deep.png" => {
            let deep = name == "deep.png";
            let mut encoder = png::Encoder::new(out, SIDE, SIDE);
            encoder.set_color(png::ColorType::Rgb);
            encoder.set_depth(if deep { png::BitDepth::Sixteen } else { png::BitDepth::Eight });
            encoder.set_compression(png::Compression::Fast);
            let mut writer = encoder.write_header()?;
            let mut stream = writer.stream_writer()?;
            for y in 0..SIDE {
                let samples: Vec<u8> = if deep {
                    row(y).flat_map(|value| [value, 0]).collect()
                } else {
                    row(y).collect()
                };
                std::io::Write::write_all(&mut stream, &samples)?;
            }
            stream.finish()?;
        }
        "baseline.jpg" | "progressive.jpg" => {
            let mut compress = Compress::new(ColorSpace::JCS_RGB);
            compress.set_fastest_defaults();
            if name == "progressive.jpg" {
                compress.set_progressive_mode();
            }
            compress.set_size(SIDE as usize, SIDE as usize);
            compress.set_quality(85.0);
            let mut started = compress.start_compress(out)?;
            for y in 0..SIDE {
                started.write_scanlines(&row(y).collect::<Vec<u8>>())?;
            }
            started.finish()?;
        }
        other => bail!("{other} is not a kind of original"),
    }
    Ok(())
}
