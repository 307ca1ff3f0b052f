//! The values of `kivet.toml`, each checked where it stands.

use std::path::{Path, PathBuf};

use kivet_recipe::{Position, nearest};
use toml::{
    Spanned,
    de::{DeTable, DeValue},
};

use super::read::{ConfigError, Entry, Reader};

impl Reader<'_> {
    pub(super) fn folder(
        &self,
        value: &Spanned<DeValue<'_>>,
        text: &str,
    ) -> Result<PathBuf, ConfigError> {
        let folder = self.beside(text);
        if folder.is_dir() {
            return Ok(folder);
        }
        let problem = format!(
            "there is no folder {}; paths are relative to this file's folder",
            folder.display()
        );
        Err(self.complain(value.span().start, &problem))
    }

    pub(super) fn file(&self, value: &Spanned<DeValue<'_>>) -> Result<PathBuf, ConfigError> {
        let file = self.beside(self.string(value)?);
        if file.is_file() {
            return Ok(file);
        }
        let problem = format!(
            "there is no file {}; paths are relative to this file's folder",
            file.display()
        );
        Err(self.complain(value.span().start, &problem))
    }

    /// A position as recipes write it after `at-`.
    pub(super) fn position(&self, value: &Spanned<DeValue<'_>>) -> Result<Position, ConfigError> {
        let text = self.string(value)?;
        let keyword = Position::KEYWORDS
            .into_iter()
            .find(|(keyword, _)| *keyword == text)
            .map(|(_, position)| position);
        let percents = || {
            let (x, y) = text.split_once('-')?;
            Position::new(x.parse().ok()?, y.parse().ok()?)
        };
        keyword.or_else(percents).ok_or_else(|| {
            let problem =
                format!("`{text}` is not a position; write one like \"bottom-right\" or \"30-40\"");
            self.complain(value.span().start, &problem)
        })
    }

    pub(super) fn percent(
        &self,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        value: &Spanned<DeValue<'_>>,
    ) -> Result<u8, ConfigError> {
        let number = value.get_ref().as_integer().and_then(|number| number.as_str().parse().ok());
        number.filter(|percent| (1..=100).contains(percent)).ok_or_else(|| {
            self.complain(
                value.span().start,
                &format!("`{}` wants a whole number of percent from 1 to 100", key.get_ref()),
            )
        })
    }

    pub(super) fn one_of<'b>(
        &self,
        value: &'b Spanned<DeValue<'_>>,
        known: &[&'static str],
    ) -> Result<&'b str, ConfigError> {
        let text = self.string(value)?;
        if known.contains(&text) {
            return Ok(text);
        }
        let problem = match nearest(text, known.iter().copied()) {
            Some(meant) => format!("`{text}` is not known here; did you mean \"{meant}\"?"),
            None => format!("`{text}` is not known here; write one of: {}", known.join(", ")),
        };
        Err(self.complain(value.span().start, &problem))
    }

    pub(super) fn table<'a, 'b>(
        &self,
        (key, value): Entry<'a, 'b>,
    ) -> Result<&'b DeTable<'a>, ConfigError> {
        value.get_ref().as_table().ok_or_else(|| {
            let problem =
                format!("`{0}` must be a table: write `[{0}]` on a line of its own", key.get_ref());
            self.complain(key.span().start, &problem)
        })
    }

    pub(super) fn string<'b>(
        &self,
        value: &'b Spanned<DeValue<'_>>,
    ) -> Result<&'b str, ConfigError> {
        value
            .get_ref()
            .as_str()
            .ok_or_else(|| self.complain(value.span().start, "a text in quotes is wanted here"))
    }

    pub(super) fn number(
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

    pub(super) fn unknown(
        &self,
        key: &Spanned<std::borrow::Cow<'_, str>>,
        known: &[&'static str],
    ) -> ConfigError {
        let name = key.get_ref();
        let way_out = match nearest(name, known.iter().copied()) {
            Some(meant) => format!("did you mean `{meant}`?"),
            None => format!("known here: {}", known.join(", ")),
        };
        self.complain(key.span().start, &format!("`{name}` is not a known key; {way_out}"))
    }

    pub(super) fn beside(&self, path: &str) -> PathBuf {
        self.file.parent().unwrap_or(Path::new("")).join(path)
    }

    pub(super) fn complain(&self, at: usize, problem: &str) -> ConfigError {
        let line = 1 + self.text.as_bytes()[..at.min(self.text.len())]
            .iter()
            .filter(|byte| **byte == b'\n')
            .count();
        ConfigError::Line { file: self.file.to_owned(), line, problem: problem.to_owned() }
    }
}
