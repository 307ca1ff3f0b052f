//! `docs/screenshots/`: the console and the demo in Chromium, the commands in a terminal under
//! Xvfb.

use std::{
    io::{BufRead, BufReader},
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    thread::sleep,
    time::Duration,
};

use anyhow::{Context, Result, ensure};

use crate::run::{in_repository, release_binary, root, succeed};

/// What is shown in a terminal: file name, commands one after the other.
const COMMANDS: [(&str, &[&str]); 7] = [
    (
        "commands",
        &[
            "kivet doctor --config demo/kivet.toml",
            "kivet render demo/originals/night/lanterns.jpg --recipe 640w_ratio-1-1 -o /tmp/lanterns.avif",
            "kivet markup photos/kites/six-panel.png --sizes '(min-width: 60em) 50vw, 100vw' --alt 'A six-panel kite'",
        ],
    ),
    (
        "pictures",
        &[
            "curl -sI -H 'Accept: image/avif' $KIVET_SERVICE/pic/640w/photos/harbour/kites-dawn.jpg",
            "curl -sI $KIVET_SERVICE/pic/9000w_as-webp/photos/kites/six-panel.png | grep -i '^kivet'",
            "curl -s $KIVET_SERVICE/pic/640w_fidelty-60/photos/harbour/kites-dawn.jpg",
        ],
    ),
    (
        "markup",
        &[
            "kivet place list",
            "kivet markup photos/night/lanterns.jpg --place card --alt 'Lit kites above a field'",
            "kivet markup photos/night/lanterns.jpg --place card --explain",
        ],
    ),
    (
        "check",
        &[
            "kivet check demo/site/visit.html --device phone",
            "kivet check demo/site/makers.html --fit-sizes | head -6",
        ],
    ),
    (
        "rewrite",
        &[
            "kivet apply demo/site --rules demo/try.toml --explain journal.html | head -14",
            "kivet apply demo/site --rules demo/try.toml --diff --dry-run | head -18",
        ],
    ),
    // By now the picture that the first commands asked for is final.
    ("why", &["kivet why 640w/photos/harbour/kites-dawn.jpg --accept image/avif,image/webp"]),
    ("help", &["kivet --help"]),
];

/// How long the commands of one picture may take.
const MAX_SECONDS: u32 = 120;

/// Makes every picture anew.
pub fn run() -> Result<()> {
    let folder = root().join("docs/screenshots");
    std::fs::create_dir_all(&folder)?;
    let scratch = std::env::temp_dir().join(format!("kivet-shots-{}", std::process::id()));
    std::fs::create_dir_all(&scratch)?;
    let (mut service, address, link) = start(&scratch)?;
    let made = shoot(&folder, &scratch, &address, &link);
    service.kill()?;
    service.wait()?;
    std::fs::remove_dir_all(&scratch)?;
    made
}

/// Starts the demo on a port of its own: the process, its address, a sign-in link.
fn start(scratch: &Path) -> Result<(Child, String, String)> {
    let mut child = in_repository(release_binary("kivet")?)
        .args(["demo", "--listen", "127.0.0.1:8494", "--data"])
        .arg(scratch.join("data"))
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()?;
    let output = child.stdout.take().context("the demo has no output")?;
    let link = BufReader::new(output)
        .lines()
        .map_while(Result::ok)
        .find_map(|line| {
            Some(line[line.find("http://")?..].to_owned()).filter(|link| link.contains("/sign-in/"))
        })
        .context("the demo did not start; is port 8494 taken?")?;
    Ok((child, "http://127.0.0.1:8494".to_owned(), link))
}

