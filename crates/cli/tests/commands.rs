//! The command as people run it: the real binary, its output and its exit codes.
#![allow(clippy::unwrap_used)]

use std::{
    io::{BufRead, BufReader, Read, Write},
    net::TcpStream,
    path::{Path, PathBuf},
    process::{Child, Command, Output, Stdio},
};

use serde_json::Value;

fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn kivet(arguments: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_kivet"));
    for name in ["KIVET_SERVICE", "KIVET_TOKEN", "KIVET_DATA", "KIVET_CONFIG", "KIVET_LISTEN"] {
        command.env_remove(name);
    }
    command.current_dir(repository()).args(arguments).output().unwrap()
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).into_owned()
}

/// Fails with `code`, and says each of `says` on standard error.
#[track_caller]
fn fails(arguments: &[&str], code: i32, says: &[&str]) {
    let output = kivet(arguments);
    let error = text(&output.stderr);
    assert_eq!(output.status.code(), Some(code), "{error}");
    assert!(says.iter().all(|part| error.contains(part)), "{error}");
}

/// A `kivet serve` that ends with the test.
struct Served {
    child: Child,
    address: String,
}

impl Drop for Served {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn serve(folder: &Path) -> Served {
    let config = folder.join("kivet.toml");
    let originals = repository().join("demo/originals").canonicalize().unwrap();
    std::fs::write(&config, format!("data = \"data\"\n[shelves.photos]\nfolder = {originals:?}\n"))
        .unwrap();
    let mut child = Command::new(env!("CARGO_BIN_EXE_kivet"))
        .args(["serve", "--json", "--listen", "127.0.0.1:0", "--config"])
        .arg(&config)
        .stdout(Stdio::piped())
        .stderr(std::fs::File::create(folder.join("log")).unwrap())
        .spawn()
        .unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines().map_while(Result::ok);
    let pictures = lines.find(|line| line.contains("\"pictures\"")).unwrap();
    let address = pictures.split('"').nth(3).unwrap().trim_end_matches("/pic/").to_owned();
    Served { child, address }
}

/// What a service answers to a request of so many header lines.
fn get(served: &Served, path: &str, headers: &str) -> String {
    let host = served.address.strip_prefix("http://").unwrap();
    let mut stream = TcpStream::connect(host).unwrap();
    write!(stream, "GET {path} HTTP/1.1\r\nhost: {host}\r\nconnection: close\r\n{headers}\r\n")
        .unwrap();
    let mut answer = String::new();
    stream.read_to_string(&mut answer).unwrap();
    answer
}

#[test]
fn every_request_is_logged_under_the_id_in_its_response() {
    let folder = tempfile::tempdir().unwrap();
    let served = serve(folder.path());
    let named = get(&served, "/pic/640w/photos/nothing.jpg", "x-request-id: kite-7\r\n");
    assert!(named.starts_with("HTTP/1.1 404") && named.contains("x-request-id: kite-7"), "{named}");
    let own = get(&served, "/healthz", "");
    let id = own
        .lines()
        .find_map(|line| line.strip_prefix("x-request-id: "))
        .unwrap_or_else(|| panic!("{own}"));
    drop(served);
    let log = std::fs::read_to_string(folder.path().join("log")).unwrap();
    let line = |id: &str| {
        log.lines()
            .find(|line| line.contains(id))
            .unwrap_or_else(|| panic!("{id} in {log}"))
            .to_owned()
    };
    let (first, second) = (line("kite-7"), line(id));
    assert!(
        ["GET", "/pic/640w/photos/nothing.jpg", "404"].iter().all(|part| first.contains(part)),
        "{first}"
    );
    assert!(["GET", "/healthz", "200"].iter().all(|part| second.contains(part)), "{second}");
}

#[test]
fn errors_print_their_cause_once() {
    let folder = tempfile::tempdir().unwrap();
    let missing = folder.path().join("kivet.toml");
    let output = kivet(&["serve", "--config", missing.to_str().unwrap()]);
    let error = text(&output.stderr);
    assert_eq!(
        (output.status.code(), error.matches("No such file").count()),
        (Some(1), 1),
        "{error}"
    );
}

#[test]
fn markup_and_console_speak_to_a_running_service() {
    let folder = tempfile::tempdir().unwrap();
    let served = serve(folder.path());
    let data = folder.path().join("data");
    let reach = ["--service", &served.address, "--data", data.to_str().unwrap()];
    let run = |arguments: &[&str]| kivet(&[arguments, &reach].concat());

    let markup = run(&["markup", "photos/kites/six-panel.png", "--sizes", "50vw"]);
    assert!(markup.status.success(), "{}", text(&markup.stderr));
    assert!(text(&markup.stdout).starts_with("<img") && text(&markup.stdout).contains("1600w\""));
    assert!(text(&markup.stderr).contains("no alt is known"));
    let json = run(&[
        "markup",
        "photos/kites/six-panel.png",
        "--sizes",
        "50vw",
        "--alt",
        "A kite",
        "--json",
    ]);
    let json: Value = serde_json::from_slice(&json.stdout).unwrap();
    assert_eq!(
        (json["pictures"].as_array().unwrap().len(), json["notes"].as_array().unwrap().len()),
        (1, 0)
    );

    let link = text(&run(&["console"]).stdout);
    assert!(link.starts_with(&format!("{}/console/sign-in/", served.address)), "{link}");

    let slip = run(&["markup", "photo/kites/six-panel.png", "--sizes", "50vw"]);
    assert_eq!(slip.status.code(), Some(1));
    assert!(text(&slip.stderr).contains("did you mean `photos`?"), "{}", text(&slip.stderr));
    fails(&["console", "--service", &served.address, "--token", "guess"], 1, &["admin token"]);
    fails(
        &["console", "--service", "http://127.0.0.1:9", "--token", "x"],
        1,
        &["no service answers", "kivet serve"],
    );
}

#[test]
fn render_writes_what_it_says() {
    let folder = tempfile::tempdir().unwrap();
    let to = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let original = "demo/originals/kites/six-panel.png";
    let made = kivet(&[
        "render",
        original,
        "--recipe",
        "300w_ratio-3-2_at-top",
        "-o",
        &to("kite.webp"),
        "--json",
    ]);
    let said: Value = serde_json::from_slice(&made.stdout).unwrap();
    assert_eq!((said["width"].as_u64(), said["height"].as_u64()), (Some(300), Some(200)));
    assert_eq!(said["recipe"], "300w_ratio-3-2_at-top_as-webp");
    let bytes = std::fs::read(to("kite.webp")).unwrap();
    assert_eq!(said["bytes"].as_u64(), Some(bytes.len() as u64));
    assert_eq!(&bytes[8..12], b"WEBP");

    let large = kivet(&["render", original, "--recipe", "9000w", "-o", &to("large.jpg")]);
    assert!(
        text(&large.stdout).contains("9000 x 9000 was asked for; nothing is enlarged"),
        "{}",
        text(&large.stdout)
    );

    fails(
        &["render", original, "--recipe", "original", "-o", &to("x.webp")],
        1,
        &["`original` leaves it so", "x.webp"],
    );
    let passed =
        kivet(&["render", original, "--recipe", "original", "-o", &to("same.png"), "--json"]);
    assert!(passed.status.success());
    fails(
        &["render", original, "--recipe", "640w", "-o", &to("x.svg")],
        1,
        &["cannot become a vector"],
    );
    fails(
        &["render", original, "--recipe", "640w_overlay-mark", "-o", &to("x.png")],
        1,
        &["overlay-mark", "service"],
    );
    fails(
        &["render", original, "--recipe", "640", "-o", &to("x.jpg")],
        1,
        &["`640`", "try `640w`"],
    );
    fails(&["render", original, "--recipe", "640w", "-o", &to("x.bmp")], 1, &["x.bmp", ".avif"]);
    fails(
        &["render", original, "--recipe", "640w_as-avif", "-o", &to("x.jpg")],
        1,
        &["make them agree"],
    );
    fails(
        &["render", original, "--recipe", "lossless", "-o", &to("x.jpg")],
        1,
        &["lossless formats"],
    );
    fails(
        &["render", "Cargo.toml", "--recipe", "640w", "-o", &to("x.jpg")],
        1,
        &["Cargo.toml", "not a picture"],
    );
    fails(&["render", "nowhere.jpg", "--recipe", "640w", "-o", &to("x.jpg")], 1, &["nowhere.jpg"]);
    fails(&["render", original], 2, &["--recipe"]);
}

/// Runs in `folder`, as somebody does who has a folder of pictures of their own.
fn kivet_in(folder: &Path, arguments: &[&str]) -> Output {
    let mut command = Command::new(env!("CARGO_BIN_EXE_kivet"));
    for name in ["KIVET_SERVICE", "KIVET_TOKEN", "KIVET_DATA", "KIVET_CONFIG", "KIVET_LISTEN"] {
        command.env_remove(name);
    }
    command.current_dir(folder).args(arguments).output().unwrap()
}

#[test]
fn a_newcomer_s_folder_is_served_and_asked_without_naming_anything() {
    let folder = tempfile::tempdir().unwrap();
    let pictures = folder.path().join("my pictures/Winter 26");
    std::fs::create_dir_all(&pictures).unwrap();
    std::fs::copy(repository().join("demo/originals/night/lanterns.jpg"), pictures.join("lit.jpg"))
        .unwrap();
    let made = kivet_in(folder.path(), &["init"]);
    let said = text(&made.stdout);
    assert!(
        said.contains("winter-26: 1 picture in my pictures/Winter 26"),
        "{said}{}",
        text(&made.stderr)
    );
    let again = kivet_in(folder.path(), &["init"]);
    assert_eq!(again.status.code(), Some(1));
    assert!(text(&again.stderr).contains("is there already"));

    // Client commands find service, token and shelves by the file beside them.
    let port = std::net::TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port();
    let file = folder.path().join("kivet.toml");
    let config = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, config.replace("8484", &port.to_string())).unwrap();
    let child = Command::new(env!("CARGO_BIN_EXE_kivet"))
        .args(["serve", "--json"])
        .current_dir(folder.path())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let mut served = Served { child, address: format!("127.0.0.1:{port}") };
    let lines = BufReader::new(served.child.stdout.take().unwrap()).lines().map_while(Result::ok);
    assert!(lines.into_iter().any(|line| line.contains("\"pictures\"")));
    let markup = ["markup", "winter-26/lit.jpg", "--sizes", "300px", "--alt", "Kites"];
    let written = kivet_in(folder.path(), &markup);
    assert!(text(&written.stdout).contains("/winter-26/lit.jpg 300w"), "{}", text(&written.stderr));
    let slip = kivet_in(folder.path(), &["markup", "winter-26/lot.jpg", "--sizes", "300px"]);
    assert!(text(&slip.stderr).contains(&format!("(asked http://127.0.0.1:{port})")));
    let named = [&markup[..], &["--service", &served.address]].concat();
    assert!(kivet_in(folder.path(), &named).status.success(), "host:port is an address");

