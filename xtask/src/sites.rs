//! `kivet apply --learn --prove` and `--bake` on sites that others made, fetched from the registries.

use std::{
    fmt::Write as _,
    fs,
    path::{Path, PathBuf},
    process::{Child, Command, Output, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context, Result, bail, ensure};
use serde_json::Value;

use crate::{
    packages::Package,
    run::{cargo, release_binary, root, succeed},
};

/// A site, by the package that brings it and its folder there.
pub struct Site {
    pub name: &'static str,
    pub package: Package,
    pub folder: &'static str,
}

const fn npm(name: &'static str, package: &'static str, folder: &'static str) -> Site {
    Site { name, package: Package::Npm(package), folder }
}

pub const SITES: [Site; 15] = [
    npm("one-page-wonder", "startbootstrap-one-page-wonder@6.0.6", "package/dist"),
    npm("resume", "startbootstrap-resume@7.0.6", "package/dist"),
    npm("lightbox", "lightbox2@2.12.0", "package"),
    npm("portfolio", "material-design-lite@1.3.0", "package/dist/templates/portfolio"),
    npm("blog", "material-design-lite@1.3.0", "package/dist/templates/blog"),
    npm("webslides", "webslides@1.5.0", "package"),
    npm("shards-ui", "shards-ui@3.0.0", "package/dist"),
    npm("now-ui-kit", "now-ui-kit@1.3.0", "package"),
    npm("blk-design", "blk-design-system@1.0.2", "package"),
    npm("soft-ui-design", "soft-ui-design-system@1.0.4", "package"),
    Site {
        name: "gimp-help",
        package: Package::Debian("gimp-help-en"),
        folder: "usr/share/gimp/2.0/help/en",
    },
    npm("carousel-docs", "owl.carousel@2.3.4", "package/docs"),
    npm("material-kit", "material-kit@2.0.4", "package"),
    npm("argon-design", "argon-design-system-free@1.2.0", "package"),
    npm("paper-kit", "paper-kit-2@2.1.0", "package"),
];

/// The port of the service of a site under trial.
pub const PORT: u16 = 18_484;

/// How long the service may take to start.
const START: Duration = Duration::from_secs(20);

/// Findings that no markup of pictures removes: words for them, files that are missing or too small,
/// other hosts.
const FOR_PERSONS: [&str; 8] = [
    "alt-missing",
    "alt-useless",
    "animated-gif",
    "broken-picture",
    "dialog-opened",
    "never-answered",
    "preconnect-missing",
    "too-few-pixels",
];

/// Measured values of one site.
struct Measured {
    name: &'static str,
    pages: String,
    /// Bytes before and after, and needed, all devices together.
    before: u64,
    after: u64,
    /// Sent over needed, best and worst device.
    ratios: Vec<f64>,
    differences: usize,
    left: String,
    seconds: (u64, u64),
    note: String,
}

/// The `kivet` of `--binary FILE`, or one that is built, and the other arguments.
pub fn binary<'a>(arguments: &[&'a str]) -> Result<(PathBuf, Vec<&'a str>)> {
    match arguments {
        [before @ .., "--binary", file] => Ok((PathBuf::from(file), before.to_vec())),
        _ => {
            cargo(&["build", "--release", "--package", "kivet"])?;
            Ok((release_binary("kivet")?, arguments.to_vec()))
        }
    }
}

/// Tries the sites whose names contain one of the arguments, or all, and replaces their rows in the
/// table of the measures after each.
pub fn run(arguments: &[&str]) -> Result<()> {
    let (binary, names) = binary(arguments)?;
    let folder = std::env::temp_dir().join("kivet-sites");
    fs::create_dir_all(&folder)?;
    let file = root().join("docs/design/measures/sites.md");
    let earlier = fs::read_to_string(&file).unwrap_or_default();
    let row_of =
        |site: &Site| earlier.lines().find(|line| line.starts_with(&format!("| {} |", site.name)));
    let mut rows: Vec<Option<String>> =
        SITES.iter().map(|site| row_of(site).map(str::to_owned)).collect();
    for (index, site) in SITES.iter().enumerate() {
        if !names.is_empty() && !names.iter().any(|name| site.name.contains(name)) {
            continue;
        }
        println!("{} ...", site.name);
        let row = measured(&binary, &folder, site)
            .unwrap_or_else(|error| Measured::failed(site.name, &format!("{error:#}")));
        println!("{}", row.line());
        rows[index] = Some(row.line());
        // After each site, as all of them take an hour.
        fs::write(&file, table(rows.iter().flatten()))?;
    }
    Ok(())
}

fn measured(binary: &Path, folder: &Path, site: &Site) -> Result<Measured> {
    let source = site.package.unpacked(&folder.join("packages"))?;
    let work = folder.join(site.name);
    let _ = fs::remove_dir_all(&work);
    let pages = work.join("site");
    fs::create_dir_all(&work)?;
    succeed(Command::new("cp").arg("-r").arg(source.join(site.folder)).arg(&pages))?;
    let init = Command::new(binary).arg("init").arg(&pages).output()?;
    if !init.status.success() {
        return Ok(Measured::failed(site.name, &last_line(&init)));
    }
    let _service = Service::start(binary, &pages)?;
    let began = Instant::now();
    let rules = work.join("rules.toml");
    let proved =
        apply(binary, &work, &["--learn", "--rules", path(&rules), "--prove", "--out", "out"])?;
    let proving = began.elapsed().as_secs();
    let report: Value = serde_json::from_slice(&proved.stdout)
        .with_context(|| format!("apply --learn --prove: {}", last_line(&proved)))?;
    let began = Instant::now();
    let baked = apply(binary, &work, &["--rules", path(&rules), "--bake", "--out", "baked"])?;
    let baking = began.elapsed().as_secs();
    ensure!(baked.status.success(), "apply --bake: {}", last_line(&baked));
    for out in ["out", "baked"] {
        refuse_secrets(&work.join(out))?;
    }
    fs::write(work.join("report.json"), &proved.stdout)?;
    Ok(Measured::of(site.name, &report, (proving, baking)))
}

