//! Peak memory of the whole process: for one rendition of a 100-megapixel original, each in a process
//! of its own; and of a service that is asked for much at once.

use std::{
    fs::File,
    io::BufWriter,
    path::Path,
    process::Command,
    thread::{scope, sleep},
    time::Duration,
};

use anyhow::{Context, Result, bail, ensure};
use kivet_image::{Limits, Task, Work, probe, render};
use kivet_recipe::{Curves, Policy, Request, choose};
use mozjpeg::{ColorSpace, Compress};

use crate::{photographs, served::Served};

const SIDE: u32 = 10_000;

/// What is written, and the most its rendition may take, in MB; `None` where a clear refusal is
/// expected.
const SORTS: [(&str, Option<u64>); 4] = [
    ("baseline.jpg", Some(250)),
    ("plain.png", Some(300)),
    ("deep.png", Some(300)),
    ("progressive.jpg", None),
];

/// Prints both tables and fails if a bound of the first is missed.
pub fn run() -> Result<()> {
    renditions()?;
    println!();
    service()
}

/// What a service takes, and what it is to take at most, in MB.
fn service() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let large = folder.path().join("large");
    std::fs::create_dir(&large)?;
    let first = large.join("0.png");
    write(&first, "heavy.png")?;
    for number in 1..LARGE {
        std::fs::hard_link(&first, large.join(format!("{number}.png")))?;
    }
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").canonicalize()?;
    println!("| a service | peak, MB | afterwards, MB | wanted |\n| --- | --: | --: | --- |");
    let none: Vec<String> = Vec::new();
    let sizes = (0..LARGE).map(|number| format!("/pic/400w_as-webp/photos/{number}.png"));
    let full = photographs::NAMES
        .iter()
        .chain(&photographs::NAMES[..3])
        .enumerate()
        .map(|(at, name)| format!("/pic/{}w_as-webp_fidelity-70/photos/{name}.jpg", 4600 - at));
    let browsed = [320, 640, 1280].into_iter().flat_map(|width| {
        photographs::NAMES.map(|name| format!("/pic/{width}w/photos/{name}.jpg"))
    });
    for (name, originals, paths, at_once, wanted) in [
        ("that was just started", &demo, none, 1, "60 afterwards"),
        (
            "asked for 24 originals of 120 MB at once",
            &large,
            sizes.collect(),
            LARGE,
            "600 at its peak",
        ),
        (
            "asked for sixteen renditions of 4,600 px at once",
            &demo,
            full.collect(),
            16,
            "600 at its peak",
        ),
        (
            "browsed, and done with its final renditions",
            &demo,
            browsed.collect(),
            6,
            "250 afterwards",
        ),
    ] {
        let (peak, afterwards) = taken((folder.path(), originals), &paths, at_once)?;
        println!("| {name} | {peak} | {afterwards} | {wanted} |");
    }
    Ok(())
}

/// Originals of 120 MB.
const LARGE: usize = 24;

/// What a service takes at its peak, and ten seconds after its last work.
fn taken(
    (folder, originals): (&Path, &Path),
    paths: &[String],
    at_once: usize,
) -> Result<(u64, u64)> {
    let data = folder.join("asked");
    let _ = std::fs::remove_dir_all(&data);
    // Sixteen at once are made one after the other, which is to take its time here.
    let patient = "[policy]\nimprove = true\n[limits]\nseconds = 900\n";
    let served = Served::start_with((folder, "asked"), PORT, patient, originals, &[])?;
    let share = paths.len().div_ceil(at_once).max(1);
    scope(|scope| {
        let asking: Vec<_> = paths
            .chunks(share)
            .map(|some| {
                scope.spawn(|| some.iter().try_for_each(|path| served.get(path).map(|_| ())))
            })
            .collect();
        asking
            .into_iter()
            .try_for_each(|asker| asker.join().map_err(|_| anyhow::anyhow!("asking panicked"))?)
    })?;
    served.wait_until_done()?;
    sleep(Duration::from_secs(10));
    let status = std::fs::read_to_string(format!("/proc/{}/status", served.process()))?;
    Ok((megabytes(&status, "VmHWM:")?, megabytes(&status, "VmRSS:")?))
}

const PORT: u16 = 8494;

fn megabytes(status: &str, name: &str) -> Result<u64> {
    let line = status.lines().find_map(|line| line.strip_prefix(name)).context("no such line")?;
    Ok(line.trim().trim_end_matches(" kB").trim().parse::<u64>()? * 1024 / 1_000_000)
}

fn renditions() -> Result<()> {
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
    println!("{} {outcome}", megabytes(&status, "VmHWM:")?);
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
        // Noise, which nothing packs.
        "heavy.png" => {
            let side = 6_400u32;
            let mut encoder = png::Encoder::new(out, side, side);
            encoder.set_color(png::ColorType::Rgb);
            encoder.set_compression(png::Compression::Fast);
            let mut stream = encoder.write_header()?.into_stream_writer()?;
            let mut state = 1u64;
            for _ in 0..side {
                let row: Vec<u8> = (0..side * 3)
                    .map(|_| {
                        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
                        (state >> 56) as u8
                    })
                    .collect();
                std::io::Write::write_all(&mut stream, &row)?;
            }
            stream.finish()?;
        }
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
