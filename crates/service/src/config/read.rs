//! Reading `kivet.toml`: every complaint names the file, the line and the nearest thing that is known.

use std::{
    net::SocketAddr,
    path::{Path, PathBuf},
};

use kivet_recipe::nearest;
use toml::{
    Spanned,
    de::{DeTable, DeValue},
};

use super::{Config, Limits, ShelfSource};

const TOP_KEYS: [&str; 5] = ["listen", "data", "shelves", "access", "limits"];
const SHELF_KINDS: [&str; 3] = ["folder", "web", "bucket"];
const ACCESS_KEYS: [&str; 1] = ["addresses"];
const ACCESS_KINDS: [&str; 3] = ["open", "listed", "signed"];
const LIMIT_KEYS: [&str; 3] = ["megapixels", "memory-mib", "queue"];

/// A configuration file that cannot be followed.
#[derive(Debug, thiserror::Error)]
pub enum ConfigError {
    /// The file itself cannot be read.
    #[error("cannot read the configuration {}: {source}", file.display())]
    Unreadable {
        /// The file.
        file: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// A line of it is at fault.
    #[error("{}, line {line}: {problem}", file.display())]
    Line {
        /// The file.
        file: PathBuf,
        /// The line, counted from 1.
        line: usize,
        /// What is wrong, and the way out.
        problem: String,
    },
}

/// Reads a configuration file. Folders in it are relative to the file's own.
///
/// # Errors
/// If it cannot be read, is not TOML, or holds a key, shelf or value that is not known.
pub fn read(file: &Path) -> Result<Config, ConfigError> {
    let text =
        std::fs::read_to_string(file).map_err(|source| ConfigError::Unreadable { file: file.to_owned(), source })?;
    Reader { file, text: &text }.config()
}

struct Reader<'a> {
    file: &'a Path,
    text: &'a str,
}

type Entry<'a, 'b> = (&'b Spanned<std::borrow::Cow<'a, str>>, &'b Spanned<DeValue<'a>>);

