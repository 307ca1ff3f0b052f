//! `kivet serve`.

use std::{io::IsTerminal, net::SocketAddr, path::PathBuf, process::ExitCode};

use anyhow::{Context, Result};
use kivet_service::{Config, Service, read_config};
use serde::Serialize;
use tracing_subscriber::EnvFilter;

use crate::{client::runtime, memory, output, private};

/// Start the service.
#[derive(clap::Args)]
pub struct Serve {
    /// The configuration file.
    #[arg(long, env = "KIVET_CONFIG", default_value = "kivet.toml", value_name = "FILE")]
    config: PathBuf,
    #[command(flatten)]
    over: Over,
}

/// What flags and the environment set over the configuration.
#[derive(clap::Args)]
pub struct Over {
    /// Where to listen.
    #[arg(long, env = "KIVET_LISTEN", value_name = "ADDRESS:PORT")]
    listen: Option<SocketAddr>,
    /// The folder for records, renditions and the admin token.
    #[arg(long, env = "KIVET_DATA", value_name = "FOLDER")]
    data: Option<PathBuf>,
}

impl Over {
    /// Applies what was set.
    pub fn apply(self, config: &mut Config) {
        let Self { listen, data } = self;
        config.listen = listen.unwrap_or(config.listen);
        config.data = data.unwrap_or(std::mem::take(&mut config.data));
    }
}

/// Where a started service can be met.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Started {
    /// Pictures are below this.
    pub pictures: String,
    /// A single-use link to the console.
    pub console: String,
    /// The admin listener, where this machine needs no token for `/metrics` and `/why`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub admin: Option<String>,
    /// Further lines for people.
    #[serde(skip)]
    pub hints: String,
}

impl Serve {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let mut config = read_config(&self.config)?;
        self.over.apply(&mut config);
        if let Some(warning) = private::warning(&config) {
            eprintln!("kivet: {warning}");
        }
        start(&config, json, |_| String::new())
    }
}

/// Starts a service, prints where it is, and serves until interrupted.
pub fn start(config: &Config, json: bool, hints: impl FnOnce(&str) -> String) -> Result<ExitCode> {
    let filter = EnvFilter::try_from_env("KIVET_LOG")
        .unwrap_or_else(|_| EnvFilter::new("info,rusqlite_migration=warn"));
    let colours = std::io::stderr().is_terminal();
    tracing_subscriber::fmt()
        .with_env_filter(filter)
        .with_ansi(colours)
        .with_writer(std::io::stderr)
        .init();
    runtime()?.block_on(async {
        let service = Service::bind(config).await?.giving_back(memory::give_back);
        let root = format!("http://{}", service.address());
        let started = Started {
            pictures: format!("{root}/pic/"),
            console: service.sign_in_link()?,
            admin: service.admin_address().map(|address| format!("http://{address}/")),
            hints: hints(&root),
        };
        output::print(json, &started, |started| {
            let admin = started.admin.iter().map(|admin| format!("admin listener             {admin}metrics, {admin}why/\n"));
            format!(
                "Kivet serves pictures at   {}<recipe>/<shelf>/<path>\nconsole (link works once)  {}\n{}{}",
                started.pictures,
                started.console,
                admin.collect::<String>(),
                started.hints
            )
        })?;
        // On a worker: connections that another thread accepts wait behind those that are served.
        tokio::spawn(service.run(Box::pin(interrupted()))).await.context("the service broke down")?;
        Ok(ExitCode::SUCCESS)
    })
}

/// Resolves at Ctrl-C, or when the system asks the process to end.
async fn interrupted() {
    use tokio::signal::unix::{SignalKind, signal};
    let Ok(mut terminated) = signal(SignalKind::terminate()) else {
        let _ = tokio::signal::ctrl_c().await;
        return;
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        _ = terminated.recv() => {}
    }
}
