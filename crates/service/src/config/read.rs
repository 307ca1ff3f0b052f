//! Reading `kivet.toml`: every complaint names the file, the line and the nearest thing that is
//! known.

use std::{
    net::SocketAddr,
    path::{Path, PathBuf},
};

use kivet_recipe::{Access, Policy, Position, nearest};
use toml::{
    Spanned,
    de::{DeTable, DeValue},
};

use super::{Config, Limits, Originals, OverlaySettings, ShelfRules, ShelfSettings, ShelfSource};

const TOP_KEYS: [&str; 8] =
    ["listen", "admin", "data", "shelves", "access", "limits", "overlays", "policy"];
const ADMIN_KEYS: [&str; 1] = ["listen"];
const SHELF_KEYS: [&str; 6] = ["folder", "web", "bucket", "overlay", "original", "plain"];
const ORIGINAL_KINDS: [&str; 3] = ["without-location", "untouched", "refused"];
const OVERLAY_KEYS: [&str; 4] = ["picture", "at", "width", "opacity"];
const ACCESS_KEYS: [&str; 3] = ["addresses", "listed", "plain"];
const ACCESS_KINDS: [&str; 3] = ["open", "listed", "signed"];
const LIMIT_KEYS: [&str; 17] = [
    "megapixels",
    "memory-mib",
    "queue",
    "queue-megapixels",
    "working-mib",
    "disk-mib",
    "unused-days",
    "idle-seconds",
    "original-mib",
    "whole-mib",
    "frames",
    "seconds",
    "reduction-memory-mib",
    "reduction-disk-mib",
    "page-mib",
    "page-elements",
    "page-seconds",
];

/// A configuration file that cannot be followed.
#[derive(Debug, thiserror::Error)]
pub enum ConfigError {
    /// The file itself cannot be read.
    #[error("cannot read the configuration {}", file.display())]
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
    let text = std::fs::read_to_string(file)
        .map_err(|source| ConfigError::Unreadable { file: file.to_owned(), source })?;
    Reader { file, text: &text }.config()
}

pub(super) struct Reader<'a> {
    pub(super) file: &'a Path,
    pub(super) text: &'a str,
}

pub(super) type Entry<'a, 'b> = (&'b Spanned<std::borrow::Cow<'a, str>>, &'b Spanned<DeValue<'a>>);

