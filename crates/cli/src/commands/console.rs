//! `kivet console`.

use std::process::ExitCode;

use anyhow::Result;
use kivet_service::SignInLink;
use reqwest::Method;

use crate::{client::Reach, output};

/// Print a fresh sign-in link to the console.
#[derive(clap::Args)]
pub struct Console {
    #[command(flatten)]
    reach: Reach,
}

impl Console {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let mut link: SignInLink = self.reach.call(Method::POST, "/api/sign-in-links", &[])?;
        link.path = format!("{}{}", self.reach.service(), link.path);
        output::print(json, &link, |link| {
            format!("{}\nworks once, for {} minutes", link.path, link.seconds / 60)
        })?;
        Ok(ExitCode::SUCCESS)
    }
}
