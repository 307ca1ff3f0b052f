//! Thirteen pictures that nobody has asked for yet, as Chromium asks for a page's: how long the one
//! that matters takes, against the time it takes alone. Over HTTP/2 Chromium says which one that is;
//! over HTTP/1.1 it does not, and the address names a place that loads first.

use std::{fs, path::Path, process::Command, thread::sleep, time::Duration};

use anyhow::{Context, Result, ensure};
use kivet_browser::Chromium;
use kivet_page::Device;

use crate::{clock::median, nginx::Nginx, photographs, served::Served};

const KIVET_PORT: u16 = 8492;
const PLAIN_PORT: u16 = 8493;
const SECURE_PORT: u16 = 8495;

const TURNS: usize = 15;

/// The urgent picture stands in the middle of the others.
const URGENT: usize = 6;
const WIDTH: u32 = 480;

/// Prints a line for each protocol.
pub fn run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let pages = folder.path().join("pages");
    fs::create_dir(&pages)?;
    let nginx = Nginx::start(folder.path(), &[plain(&pages), secure(folder.path(), &pages)?])?;
    println!(
        "| thirteen pictures, {WIDTH} px wide | the urgent one alone, ms | among the others, ms | ratio | the last of the others, ms |\n| --- | --: | --: | --: | --: |"
    );
    let runtime = tokio::runtime::Runtime::new()?;
    for (name, page, pictures) in [
        (
            "HTTP/1.1, from Kivet itself",
            format!("http://127.0.0.1:{PLAIN_PORT}"),
            format!("http://127.0.0.1:{KIVET_PORT}"),
        ),
        (
            "HTTP/2 with TLS, through nginx",
            format!("https://127.0.0.1:{SECURE_PORT}"),
            String::new(),
        ),
    ] {
        fs::write(pages.join("alone.html"), written(&pictures, URGENT..=URGENT))?;
        fs::write(pages.join("all.html"), written(&pictures, 0..=photographs::NAMES.len() - 1))?;
        let (mut alone, mut among, mut last) = (Vec::new(), Vec::new(), Vec::new());
        for _ in 0..TURNS {
            let (urgent, _) =
                runtime.block_on(visited(folder.path(), &format!("{page}/alone.html")))?;
            alone.push(urgent);
            let (urgent, others) =
                runtime.block_on(visited(folder.path(), &format!("{page}/all.html")))?;
            among.push(urgent);
            last.push(others);
        }
        let (alone, among) = (median(alone), median(among));
        println!(
            "| {name} | {alone:.0} | {among:.0} | {:.2} | {:.0} |",
            among / alone,
            median(last)
        );
    }
    drop(nginx);
    Ok(())
}

/// A page with those of the photographs.
fn written(host: &str, those: std::ops::RangeInclusive<usize>) -> String {
    let pictures: String = those
        .map(|at| {
            let name = photographs::NAMES[at];
            let (place, urgent) =
                if at == URGENT { ("@front_", "fetchpriority=high") } else { ("", "") };
            format!("<img src=\"{host}/pic/{place}{WIDTH}w/photos/{name}.jpg\" width=120 height=80 alt=\"\" {urgent}>\n")
        })
        .collect();
    format!("<!doctype html><title>Kites</title>\n{pictures}")
}

/// Visits a page of a service that has seen nothing yet: when the urgent picture had arrived and when
/// the last of all, in milliseconds since the urgent one was asked for.
async fn visited(folder: &Path, page: &str) -> Result<(f64, f64)> {
    let data = folder.join("page");
    let _ = fs::remove_dir_all(&data);
    let originals =
        Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/originals").canonicalize()?;
    let served = Served::start((folder, "page"), KIVET_PORT, false, &originals)?;
    place(&data)?;
    let chromium = Chromium::launch().await?;
    let tab = chromium.tab(Device::screen(1280, 800, 1.0)).await?;
    tab.open(page).await?;
    while tab.pictures().iter().any(|picture| picture.end_ms == 0.0) {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let pictures = tab.pictures();
    for picture in &pictures {
        ensure!(picture.status == 200, "{} answered {}", picture.url, picture.status);
    }
    let urgent = pictures
        .iter()
        .find(|picture| picture.url.contains(photographs::NAMES[URGENT]))
        .context("the urgent picture is asked for")?;
    let last = pictures.iter().map(|picture| picture.end_ms).fold(0.0, f64::max);
    let took = (urgent.end_ms - urgent.start_ms, last - urgent.start_ms);
    chromium.close().await?;
    drop(served);
    sleep(Duration::from_millis(300));
    Ok(took)
}

/// Keeps the place whose pictures load first.
fn place(data: &Path) -> Result<()> {
    let kept = Command::new(std::env::current_exe()?.with_file_name("kivet"))
        .args(["place", "set", "front", "--loading", "first", "--sizes", &format!("{WIDTH}px")])
        .args(["--service", &format!("127.0.0.1:{KIVET_PORT}"), "--data"])
        .arg(data)
        .output()?;
    ensure!(kept.status.success(), "{}", String::from_utf8_lossy(&kept.stderr));
    Ok(())
}

fn plain(pages: &Path) -> String {
    format!("listen 127.0.0.1:{PLAIN_PORT}; root {};", pages.display())
}

/// HTTP/2 with TLS, and the pictures from Kivet.
fn secure(folder: &Path, pages: &Path) -> Result<String> {
    let (key, certificate) = (folder.join("key.pem"), folder.join("certificate.pem"));
    let made = Command::new("openssl")
        .args([
            "req",
            "-x509",
            "-newkey",
            "rsa:2048",
            "-nodes",
            "-days",
            "2",
            "-subj",
            "/CN=127.0.0.1",
        ])
        .arg("-keyout")
        .arg(&key)
        .arg("-out")
        .arg(&certificate)
        .output()
        .context("openssl makes a certificate")?;
    ensure!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    Ok(format!(
        "listen 127.0.0.1:{SECURE_PORT} ssl http2; root {}; ssl_certificate {}; ssl_certificate_key {};\n\
         location /pic/ {{ proxy_pass http://127.0.0.1:{KIVET_PORT}; proxy_http_version 1.1; proxy_set_header Connection \"\"; }}",
        pages.display(),
        certificate.display(),
        key.display()
    ))
}
