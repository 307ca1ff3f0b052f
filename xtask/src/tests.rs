//! All tests, and one line that sums them up.

use std::{
    io::{BufRead, BufReader},
    process::Stdio,
};

use anyhow::{Context, Result, ensure};

use crate::run::in_repository;

/// The crates' own tests without JPEG XL. The benches and the fuzz targets need it.
const WITHOUT_JPEG_XL: [&str; 6] =
    ["--exclude", "kivet-bench", "--exclude", "kivet-fuzz", "--no-default-features", "--lib"];

/// Runs all tests, without JPEG XL too, or those that `arguments` select, and closes with the number
/// of tests that passed and failed.
pub fn run(arguments: &[&str]) -> Result<()> {
    let (mut passed, mut failed) = suite(arguments)?;
    if arguments.is_empty() {
        let without = suite(&WITHOUT_JPEG_XL)?;
        (passed, failed) = (passed + without.0, failed + without.1);
    }
    println!("\n{passed} passed, {failed} failed");
    ensure!(failed == 0 && passed > 0, "the tests did not pass");
    Ok(())
}

/// Runs `cargo test` over the workspace and counts what passed and failed.
fn suite(arguments: &[&str]) -> Result<(u32, u32)> {
    let mut child = in_repository(env!("CARGO"))
        .args(["test", "--workspace", "--no-fail-fast"])
        .args(arguments)
        .stdout(Stdio::piped())
        .spawn()
        .context("cannot run cargo test")?;
    let output = child.stdout.take().context("cargo test has no output")?;
    let (mut passed, mut failed) = (0, 0);
    for line in BufReader::new(output).lines() {
        let line = line?;
        println!("{line}");
        if let Some(counts) = line.strip_prefix("test result:") {
            passed += count(counts, "passed");
            failed += count(counts, "failed");
        }
    }
    let good = child.wait()?.success();
    ensure!(good || failed > 0, "cargo test could not build or run the tests");
    Ok((passed, failed))
}

/// The number before `word`, as in `ok. 17 passed; 0 failed;`.
fn count(counts: &str, word: &str) -> u32 {
    let words: Vec<&str> = counts.split([' ', ';']).collect();
    words.windows(2).find(|pair| pair[1] == word).and_then(|pair| pair[0].parse().ok()).unwrap_or(0)
}