impl Reader<'_> {
    fn config(&self) -> Result<Config, ConfigError> {
        let table = DeTable::parse(self.text).map_err(|error| {
            self.complain(error.span().map_or(0, |span| span.start), error.message())
        })?;
        let mut config = Config {
            listen: SocketAddr::from(([127, 0, 0, 1], 8484)),
            admin: None,
            data: self.beside("kivet-data"),
            shelves: Default::default(),
            overlays: Default::default(),
            policy: Policy { jxl: kivet_image::JXL, ..Policy::default() },
            access: None,
            plain: false,
            limits: Limits::default(),
            demo: None,
        };
        for entry @ (key, value) in table.get_ref() {
            match key.get_ref().as_ref() {
                "listen" => config.listen = self.listen(value)?,
                "admin" => config.admin = self.admin(entry)?,
                "data" => config.data = self.beside(self.string(value)?),
                "shelves" => {
                    for shelf in self.table(entry)? {
                        config
                            .shelves
                            .insert(self.plain_name(shelf.0, "shelf")?, self.shelf(shelf)?);
                    }
                }
                "overlays" => {
                    for overlay in self.table(entry)? {
                        config
                            .overlays
                            .insert(self.plain_name(overlay.0, "overlay")?, self.overlay(overlay)?);
                    }
                }
                "policy" => config.policy = self.policy(entry)?,
                "access" => (config.access, config.plain) = self.access(entry)?,
                "limits" => config.limits = self.limits(entry)?,
                _ => return Err(self.unknown(key, &TOP_KEYS)),
            }
        }
        self.check_overlays(&config, table.get_ref())?;
        Ok(config)
    }

    /// An overlay that a shelf lays over everything must be one that is described.
    fn check_overlays(&self, config: &Config, table: &DeTable<'_>) -> Result<(), ConfigError> {
        for (shelf, settings) in &config.shelves {
            if let Some(name) =
                settings.rules.overlay.as_ref().filter(|name| !config.overlays.contains_key(*name))
            {
                let near = nearest(name, config.overlays.keys().map(String::as_str));
                let way_out = near.map_or(format!("describe it under [overlays.{name}]"), |near| {
                    format!("did you mean `{near}`?")
                });
                let at = table.get("shelves").map_or(0, |shelves| shelves.span().start);
                return Err(self.complain(
                    at,
                    &format!("the shelf `{shelf}` names the overlay `{name}`, which is not described; {way_out}"),
                ));
            }
        }
        Ok(())
    }

    fn listen(&self, value: &Spanned<DeValue<'_>>) -> Result<SocketAddr, ConfigError> {
        let text = self.string(value)?;
        text.parse().map_err(|_| {
            let problem = format!(
                "`{text}` is not an address to listen on; write one like \"127.0.0.1:8484\""
            );
            self.complain(value.span().start, &problem)
        })
    }

    fn admin(&self, entry: Entry<'_, '_>) -> Result<Option<SocketAddr>, ConfigError> {
        let mut listen = None;
        for (key, value) in self.table(entry)? {
            if key.get_ref().as_ref() != "listen" {
                return Err(self.unknown(key, &ADMIN_KEYS));
            }
            let address = self.listen(value)?;
            if !address.ip().is_loopback() {
                let problem = "the admin listener asks for no token, so it must be on this machine alone; write \"127.0.0.1:8485\"";
                return Err(self.complain(value.span().start, problem));
            }
            listen = Some(address);
        }
        Ok(listen)
    }

    fn plain_name(
        &self,
        name: &Spanned<std::borrow::Cow<'_, str>>,
        what: &str,
    ) -> Result<String, ConfigError> {
        let text = name.get_ref();
        let plain = !text.is_empty()
            && text.bytes().all(|b| b.is_ascii_lowercase() || b.is_ascii_digit() || b == b'-');
        if plain {
            return Ok(text.clone().into_owned());
        }
        Err(self.complain(
            name.span().start,
            &format!("the {what} name `{text}` may hold only a-z, 0-9 and `-`"),
        ))
    }

    fn shelf(&self, entry: Entry<'_, '_>) -> Result<ShelfSettings, ConfigError> {
        let (name, _) = entry;
        let (mut source, mut rules) = (None, ShelfRules::default());
        for (key, value) in self.table(entry)? {
            match key.get_ref().as_ref() {
                "folder" => {
                    source = Some(ShelfSource::Folder(self.folder(value, self.string(value)?)?))
                }
                "web" => source = Some(ShelfSource::Web(self.string(value)?.to_owned())),
                "bucket" => source = Some(ShelfSource::Bucket(self.string(value)?.to_owned())),
                "overlay" => rules.overlay = Some(self.string(value)?.to_owned()),
                "plain" => rules.plain = self.flag(key, value)?,
                "original" => {
                    rules.originals = match self.one_of(value, &ORIGINAL_KINDS)? {
                        "untouched" => Originals::Untouched,
                        "refused" => Originals::Refused,
                        _ => Originals::WithoutLocation,
                    }
                }
                _ => return Err(self.unknown(key, &SHELF_KEYS)),
            }
        }
        match source {
            Some(source) => Ok(ShelfSettings { source, rules }),
            None => {
                let problem =
                    format!("the shelf `{}` needs a `folder`, `web` or `bucket`", name.get_ref());
                Err(self.complain(name.span().start, &problem))
            }
        }
    }

    fn overlay(&self, entry: Entry<'_, '_>) -> Result<OverlaySettings, ConfigError> {
        let (name, _) = entry;
        let (mut picture, mut position, mut width_percent, mut opacity_percent) =
            (None, Position::new(100, 100).unwrap_or(Position::CENTER), 20, 100);
        for (key, value) in self.table(entry)? {
            match key.get_ref().as_ref() {
                "picture" => picture = Some(self.file(value)?),
                "at" => position = self.position(value)?,
                "width" => width_percent = self.percent(key, value)?,
                "opacity" => opacity_percent = self.percent(key, value)?,
                _ => return Err(self.unknown(key, &OVERLAY_KEYS)),
            }
        }
        match picture {
            Some(picture) => {
                Ok(OverlaySettings { picture, position, width_percent, opacity_percent })
            }
            None => Err(self.complain(
                name.span().start,
                &format!("the overlay `{}` needs a `picture`", name.get_ref()),
            )),
        }
    }

    fn access(&self, entry: Entry<'_, '_>) -> Result<(Option<Access>, bool), ConfigError> {
        let (mut kind, mut listed, mut plain) = (None, Vec::new(), false);
        for (key, value) in self.table(entry)? {
            match key.get_ref().as_ref() {
                "addresses" => kind = Some((value, self.one_of(value, &ACCESS_KINDS)?)),
                "listed" => listed = self.recipes(value)?,
                "plain" => plain = self.flag(key, value)?,
                _ => return Err(self.unknown(key, &ACCESS_KEYS)),
            }
        }
        let access = match kind {
            Some((_, "listed")) => Some(Access::Listed(listed)),
            Some((value, "signed")) => {
                let problem = "`signed` addresses are not there yet in this version; use \"open\" or \"listed\"";
                return Err(self.complain(value.span().start, problem));
            }
            Some(_) => Some(Access::Open),
            None => None,
        };
        Ok((access, plain))
    }

    fn limits(&self, entry: Entry<'_, '_>) -> Result<Limits, ConfigError> {
        let mut limits = Limits::default();
        for (key, value) in self.table(entry)? {
            match key.get_ref().as_ref() {
                "megapixels" => limits.megapixels = self.number(key, value)?,
                "memory-mib" => limits.memory_mib = self.number(key, value)?,
                "queue" => limits.queue = self.number(key, value)? as usize,
                "queue-megapixels" => limits.queue_megapixels = self.number(key, value)?,
                "working-mib" => limits.working_mib = self.number(key, value)?,
                "disk-mib" => limits.disk_mib = self.number(key, value)?,
                "unused-days" => limits.unused_days = self.number(key, value)?,
                "idle-seconds" => limits.idle_seconds = self.number(key, value)?,
                "original-mib" => limits.original_mib = self.number(key, value)?,
                "whole-mib" => limits.whole_mib = self.number(key, value)?,
                "frames" => limits.frames = self.number(key, value)? as u32,
                "seconds" => limits.seconds = self.number(key, value)?,
                "reduction-memory-mib" => limits.reduction_memory_mib = self.number(key, value)?,
                "reduction-disk-mib" => limits.reduction_disk_mib = self.number(key, value)?,
                "page-mib" => limits.page_mib = self.number(key, value)? as usize,
                "page-elements" => limits.page_elements = self.number(key, value)? as usize,
                "page-seconds" => limits.page_seconds = self.number(key, value)?,
                _ => return Err(self.unknown(key, &LIMIT_KEYS)),
            }
        }
        Ok(limits)
    }
}

