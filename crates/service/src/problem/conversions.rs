//! The one boundary where errors of the rooms behind become responses.

use kivet_image::ImageError;
use kivet_page::{PlaceError, SizesError, rewrite::RewriteError, rules::RuleError};
use kivet_recipe::{ChoiceError, RecipeError};
use kivet_store::StoreError;

use super::{Problem, ProblemKind, legible};
use crate::{
    blocking::Panicked,
    causes,
    pipeline::PipelineError,
    queue::QueueFull,
    shelves::{PathError, ShelfError, ShelfUnavailable},
};

impl From<RecipeError> for Problem {
    fn from(error: RecipeError) -> Self {
        let problem = Self::new(ProblemKind::ImpossibleRecipe, error.to_string());
        Self { clause: Some(legible(&error.clause)), ..problem }.with_nearest(error.nearest)
    }
}

impl From<ChoiceError> for Problem {
    fn from(error: ChoiceError) -> Self {
        Self::new(ProblemKind::ImpossibleRecipe, error.to_string())
    }
}

impl From<ShelfError> for Problem {
    fn from(error: ShelfError) -> Self {
        let kind = match &error {
            ShelfError::UnknownShelf { .. } => ProblemKind::UnknownShelf,
            ShelfError::UnreadShelf { .. } => ProblemKind::UnreadShelf,
            ShelfError::BadPath(_) => ProblemKind::BadPath,
            ShelfError::LeavesShelf { .. } => ProblemKind::LeavesShelf,
            ShelfError::NotFound { .. } => ProblemKind::UnknownOriginal,
            ShelfError::Unreadable { .. } => ProblemKind::UnreadableOriginal,
            ShelfError::Changing { .. } => {
                return Self::new(ProblemKind::OriginalChanged, error.to_string())
                    .with_retry_after(1);
            }
            ShelfError::NotUsable { source, .. } => return of_image(source, causes(&error)),
            ShelfError::Overloaded(full) => return full.clone().into(),
            ShelfError::Lost(lost) => return lost.clone().into(),
            ShelfError::Store(_) | ShelfError::Broken(_) => return Self::internal(&error),
        };
        let problem = Self::new(kind, error.to_string());
        match error {
            ShelfError::UnknownShelf { nearest, .. } => problem.with_nearest(nearest),
            _ => problem,
        }
    }
}

impl From<PathError> for Problem {
    fn from(error: PathError) -> Self {
        Self::new(ProblemKind::BadPath, error.to_string())
    }
}

impl From<PipelineError> for Problem {
    fn from(error: PipelineError) -> Self {
        match &error {
            PipelineError::Image { source, .. } => of_image(source, causes(&error)),
            PipelineError::Overloaded(full) => full.clone().into(),
            PipelineError::Lost(lost) => lost.clone().into(),
            PipelineError::Changed { .. } => {
                Self::new(ProblemKind::OriginalChanged, error.to_string()).with_retry_after(1)
            }
            PipelineError::Unreadable { .. } => {
                Self::new(ProblemKind::UnreadableOriginal, error.to_string())
            }
            PipelineError::Store(_) | PipelineError::Broken(_) => Self::internal(&error),
        }
    }
}

impl From<QueueFull> for Problem {
    fn from(error: QueueFull) -> Self {
        Self::new(ProblemKind::Overloaded, error.to_string()).with_retry_after(2)
    }
}

impl From<ShelfUnavailable> for Problem {
    fn from(error: ShelfUnavailable) -> Self {
        Self::new(ProblemKind::ShelfUnavailable, error.to_string()).with_retry_after(10)
    }
}

impl From<PlaceError> for Problem {
    fn from(error: PlaceError) -> Self {
        Self::new(ProblemKind::BadPlace, error.to_string())
    }
}

impl From<RuleError> for Problem {
    fn from(error: RuleError) -> Self {
        Self::new(ProblemKind::BadRules, error.to_string())
    }
}

impl From<RewriteError> for Problem {
    fn from(error: RewriteError) -> Self {
        Self::new(ProblemKind::NotAPage, error.to_string())
    }
}

impl From<SizesError> for Problem {
    fn from(error: SizesError) -> Self {
        Self::new(ProblemKind::ImpossibleSizes, error.to_string())
    }
}

impl From<StoreError> for Problem {
    fn from(error: StoreError) -> Self {
        Self::internal(&error)
    }
}

impl From<Panicked> for Problem {
    fn from(error: Panicked) -> Self {
        Self::internal(&error)
    }
}

/// The response to a picture that cannot be used.
pub(crate) fn of_image(error: &ImageError, detail: String) -> Problem {
    let kind = match error {
        ImageError::NotAPicture => ProblemKind::NotAPicture,
        ImageError::NotBuilt { .. } => ProblemKind::NotInThisBuild,
        ImageError::TooHeavy { .. } => ProblemKind::TooManyBytes,
        ImageError::TooManyFrames { .. } => ProblemKind::TooManyFrames,
        ImageError::TooMuchMemory { .. } => ProblemKind::TooMuchMemory,
        ImageError::TooSlow => ProblemKind::TooSlow,
        ImageError::Busy => ProblemKind::Overloaded,
        ImageError::Stopped => ProblemKind::Cancelled,
        ImageError::NoOverlay { .. } => ProblemKind::UnknownOverlay,
        ImageError::TooLarge { .. } => ProblemKind::TooManyPixels,
        ImageError::Damaged { .. } => ProblemKind::DamagedOriginal,
        _ => return Problem::internal(error),
    };
    let problem = Problem::new(kind, detail);
    match kind {
        ProblemKind::Cancelled => problem.with_retry_after(1),
        ProblemKind::Overloaded => problem.with_retry_after(10),
        _ => problem,
    }
}
