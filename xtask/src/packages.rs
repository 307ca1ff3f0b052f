//! Packages of the registries, fetched for what they bring: sites and pictures that others made.

use std::{
    fs,
    path::{Path, PathBuf},
    process::{Command, Stdio},
};

use anyhow::{Context, Result};

use crate::run::succeed;

/// A package by its name, and of npm by its version.
#[derive(Clone, Copy)]
pub enum Package {
    Npm(&'static str),
    Debian(&'static str),
}

impl Package {
    /// Its files, in a folder of its own below `folder`; fetched once.
    pub fn unpacked(self, folder: &Path) -> Result<PathBuf> {
        let (Self::Npm(name) | Self::Debian(name)) = self;
        let target = folder.join(name.replace(['/', '@'], "-"));
        if target.is_dir() {
            return Ok(target);
        }
        // Under another name until it is whole.
        let partial = target.with_extension("partial");
        let _ = fs::remove_dir_all(&partial);
        fs::create_dir_all(&partial)?;
        let mut fetch = match self {
            Self::Npm(_) => with(Command::new("npm"), &["pack", "--silent", name]),
            Self::Debian(_) => with(Command::new("apt-get"), &["download", "-qq", name]),
        };
        succeed(fetch.current_dir(&partial).stdout(Stdio::null()))?;
        let entries = fs::read_dir(&partial)?.filter_map(|entry| Some(entry.ok()?.path()));
        let archive = entries.last().context("the package did not come")?;
        succeed(&mut match self {
            Self::Npm(_) => {
                let mut unpack = with(Command::new("tar"), &["xzf"]);
                unpack.arg(&archive).arg("-C").arg(&partial);
                unpack
            }
            Self::Debian(_) => {
                let mut unpack = with(Command::new("dpkg"), &["-x"]);
                unpack.arg(&archive).arg(&partial);
                unpack
            }
        })?;
        fs::remove_file(archive)?;
        fs::rename(&partial, &target)?;
        Ok(target)
    }
}

fn with(mut command: Command, arguments: &[&str]) -> Command {
    command.args(arguments);
    command
}
