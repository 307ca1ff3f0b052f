//! The service as its clients meet it: started on loopback, called over HTTP, seen in Chromium.
#![allow(clippy::unwrap_used)]

mod administration;
mod bytes;
mod checks;
mod choice;
mod console;
mod css;
mod demo_site;
mod engine;
mod faults;
mod final_renditions;
mod fixes;
mod front_page;
mod frontend;
mod hints;
mod hits;
mod hostile_vectors;
mod markup_in_browser;
mod pictures;
mod places;
mod refusals;
mod rewriting;
mod running;
mod site;
mod viewer;
