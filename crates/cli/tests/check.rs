//! `kivet check` as people and continuous integration run it: targets, report files, baselines,
//! budgets, exit codes.
#![allow(clippy::unwrap_used)]

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use serde_json::Value;

fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn check(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_kivet"))
        .current_dir(repository())
        .arg("check")
        .args(arguments)
        .output()
        .unwrap()
}

fn said(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr)
}

#[track_caller]
fn ends(arguments: &[&str], code: i32, says: &[&str]) -> String {
    let output = check(arguments);
    let said = said(&output);
    assert_eq!(output.status.code(), Some(code), "{said}");
    assert!(says.iter().all(|part| said.contains(part)), "{said}");
    said
}

/// Two pages beside the demo's originals: one careless, one careful.
fn site() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let pictures = folder.path().join("pictures");
    std::fs::create_dir(&pictures).unwrap();
    for name in ["night/lanterns.jpg", "brand/sponsor-tern.png"] {
        let file = repository().join("demo/originals").join(name);
        std::fs::copy(&file, pictures.join(file.file_name().unwrap())).unwrap();
    }
    write(&folder, "careless.html", "<img src=\"pictures/lanterns.jpg\" width=\"300\">");
    write(&folder, "plain.html", "<p>No pictures here.</p>");
    folder
}

fn write(folder: &tempfile::TempDir, name: &str, body: &str) {
    let page = format!(
        "<!doctype html>\n<html lang=\"en\">\n<title>{name}</title>\n<body>\n{body}\n</body>\n</html>\n"
    );
    std::fs::write(folder.path().join(name), page).unwrap();
}

#[test]
fn a_folder_is_checked_and_reported_in_every_form() {
    let folder = site();
    let path = |name: &str| folder.path().join(name).display().to_string();
    let site = folder.path().display().to_string();
    let forms = ["r.json", "r.html", "r.sarif", "r.xml", "r.md"].map(path);
    let mut arguments = vec![site.as_str(), "--text"];
    forms.iter().for_each(|form| arguments.extend(["--report", form]));
    let said = ends(
        &arguments,
        0,
        &[
            "more-pixels-than-shown",
            "alt-missing",
            "careless.html:5 lanterns.jpg",
            "nothing to fix was found",
        ],
    );
    assert!(said.contains("careless.html") && said.contains("plain.html"));

    let read = |at: usize| std::fs::read_to_string(&forms[at]).unwrap();
    let json: Value = serde_json::from_str(&read(0)).unwrap();
    assert_eq!((json["version"].as_u64(), json["mode"].as_str()), (Some(3), Some("text")));
    let phone = &json["pages"][0]["devices"][1];
    assert!(
        phone["sent"].as_u64().unwrap() > 3_000_000 && phone["needed"].as_u64().unwrap() < 100_000
    );
    assert!(
        read(1).contains("<section id=") && read(4).contains("| phone | 0.3% | 3.31 MB |"),
        "{}",
        read(4)
    );
    let sarif: Value = serde_json::from_str(&read(2)).unwrap();
    assert_eq!(
        sarif["runs"][0]["results"][0]["locations"][0]["physicalLocation"]["region"]["startLine"],
        5
    );
    assert!(read(3).contains("<testcase name=\"alt-missing\""));
}