    std::fs::write(
        folder.path().join("page.html"),
        "<!doctype html><html lang=en><title>Kites</title><img src=\"my%20pictures/Winter%2026/lit.jpg\" width=300 alt=\"Lit kites\">",
    )
    .unwrap();
    let checked = kivet_in(folder.path(), &["check", "page.html", "--text", "--fixes"]);
    let said = text(&checked.stdout);
    assert!(
        said.contains("/winter-26/lit.jpg 300w")
            && said.lines().all(|line| line.chars().count() <= 100 || line.contains("/pic/")),
        "{said}"
    );

    // What markup writes is asked of the service that kivet.toml names, and of none elsewhere.
    let page = format!(
        "<!doctype html><html lang=en><title>Kites</title>{}",
        text(&written.stdout).replace("300px", "60px")
    );
    std::fs::write(folder.path().join("with.html"), page).unwrap();
    let broken = |folder: &Path, page: &str| {
        let check = ["check", page, "--fixes", "--unthrottled", "--device", "laptop"];
        let said = text(&kivet_in(folder, &check).stdout);
        assert!(said.contains("sends"), "{said}");
        said.contains("broken-picture").then_some(said)
    };
    assert_eq!(broken(folder.path(), "with.html"), None);
    let elsewhere = tempfile::tempdir().unwrap();
    let page = folder.path().join("with.html").display().to_string();
    let said = broken(elsewhere.path(), &page).expect("nobody answers");
    assert!(said.contains("--pictures"), "{said}");
}