impl Reader<'_> {
    fn config(&self) -> Result<Config, ConfigError> {
        let table = DeTable::parse(self.text)
            .map_err(|error| self.complain(error.span().map_or(0, |span| span.start), error.message()))?;
        let mut config = Config {
            listen: SocketAddr::from(([127, 0, 0, 1], 8484)),
            data: self.beside("kivet-data"),
            shelves: Default::default(),
            limits: Limits::default(),
            demo: None,
        };
        for entry @ (key, value) in table.get_ref() {
            match key.get_ref().as_ref() {
                "listen" => config.listen = self.listen(value)?,
                "data" => config.data = self.beside(self.string(value)?),
                "shelves" => {
                    for shelf in self.table(entry)? {
                        config.shelves.insert(self.shelf_name(shelf.0)?, self.shelf(shelf)?);
                    }
                }
                "access" => self.access(entry)?,
                "limits" => config.limits = self.limits(entry)?,
                _ => return Err(self.unknown(key, &TOP_KEYS)),
            }
        }
        Ok(config)
    }

    fn listen(&self, value: &Spanned<DeValue<'_>>) -> Result<SocketAddr, ConfigError> {
        let text = self.string(value)?;
        text.parse().map_err(|_| {
            let problem = format!("`{text}` is no address to listen on; write one like \"127.0.0.1:8484\"");
            self.complain(value.span().start, &problem)
        })
    }

    fn shelf_name(&self, name: &Spanned<std::borrow::Cow<'_, str>>) -> Result<String, ConfigError> {
        let text = name.get_ref();
        let plain = !text.is_empty() && text.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-');
        if plain {
            return Ok(text.clone().into_owned());
        }
        Err(self.complain(name.span().start, &format!("the shelf name `{text}` may hold only a-z, 0-9 and `-`")))
    }

    fn shelf(&self, entry: Entry<'_, '_>) -> Result<ShelfSource, ConfigError> {
        let (name, _) = entry;
        let mut source = None;
        for (key, value) in self.table(entry)? {
            let text = self.string(value)?;
            source = Some(match key.get_ref().as_ref() {
                "folder" => ShelfSource::Folder(self.folder(value, text)?),
                "web" => ShelfSource::Web(text.to_owned()),
                "bucket" => ShelfSource::Bucket(text.to_owned()),
                _ => return Err(self.unknown(key, &SHELF_KINDS)),
            });
        }
        source.ok_or_else(|| {
            let problem = format!("the shelf `{}` needs a `folder`, `web` or `bucket`", name.get_ref());
            self.complain(name.span().start, &problem)
        })
    }

    fn folder(&self, value: &Spanned<DeValue<'_>>, text: &str) -> Result<PathBuf, ConfigError> {
        let folder = self.beside(text);
        if folder.is_dir() {
            return Ok(folder);
        }
        let problem = format!("there is no folder {}; paths are relative to this file's folder", folder.display());
        Err(self.complain(value.span().start, &problem))
    }

    fn access(&self, entry: Entry<'_, '_>) -> Result<(), ConfigError> {
        for (key, value) in self.table(entry)? {
            if key.get_ref() != "addresses" {
                return Err(self.unknown(key, &ACCESS_KEYS));
            }
            let problem = match self.string(value)? {
                "open" => continue,
                kind if ACCESS_KINDS.contains(&kind) => {
                    format!("`{kind}` addresses are not there yet in this version; use \"open\"")
                }
                other => {
                    let meant = nearest(other, ACCESS_KINDS).unwrap_or("open");
                    format!("`{other}` is no kind of access; did you mean \"{meant}\"?")
                }
            };
            return Err(self.complain(value.span().start, &problem));
        }
        Ok(())
    }

    fn limits(&self, entry: Entry<'_, '_>) -> Result<Limits, ConfigError> {
        let mut limits = Limits::default();
        for (key, value) in self.table(entry)? {
            match key.get_ref().as_ref() {
                "megapixels" => limits.megapixels = self.number(key, value)?,
                "memory-mib" => limits.memory_mib = self.number(key, value)?,
                "queue" => limits.queue = self.number(key, value)? as usize,
                _ => return Err(self.unknown(key, &LIMIT_KEYS)),
            }
        }
        Ok(limits)
    }

    fn table<'a, 'b>(&self, (key, value): Entry<'a, 'b>) -> Result<&'b DeTable<'a>, ConfigError> {
        value.get_ref().as_table().ok_or_else(|| {
            let problem = format!("`{0}` must be a table: write `[{0}]` on a line of its own", key.get_ref());
            self.complain(key.span().start, &problem)
        })
    }

    fn string<'b>(&self, value: &'b Spanned<DeValue<'_>>) -> Result<&'b str, ConfigError> {
        value.get_ref().as_str().ok_or_else(|| self.complain(value.span().start, "a text in quotes is wanted here"))
    }

    fn number(
        &self,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        value: &Spanned<DeValue<'_>>,
    ) -> Result<u64, ConfigError> {
        value
            .get_ref()
            .as_integer()
            .and_then(|number| number.as_str().parse().ok())
            .filter(|number| (1..=1_000_000).contains(number))
            .ok_or_else(|| {
                let problem = format!("`{}` wants a whole number from 1 to 1000000", key.get_ref());
                self.complain(value.span().start, &problem)
            })
    }

    fn unknown(&self, key: &Spanned<std::borrow::Cow<'_, str>>, known: &[&'static str]) -> ConfigError {
        let name = key.get_ref();
        let way_out = match nearest(name, known.iter().copied()) {
            Some(meant) => format!("did you mean `{meant}`?"),
            None => format!("known here: {}", known.join(", ")),
        };
        self.complain(key.span().start, &format!("`{name}` is not a known key; {way_out}"))
    }

    fn beside(&self, path: &str) -> PathBuf {
        self.file.parent().unwrap_or(Path::new("")).join(path)
    }

    fn complain(&self, at: usize, problem: &str) -> ConfigError {
        let line = 1 + self.text.as_bytes()[..at.min(self.text.len())].iter().filter(|byte| **byte == b'\n').count();
        ConfigError::Line { file: self.file.to_owned(), line, problem: problem.to_owned() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read_text(text: &str) -> Result<Config, String> {
        let folder = tempfile::tempdir().expect("a folder");
        std::fs::create_dir_all(folder.path().join("demo/originals")).expect("made");
        let file = folder.path().join("kivet.toml");
        std::fs::write(&file, text).expect("written");
        read(&file).map_err(|error| error.to_string())
    }

    #[test]
    fn the_smallest_file_of_the_design_is_read_as_it_stands() {
        let config = read_text(
            r#"
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
            "#,
        )
        .expect("read");
        assert_eq!(config.listen.port(), 8484);
        assert!(matches!(&config.shelves["photos"], ShelfSource::Folder(folder) if folder.ends_with("demo/originals")));
        assert!(matches!(&config.shelves["press"], ShelfSource::Web(_)));
        assert!(matches!(&config.shelves["archive"], ShelfSource::Bucket(_)));
    }

    #[test]
    fn complaints_name_the_file_the_line_and_the_way_out() {
        for (text, line, wanted) in [
            ("\nlisen = \"127.0.0.1:1\"", 2, "did you mean `listen`?"),
            ("listen = \"here\"", 1, "127.0.0.1:8484"),
            ("[shelves.photos]\nfoldr = \"demo\"", 2, "did you mean `folder`?"),
            ("[shelves.photos]\nfolder = \"nowhere\"", 2, "relative to this file"),
            ("[shelves.Photos]\nfolder = \"demo\"", 1, "a-z"),
            ("[shelves.photos]", 1, "needs a `folder`"),
            ("\n[access]\naddresses = \"opn\"", 3, "did you mean \"open\"?"),
            ("[access]\naddresses = \"signed\"", 2, "not there yet"),
            ("[limits]\nqueue = \"many\"", 2, "whole number"),
            ("shelves = 3", 1, "[shelves]"),
            ("data = ", 1, ""),
        ] {
            let error = read_text(text).expect_err(text);
            assert!(error.contains(&format!("kivet.toml, line {line}: ")) && error.contains(wanted), "{text}: {error}");
        }
    }
}
