//! Faults that take too long for tests: each is done to a running service, and what viewers see of it
//! is counted.

use std::{
    collections::BTreeMap,
    io::{Read, Write},
    net::TcpStream,
    path::Path,
    process::Command,
    sync::{
        Mutex, PoisonError,
        atomic::{AtomicBool, AtomicUsize, Ordering},
    },
    thread::{scope, sleep},
    time::{Duration, Instant},
};

use anyhow::{Context, Result, ensure};

use crate::{photographs, served::Served};

const PORT: u16 = 8495;

/// Deaths in the middle of work, and viewers who ask meanwhile.
const KILLS: usize = 30;
const VIEWERS: usize = 4;

/// Viewers who hang up, each on a rendition of its own; the service may work on for so long.
const HANGING_UP: usize = 200;
const WORKS_ON: Duration = Duration::from_secs(10);

/// Connections that never finish their request, and the seconds they are allowed.
const SILENT: usize = 2_000;
const IDLE_SECONDS: u64 = 5;

/// Bytes of the disk that fills up.
const DISK: &str = "size=6m";

/// Prints a line for each fault and fails if a viewer saw one.
pub fn run() -> Result<()> {
    println!("| fault | what viewers saw | wanted |\n| --- | --- | --- |");
    let faults: [(&str, Fault); 4] = [
        ("killed thirty times while four viewers ask", kills),
        ("200 viewers hang up on renditions of their own", hang_ups),
        ("2,000 connections that never finish their request", silence),
        ("the disk of the data folder fills up", full_disk),
    ];
    let mut missed = Vec::new();
    for (name, fault) in faults {
        let folder = tempfile::tempdir()?;
        let Told { saw, wanted, held } = fault(folder.path()).with_context(|| name.to_owned())?;
        println!("| {name} | {saw} | {wanted} |");
        missed.extend((!held).then_some(name));
    }
    ensure!(missed.is_empty(), "not held: {}", missed.join("; "));
    Ok(())
}

/// What does a fault to a service with its data in a folder.
type Fault = fn(&Path) -> Result<Told>;

/// A line of the table.
struct Told {
    saw: String,
    wanted: &'static str,
    held: bool,
}

fn start(folder: &Path, tables: &str) -> Result<Served> {
    let originals =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").canonicalize()?;
    let tables = format!("[policy]\nimprove = false\n{tables}");
    Served::start_with((folder, "data"), PORT, &tables, &originals, &[])
}

/// The address of one of many renditions.
fn rendition(number: usize) -> String {
    let name = photographs::NAMES[number % photographs::NAMES.len()];
    format!("/pic/{}w_as-webp_fidelity-60/photos/{name}.jpg", 100 + number % 400)
}

/// What was sent before a death is sent again, byte for byte.
fn kills(folder: &Path) -> Result<Told> {
    let sent: Mutex<BTreeMap<String, Vec<u8>>> = Mutex::default();
    let lock = || sent.lock().unwrap_or_else(PoisonError::into_inner);
    let next = AtomicUsize::new(0);
    for turn in 0..KILLS {
        let served = start(folder, "")?;
        let dead = AtomicBool::new(false);
        scope(|scope| {
            for _ in 0..VIEWERS {
                scope.spawn(|| {
                    while !dead.load(Ordering::Relaxed) {
                        let path = rendition(next.fetch_add(1, Ordering::Relaxed));
                        if let Ok(body) = served.body(&path) {
                            lock().insert(path, body);
                        }
                    }
                });
            }
            sleep(Duration::from_millis(300 + 97 * (turn as u64 % 20)));
            let died = served.die();
            dead.store(true, Ordering::Relaxed);
            died
        })?;
    }
    let served = start(folder, "")?;
    let sent = lock();
    let differs = |(path, before): &(&String, &Vec<u8>)| {
        served.body(path).map_or(true, |body| body != **before)
    };
    let other = sent.iter().filter(differs).count();
    Ok(Told {
        saw: format!("{other} of {} pictures missing or other than before", sent.len()),
        wanted: "0",
        held: other == 0 && !sent.is_empty(),
    })
}

/// Work that nobody waits for ends.
fn hang_ups(folder: &Path) -> Result<Told> {
    let served = start(folder, "")?;
    for number in 0..HANGING_UP {
        let name = photographs::NAMES[number % photographs::NAMES.len()];
        let path = format!("/pic/{}w_as-avif_fidelity-80/photos/{name}.jpg", 1200 + number);
        let mut stream = TcpStream::connect(("127.0.0.1", PORT))?;
        write!(stream, "GET {path} HTTP/1.1\r\nhost: 127.0.0.1:{PORT}\r\n\r\n")?;
        sleep(Duration::from_millis(2));
    }
    let hung_up = Instant::now();
    let mut before = processor_ticks(&served)?;
    let mut works = Duration::ZERO;
    while hung_up.elapsed() < 3 * WORKS_ON {
        sleep(Duration::from_millis(500));
        let now = processor_ticks(&served)?;
        // Less than a twentieth of a core counts as idle.
        if now - before > 2 {
            works = hung_up.elapsed();
        }
        before = now;
    }
    served.get(&rendition(0))?;
    Ok(Told {
        saw: format!("it worked on for {:.1} s", works.as_secs_f64()),
        wanted: "at most 10 s",
        held: works <= WORKS_ON,
    })
}

