//! The original behind an address on a page.

use std::path::PathBuf;

use kivet_page::{rewrite::Address, rules::Rules};

use crate::{app::App, blocking::blocking, problem::Problem, shelves::OriginalId};

/// Where addresses of one page lead.
pub(super) struct Locator<'a> {
    pub app: &'a App,
    pub rules: &'a Rules,
    /// The site's folder on this machine.
    pub folder: Option<PathBuf>,
}

/// Where an address leads.
pub(super) enum Located {
    /// To an original.
    Original(OriginalId),
    /// To nothing on a shelf; says what would change that.
    Nowhere(String),
}

impl Locator<'_> {
    pub(super) async fn find(&self, address: &Address) -> Result<Located, Problem> {
        let (text, path) = match address {
            Address::Site(path) => (path.as_str(), Some(path)),
            Address::Away(url) => (url.as_str(), None),
            _ => return Ok(Located::Nowhere("names no picture".to_owned())),
        };
        let named = self.rules.addresses.iter().find_map(|(from, to)| {
            let from = if path.is_some() { from.trim_start_matches('/') } else { from };
            let rest = text.strip_prefix(from)?;
            let rest = rest.split(['?', '#']).next().unwrap_or_default();
            let rest = if path.is_some() { rest.to_owned() } else { decoded(rest) };
            Some(format!("{to}/{}", rest.trim_start_matches('/')))
        });
        if let Some(named) = named {
            return Ok(Located::Original(OriginalId::from_text(&named)?));
        }
        let (Some(folder), Some(path)) = (&self.folder, path) else {
            return Ok(Located::Nowhere(proposed_address(text)));
        };
        let file = folder.join(path);
        let (shelves, looked) = (self.app.shelves.clone(), file.clone());
        let held = blocking(move || shelves.holding(&looked)).await?;
        Ok(held.map_or_else(|| Located::Nowhere(proposed_shelf(&file)), Located::Original))
    }
}

fn decoded(text: &str) -> String {
    percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned()
}

/// Says how an address would come to lie on a shelf.
fn proposed_address(text: &str) -> String {
    let folder = text.rfind('/').map_or("", |end| &text[..=end]);
    let from = if folder.is_empty() { "img/" } else { folder };
    format!("no shelf holds it; write [addresses] \"{from}\" = \"shelf/folder\" into the rules")
}

/// Says which shelf would hold a file.
fn proposed_shelf(file: &std::path::Path) -> String {
    if !file.exists() {
        return "the file is missing".to_owned();
    }
    let folder = file.parent().and_then(|folder| folder.canonicalize().ok()).unwrap_or_default();
    let name = folder
        .file_name()
        .map_or("pictures".to_owned(), |name| name.to_string_lossy().into_owned());
    let plain = |c: char| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' };
    let name: String = name.chars().map(plain).collect();
    format!(
        "no shelf holds it; write [shelves.{name}] folder = \"{}\" into kivet.toml",
        folder.display()
    )
}
