//! How wide a page's pictures are at many windows, so that `sizes` are right between devices, too.

use std::collections::BTreeSet;

use kivet_browser::{BrowserError, PictureAt, Tab};
use kivet_page::{
    learn::{SeenPicture, place_of, shapes},
    observation::{Boxed, Observation, Role, Use, Window},
};

/// The windows that are swept, in CSS pixels.
pub const SWEPT: std::ops::RangeInclusive<u32> = 320..=2560;

/// Pixels from one window to the next.
const STEP: usize = 64;

/// A window's height, which hardly any layout hangs on.
const HEIGHT: u32 = 900;

/// Rounds of measuring where a layout changes.
const ROUNDS: usize = 2;

/// Measures boxes in windows of other heights and, where some follow the window's height, in windows of
/// many shapes.
async fn measure_shapes(
    tab: &Tab,
    pictures: &[PictureAt],
    uses: &mut [&mut Use],
) -> Result<(), BrowserError> {
    const LOW: (u32, u32) = (1000, 500);
    const TALL: (u32, u32) = (1000, 1500);
    let [low, tall] = [tab.boxes_at(pictures, LOW).await?, tab.boxes_at(pictures, TALL).await?];
    let covers = uses.iter().map(|one| one.fit == "cover");
    let follows = low.iter().zip(&tall).zip(covers).any(|((low, tall), covers)| {
        covers && (low.size.1 / tall.size.1.max(1.0) - 1.0).abs() > 0.02 && tall.size.1 >= 1.0
    });
    for window in if follows { shapes() } else { Vec::new() } {
        let boxes = tab.boxes_at(pictures, window).await?;
        let at = (f64::from(window.0), f64::from(window.1));
        for (one, fitted) in uses.iter_mut().zip(boxes) {
            one.swept.push(Boxed { window: at, size: fitted.size, of: Window::Shape });
        }
    }
    Ok(())
}

/// Lays the page out at windows from 320 to 2560 pixels, and notes the boxes of its pictures.
pub async fn sweep(tab: &Tab, page: &mut Observation) -> Result<(), BrowserError> {
    let is_swept = |one: &Use| {
        matches!(one.role, Role::Img | Role::Background) && !one.element.path.contains("::shadow")
    };
    let mut uses: Vec<&mut Use> = page.uses.iter_mut().filter(|one| is_swept(one)).collect();
    let pictures: Vec<PictureAt> = uses
        .iter()
        .map(|one| PictureAt { path: one.element.path.clone(), url: one.url.clone() })
        .collect();
    if uses.iter().any(|one| one.fit == "cover") {
        measure_shapes(tab, &pictures, &mut uses).await?;
    }
    let mut todo: BTreeSet<u32> = SWEPT.step_by(STEP).collect();
    for _ in 0..=ROUNDS {
        if pictures.is_empty() || todo.is_empty() {
            break;
        }
        for width in &todo {
            let boxes = tab.boxes_at(&pictures, (*width, HEIGHT)).await?;
            for (one, fitted) in uses.iter_mut().zip(boxes) {
                let window = (f64::from(*width), f64::from(HEIGHT));
                one.swept.push(Boxed { window, size: fitted.size, of: Window::Swept });
            }
        }
        todo.clear();
        for one in &mut uses {
            one.swept.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
            let picture = SeenPicture { samples: one.swept.clone(), ..SeenPicture::default() };
            place_of(&picture, &mut todo);
        }
    }
    Ok(())
}