#[test]
fn completions_and_manual_pages_are_written() {
    let folder = tempfile::tempdir().unwrap();
    let script = text(&kivet(&["completions", "bash"]).stdout);
    assert!(script.contains("complete -F _kivet") && script.contains("--update-baseline"));
    let manual = folder.path().join("man");
    let written = kivet(&["manual", manual.to_str().unwrap()]);
    assert!(written.status.success(), "{}", text(&written.stderr));
    let page = std::fs::read_to_string(manual.join("kivet-check.1")).unwrap();
    assert!(page.contains("update") && page.contains(".TH"));
    fails(&["completions", "abacus"], 2, &["abacus", "bash"]);
}

#[test]
fn doctor_tells_what_is_there_and_serve_refuses_what_it_cannot_follow() {
    let good = kivet(&["doctor", "--config", "demo/kivet.toml", "--json"]);
    assert!(good.status.success());
    let findings: Value = serde_json::from_slice(&good.stdout).unwrap();
    assert!(
        findings
            .as_array()
            .unwrap()
            .iter()
            .any(|one| one["thing"] == "configuration" && one["ok"] == true)
    );

    let folder = tempfile::tempdir().unwrap();
    let config = folder.path().join("kivet.toml");
    std::fs::write(&config, "listen = \"127.0.0.1:0\"\n\n[shelvs.photos]\nfolder = \".\"\n")
        .unwrap();
    let config = config.to_str().unwrap();
    assert_eq!(kivet(&["doctor", "--config", config]).status.code(), Some(1));
    fails(&["serve", "--config", config], 1, &["kivet.toml, line 3", "did you mean `shelves`?"]);
    fails(&["serve", "--config", "nowhere.toml"], 1, &["nowhere.toml"]);
    fails(&["demo", "--folder", "/nowhere"], 1, &["--folder"]);
}

