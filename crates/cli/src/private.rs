//! Files of a site's folder that are not to be published: configuration, data, secrets.

use std::{
    fs::File,
    io::Read,
    path::{Path, PathBuf},
};

use kivet_check::is_data_folder;
use kivet_service::{Config, TOKEN_FILE};

/// The folder around a data folder that a file server may hand out with it: one that holds pages;
/// `None` if there is none near.
pub fn served_around(config: &Config) -> Option<PathBuf> {
    let data = resolved(&config.data)?;
    let holds_pages =
        |folder: &&Path| ["index.html", "index.htm"].iter().any(|name| folder.join(name).is_file());
    data.ancestors().skip(1).take(AROUND).find(holds_pages).map(Path::to_path_buf)
}

/// A path without links and `..`, whether or not its last part exists yet.
fn resolved(path: &Path) -> Option<PathBuf> {
    let path = std::path::absolute(path).ok()?;
    let name = path.file_name()?;
    let beside = || Some(path.parent()?.canonicalize().ok()?.join(name));
    path.canonicalize().ok().or_else(beside)
}

/// The warning for a data folder that lies in a folder that is served.
pub fn warning(config: &Config) -> Option<String> {
    served_around(config).map(|folder| {
        format!(
            "the data folder {} lies in {}, which holds pages: a file server for that folder hands out the admin token; move it beside that folder, and write its new place as `data` in kivet.toml",
            config.data.display(),
            folder.display()
        )
    })
}

/// How far above the data folder a folder of pages is looked for.
const AROUND: usize = 4;

/// Hidden files that web servers and hosts of pages read.
const PUBLISHED: [&str; 4] = [".well-known", ".htaccess", ".nojekyll", ".domains"];

/// Endings of files that hold records or keys, whatever is in them.
const ENDINGS: [&str; 10] = [
    "db",
    "db-shm",
    "db-wal",
    "kdbx",
    "p12",
    "pfx",
    "sqlite",
    "sqlite3",
    "sqlite-shm",
    "sqlite-wal",
];

/// The first bytes of a SQLite database (SQLite, Database File Format, section 1.3).
const SQLITE: &[u8] = b"SQLite format 3\0";

/// The label of keys as text (RFC 7468, section 10).
const PRIVATE_KEY: &str = "PRIVATE KEY";

/// Enough of a file to know what it is.
const MAX_LABEL_BYTES: u64 = 64;

/// The longest file that may be a token, and the longest that may be a configuration.
const MAX_TOKEN_BYTES: u64 = 4096;
const MAX_CONFIG_BYTES: u64 = 1 << 20;

/// The files of a folder that stay out of what is published.
pub struct Private {
    /// The data folder of the configuration that was read.
    data: Option<PathBuf>,
    /// Its admin token.
    token: Option<String>,
    /// The configuration's own file.
    config: Option<PathBuf>,
}

impl Private {
    /// The private files of a service with this configuration, and of any other.
    pub fn of(config: Option<&Config>, file: Option<&Path>) -> Self {
        let data = config.map(|config| config.data.clone());
        let token =
            data.as_ref().and_then(|data| std::fs::read_to_string(data.join(TOKEN_FILE)).ok());
        Self {
            data: data.and_then(|data| data.canonicalize().ok()),
            token: token.map(|token| token.trim().to_owned()).filter(|token| !token.is_empty()),
            config: file.and_then(|file| file.canonicalize().ok()),
        }
    }

    /// True if the file or folder at `path` is not to be published; a folder with all that is in it.
    pub fn holds(&self, path: &Path) -> bool {
        let name = path.file_name().map(|name| name.to_string_lossy().into_owned());
        let name = name.unwrap_or_default();
        if name.starts_with('.') {
            return !PUBLISHED.contains(&name.as_str());
        }
        let Ok(whole) = path.canonicalize() else { return false };
        if Some(&whole) == self.config.as_ref() || self.is_of_data(&whole) {
            return true;
        }
        match whole.metadata() {
            Ok(facts) if facts.is_dir() => is_data_folder(&whole),
            Ok(facts) => self.is_private_file(&whole, &name, facts.len()),
            Err(_) => false,
        }
    }

    fn is_of_data(&self, whole: &Path) -> bool {
        self.data.as_ref().is_some_and(|data| whole.starts_with(data))
    }

    fn is_private_file(&self, file: &Path, name: &str, bytes: u64) -> bool {
        let name = name.to_ascii_lowercase();
        let ending = name.rsplit_once('.').map_or("", |(_, ending)| ending);
        if name == "kivet.toml" || name == TOKEN_FILE || ENDINGS.contains(&ending) {
            return true;
        }
        let start = beginning(file);
        let label = String::from_utf8_lossy(&start);
        let is_key = label.starts_with("-----BEGIN ") && label.contains(PRIVATE_KEY);
        if start.starts_with(SQLITE) || is_key {
            return true;
        }
        (bytes <= MAX_TOKEN_BYTES && self.names_token(file))
            || (ending == "toml" && bytes <= MAX_CONFIG_BYTES && is_config(file))
    }

    fn names_token(&self, file: &Path) -> bool {
        let Some(token) = &self.token else { return false };
        std::fs::read(file).is_ok_and(|bytes| String::from_utf8_lossy(&bytes).contains(token))
    }
}

/// True for a text that names shelves, whatever it is called.
fn is_config(file: &Path) -> bool {
    let text = std::fs::read_to_string(file).unwrap_or_default();
    text.parse::<toml::Table>().is_ok_and(|table| table.contains_key("shelves"))
}

fn beginning(file: &Path) -> Vec<u8> {
    let mut start = Vec::new();
    if let Ok(opened) = File::open(file) {
        // A file that cannot be read cannot be copied either.
        let _ = opened.take(MAX_LABEL_BYTES).read_to_end(&mut start);
    }
    start
}
