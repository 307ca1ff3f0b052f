//! The configuration beside the command: which service it starts, and which shelves it has.

use std::{
    net::{IpAddr, Ipv4Addr},
    path::{Path, PathBuf},
    sync::OnceLock,
};

use kivet_check::ShelfFolder;
use kivet_service::{Config, ShelfSource, read_config};

/// The folder of pages that a command is about.
static PAGES: OnceLock<PathBuf> = OnceLock::new();

/// Looks for a configuration above a folder of pages, too. Call it before the first [`config`].
pub fn look_above(folder: &Path) {
    if let Ok(folder) = folder.canonicalize() {
        let _ = PAGES.set(folder);
    }
}

/// The file that `KIVET_CONFIG` names, else the `kivet.toml` of this folder, else the nearest above
/// the folder of pages.
pub fn config_file() -> Option<PathBuf> {
    if let Some(named) = std::env::var_os("KIVET_CONFIG") {
        return Some(PathBuf::from(named));
    }
    let here = PathBuf::from("kivet.toml");
    let above = || {
        let files = PAGES.get()?.ancestors().map(|folder| folder.join("kivet.toml"));
        files.into_iter().find(|file| file.exists())
    };
    if here.exists() { Some(here) } else { above() }
}

/// The configuration of [`config_file`]; `None` if there is none. One that cannot be followed is
/// said, once, and the defaults hold.
pub fn config() -> Option<&'static Config> {
    static CONFIG: OnceLock<Option<Config>> = OnceLock::new();
    CONFIG.get_or_init(read_nearby).as_ref()
}

fn read_nearby() -> Option<Config> {
    read_config(&config_file()?)
        .inspect_err(|error| {
            eprintln!("kivet: {}; going on without it", kivet_check::causes(error));
        })
        .ok()
}

/// The address at which a service with this configuration is met on this machine.
pub fn address(config: &Config) -> String {
    let mut listen = config.listen;
    if listen.ip().is_unspecified() {
        listen.set_ip(IpAddr::V4(Ipv4Addr::LOCALHOST));
    }
    format!("http://{listen}")
}

/// Its shelves that are folders.
pub fn shelves(config: &Config) -> Vec<ShelfFolder> {
    let folders = config.shelves.iter().filter_map(|(name, shelf)| match &shelf.source {
        ShelfSource::Folder(folder) => {
            Some(ShelfFolder { name: name.clone(), folder: folder.clone() })
        }
        ShelfSource::Web(_) | ShelfSource::Bucket(_) => None,
    });
    folders.collect()
}

/// The shelves of the configuration here, else those of the one nearest above `folder`.
pub fn shelves_for(folder: &Path) -> Vec<ShelfFolder> {
    let above = || {
        let folder = folder.canonicalize().ok()?;
        folder.ancestors().find_map(|one| read_config(&one.join("kivet.toml")).ok())
    };
    match config() {
        Some(config) => shelves(config),
        None => above().as_ref().map(shelves).unwrap_or_default(),
    }
}