/// The smallest file of the design page, as it stands: folder shelves are served, the other kinds
/// refused by name.
#[test]
fn the_smallest_configuration_starts_and_refuses_what_is_not_there_yet() {
    let folder = tempfile::tempdir().unwrap();
    std::fs::create_dir_all(folder.path().join("demo/originals")).unwrap();
    let config = folder.path().join("kivet.toml");
    let smallest = r#"
        listen = "127.0.0.1:8484"
        data   = "kivet-data"            # records, renditions, reductions, the admin token (mode 0600)

        [shelves.photos]
        folder = "demo/originals"

        [shelves.press]
        web = "https://press.example/uploads/"

        [shelves.archive]
        bucket = "s3://archive/images"   # endpoint, region and credentials as S3 clients usually take them

        [access]
        addresses = "open"               # open | listed | signed
    "#;
    std::fs::write(&config, smallest).unwrap();
    let mut child = Command::new(env!("CARGO_BIN_EXE_kivet"))
        .args(["serve", "--listen", "127.0.0.1:0", "--config"])
        .arg(&config)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut greeting = String::new();
    BufReader::new(child.stdout.take().unwrap()).read_line(&mut greeting).unwrap();
    child.kill().unwrap();
    let log = text(&child.wait_with_output().unwrap().stderr);
    assert!(greeting.contains("Kivet serves pictures at"), "{greeting}");
    assert!(
        log.contains("press") && log.contains("a web server") && log.contains("a bucket"),
        "{log}"
    );

    use std::os::unix::fs::PermissionsExt;
    let token = folder.path().join("kivet-data/admin-token").metadata().unwrap();
    assert_eq!(token.permissions().mode() & 0o777, 0o600);
}

