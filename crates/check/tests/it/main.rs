//! Page checks through their real interface: pages on a loopback server, an installed Chromium.

mod findings;
mod pages;
mod pictures;
mod server;