#[cfg(test)]
mod tests {
    use kivet_recipe::Format;

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
        assert!(
            matches!(&config.shelves["photos"].source, ShelfSource::Folder(folder) if folder.ends_with("demo/originals"))
        );
        assert!(matches!(&config.shelves["press"].source, ShelfSource::Web(_)));
        assert!(matches!(&config.shelves["archive"].source, ShelfSource::Bucket(_)));
    }

    #[test]
    fn single_knobs_stand_over_the_policy_they_start_from() {
        let config = read_text(
            "[policy]\nsurplus = 10\naim = \"least-work\"\nformats = [\"webp\"]\nfidelity = 60\n[access]\naddresses = \"listed\"\nlisted = [\"ratio-3-2\"]",
        )
        .expect("read");
        let policy = config.policy;
        assert_eq!((policy.surplus, policy.improve, policy.fidelity.get()), (10, false, 60));
        assert!(policy.formats.contains(Format::Webp) && !policy.formats.contains(Format::Avif));
        let listed = Access::Listed(vec!["ratio-3-2".parse().expect("a recipe")]);
        assert_eq!(config.access, Some(listed));
    }

    #[test]
    fn recipes_are_listed_by_default_where_others_can_ask() {
        let access = |text: &str| read_text(text).expect("read").access();
        assert_eq!(access(""), Access::Open);
        assert_eq!(access("listen = \"0.0.0.0:80\""), Access::Listed(Vec::new()));
        let open = "listen = \"0.0.0.0:80\"\n[access]\naddresses = \"open\"";
        assert_eq!(access(open), Access::Open);
    }

    #[test]
    fn complaints_name_the_file_the_line_and_the_way_out() {
        for (text, line, wanted) in [
            ("\nlisen = \"127.0.0.1:1\"", 2, "did you mean `listen`?"),
            ("listen = \"here\"", 1, "127.0.0.1:8484"),
            ("[admin]\nlisten = \"0.0.0.0:8485\"", 2, "this machine alone"),
            ("[admin]\nlisen = \"127.0.0.1:8485\"", 2, "did you mean `listen`?"),
            ("[shelves.photos]\nfoldr = \"demo\"", 2, "did you mean `folder`?"),
            ("[shelves.photos]\nfolder = \"nowhere\"", 2, "relative to this file"),
            ("[shelves.Photos]\nfolder = \"demo\"", 1, "a-z"),
            ("[shelves.photos]", 1, "needs a `folder`"),
            ("\n[access]\naddresses = \"opn\"", 3, "did you mean \"open\"?"),
            ("[access]\naddresses = \"signed\"", 2, "not there yet"),
            ("[limits]\nqueue = \"many\"", 2, "whole number"),
            ("[limits]\nframe = 3", 2, "did you mean `frames`?"),
            ("[policy]\ngamut = \"display-p4\"", 2, "did you mean \"display-p3\"?"),
            ("[policy]\nsharpen = 900", 2, "1 to 100"),
            ("[policy]\naim = \"fewer-bytes\"", 2, "did you mean \"fewest-bytes\"?"),
            ("[policy]\nformats = [\"avif\", \"webb\"]", 2, "did you mean \"webp\"?"),
            ("[policy]\nimprove = 1", 2, "true or false"),
            ("[access]\nlisted = [\"ratio-3-2\", \"blur\"]", 2, "blur"),
            ("[overlays.mark]\nat = \"top\"", 1, "needs a `picture`"),
            ("[overlays.mark]\npicture = \"none.png\"", 2, "no file"),
            ("[overlays.mark]\nat = \"above\"", 2, "bottom-right"),
            ("[shelves.photos]\nfolder = \"demo\"\noverlay = \"mark\"", 1, "[overlays.mark]"),
            (
                "[shelves.photos]\nfolder = \"demo\"\noriginal = \"refusd\"",
                3,
                "did you mean \"refused\"?",
            ),
            ("shelves = 3", 1, "[shelves]"),
            ("data = ", 1, ""),
        ] {
            let error = read_text(text).expect_err(text);
            assert!(
                error.contains(&format!("kivet.toml, line {line}: ")) && error.contains(wanted),
                "{text}: {error}"
            );
        }
    }
}
