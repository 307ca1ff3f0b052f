//! What is asked of a picture: the recipe grammar, the geometry it means, and the choice of what to
//! send.
//!
//! Pure: no I/O, no async, no pixels. Everything a request needs decided is decided here and tested
//! alone.
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
//! [`Recipe`] is what the address says, [`plan`] turns it into pixels for one original, [`choose`]
//! adds what the request accepts and returns a [`Choice`]: what to make, and why.

mod accept;
mod access;
mod choice;
mod curve;
mod effort;
mod encoding;
mod error;
mod facts;
mod fidelity;
mod filter;
mod format;
mod geometry;
mod improve;
mod ladder;
mod measure;
mod monotone;
mod nearest;
mod orientation;
mod place;
mod policy;
mod position;
mod prior;
mod recipe;
mod request;
mod search;
mod size;
mod steps;
mod subject;
mod trial;

pub use accept::{Accepted, accepts_coding};
pub use access::{Access, PlaceRecipes};
pub use choice::{
    Candidate, Choice, ChoiceError, Edits, Lowered, Reason, Varies, choose, kind, varies,
};
pub use curve::{
    Basis, Curve, Curves, Measured, Prediction, Sample, Scale, Seen, View, coded_bytes_per_pixel,
    container_bytes,
};
pub use effort::Effort;
pub use encoding::Encoding;
pub use error::RecipeError;
pub use facts::{Analysis, Facts, Kind, Storage};
pub use fidelity::Fidelity;
pub use filter::{Effect, Filter, Region};
pub use format::Format;
pub use geometry::{Canvas, Plan, plan, plan_for, stays_vector};
pub use improve::{Improver, Outcome, Step};
pub use ladder::{
    Demand, Ladder, LadderLimits, LadderPoint, Ladders, bytes_by_pixels, fewest_widths,
    mean_doublings,
};
pub use measure::{Bytes, BytesPerPixel, Score, Setting};
pub use nearest::nearest;
pub use orientation::Orientation;
pub use place::{PlaceName, PlaceNameError};
pub use policy::{Formats, Gamut, Policy};
pub use position::Position;
pub use prior::{Expected, expected};
pub use recipe::{
    CanvasColour, Clauses, Density, Fit, Keep, Placement, Quality, Ratio, Recipe, Turn,
};
pub use request::{Hints, Request, WidthFrom};
pub use search::Search;
pub use size::{Rect, Size};
pub use steps::{LadderStep, STEPS, every_step, step_for};
pub use subject::Subject;
pub use trial::{Decision, REFINED, Trial, is_worth_swapping};
