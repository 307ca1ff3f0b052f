//! An original with what a place offers of it.

use std::sync::Arc;

use kivet_page::{Offered, Place, Placeholder};

use crate::{
    app::App,
    places::{self, KeptPlace},
    problem::Problem,
    queue::Requester,
    shelves::{Original, OriginalId},
};

/// An original with what a place offers of it.
pub struct Prepared {
    /// The original, looked at as far as the place's placeholder needs it.
    pub original: Arc<Original>,
    /// Its ladders.
    pub offered: Arc<Offered>,
}

/// Looks an original up for a place; `kept` if the place is one whose ladders stay.
///
/// # Errors
/// If the original cannot be had, or the records fail.
pub async fn prepared(
    app: &App,
    place: &Place,
    kept: Option<&KeptPlace>,
    id: &OriginalId,
) -> Result<Prepared, Problem> {
    let original = app.shelves.original(id).await?;
    let original =
        app.pipeline.with_facts_for(original, &place.recipe(), Requester::default()).await?;
    let looked_at = matches!(place.placeholder(), Placeholder::Flat | Placeholder::Soft);
    let original = if looked_at && original.facts().analysis.is_none() {
        app.pipeline.analysed(original, false, Requester::default()).await?
    } else {
        original
    };
    let offered = match kept {
        Some(kept) => places::offered(app, kept, &original).await?,
        None => places::offered_once(app, place, &original).await?,
    };
    Ok(Prepared { original, offered })
}
