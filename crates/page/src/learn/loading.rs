//! When each picture of a page is fetched, from what the devices show.

use super::{SeenPage, SeenPicture};
use crate::Loading;

/// The loading policy of each picture of a page. One is `first`: what is the largest paint on most
/// devices.
pub(super) fn loadings(page: &SeenPage) -> Vec<Loading> {
    let largest = |picture: &SeenPicture| picture.devices.iter().filter(|one| one.largest).count();
    let most = page.pictures.iter().map(largest).max().unwrap_or(0);
    let first = page.pictures.iter().position(|picture| most > 0 && largest(picture) == most);
    page.pictures
        .iter()
        .enumerate()
        .map(|(at, picture)| if Some(at) == first { Loading::First } else { policy(picture) })
        .collect()
}

fn policy(picture: &SeenPicture) -> Loading {
    let on = |fits: fn(&&super::OnDevice) -> bool| picture.devices.iter().filter(fits).count();
    let (in_view, hidden, largest) =
        (on(|one| one.in_view), on(|one| one.hidden), on(|one| one.largest));
    // A picture above the fold on half of the devices is worth its bytes on the others.
    if largest > 0 || 2 * in_view >= picture.devices.len().max(1) {
        return Loading::Near;
    }
    if in_view == 0 && hidden > 0 { Loading::Hidden } else { Loading::Later }
}
