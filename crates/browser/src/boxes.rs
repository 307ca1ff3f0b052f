//! The boxes of elements in windows of many sizes, and what markup would do to them.

use chromiumoxide::cdp::browser_protocol::emulation::SetDeviceMetricsOverrideParams;
use kivet_page::{Device, learn::Trial};
use serde::{Deserialize, Serialize};

use crate::{BrowserError, Tab};

const BOXES: &str = include_str!("page/boxes.js");

/// Functions for reading computed backgrounds.
pub(crate) const BACKGROUNDS: &str = include_str!("page/backgrounds.js");

const TRIED: &str = include_str!("page/trial.js");

/// A picture of an element, or of a pseudo-element.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct PictureAt {
    /// The path of its element, with `::before` or `::after` for the background of one.
    pub path: String,
    /// The URL of its file, which tells the layers of a background apart.
    pub url: String,
}

/// The box that a picture is fitted into, and how.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
pub struct FittedBox {
    /// Width and height in CSS pixels; zero where it is not shown.
    pub size: (f64, f64),
    /// The computed `object-fit` or `background-size`.
    pub fit: String,
    /// The computed `object-position` or `background-position`.
    pub position: String,
}

/// A picture to be tried with other markup.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct TrialPicture {
    /// The path of its element.
    pub path: String,
    /// The URL of a file that it shows.
    pub url: String,
    /// Width and height of that file in pixels.
    pub natural: (f64, f64),
    /// The `sizes` that it would have; empty if it would have no candidates.
    pub sizes: String,
}

impl Tab {
    /// The boxes of pictures in a window of that size.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn boxes_at(
        &self,
        pictures: &[PictureAt],
        window: (u32, u32),
    ) -> Result<Vec<FittedBox>, BrowserError> {
        self.resize(window).await?;
        let pictures = serde_json::to_string(pictures).unwrap_or_default();
        self.evaluate(&format!("({BOXES})({pictures}, {BACKGROUNDS})")).await
    }

    /// Gives the page a window of that size.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn resize(&self, (width, height): (u32, u32)) -> Result<(), BrowserError> {
        let Device { density, mobile, .. } = self.device;
        let window = SetDeviceMetricsOverrideParams::new(
            i64::from(width),
            i64::from(height),
            density,
            mobile,
        );
        self.page.execute(window).await?;
        Ok(())
    }

    /// Tries markup on `pictures` in windows of those sizes. The page stays as it was.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn try_markup(
        &self,
        pictures: &[TrialPicture],
        windows: &[(u32, u32)],
    ) -> Result<Vec<Trial>, BrowserError> {
        let mut passed = vec![Trial::PASSED; pictures.len()];
        let pictures = serde_json::to_string(pictures).unwrap_or_default();
        for window in windows {
            self.resize(*window).await?;
            let tried: Vec<Trial> = self.evaluate(&format!("({TRIED})({pictures})")).await?;
            for (one, tried) in passed.iter_mut().zip(tried) {
                *one = one.and(tried);
            }
        }
        Ok(passed)
    }
}