pub fn path(path: &Path) -> &str {
    path.to_str().unwrap_or_default()
}

/// Runs `kivet apply` on the site in a folder.
pub fn apply(binary: &Path, work: &Path, arguments: &[&str]) -> Result<Output> {
    let mut command = Command::new(binary);
    command.current_dir(work).args(["apply", "site", "--json"]).args(arguments);
    command.env("KIVET_SERVICE", format!("http://127.0.0.1:{PORT}"));
    command.stderr(Stdio::piped()).output().context("cannot run kivet apply")
}

pub fn last_line(output: &Output) -> String {
    let text = String::from_utf8_lossy(&output.stderr);
    text.lines().rev().find(|line| !line.trim().is_empty()).unwrap_or("no message").to_owned()
}

/// Fails if a folder to publish holds anything of Kivet's own.
fn refuse_secrets(folder: &Path) -> Result<()> {
    for entry in fs::read_dir(folder)? {
        let file = entry?.path();
        let name =
            file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
        if file.is_dir() && !file.is_symlink() {
            refuse_secrets(&file)?;
        }
        let private = ["kivet.toml", "admin-token", "records.db"].contains(&name.as_str());
        ensure!(!private, "{} is published", file.display());
    }
    Ok(())
}

/// A service for one site, which ends with it.
pub struct Service(Child);

impl Service {
    pub fn start(binary: &Path, pages: &Path) -> Result<Self> {
        let mut command = Command::new(binary);
        command.arg("serve").arg("--config").arg(pages.join("kivet.toml"));
        command.args(["--listen", &format!("127.0.0.1:{PORT}")]);
        let child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn()?;
        let service = Self(child);
        let began = Instant::now();
        while std::net::TcpStream::connect(("127.0.0.1", PORT)).is_err() {
            if began.elapsed() > START {
                bail!("the service does not start");
            }
            std::thread::sleep(Duration::from_millis(100));
        }
        Ok(service)
    }
}

impl Drop for Service {
    fn drop(&mut self) {
        // It ended by itself, or ends now.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

impl Measured {
    fn failed(name: &'static str, note: &str) -> Self {
        Self {
            name,
            pages: String::new(),
            before: 0,
            after: 0,
            ratios: Vec::new(),
            differences: 0,
            left: String::new(),
            seconds: (0, 0),
            note: note.to_owned(),
        }
    }

    fn of(name: &'static str, report: &Value, seconds: (u64, u64)) -> Self {
        let proof = &report["proof"];
        let devices: Vec<&Value> = proof["devices"].as_array().into_iter().flatten().collect();
        let sum = |when: &str, what: &str| {
            devices.iter().filter_map(|one| one[when][what].as_u64()).sum::<u64>()
        };
        let ratio = |one: &&Value| {
            let after = &one["after"];
            let needed = after["needed"].as_f64().filter(|needed| *needed > 0.0)?;
            Some(after["sent"].as_f64()? / needed)
        };
        let mut ratios: Vec<f64> = devices.iter().filter_map(ratio).collect();
        ratios.sort_by(f64::total_cmp);
        let left = proof["left"].as_array().into_iter().flatten();
        let left = left.filter(|one| !FOR_PERSONS.iter().any(|code| one[0] == **code));
        let left = left.map(|one| format!("{} {}", one[1], one[0].as_str().unwrap_or_default()));
        Self {
            name,
            pages: format!("{}/{}", proof["pages"][0], proof["pages"][1]),
            before: sum("before", "sent"),
            after: sum("after", "sent"),
            ratios,
            differences: proof["differences"].as_array().map_or(0, Vec::len),
            left: left.collect::<Vec<_>>().join(", "),
            seconds,
            note: String::new(),
        }
    }

    fn line(&self) -> String {
        let Self { name, pages, before, after, ratios, differences, left, seconds, note } = self;
        if !note.is_empty() {
            return format!("| {name} | | | | | | {note} | |");
        }
        let middle = ratios.get(ratios.len() / 2).copied().unwrap_or_default();
        let worst = ratios.last().copied().unwrap_or_default();
        let share = *after as f64 / (*before).max(1) as f64;
        format!(
            "| {name} | {pages} | {:.2} | {share:.3} | {middle:.2}, {worst:.2} | {differences} | {left} | {} + {} |",
            *before as f64 / 1e6,
            seconds.0,
            seconds.1
        )
    }
}

fn table<'a>(rows: impl Iterator<Item = &'a String>) -> String {
    let mut text = String::from(
        "# Sites that others made\n\n`cargo xtask sites` runs `kivet init`, `serve`, `apply --learn --out --prove` and `--bake` on page\ntemplates from npm and a manual from Debian, which it fetches. Bytes are of pictures, all visited pages\non five devices together; sent over needed is of the median and the worst device; what differs is boxes\nthat moved and pictures that show something else, at ten windows that are no device's. Findings left\nare those that other markup could remove: no missing words, files or pixels.\n\n| site | pages | MB before | after, share | sent / needed | differs | findings left | seconds, prove + bake |\n| --- | --- | --- | --- | --- | --- | --- | --- |\n",
    );
    for row in rows {
        let _ = writeln!(text, "{row}");
    }
    text
}
