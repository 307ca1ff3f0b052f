//! First answers with and without background work, and how long the final ones take: two services
//! side by side.

use std::{
    path::Path,
    thread::sleep,
    time::{Duration, Instant},
};

use anyhow::{Result, ensure};

use crate::{photographs, served::Served};

/// Widths asked for, none of them twice of one picture.
const WIDTHS: [u32; 5] = [300, 420, 560, 700, 900];

/// Pictures for which the final rendition is waited for.
const WAITED_FOR: usize = 20;

/// The most a first answer may be slowed at the 95th percentile, and the longest a final one may
/// take.
const MAX: (f64, Duration) = (1.2, Duration::from_secs(30));

/// Prints both tables and fails if a limit is passed.
pub fn run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let originals =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").canonicalize()?;
    let start =
        |name, port, improve| Served::start((folder.path(), name), port, improve, &originals);
    let improving = start("improving", 8495, true)?;
    let resting = start("resting", 8496, false)?;
    let paths: Vec<String> = WIDTHS
        .iter()
        .flat_map(|width| photographs::NAMES.map(|name| format!("/pic/{width}w/photos/{name}.jpg")))
        .collect();
    let (mut with, mut without) = (Vec::new(), Vec::new());
    for (index, path) in paths.iter().enumerate() {
        // In turns, so that a noisy moment hits both.
        let ask = |served: &Served, times: &mut Vec<f64>| -> Result<()> {
            times.push(served.get(path)?.0.as_secs_f64() * 1e3);
            Ok(())
        };
        if index % 2 == 0 {
            ask(&improving, &mut with)?;
            ask(&resting, &mut without)?;
        } else {
            ask(&resting, &mut without)?;
            ask(&improving, &mut with)?;
        }
    }
    println!(
        "{} first responses each, ms\n\n| | median | 95th percentile |\n| --- | --- | --- |",
        paths.len()
    );
    for (name, times) in [("with background work", &mut with), ("without", &mut without)] {
        times.sort_by(f64::total_cmp);
        println!("| {name} | {:.0} | {:.0} |", at(times, 0.5), at(times, 0.95));
    }
    let ratio = at(&with, 0.95) / at(&without, 0.95);
    println!("| ratio | {:.2} | {ratio:.2} |\n", at(&with, 0.5) / at(&without, 0.5));

    improving.wait_until_done()?;
    let mut waits = Vec::new();
    for (index, name) in photographs::NAMES.iter().cycle().take(WAITED_FOR).enumerate() {
        let path = format!("/pic/{}w_ratio-1-1/photos/{name}.jpg", 620 + index);
        let asked = Instant::now();
        while !improving.get(&path)?.1.contains("detail=final") {
            sleep(Duration::from_millis(20));
        }
        waits.push(asked.elapsed().as_secs_f64());
    }
    waits.sort_by(f64::total_cmp);
    println!(
        "final after: median {:.2} s, 95th percentile {:.2} s, of {WAITED_FOR}",
        at(&waits, 0.5),
        at(&waits, 0.95)
    );
    ensure!(ratio <= MAX.0, "first responses are slowed by {ratio:.2}, more than {}", MAX.0);
    ensure!(
        at(&waits, 0.95) <= MAX.1.as_secs_f64(),
        "final renditions take longer than {:?}",
        MAX.1
    );
    Ok(())
}

fn at(sorted: &[f64], share: f64) -> f64 {
    sorted[((sorted.len() - 1) as f64 * share).round() as usize]
}