fn shoot(folder: &Path, scratch: &Path, address: &str, link: &str) -> Result<()> {
    let page =
        |name: &str, url: &str| chromium(scratch, &folder.join(name).with_extension("png"), url);
    // The first visit signs the profile in.
    page("console-library", link)?;
    let bench =
        "console/workbench?original=photos%2Fnight%2Flanterns.jpg&recipe=360w_ratio-4-3_at-left";
    page("console-workbench", &format!("{address}/{bench}"))?;
    page("console-place", &format!("{address}/console/places/card?shelf=photos"))?;
    let kivet = |arguments: &[&str]| {
        succeed(
            in_repository(release_binary("kivet")?)
                .args(arguments)
                .args(["--service", address, "--data"])
                .arg(scratch.join("data"))
                .stdout(Stdio::null()),
        )
    };
    kivet(&["rules", "set", "demo/try.toml"])?;
    page("console-rules", &format!("{address}/console/rules"))?;
    page("demo-as-written", &format!("{address}/demo/site/index.html"))?;
    page("demo-with-kivet", &format!("{address}/demo/site/with-kivet.html"))?;
    let sheet = scratch.join("engine.html");
    std::fs::write(&sheet, contact_sheet(address))?;
    page("engine", &format!("file://{}", sheet.display()))?;
    let problems = scratch.join("problems.html");
    std::fs::write(&problems, broken_page(address))?;
    page("drawn-problems", &format!("file://{}", problems.display()))?;
    check_pages(scratch, address)?;
    page("console-pages", &format!("{address}/console/pages"))?;
    page("console-page-report", &format!("{address}/console/pages/1?device=phone"))?;
    page("console-before-and-after", &format!("{address}/console/pages/2?against=1&device=phone"))?;
    page("check-report", &format!("file://{}", scratch.join("report.html").display()))?;
    for (name, commands) in COMMANDS {
        terminal(
            &folder.join(format!("terminal-{name}")).with_extension("png"),
            scratch,
            address,
            commands,
        )?;
    }
    Ok(())
}

/// What the engine makes of the festival's originals, each under its address.
const MADE: [&str; 12] = [
    "280w_ratio-4-3/photos/beach/high-kites.jpg",
    "280w_ratio-4-3_at-left/photos/beach/high-kites.jpg",
    "210h_ratio-9-16/photos/makers/noor-hale.jpg",
    "280w_ratio-4-3_overlay-mark/photos/beach/dunes-noon.jpg",
    "280w_ratio-4-3_sepia-60_blur-8.in-50-0-50-100/photos/harbour/roofs.jpg",
    "280w_ratio-4-3_pixelate-16.in-20-20-50-50/photos/workshop/bench.jpg",
    "280w_ratio-4-3_hue-rotate-120_contrast-120/photos/harbour/kites-dawn.jpg",
    "280w_210h_contain_rotate-90_on-0d2b45/photos/night/lanterns.jpg",
    "210h_trim/photos/kites/six-panel.png",
    "280w_ratio-4-3_as-jxl/photos/night/fire-tails.jpg",
    "280w_ratio-4-3/photos/motion/windsock.gif",
    "210w_ratio-1-1/photos/brand/mark.svg",
];

fn contact_sheet(address: &str) -> String {
    let figure = |path: &&str| {
        let recipe = path.split('/').next().unwrap_or_default();
        let original = &path[recipe.len() + "/photos/".len()..];
        format!(
            "<figure><div><img src=\"{address}/pic/{path}\"></div><figcaption><b>{recipe}</b><br>{original}</figcaption></figure>"
        )
    };
    let figures: String = MADE.iter().map(figure).collect();
    format!(
        "<!doctype html><style>body {{ margin: 14px; background: #fbf9f4; color: #1d2b30; font: 12px/1.35 'DejaVu Sans', sans-serif; display: grid; grid-template-columns: repeat(4, 1fr); gap: 10px 18px }} figure {{ margin: 0 }} div {{ height: 212px; display: flex; align-items: center; justify-content: center }} img {{ display: block }} figcaption {{ overflow-wrap: anywhere; padding-top: 3px }}</style>{figures}"
    )
}

