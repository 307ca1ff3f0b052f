//! `sizes` for the pictures of a page, from a browser laid out at many widths.

use std::collections::HashMap;

use kivet_browser::{Chromium, Tab};
use kivet_page::{DEVICES, Document, Sample, fit_sizes};

use crate::{CheckError, Target, browse::reachable, widths::SWEPT};

/// Pixels from one to the next.
const STEP: usize = 16;

/// The `sizes` a picture should have.
pub struct FittedSizes {
    /// Where it stands.
    pub selector: String,
    /// The line of the source.
    pub line: Option<u64>,
    /// What it says now.
    pub written: Option<String>,
    /// What it should say.
    pub sizes: String,
}

/// Sweeps a page over viewports from 320 to 2560 CSS pixels and fits `sizes` for each picture in
/// it.
///
/// # Errors
/// If the page cannot be had, or the browser fails.
pub async fn fit_page(
    chromium: &Chromium,
    target: &Target,
) -> Result<Vec<FittedSizes>, CheckError> {
    let (url, _server) = reachable(target, None).await?;
    let tab = chromium.tab(DEVICES[3]).await?;
    tab.open(url.as_str()).await?;
    // Pictures whose own size decides how wide they are must have arrived.
    tab.scroll_to_end().await?;
    let source: String =
        tab.evaluate("fetch(location.href).then((answer) => answer.text())").await?;
    let mut sweep = Sweep { tab: &tab, seen: HashMap::new() };
    for width in SWEPT.step_by(STEP) {
        sweep.at(width).await?;
    }
    let document = Document::parse(&source);
    let written: Vec<Option<String>> =
        tab.evaluate("[...document.images].map((image) => image.getAttribute('sizes'))").await?;
    let elements = tab.picture_elements().await?;
    let mut fitted = Vec::new();
    for (at, (written, named)) in written.into_iter().zip(elements).enumerate() {
        if let Some(sizes) = sweep.fit(at).await? {
            fitted.push(FittedSizes {
                line: document.line_of(&named),
                selector: named.selector,
                written,
                sizes,
            });
        }
    }
    tab.close().await?;
    Ok(fitted)
}

/// Widths measured so far.
struct Sweep<'a> {
    tab: &'a Tab,
    seen: HashMap<u32, Vec<f64>>,
}

impl Sweep<'_> {
    async fn at(&mut self, width: u32) -> Result<&[f64], CheckError> {
        if !self.seen.contains_key(&width) {
            let widths = self.tab.widths_at(width).await?;
            self.seen.insert(width, widths);
        }
        Ok(self.seen.get(&width).map_or(&[], Vec::as_slice))
    }

    /// Fits one picture. The fit asks for viewports in between; each is measured, and the fit is
    /// made again with it.
    async fn fit(&mut self, picture: usize) -> Result<Option<String>, CheckError> {
        let samples: Vec<Sample> = SWEPT
            .step_by(STEP)
            .filter_map(|width| {
                Some(Sample {
                    viewport: f64::from(width),
                    shown: *self.seen.get(&width)?.get(picture)?,
                })
            })
            .collect();
        loop {
            let mut missing = None;
            let known = |viewport: f64| {
                let widths = self.seen.get(&(viewport as u32));
                if widths.is_none() {
                    missing.get_or_insert(viewport as u32);
                }
                widths.and_then(|widths| widths.get(picture).copied()).filter(|shown| *shown > 0.0)
            };
            let fitted = fit_sizes(&samples, known);
            match missing {
                Some(width) => {
                    self.at(width).await?;
                }
                None => return Ok(fitted),
            }
        }
    }
}
