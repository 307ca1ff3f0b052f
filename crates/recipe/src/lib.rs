//! What is asked of a picture: the recipe grammar, the geometry it means, and the choice of what to send.
//!
//! Pure: no I/O, no async, no pixels. Everything a request needs decided is decided here and tested alone.
//!
//! ```
//! use kivet_recipe::{Recipe, Size, plan};
//!
//! let recipe: Recipe = "ratio-3-2_640w".parse()?;
//! assert_eq!(recipe.to_string(), "640w_ratio-3-2");
//! let plan = plan(&recipe, Size::new(4000, 4000));
//! assert_eq!(plan.size, Size::new(640, 427));
//! # Ok::<(), kivet_recipe::RecipeError>(())
//! ```
//!
//! [`Recipe`] is what the address says, [`plan`] turns it into pixels for one original, [`choose`] adds what
//! the request accepts and returns a [`Choice`]: what to make, and why.

mod accept;
mod access;
mod choice;
mod curve;
mod error;
mod facts;
mod fidelity;
mod filter;
mod format;
mod geometry;
mod monotone;
mod nearest;
mod parse;
mod policy;
mod recipe;
mod request;
mod search;
mod steps;
mod subject;

pub use accept::Accepted;
pub use access::Access;
pub use choice::{Candidate, Choice, ChoiceError, Edits, Effort, Encoding, Lowered, Reason, Varies, choose, varies};
pub use curve::{Basis, Curve, Curves, Measured, Prediction, Sample, Scale, Seen, View, container_bytes};
pub use error::RecipeError;
pub use facts::{Analysis, Facts, Kind, Orientation};
pub use fidelity::{Expected, Fidelity, expected};
pub use filter::{Effect, Filter, Region};
pub use format::Format;
pub use geometry::{Canvas, Plan, Rect, Size, plan, plan_for};
pub use nearest::nearest;
pub use policy::{Formats, Gamut, Policy};
pub use recipe::{CanvasColour, Density, Fit, Keep, Placement, Position, Quality, Ratio, Recipe, Turn};
pub use request::{Hints, Request, WidthFrom};
pub use search::{Decision, REFINED, Search, Trial, is_worth_swapping, search};
pub use steps::{LadderStep, STEPS, ladder};
pub use subject::Subject;
