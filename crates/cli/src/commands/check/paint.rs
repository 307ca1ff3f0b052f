//! Line length and colours of the terminal.

use std::io::IsTerminal;

use anstyle::{AnsiColor, Style};

/// Maximum length of a line.
pub const COLUMNS: usize = 100;

/// Whether colours are written.
#[derive(Clone, Copy)]
pub struct Paint(bool);

impl Paint {
    /// Colours if standard output is a terminal and nobody set `NO_COLOR`.
    pub fn new() -> Self {
        let unwanted = std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty());
        Self(std::io::stdout().is_terminal() && !unwanted)
    }

    pub fn strong(self, text: &str) -> String {
        self.styled(text, Style::new().bold())
    }

    pub fn good(self, text: &str) -> String {
        self.styled(text, AnsiColor::Green.on_default())
    }

    pub fn bad(self, text: &str) -> String {
        self.styled(text, AnsiColor::Red.on_default())
    }

    /// One word of a text, where it stands first.
    pub fn first_word(self, text: &str, word: &str) -> String {
        text.replacen(word, &self.styled(word, AnsiColor::Magenta.on_default().bold()), 1)
    }

    fn styled(self, text: &str, style: Style) -> String {
        if self.0 { format!("{style}{text}{style:#}") } else { text.to_owned() }
    }
}
