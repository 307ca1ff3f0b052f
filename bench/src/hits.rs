//! Pictures that are ready, against the same bytes sent by nginx as files: one worker each, in
//! turns.

use std::{fs, path::Path, process::Command};

use anyhow::{Context, Result, bail, ensure};

use crate::{clock::median, nginx::Nginx, photographs, served::Served};

const NGINX_PORT: u16 = 8498;
const KIVET_PORT: u16 = 8497;

/// Each is asked so often, for so long.
const TURNS: usize = 3;
const SECONDS: &str = "4s";

/// Bytes of the pictures measured, nearly.
const SIZES: [usize; 2] = [12_000, 100_000];
const CONNECTIONS: [&str; 2] = ["32", "1000"];

/// Addresses asked for one after the other where memory holds next to nothing.
const ON_DISK: u32 = 400;

/// As nginx is set: one thread, and no line of log a request.
const ONE_WORKER: [(&str, &str); 2] = [("TOKIO_WORKER_THREADS", "1"), ("KIVET_LOG", "warn")];

/// What one side did in one turn.
struct Turn {
    a_second: f64,
    p99_ms: f64,
}

/// Prints a line for each size and number of connections, and one for pictures on disk.
pub fn run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let originals =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").canonicalize()?;
    let kivet = Served::start_with(
        (folder.path(), "hits"),
        KIVET_PORT,
        "[limits]\nmemory-mib = 64\n[policy]\nimprove = false\n",
        &originals,
        &ONE_WORKER,
    )?;
    let files = folder.path().join("files");
    fs::create_dir(&files)?;
    let server = format!("listen 127.0.0.1:{NGINX_PORT} backlog=4096; root {};", files.display());
    let nginx = Nginx::start(folder.path(), &[server])?;
    println!(
        "| picture | connections | nginx, a second | Kivet, a second | ratio | p99 nginx, ms | p99 Kivet, ms | ratio |"
    );
    println!("| --- | --: | --: | --: | --: | --: | --: | --: |");
    for bytes in SIZES {
        let (path, body) = nearest(&kivet, bytes)?;
        fs::write(files.join("picture.webp"), &body)?;
        for connections in CONNECTIONS {
            let theirs = format!("http://127.0.0.1:{NGINX_PORT}/picture.webp");
            let ours = format!("http://127.0.0.1:{KIVET_PORT}{path}");
            let name = format!("{} bytes, in memory", body.len());
            in_turns(&name, connections, &[theirs], &[ours])?;
        }
    }
    drop(kivet);
    from_disk(folder.path(), &files, &originals)?;
    drop(nginx);
    Ok(())
}

/// Many small pictures, of which memory holds a few.
fn from_disk(folder: &Path, files: &Path, originals: &Path) -> Result<()> {
    let kivet = Served::start_with(
        (folder, "disk"),
        KIVET_PORT,
        "[limits]\nmemory-mib = 1\n[policy]\nimprove = false\n",
        originals,
        &ONE_WORKER,
    )?;
    let (mut theirs, mut ours, mut bytes) = (Vec::new(), Vec::new(), 0);
    for number in 0..ON_DISK {
        let name = photographs::NAMES[number as usize % photographs::NAMES.len()];
        let path = format!("/pic/{}w_as-webp/photos/{name}.jpg", 260 + number);
        let body = kivet.body(&path)?;
        bytes += body.len();
        fs::write(files.join(format!("{number}.webp")), body)?;
        theirs.push(format!("http://127.0.0.1:{NGINX_PORT}/{number}.webp"));
        ours.push(format!("http://127.0.0.1:{KIVET_PORT}{path}"));
    }
    let name = format!("{ON_DISK} of {} bytes, on disk", bytes / ON_DISK as usize);
    in_turns(&name, CONNECTIONS[0], &theirs, &ours)
}

fn in_turns(name: &str, connections: &str, theirs: &[String], ours: &[String]) -> Result<()> {
    let (mut nginx, mut kivet) = (Vec::new(), Vec::new());
    // Once unmeasured, so that both are warm.
    load(connections, "1s", theirs)?;
    load(connections, "1s", ours)?;
    for _ in 0..TURNS {
        nginx.push(load(connections, SECONDS, theirs)?);
        kivet.push(load(connections, SECONDS, ours)?);
    }
    let middle = |turns: &[Turn], of: fn(&Turn) -> f64| median(turns.iter().map(of).collect());
    let (a, b) = (middle(&nginx, |turn| turn.a_second), middle(&kivet, |turn| turn.a_second));
    let (slow, ours) = (middle(&nginx, |turn| turn.p99_ms), middle(&kivet, |turn| turn.p99_ms));
    println!(
        "| {name} | {connections} | {a:.0} | {b:.0} | {:.2} | {slow:.1} | {ours:.1} | {:.2} |",
        b / a,
        ours / slow
    );
    Ok(())
}

/// Asks for the addresses one after the other, over so many connections.
fn load(connections: &str, seconds: &str, addresses: &[String]) -> Result<Turn> {
    let mut wrk = Command::new("wrk");
    wrk.args(["--threads", "1", "--connections", connections, "--duration", seconds, "--latency"]);
    wrk.args(["--header", "Accept: image/webp"]);
    let script = tempfile::NamedTempFile::with_suffix(".lua")?;
    if addresses.len() > 1 {
        fs::write(script.path(), in_order(addresses)?)?;
        wrk.arg("--script").arg(script.path());
    }
    let first = addresses.first().context("an address")?;
    let output = wrk
        .arg(first)
        .output()
        .context("this bench asks by wrk, which does not start: apt-get install wrk nginx-light")?;
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    ensure!(output.status.success(), "wrk failed: {text}");
    ensure!(!text.contains("Non-2xx"), "not all were sent: {text}");
    let after = |label: &str| {
        let line = text.lines().find_map(|line| line.trim().strip_prefix(label));
        line.map(str::trim).with_context(|| format!("wrk says no {label}: {text}"))
    };
    Ok(Turn { a_second: after("Requests/sec:")?.parse()?, p99_ms: milliseconds(after("99%")?)? })
}

/// A script of the load generator: the paths, over and over.
fn in_order(addresses: &[String]) -> Result<String> {
    let paths: Option<Vec<String>> = addresses
        .iter()
        .map(|address| Some(format!("{:?}", address.splitn(4, '/').nth(3)?)))
        .collect();
    let paths = paths.context("addresses with paths")?.join(",");
    Ok(format!(
        "paths = {{{paths}}}\nat = 0\nrequest = function()\n  at = at % #paths + 1\n  return wrk.format(\"GET\", \"/\" .. paths[at])\nend\n"
    ))
}

fn milliseconds(text: &str) -> Result<f64> {
    for (unit, factor) in [("us", 1e-3), ("ms", 1.0), ("s", 1e3)] {
        if let Some(number) = text.strip_suffix(unit) {
            return Ok(number.parse::<f64>()? * factor);
        }
    }
    bail!("`{text}` is not a duration in us, ms or s")
}

/// The rendition whose bytes come nearest to so many, and those bytes.
fn nearest(kivet: &Served, bytes: usize) -> Result<(String, Vec<u8>)> {
    let mut best: Option<(String, Vec<u8>)> = None;
    for width in (240..=1600).step_by(80) {
        let path = format!("/pic/{width}w_as-webp/photos/harbour/roofs.jpg");
        let body = kivet.body(&path)?;
        let off = |body: &[u8]| body.len().abs_diff(bytes);
        if best.as_ref().is_none_or(|(_, known)| off(&body) < off(known)) {
            best = Some((path, body));
        }
    }
    best.context("a rendition")
}
