//! Rules learned from half of a site's pages, applied to the other half.

use std::{
    fmt::Write as _,
    fs,
    path::{Path, PathBuf},
    process::Command,
};

use anyhow::{Context, Result, ensure};
use serde_json::Value;

use crate::{
    run::{root, succeed},
    sites::{PORT, SITES, Service, Site, apply, binary, last_line, path},
};

/// The sites that are tried, of several pages each.
const TRIED: [&str; 3] = ["carousel-docs", "argon-design", "gimp-help"];

/// Pages of the other half that are measured at most.
const MEASURED: usize = 6;

/// Writes the table of the sites to the measures.
pub fn run(arguments: &[&str]) -> Result<()> {
    let (binary, _) = binary(arguments)?;
    let folder = std::env::temp_dir().join("kivet-halves");
    fs::create_dir_all(&folder)?;
    let mut text = String::from(
        "# Rules from half of the pages\n\nWritten by `cargo xtask sites --halves`: rules learned from every second page of a site, and from all of\nthem, each applied to the whole site; bytes of pictures that the pages of the other half send on five\ndevices.\n\n| site | pages measured | rules from all, kB | from half, kB | ratio |\n| --- | --- | --- | --- | --- |\n",
    );
    for name in TRIED {
        let site = SITES.iter().find(|site| site.name == name).context("a site of the list")?;
        println!("{name} ...");
        let (pages, [all, half]) = sent(&binary, &folder, site).with_context(|| name.to_owned())?;
        let row = format!(
            "| {name} | {pages} | {:.0} | {:.0} | {:.3} |",
            all as f64 / 1e3,
            half as f64 / 1e3,
            half as f64 / all.max(1) as f64
        );
        println!("{row}");
        writeln!(text, "{row}")?;
    }
    Ok(fs::write(root().join("docs/design/measures/halves.md"), text)?)
}

/// Pages measured, and what they send with rules from all pages and from half of them.
fn sent(binary: &Path, folder: &Path, site: &Site) -> Result<(usize, [u64; 2])> {
    let work = folder.join(site.name);
    let _ = fs::remove_dir_all(&work);
    let pages = work.join("site");
    fs::create_dir_all(&work)?;
    let source = site.package.unpacked(&folder.join("packages"))?.join(site.folder);
    succeed(Command::new("cp").arg("-r").arg(&source).arg(&pages))?;
    succeed(Command::new("cp").arg("-r").arg(&source).arg(work.join("half")))?;
    let mut documents = Vec::new();
    with_pictures(&pages, &mut documents)?;
    documents.sort();
    let others: Vec<PathBuf> = documents
        .iter()
        .skip(1)
        .step_by(2)
        .map(|file| Ok(file.strip_prefix(&pages)?.to_owned()))
        .collect::<Result<_>>()?;
    for other in &others {
        fs::remove_file(work.join("half").join(other))?;
    }
    succeed(Command::new(binary).arg("init").arg(&pages))?;
    let _service = Service::start(binary, &pages)?;
    let step = (others.len() / MEASURED).max(1);
    let measured: Vec<&PathBuf> = others.iter().step_by(step).take(MEASURED).collect();
    ensure!(!measured.is_empty(), "it has one page with pictures");
    let mut sums = [0, 0];
    for (learned, sum) in ["site", "half"].into_iter().zip(&mut sums) {
        let (rules, out) = (work.join(format!("{learned}.toml")), format!("out-{learned}"));
        let mut learn = Command::new(binary);
        succeed(learn.current_dir(&work).args(["learn", learned, "--out"]).arg(&rules))?;
        let applied = apply(binary, &work, &["--rules", path(&rules), "--out", &out])?;
        ensure!(applied.status.success(), "apply: {}", last_line(&applied));
        let service = format!("http://127.0.0.1:{PORT}");
        let mut check = Command::new(binary);
        check.current_dir(&work).args(["check", "--json", "--unthrottled", "--warm"]);
        check.args(["--pictures", &service, "--service", &service]);
        check.args(measured.iter().map(|page| Path::new(&out).join(page)));
        let checked = check.output()?;
        let report: Value = serde_json::from_slice(&checked.stdout)
            .with_context(|| format!("check: {}", last_line(&checked)))?;
        let pages = report["pages"].as_array().into_iter().flatten();
        let devices = pages.flat_map(|page| page["devices"].as_array().into_iter().flatten());
        *sum = devices.filter_map(|device| device["sent"].as_u64()).sum();
    }
    Ok((measured.len(), sums))
}

/// The pages of a folder that show pictures.
fn with_pictures(folder: &Path, found: &mut Vec<PathBuf>) -> Result<()> {
    for entry in fs::read_dir(folder)? {
        let file = entry?.path();
        if file.is_dir() {
            with_pictures(&file, found)?;
        }
        let is_page = file.extension().is_some_and(|ending| ending == "html");
        if is_page && String::from_utf8_lossy(&fs::read(&file)?).contains("<img") {
            found.push(file);
        }
    }
    Ok(())
}
