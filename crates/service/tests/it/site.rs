//! A service that also serves pages a test writes, under `/demo/site/`.

use std::path::Path;

use kivet_browser::{Device, Tab};
use kivet_page::PlaceDocument;
use tempfile::TempDir;

use crate::running::Running;

/// A running service with a folder for pages.
pub struct Site {
    pub kivet: Running,
    folder: TempDir,
}

impl Site {
    pub async fn start() -> Self {
        let folder = tempfile::tempdir().unwrap();
        std::fs::create_dir(folder.path().join("site")).unwrap();
        let places = std::fs::read_to_string(crate::running::demo().join("places.toml")).unwrap();
        std::fs::write(folder.path().join("places.toml"), places).unwrap();
        let demo = folder.path().to_owned();
        let kivet = Running::start_with(|config| config.demo = Some(demo)).await;
        Self { kivet, folder }
    }

    /// Writes a page around `body` and says where it is.
    pub fn page(&self, name: &str, head: &str, body: &str) -> String {
        let html = format!(
            "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content='width=device-width, initial-scale=1'>\
             <title>{name}</title>{head}<body style='margin:0'>{body}"
        );
        std::fs::write(self.folder.path().join("site").join(name), html).unwrap();
        format!("{}/demo/site/{name}", self.kivet.root)
    }
}

/// The demo's places as they are written.
pub fn demo_places() -> std::collections::BTreeMap<String, PlaceDocument> {
    let file = Path::new(&crate::running::demo()).join("places.toml");
    toml::from_str(&std::fs::read_to_string(file).unwrap()).unwrap()
}

/// The paths of the pictures that a tab asked for, in order.
pub fn asked(tab: &Tab) -> Vec<String> {
    let path = |url: String| url.split_once("/pic/").map(|(_, path)| path.to_owned());
    tab.pictures().into_iter().filter_map(|one| path(one.url)).collect()
}

pub fn laptop() -> Device {
    Device::named("laptop").unwrap()
}
