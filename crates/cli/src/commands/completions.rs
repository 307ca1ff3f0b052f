//! `kivet completions`.

use std::{io::Write, process::ExitCode};

use anyhow::Result;
use clap_complete::{Shell, generate};

/// Write a script that completes commands in a shell.
///
/// For bash: kivet completions bash > /etc/bash_completion.d/kivet
#[derive(clap::Args)]
pub struct Completions {
    /// The shell.
    shell: Shell,
}

impl Completions {
    pub fn run(self) -> Result<ExitCode> {
        let mut script = Vec::new();
        generate(self.shell, &mut crate::commands_of_kivet(), "kivet", &mut script);
        std::io::stdout().write_all(&script)?;
        Ok(ExitCode::SUCCESS)
    }
}
