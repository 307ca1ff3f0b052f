//! `/api/recipe`: what a recipe means, for those who write one.

mod answers;
mod handlers;

pub use answers::RecipeAnswer;
pub use handlers::routes;
