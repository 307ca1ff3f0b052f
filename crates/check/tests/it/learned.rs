//! Places and rules learned from made-up folders of pages.

use std::path::Path;

use kivet_check::{Fetcher, look, targets};
use kivet_page::{
    Loading,
    learn::{SeenPage, SeenPicture, learn},
};

use crate::pictures::picture;

async fn looked_at(folder: &Path, page: &str, css: &str, files: &[&str]) -> SeenPage {
    for file in files {
        std::fs::write(folder.join(file), picture(file).expect("a picture's name").0)
            .expect("written");
    }
    std::fs::write(folder.join("site.css"), css).expect("written");
    let head = "<!doctype html>\n<meta name=viewport content=\"width=device-width\">\n<link rel=stylesheet href=site.css>\n";
    std::fs::write(folder.join("index.html"), format!("{head}{page}")).expect("written");
    let words = [folder.display().to_string()];
    let targets = targets(&words, &Fetcher::new().expect("a client")).await.expect("a page");
    let seen = look(&targets, None, &|_| {}).await.expect("seen");
    assert_eq!(seen.notes, Vec::<String>::new());
    seen.pages.into_iter().next().expect("one page")
}

/// The boxes at windows so wide.
fn boxes(picture: &SeenPicture, width: f64) -> Vec<(f64, f64)> {
    let at = picture.samples.iter().filter(|one| one.window == (width, 900.0));
    at.map(|one| one.size).collect()
}

#[tokio::test(flavor = "multi_thread")]
async fn every_file_of_a_background_is_learned() {
    const FILES: [&str; 5] = [
        "dunes-700x500.jpg",
        "dunes-1400x1000.jpg",
        "dunes-2800x2000.jpg",
        "stripes-300x200.png",
        "waves-900x900.jpg",
    ];
    const CSS: &str = "body { margin: 0 }
        body::before { content: ''; position: fixed; inset: 0; z-index: -1; background-size: cover;
            background-image: url(dunes-700x500.jpg) }
        @media (min-width: 501px) and (min-resolution: 1.5dppx) {
            body::before { background-image: url(dunes-1400x1000.jpg) } }
        @media (min-width: 1300px) { body::before { background-image: url(dunes-2800x2000.jpg) } }
        .card { position: relative; height: 300px; margin: 0 10vw }
        .card::after { content: ''; position: absolute; inset: 10px 25%; box-sizing: border-box; border: 5px solid;
            background: linear-gradient(#0004, #0004), url(stripes-300x200.png) 0 0 / 60px no-repeat,
                url('waves-900x900.jpg') center / cover }";
    let folder = tempfile::tempdir().unwrap();
    let page = looked_at(folder.path(), "<h1>Kites</h1><div class=card></div>", CSS, &FILES).await;
    let mut found: Vec<&str> = page.pictures.iter().map(|one| one.file.as_str()).collect();
    found.sort_unstable();
    let mut all = FILES;
    all.sort_unstable();
    assert_eq!(found, all);
    for picture in &page.pictures {
        let (fit, size) = match picture.file.as_str() {
            file if file.starts_with("dunes") => ("cover", (960.0, 900.0)),
            "stripes-300x200.png" => ("60px auto", (374.0, 270.0)),
            _ => ("cover", (374.0, 270.0)),
        };
        assert_eq!(picture.fit, fit, "{}", picture.file);
        assert_eq!(boxes(picture, 960.0), [size], "{}", picture.file);
    }
    // Which file of a background loads is up to its stylesheet: no preload may guess.
    let learned = learn(&[page]);
    for file in FILES {
        let rules = learned.rules.iter().filter(|(rule, _)| rule.files.0 == [file]);
        let loading: Vec<Option<&str>> = rules.map(|(rule, _)| rule.loading.as_deref()).collect();
        assert!(!loading.is_empty(), "{file}: {learned:?}");
        assert!(!loading.contains(&Some(Loading::First.name())), "{file}: {learned:?}");
    }
}
