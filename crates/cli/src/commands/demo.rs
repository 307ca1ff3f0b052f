//! `kivet demo`.

use std::{path::PathBuf, process::ExitCode};

use anyhow::{Result, ensure};
use kivet_service::read_config;

use super::serve::{Over, start};

/// Start the service with the sample festival site.
#[derive(clap::Args)]
pub struct Demo {
    /// The folder with the sample site, its originals and its kivet.toml.
    #[arg(long, default_value = "demo", value_name = "FOLDER")]
    folder: PathBuf,
    #[command(flatten)]
    over: Over,
}

impl Demo {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let file = self.folder.join("kivet.toml");
        ensure!(
            file.is_file(),
            "there is no {}; run this from Kivet's own folder, or name its demo folder with --folder",
            file.display()
        );
        let mut config = read_config(&file)?;
        self.over.apply(&mut config);
        config.demo = Some(self.folder);
        let data = config.data.display().to_string();
        let kivet = this_program();
        start(&config, json, move |root| {
            format!(
                "festival site, as written  {root}/demo/site/\n\
                 the same with Kivet        {root}/demo/site/with-kivet.html\n\
                 \n\
                 four commands to try:\n  \
                 curl -sI -H 'Accept: image/avif' {root}/pic/640w/photos/harbour/kites-dawn.jpg\n  \
                 {kivet} render demo/originals/night/lanterns.jpg --recipe 640w_ratio-1-1 -o lanterns.avif\n  \
                 {kivet} markup photos/harbour/kites-dawn.jpg --place banner --alt 'Kites at dawn' \
                 --service {root} --data {data}\n  \
                 {kivet} try {root} --rules demo/try.toml --service {root} --data {data}"
            )
        })
    }
}

/// How to call this very binary from where it was called: it need not be on the path.
fn this_program() -> String {
    let here = std::env::current_dir().unwrap_or_default();
    let program = std::env::current_exe().unwrap_or_else(|_| "kivet".into());
    program.strip_prefix(&here).unwrap_or(&program).display().to_string()
}
