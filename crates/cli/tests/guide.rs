//! The guide's walk-through, as somebody with a folder of pages takes it: its commands as they are
//! printed there.
#![allow(clippy::unwrap_used)]

use std::{
    fs,
    net::{TcpListener, TcpStream},
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    thread::sleep,
    time::Duration,
};

use serde_json::Value;

/// A folder with `kivet.toml`, a site of one page, and its pictures; and the service it describes.
struct Project {
    folder: tempfile::TempDir,
    service: Child,
}

impl Drop for Project {
    fn drop(&mut self) {
        let _ = self.service.kill();
        let _ = self.service.wait();
    }
}

impl Project {
    fn start() -> Self {
        let folder = tempfile::tempdir().unwrap();
        let demo = repository().join("demo").canonicalize().unwrap();
        std::os::unix::fs::symlink(demo.join("originals"), folder.path().join("originals"))
            .unwrap();
        fs::create_dir(folder.path().join("site")).unwrap();
        for file in ["journal.html", "festival.css"] {
            fs::copy(demo.join("site").join(file), folder.path().join("site").join(file)).unwrap();
        }
        let free = TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap();
        let config = format!("listen = \"{free}\"\n[shelves.photos]\nfolder = \"originals\"\n");
        fs::write(folder.path().join("kivet.toml"), config).unwrap();
        let service = command(folder.path(), "kivet serve")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        while TcpStream::connect(free).is_err() {
            sleep(Duration::from_millis(50));
        }
        Self { folder, service }
    }

    /// Runs a line of the guide, which succeeds, and says what it printed.
    #[track_caller]
    fn run(&self, line: &str) -> String {
        let output = command(self.folder.path(), line).output().unwrap();
        let error = String::from_utf8_lossy(&output.stderr);
        assert!(output.status.success(), "{line}: {error}");
        String::from_utf8(output.stdout).unwrap()
    }

    /// The bytes of pictures that each device is sent by the one page of a folder.
    fn sent(&self, folder: &str) -> Vec<(String, u64)> {
        let report = self.run(&format!("kivet check {folder} --unthrottled --json"));
        let report: Value = serde_json::from_str(&report).unwrap();
        let devices = report["pages"][0]["devices"].as_array().unwrap();
        let of = |seen: &Value| Some((seen["device"].as_str()?.to_owned(), seen["sent"].as_u64()?));
        devices.iter().map(|seen| of(seen).unwrap()).collect()
    }
}

/// Devices may be sent so much more from files than from the service, which knows its viewers better
/// and decides formats again once it has made other files of an original.
const BAKED: f64 = 1.1;

fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// A printed command, run in a folder.
fn command(folder: &Path, line: &str) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_kivet"));
    for name in ["KIVET_SERVICE", "KIVET_TOKEN", "KIVET_DATA", "KIVET_CONFIG", "KIVET_LISTEN"] {
        command.env_remove(name);
    }
    command.current_dir(folder).args(line.split_whitespace().skip(1));
    command
}

#[test]
fn the_walk_through_of_rewriting_a_site_goes_as_the_guide_says() {
    let guide = fs::read_to_string(repository().join("docs/guide/rewrite-a-site.md")).unwrap();
    let lines: Vec<&str> = guide.lines().filter_map(|line| line.strip_prefix("    ")).collect();
    let commands: Vec<&str> =
        lines.iter().copied().filter(|line| line.starts_with("kivet ")).collect();
    // Learning is part of the first; the last one names a live site, where `try_site` goes.
    let [all_at_once, _init, _serve, _learn, explain, bake, _try] = commands[..] else {
        panic!("the guide has other commands now: {commands:?}")
    };
    let project = Project::start();
    let at = |path: &str| project.folder.path().join(path);

    let proof = project.run(all_at_once);
    for device in ["small phone", "phone", "tablet", "laptop", "wide desktop"] {
        let row = proof.lines().find(|line| line.trim_start().starts_with(device)).unwrap();
        let gains: Vec<(f64, f64)> = row
            .split("  ")
            .filter_map(|cell| cell.trim().split_once(" -> "))
            .filter_map(|(before, after)| Some((before.parse().ok()?, after.parse().ok()?)))
            .collect();
        // Of the numbers without a unit the first is sent over needed, and the last is shift.
        let (ratio, shift) = (gains[0], gains[gains.len() - 1]);
        assert!(ratio.0 > 10.0 && ratio.1 < 1.3, "{row}");
        assert!(shift.1 < 0.005, "{row}");
    }
    let page = fs::read_to_string(at("site-with-kivet/journal.html")).unwrap();
    assert!(page.contains("srcset=\"/pic/") && page.contains("fetchpriority=\"high\""), "{page}");
    let before = fs::read_to_string(at("site/journal.html")).unwrap();
    assert!(!before.contains("/pic/"), "the folder itself stays as it was");

    let explained = project.run(explain);
    assert!(explained.contains("noor-hale.jpg") && explained.contains("rule"), "{explained}");

    // Without the service, any file server will do.
    project.run(bake);
    let baked = fs::read_to_string(at("baked/journal.html")).unwrap();
    assert!(!baked.contains("/pic/") && baked.contains("type=\"image/avif\""), "{baked}");
    let [live, baked] = ["site-with-kivet/", "baked/"].map(|folder| project.sent(folder));
    for ((device, live), (_, baked)) in live.into_iter().zip(baked) {
        assert!(
            baked > 0 && baked as f64 <= live as f64 * BAKED,
            "{device}: {live}, baked {baked}"
        );
    }
}