#[test]
fn places_are_set_exported_and_imported_and_markup_explains_its_widths() {
    let folder = tempfile::tempdir().unwrap();
    let served = serve(folder.path());
    let data = folder.path().join("data");
    let reach = ["--service", &served.address, "--data", data.to_str().unwrap()];
    let run = |arguments: &[&str]| kivet(&[arguments, &reach].concat());
    let said = |arguments: &[&str]| {
        let output = run(arguments);
        assert!(output.status.success(), "{arguments:?}: {}", text(&output.stderr));
        text(&output.stdout)
    };

    let refused = run(&["place", "set", "card", "--ratio", "3/2"]);
    assert!(text(&refused.stderr).contains("the place `card` is new and needs --sizes"));
    said(&["place", "set", "card", "--sizes", "(min-width: 60em) 33vw, 100vw", "--ratio", "3/2"]);
    let card = said(&["place", "set", "card", "--density-cap", "2"]);
    assert!(card.contains("ratio = \"3/2\"") && card.contains("density-cap = 2.0"), "{card}");
    let file = folder.path().join("places.toml");
    said(&["place", "export", file.to_str().unwrap()]);
    let changed = std::fs::read_to_string(&file).unwrap().replace("3/2", "1/1");
    std::fs::write(&file, changed).unwrap();
    assert!(said(&["place", "import", file.to_str().unwrap()]).contains("ratio-1-1"));
    std::fs::write(&file, "[card]\nsizes = '10vw'\nwidht = 3\n").unwrap();
    let slip = run(&["place", "import", file.to_str().unwrap()]);
    assert!(text(&slip.stderr).contains("unknown field `widht`"), "{}", text(&slip.stderr));

    let lanterns = "photos/night/lanterns.jpg";
    let picture = said(&["markup", lanterns, "--place", "card", "--decorative"]);
    assert!(picture.starts_with("<picture>") && picture.contains("(min-resolution: 2.01dppx)"));
    let explained = said(&["markup", lanterns, "--place", "card", "--explain"]);
    assert!(explained.contains("one fewer") && explained.contains("expected"), "{explained}");
    let alt = said(&["library", "alt", lanterns, "Lit kites", "--language", "en"]);
    assert!(alt.contains("Lit kites (in en)"), "{alt}");
    let jsx = said(&["markup", lanterns, "--place", "card", "--form", "jsx", "--language", "en"]);
    assert!(jsx.contains("alt=\"Lit kites\""), "{jsx}");
    said(&["place", "remove", "card"]);
    let gone = run(&["place", "show", "card"]);
    assert!(text(&gone.stderr).contains("unknown place `card`"));
}

