//! Page checks through their real interface: pages on a loopback server, an installed Chromium.

mod candidates;
mod cascade;
mod findings;
mod fit_sizes;
mod layouts;
mod learned;
mod pages;
mod pictures;
mod server;
mod stubborn;
