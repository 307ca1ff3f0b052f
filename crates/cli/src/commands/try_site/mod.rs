//! `kivet try`.

mod changes;
mod documents;
mod guard;
mod proxy;
mod tunnel;

use std::{
    collections::BTreeMap,
    net::{IpAddr, Ipv4Addr, SocketAddr, UdpSocket},
    path::PathBuf,
    process::ExitCode,
    sync::{Arc, Mutex},
};

use anyhow::{Context, Result};
use axum::Router;
use kivet_page::rules::RulesDocument;
use qrcode::{QrCode, render::unicode::Dense1x2};
use url::Url;

use super::rules;
use crate::{
    client::{Reach, runtime},
    output,
};

/// Look at a live site as Kivet would serve it.
///
/// A proxy in front of a site of your own: pages and stylesheets are rewritten as `kivet apply` would,
/// and pictures come from the service. The site itself is never written to, and no other host is
/// fetched. A bar on each page turns the rewriting off and on, outlines pictures with what was sent
/// and shown, and leads to what changed.
#[derive(clap::Args)]
#[command(
    after_help = "Examples:\n  kivet try https://windmark.example --rules pages.toml\n  kivet try http://127.0.0.1:8000 --rules pages.toml --network"
)]
pub struct Try {
    /// The site's address.
    #[arg(value_parser = site)]
    address: Url,
    /// The rules, as TOML; those that the service keeps if left out. Its addresses say where the
    /// site's pictures lie on shelves.
    #[arg(long, value_name = "FILE")]
    rules: Option<PathBuf>,
    /// The port to listen on.
    #[arg(long, default_value_t = 8585)]
    port: u16,
    /// Files here take the place of the site's of the same path.
    #[arg(long, value_name = "FOLDER")]
    edited: Option<PathBuf>,
    /// Listen on the local network too, for a phone: asks for a code, and draws a QR code.
    #[arg(long)]
    network: bool,
    #[command(flatten)]
    reach: Reach,
}

/// A site that is tried.
pub struct Site {
    upstream: Url,
    client: reqwest::Client,
    reach: Reach,
    rules: Option<RulesDocument>,
    edited: Option<PathBuf>,
    /// What viewers on the network must know.
    code: Option<String>,
    seen: Mutex<BTreeMap<String, changes::Seen>>,
}

fn site(text: &str) -> Result<Url, String> {
    let url = Url::parse(text)
        .map_err(|error| format!("{error}; write it as https://windmark.example"))?;
    let plain =
        matches!(url.scheme(), "http" | "https") && url.query().is_none() && url.path() == "/";
    if plain {
        Ok(url)
    } else {
        Err("name the site alone: http:// or https:// and its host".to_owned())
    }
}

impl Try {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        let code = self.network.then(new_code).transpose()?;
        let site = Site {
            client: reqwest::Client::builder()
                .redirect(reqwest::redirect::Policy::none())
                .build()?,
            rules: self.rules.as_deref().map(rules::read).transpose()?,
            upstream: self.address,
            reach: self.reach,
            edited: self.edited,
            code: code.clone(),
            seen: Mutex::default(),
        };
        let name = site.upstream.to_string();
        let host = if self.network { Ipv4Addr::UNSPECIFIED } else { Ipv4Addr::LOCALHOST };
        runtime()?.block_on(async {
            let listener =
                tokio::net::TcpListener::bind((host, self.port)).await.with_context(|| {
                    format!("cannot listen on port {}; name another with --port", self.port)
                })?;
            let address = listener.local_addr()?;
            let link = link(address, code.as_deref());
            let told = serde_json::json!({ "address": link, "site": name });
            output::print(json, &told, |_| greeting(&name, &link, code.is_some()))?;
            let router = Router::new().fallback(proxy::pass).with_state(Arc::new(site));
            let service = router.into_make_service_with_connect_info::<SocketAddr>();
            axum::serve(listener, service)
                .with_graceful_shutdown(async {
                    let _ = tokio::signal::ctrl_c().await;
                })
                .await?;
            Ok(ExitCode::SUCCESS)
        })
    }
}

/// The address that viewers open.
fn link(address: SocketAddr, code: Option<&str>) -> String {
    match code {
        Some(code) => format!("http://{}:{}/?kivet-code={code}", own_address(), address.port()),
        None => format!("http://{address}/"),
    }
}

/// This machine's address on the local network. Nothing is sent: connecting a datagram socket only
/// chooses the way.
fn own_address() -> IpAddr {
    let chosen = UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0)).and_then(|socket| {
        socket.connect((Ipv4Addr::new(192, 0, 2, 1), 9))?;
        socket.local_addr()
    });
    chosen.map_or(IpAddr::V4(Ipv4Addr::LOCALHOST), |address| address.ip())
}

fn new_code() -> Result<String> {
    let mut bytes = [0_u8; 8];
    getrandom::fill(&mut bytes).context("the system gives no random numbers")?;
    Ok(format!("{:010}", u64::from_le_bytes(bytes) % 10_000_000_000))
}

fn greeting(site: &str, link: &str, network: bool) -> String {
    let drawn =
        QrCode::new(link).ok().filter(|_| network).map(|code| code.render::<Dense1x2>().build());
    let changes = link.split("/?").next().unwrap_or(link).trim_end_matches('/');
    let drawn = drawn.map_or(String::new(), |code| format!("\n\n{code}"));
    format!("{site} with Kivet: {link}\nwhat changed: {changes}/.kivet/changes{drawn}")
}