/// Ticks of processor time that a service has taken (proc(5), `stat`, fields 14 and 15).
fn processor_ticks(served: &Served) -> Result<u64> {
    let stat = std::fs::read_to_string(format!("/proc/{}/stat", served.process()))?;
    let fields = stat.rsplit_once(')').context("a command")?.1;
    let ticks = fields.split_ascii_whitespace().skip(11).take(2).map(str::parse::<u64>);
    Ok(ticks.collect::<Result<Vec<_>, _>>()?.iter().sum())
}

/// Others are answered meanwhile, and the silent are closed.
fn silence(folder: &Path) -> Result<Told> {
    raise_descriptors()?;
    let served = start(folder, &format!("[limits]\nidle-seconds = {IDLE_SECONDS}\n"))?;
    let mut silent = Vec::new();
    for _ in 0..SILENT {
        let mut stream = TcpStream::connect(("127.0.0.1", PORT))?;
        write!(stream, "GET /healthz HTTP/1.1\r\nhost: a")?;
        silent.push(stream);
    }
    let (took, _) = served.get(&rendition(0))?;
    sleep(Duration::from_secs(IDLE_SECONDS + 3));
    let mut open = 0;
    for stream in &mut silent {
        stream.set_read_timeout(Some(Duration::from_millis(1)))?;
        let mut answer = Vec::new();
        let closed = match stream.read_to_end(&mut answer) {
            Ok(_) => true,
            Err(error) => error.kind() == std::io::ErrorKind::ConnectionReset,
        };
        open += usize::from(!closed);
    }
    Ok(Told {
        saw: format!("another's picture in {} ms; {open} still open afterwards", took.as_millis()),
        wanted: "a picture; 0 open",
        held: open == 0,
    })
}

/// This process may hold as many connections as the system allows.
fn raise_descriptors() -> Result<()> {
    let status = Command::new("prlimit")
        .args(["--nofile=8192:", "--pid", &std::process::id().to_string()])
        .status();
    ensure!(status.context("prlimit cannot be run")?.success(), "prlimit failed");
    Ok(())
}

/// Pictures are made and sent, though none can be kept.
fn full_disk(folder: &Path) -> Result<Told> {
    let data = folder.join("data");
    std::fs::create_dir(&data)?;
    let wanted = "all of 120 pictures, and again after starts on the full and the read-only disk";
    let mount =
        Command::new("mount").args(["-t", "tmpfs", "-o", DISK, "tmpfs"]).arg(&data).output();
    if !mount.is_ok_and(|mount| mount.status.success()) {
        return Ok(Told { saw: "not tried: mounting needs root".to_owned(), wanted, held: true });
    }
    let seen = on_full_disk(folder).and_then(|seen| Ok((seen, started_on_full_disk(folder)?)));
    Command::new("umount").arg("--lazy").arg(&data).status()?;
    let ((pictures, failures), again) = seen?;
    Ok(Told {
        saw: format!(
            "{pictures} of 120 pictures, `kivet_storage_failures_total` {failures}; {again:?} after the starts"
        ),
        wanted,
        held: pictures == 120 && failures > 0.0 && again == [120, 120],
    })
}

/// How many of 120 pictures came after a start on the disk when nothing more fits, and after one on
/// the same disk when it is read-only.
fn started_on_full_disk(folder: &Path) -> Result<[usize; 2]> {
    let data = folder.join("data");
    // Ends when nothing more fits.
    let _ = std::fs::write(data.join("filler"), vec![0; 8 << 20]);
    let full = on_full_disk(folder)?.0;
    let remount =
        Command::new("mount").args(["-o", "remount,ro"]).arg(&data).status().context("mount")?;
    ensure!(remount.success(), "the disk cannot be made read-only");
    Ok([full, on_full_disk(folder)?.0])
}

/// How many of 120 pictures came, and how often they could not be kept.
fn on_full_disk(folder: &Path) -> Result<(usize, f64)> {
    let served = start(folder, "")?;
    let path = |number: usize| rendition(number).replace("as-webp_fidelity-60", "as-png_lossless");
    let came = (0..120).filter(|number| served.get(&path(*number)).is_ok()).count();
    let metrics = served.metrics()?;
    let failed = metrics.lines().filter(|line| line.starts_with("kivet_storage_failures_total"));
    let counts = failed.filter_map(|line| line.rsplit(' ').next()?.parse::<f64>().ok());
    Ok((came, counts.sum()))
}
