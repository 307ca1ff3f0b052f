//! Why a recipe cannot be followed, and what would work instead.

/// A recipe that cannot be followed. The message names the clause, what is wrong with it and the
/// nearest thing that would work.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{}", self.sentence())]
pub struct RecipeError {
    /// The recipe as it was written.
    pub recipe: String,
    /// The clause at fault, as it was written.
    pub clause: String,
    /// What is wrong with it: the end of a sentence that begins with the clause.
    pub problem: String,
    /// A clause, or several joined by `_`, that would work in its place.
    pub nearest: Option<String>,
}

impl RecipeError {
    /// A complaint about one clause; the recipe is filled in by the parser that holds it.
    pub(crate) fn new(clause: &str, problem: impl Into<String>) -> Self {
        Self {
            recipe: String::new(),
            clause: clause.to_owned(),
            problem: problem.into(),
            nearest: None,
        }
    }

    pub(crate) fn nearest(mut self, nearest: impl Into<String>) -> Self {
        self.nearest = Some(nearest.into());
        self
    }

    pub(crate) fn within(mut self, recipe: &str) -> Self {
        self.recipe = recipe.to_owned();
        self
    }

    fn sentence(&self) -> String {
        let way_out =
            self.nearest.as_ref().map_or(String::new(), |nearest| format!("; try `{nearest}`"));
        format!("in the recipe `{}`, `{}` {}{way_out}", self.recipe, self.clause, self.problem)
    }
}