#[test]
fn every_request_of_a_page_is_recorded_and_drawn() {
    let folder = site();
    let path = |name: &str| folder.path().join(name).display().to_string();
    let (page, json, html) = (path("careless.html"), path("r.json"), path("r.html"));
    let arguments =
        [&page, "--unthrottled", "--device", "laptop", "--waterfall", "--report", &json];
    let wanted = [
        "laptop: 3 requests",
        "1 document",
        "1 picture",
        "lanterns.jpg               picture",
        "DOM ready",
        "fit<90 on the laptop",
        "not throttled",
    ];
    let more = ["--report", &html, "--fail-on", "fit<90"];
    ends(&[&arguments[..], &more].concat(), 3, &wanted);
    let report: Value = serde_json::from_str(&std::fs::read_to_string(json).unwrap()).unwrap();
    let device = &report["pages"][0]["devices"][0];
    let rows = device["resources"].as_array().unwrap();
    let kinds: Vec<&str> = rows.iter().map(|row| row["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["document", "picture", "other"], "Chromium requests a favicon by itself");
    let [page, picture] = [0, 1].map(|at| rows[at]["endMs"].as_f64().unwrap());
    assert!(page > 0.0 && picture > page, "{rows:?}");
    assert_eq!(rows[1]["url"], "/pictures/lanterns.jpg", "not by a port of this check");
    assert_eq!(rows[1]["bytes"], device["sent"]);
    let fit = device["useful"].as_f64().unwrap() * 100.0 / device["sent"].as_f64().unwrap();
    assert!((device["fit"].as_f64().unwrap() - fit).abs() < 0.1 && fit < 30.0, "{device}");
    let html = std::fs::read_to_string(html).unwrap();
    assert!(
        html.contains("<svg class=\"waterfall\"")
            && html.contains("measured in a browser, not throttled")
    );
}

#[test]
fn budgets_and_baselines_decide_the_exit_code() {
    let folder = site();
    let page = folder.path().join("careless.html").display().to_string();
    let baseline = folder.path().join("baseline.json").display().to_string();
    ends(&[&page, "--text", "--fail-on", "animated-gif,sent>9MB"], 0, &[]);
    ends(&[&page, "--text", "--fail-on", "alt-missing"], 3, &["failed:", "alt-missing at"]);
    ends(
        &[&page, "--text", "--device", "laptop", "--fail-on", "wasted>1MB"],
        3,
        &["wasted>1000000 on the laptop: it is"],
    );
    ends(&[&page, "--text", "--report", &baseline], 0, &[]);
    ends(&[&page, "--text", "--baseline", &baseline], 0, &["beyond the baseline: nothing"]);
    write(
        &folder,
        "careless.html",
        "<img src=\"pictures/lanterns.jpg\" width=\"300\">\n<img src=\"pictures/sponsor-tern.png\" alt=\"logo\">",
    );
    ends(&[&page, "--text", "--baseline", &baseline], 3, &["alt-useless", "img:nth-of-type(2)"]);
    // What is accepted is accepted from then on.
    ends(&[&page, "--text", "--baseline", &baseline, "--update-baseline"], 0, &[]);
    ends(&[&page, "--text", "--baseline", &baseline], 0, &["beyond the baseline: nothing"]);
    // A page nobody knew is new whole; JUnit fails what the exit code does, and no more.
    write(&folder, "another.html", "<img src=\"pictures/lanterns.jpg\" width=\"90\" alt=\"\">");
    let site = folder.path().display().to_string();
    let junit = folder.path().join("r.xml").display().to_string();
    ends(&[&page, &site, "--text", "--report", &baseline], 0, &[]);
    std::fs::remove_file(folder.path().join("another.html")).unwrap();
    ends(&[&site, "--text", "--report", &baseline, "--report", &junit], 0, &[]);
    assert!(!std::fs::read_to_string(&junit).unwrap().contains("<failure"));
    write(&folder, "another.html", "<img src=\"pictures/lanterns.jpg\" width=\"90\" alt=\"\">");
    let new = ["more-pixels-than-shown at", "another.html"];
    ends(&[&site, "--text", "--baseline", &baseline, "--report", &junit, "--quiet"], 3, &new);
    assert!(std::fs::read_to_string(&junit).unwrap().contains("<failure"));
    ends(&[&page, "--text", "--report", &baseline], 0, &[]);
    write(
        &folder,
        "careless.html",
        "<img src=\"pictures/lanterns.jpg\" width=\"300\" alt=\"Lit kites above a field\">",
    );
    ends(
        &[&page, "--text", "--against", &baseline],
        0,
        &["fixed  alt-missing", "6 fixed, 1 new, 0 worse"],
    );
}

#[test]
fn what_cannot_be_checked_is_said_and_the_rest_is_checked() {
    let folder = site();
    let site = folder.path().display().to_string();
    ends(
        &["/nowhere/at-all.html"],
        1,
        &["`/nowhere/at-all.html` is neither an http URL nor a file"],
    );
    ends(&[&site, "--text", "--fail-on", "largest>1s"], 2, &["needs a browser"]);
    let picture = folder.path().join("pictures/lanterns.jpg").display().to_string();
    ends(&[&picture, "--text"], 1, &["lanterns.jpg", "holds no HTML"]);
    ends(&[&site, "--text", "--fail-on", "alt-mising"], 2, &["did you mean `alt-missing`?"]);
    ends(&[&site, "--text", "--report", "out.pdf"], 2, &["does not say which form", ".sarif"]);
    ends(&[&site, "--device", "watch"], 2, &["there is no device `watch`", "small-phone"]);
    ends(&[&site, "--browser", "/nowhere/chromium"], 1, &["/nowhere/chromium"]);
    let page = folder.path().join("careless.html").display().to_string();
    let both = ["http://127.0.0.1:9/page.html", page.as_str(), "--text", "--device", "laptop"];
    ends(
        &both,
        1,
        &[
            "could not be checked: cannot fetch http://127.0.0.1:9/page.html",
            "more-pixels-than-shown",
        ],
    );
    let sitemap = folder.path().join("sitemap.xml");
    std::fs::write(&sitemap, "<urlset xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\"><url><loc>http://127.0.0.1:9/a</loc></url></urlset>").unwrap();
    ends(
        &[&sitemap.display().to_string(), "--text"],
        1,
        &["http://127.0.0.1:9/a", "could not be checked"],
    );
    std::fs::write(&sitemap, "<html></html>").unwrap();
    ends(&[&sitemap.display().to_string(), "--text"], 1, &["is not a sitemap"]);
}