/// A page whose pictures ask for what cannot be.
fn broken_page(address: &str) -> String {
    let pictures = [
        ("600w_400h_fidelty-60/photos/harbour/roofs.jpg", 600, 400),
        ("560w_ratio-7-5/photos/harbour/rooves.jpg", 560, 400),
        ("320w_240h_blur/photos/beach/breakers.jpg", 320, 240),
        ("240w_240h_overlay-crest/photos/beach/breakers.jpg", 240, 240),
        ("160w_120h_at-middle/photos/beach/breakers.jpg", 160, 120),
        ("320w_240h/photos/beach/breakers.jpg", 320, 240),
    ];
    let images = pictures.map(|(path, width, height)| {
        format!("<img src=\"{address}/pic/{path}\" width=\"{width}\" height=\"{height}\">")
    });
    format!(
        "<!doctype html><style>body {{ margin: 16px; display: flex; flex-wrap: wrap; gap: 16px }}</style>{}",
        images.concat()
    )
}

/// Keeps checks of the front page as written and with Kivet's markup, and a report of the former as
/// a file.
fn check_pages(scratch: &Path, address: &str) -> Result<()> {
    let pages = ["index.html", "with-kivet.html"].map(|page| format!("{address}/demo/site/{page}"));
    succeed(
        in_repository(release_binary("kivet")?)
            .args(["check", "--keep", "--service", address, "--data"])
            .arg(scratch.join("data"))
            .arg("--report")
            .arg(scratch.join("report.html"))
            .args(pages)
            .stdout(Stdio::null()),
    )
}

fn chromium(scratch: &Path, to: &Path, url: &str) -> Result<()> {
    println!("{}", to.display());
    succeed(
        Command::new("chromium")
            .args([
                "--headless",
                "--no-sandbox",
                "--disable-gpu",
                "--disable-quic",
                "--no-first-run",
            ])
            .args([
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
            ])
            .args(["--hide-scrollbars", "--window-size=1280,800", "--virtual-time-budget=20000"])
            .arg(format!("--user-data-dir={}", scratch.join("profile").display()))
            .arg(format!("--screenshot={}", to.display()))
            .arg(url)
            .stderr(Stdio::null()),
    )
}

/// Runs commands in a terminal window and takes its picture.
fn terminal(to: &Path, scratch: &Path, address: &str, commands: &[&str]) -> Result<()> {
    println!("{}", to.display());
    let shown = |command: &&str| {
        format!("cat <<'END'\n\u{1b}[1m$ {command}\u{1b}[0m\nEND\n{command}\necho; echo\n")
    };
    let done = scratch.join("done");
    let script = commands.iter().map(shown).collect::<String>()
        + &format!("touch {}; sleep 60", done.display());
    let binaries: PathBuf =
        release_binary("kivet")?.parent().map(Path::to_path_buf).unwrap_or_default();
    let path = format!("{}:{}", binaries.display(), std::env::var("PATH").unwrap_or_default());
    let mut screen = Command::new("Xvfb")
        .args([":94", "-screen", "0", "1280x800x24"])
        .stderr(Stdio::null())
        .spawn()?;
    sleep(Duration::from_secs(1));
    let window = in_repository("xterm")
        .env("DISPLAY", ":94")
        .env("PATH", path)
        .env("KIVET_SERVICE", address)
        .env("KIVET_DATA", scratch.join("data"))
        .args([
            "-geometry",
            "128x42+0+0",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "12",
            "-bg",
            "#fbf9f4",
            "-fg",
            "#1d2b30",
        ])
        .args(["-e", "bash", "-c", &script])
        .spawn();
    for _ in 0..MAX_SECONDS {
        sleep(Duration::from_secs(1));
        if done.exists() {
            break;
        }
    }
    sleep(Duration::from_secs(1));
    // It is only there if the commands came to their end.
    std::fs::remove_file(&done)?;
    let taken =
        Command::new("import").env("DISPLAY", ":94").args(["-window", "root"]).arg(to).status();
    window?.kill()?;
    screen.kill()?;
    screen.wait()?;
    ensure!(taken?.success(), "import failed");
    Ok(())
}
