//! `/api/recipe`: what a recipe means, for those who write one.

mod handlers;
mod responses;

pub use handlers::routes;
pub use responses::RecipeResponse;
