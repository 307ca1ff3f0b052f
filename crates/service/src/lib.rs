//! The long-running service: shelves, pipeline, HTTP.
//!
//! [`Config`] says what to serve, [`Service::bind`] opens stores and the port, [`Service::run`]
//! serves until told to stop. Every feature is a folder: `handlers.rs` (thin, over the core),
//! `responses.rs` (its JSON).

mod api;
mod app;
mod blocking;
mod cache;
mod checks;
mod config;
mod connections;
mod console;
mod data_folder;
mod demo;
mod front;
mod health;
mod host;
mod library;
mod markup;
mod metrics;
mod overlays;
mod pic;
mod pipeline;
mod places;
mod problem;
mod query;
mod queue;
mod quiet;
mod recipes;
mod revision;
mod rewrite;
mod rules;
mod schema;
mod server;
mod shelves;
mod sign_in;
mod start_error;
mod viewer;
mod why;

pub use api::openapi;
pub use cache::{CacheResponse, CachedGroup};
pub use checks::{CheckedPage, Kept};
pub use config::{
    Config, ConfigError, Limits, Originals, OverlaySettings, ShelfRules, ShelfSettings,
    ShelfSource, read as read_config,
};
pub use data_folder::lock_data_folder;
pub use library::{AltOrder, AltResponse, ExportOrder, FocusOrder, LibraryPage, OriginalResponse};
pub use markup::{LadderResponse, MarkupOrder, MarkupResponse, PictureMarkup};
pub use places::{PlaceList, PlaceResponse, places_as_toml};
pub use problem::{Problem, ProblemKind};
pub use recipes::RecipeResponse;
pub use rewrite::{PictureChange, RewriteOrder, RewriteResponse, RuleVerdict};
pub use server::Service;
pub use sign_in::{SESSION_COOKIE, SignInLink, TOKEN_FILE};
pub use start_error::StartError;
pub use why::{ReadyRendition, WhyResponse};

pub(crate) use kivet_check::causes;
