//! When each picture of a page is fetched, from what the devices show.

use super::{SeenPage, SeenPicture};
use crate::{DEVICES, Loading, observation::Role};

/// When a picture is fetched.
#[derive(Clone, Debug, Default, PartialEq)]
pub(super) struct When {
    pub loading: Loading,
    /// The screens on which it loads `first`; all if `None`.
    pub media: Option<String>,
}

/// When each picture of a page is fetched. On every screen one is `first`: its largest paint.
pub(super) fn loadings(page: &SeenPage) -> Vec<When> {
    let firsts = firsts(page);
    let when = |(at, picture): (usize, &SeenPicture)| {
        let stretches: Vec<&Stretch> = firsts.iter().filter(|one| one.picture == at).collect();
        match stretches.as_slice() {
            [] => When { loading: policy(picture), media: None },
            _ if is_variant(page, picture) => When { loading: Loading::Near, media: None },
            stretches => When { loading: Loading::First, media: media(stretches) },
        }
    };
    page.pictures.iter().enumerate().map(when).collect()
}

/// True for a background of which other screens show another file: conditions of its stylesheet decide
/// which, and a preload under any other condition would fetch both.
fn is_variant(page: &SeenPage, picture: &SeenPicture) -> bool {
    let shares =
        |one: &SeenPicture| one.element.path == picture.element.path && one.file != picture.file;
    picture.role == Role::Background
        && picture.devices.iter().any(|one| !one.rendered)
        && page.pictures.iter().any(shares)
}

/// Windows on which one picture is the largest paint: `from` this width, and narrower than `below`.
struct Stretch {
    picture: usize,
    from: Option<u32>,
    below: Option<u32>,
}

/// The largest paint of each stretch of windows, narrowest first. Between two devices that differ
/// the line is drawn in the middle, as ratios go.
fn firsts(page: &SeenPage) -> Vec<Stretch> {
    let largest = |device: usize| {
        page.pictures
            .iter()
            .position(|picture| picture.devices.get(device).is_some_and(|one| one.largest))
    };
    let mut seen: Vec<(u32, usize)> = (0..DEVICES.len())
        .filter_map(|device| Some((DEVICES[device].width, largest(device)?)))
        .collect();
    seen.sort_unstable();
    let mut stretches: Vec<Stretch> = Vec::new();
    let mut before = 0;
    for (width, picture) in seen {
        match stretches.last_mut() {
            Some(last) if last.picture == picture => {}
            None => stretches.push(Stretch { picture, from: None, below: None }),
            Some(last) => {
                let line = (f64::from(before) * f64::from(width)).sqrt().round() as u32;
                last.below = Some(line);
                stretches.push(Stretch { picture, from: Some(line), below: None });
            }
        }
        before = width;
    }
    stretches
}

/// The media condition of some stretches; `None` if that is every window.
fn media(stretches: &[&Stretch]) -> Option<String> {
    let condition = |one: &&Stretch| {
        let from = one.from.map(|from| format!("(min-width: {from}px)"));
        let below = one.below.map(|below| format!("(max-width: {}px)", below - 1));
        from.into_iter().chain(below).collect::<Vec<_>>().join(" and ")
    };
    let conditions: Vec<String> = stretches.iter().map(condition).collect();
    match conditions.as_slice() {
        [one] => Some(one.clone()).filter(|one| !one.is_empty()),
        several => {
            let grouped = several.iter().map(|one| match one.contains(" and ") {
                true => format!("({one})"),
                false => one.clone(),
            });
            Some(grouped.collect::<Vec<_>>().join(" or "))
        }
    }
}

fn policy(picture: &SeenPicture) -> Loading {
    let on = |fits: fn(&&super::OnDevice) -> bool| picture.devices.iter().filter(fits).count();
    let (in_view, hidden) = (on(|one| one.in_view), on(|one| one.hidden));
    // A picture above the fold on half of the devices is worth its bytes on the others.
    if 2 * in_view >= picture.devices.len().max(1) {
        return Loading::Near;
    }
    if in_view == 0 && hidden > 0 { Loading::Hidden } else { Loading::Later }
}