#[test]
fn a_folder_is_rewritten_anew_in_place_and_back() {
    let folder = tempfile::tempdir().unwrap();
    let served = serve(folder.path());
    let data = folder.path().join("data");
    let reach = ["--service", &served.address, "--data", data.to_str().unwrap()];
    let run = |arguments: &[&str]| kivet(&[arguments, &reach].concat());
    let said = |arguments: &[&str]| {
        let output = run(arguments);
        assert!(output.status.success(), "{arguments:?}: {}", text(&output.stderr));
        text(&output.stdout)
    };
    let site = folder.path().join("site");
    let page =
        "<p>One</p>\n<p><img src=\"../pics/night/lanterns.jpg\" alt=\"Lit\"></p>\n<p>Two</p>\n";
    std::fs::create_dir_all(site.join("deep")).unwrap();
    std::os::unix::fs::symlink(repository().join("demo/originals"), folder.path().join("pics"))
        .unwrap();
    std::fs::write(site.join("index.html"), page).unwrap();
    std::os::unix::fs::symlink("../pics", site.join("linked")).unwrap();
    std::fs::write(site.join("deep/note.txt"), "stays").unwrap();
    let rules = folder.path().join("pages.toml");
    std::fs::write(&rules, "[places.plate]\nsizes = '60px'\n[[rules]]\nplace = 'plate'\n").unwrap();
    let (site, rules) = (site.to_str().unwrap(), rules.to_str().unwrap());

    let undecided = run(&["apply", site, "--rules", rules]);
    assert!(text(&undecided.stderr).contains("--out FOLDER, or --in-place"));
    let diff = said(&["apply", site, "--rules", rules, "--dry-run", "--diff"]);
    assert!(diff.contains("--- a/index.html") && diff.contains("-<p><img src=\"../pics"), "{diff}");
    assert!(
        diff.contains("1 of 1 pictures rewritten in 1 of 1 documents; nothing written"),
        "{diff}"
    );
    let explained = said(&["apply", site, "--rules", rules, "--explain", "index.html"]);
    assert!(explained.contains("becomes plate, loads later, by rule 1"), "{explained}");

    let out = folder.path().join("new");
    let copied = said(&["apply", site, "--rules", rules, "--out", out.to_str().unwrap()]);
    assert!(copied.contains("links lead out of the folder or to nothing: linked"), "{copied}");
    let new = std::fs::read_to_string(out.join("index.html")).unwrap();
    assert!(
        new.contains("/photos/night/lanterns.jpg") && new.ends_with("</p>\n<p>Two</p>\n"),
        "{new}"
    );
    assert_eq!(std::fs::read_to_string(out.join("deep/note.txt")).unwrap(), "stays");
    assert!(out.join("linked").symlink_metadata().is_err());
    let known = kivet(&["learn", site, "--out", rules]);
    assert!(text(&known.stderr).contains("may have been edited"), "{}", text(&known.stderr));
    let foreign = run(&["apply", site, "--rules", rules, "--out", data.to_str().unwrap()]);
    assert!(text(&foreign.stderr).contains("holds other files"), "{}", text(&foreign.stderr));

    let baked = folder.path().join("baked");
    let bake = ["apply", site, "--rules", rules, "--bake", "--out", baked.to_str().unwrap()];
    let first = said(&bake);
    let html = std::fs::read_to_string(baked.join("index.html")).unwrap();
    // So small, AVIF is the heavier of the two, and is left out.
    assert!(
        html.contains("<picture style=\"display:contents\"><source type=\"image/webp\"")
            && !html.contains("/pic/"),
        "{html}"
    );
    let src = html.split(" src=\"").nth(1).unwrap().split('"').next().unwrap();
    let file = std::fs::read(baked.join(src)).unwrap();
    assert!(src.ends_with(".jpg") && file.starts_with(&[0xff, 0xd8]), "{src}");
    assert!(first.contains(" renditions made, 0 kept"), "{first}");
    // What the background measures meanwhile may change a choice, until all is measured.
    let keeps_all = (0..5).any(|_| said(&bake).contains("\n0 renditions made, "));
    assert!(keeps_all, "what was made before is made again");

    said(&["rules", "set", rules]);
    assert!(said(&["rules", "show"]).contains("place = \"plate\""));
    said(&["apply", site, "--in-place"]);
    let changed = std::fs::read_to_string(Path::new(site).join("index.html")).unwrap();
    assert!(
        changed.contains("/photos/night/lanterns.jpg") && changed.contains("sizes=\"60px\""),
        "{changed}"
    );
    assert!(said(&["apply", site, "--in-place"]).contains("in 0 of 1 documents"));
    assert!(said(&["apply", site, "--undo"]).contains("1 files put back"));
    assert_eq!(std::fs::read_to_string(Path::new(site).join("index.html")).unwrap(), page);
}
