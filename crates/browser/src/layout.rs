//! A page as it lies in a window: every box, and what is painted.

use chromiumoxide::{
    cdp::browser_protocol::page::{CaptureScreenshotFormat, Viewport},
    page::ScreenshotParams,
};
use serde::Deserialize;

use crate::{BrowserError, Tab};

const LAYOUT: &str = include_str!("page/layout.js");

/// Pixels of a screenshot at most.
const MAX_PIXELS: f64 = 1_500_000.0;

/// No screenshot has more pixels a CSS pixel.
const MAX_SCALE: f64 = 0.5;

/// A rectangle in CSS pixels, page coordinates: left, top, width, height.
pub type Rectangle = [f64; 4];

/// Where everything on a page lies.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
pub struct PageLayout {
    /// Each element's tag and box, in document order.
    pub elements: Vec<(String, Rectangle)>,
    /// Elements that show a picture, in document order.
    pub pictures: Vec<ShownPicture>,
    /// Width and height of the page.
    pub size: (f64, f64),
}

/// An element that shows a picture.
#[derive(Clone, Debug, Default, PartialEq, Deserialize)]
pub struct ShownPicture {
    /// Its selector in short, with that of its parent.
    pub name: String,
    /// Its box.
    pub r#box: Rectangle,
    /// False if it is not seen.
    pub visible: bool,
}

impl Tab {
    /// Where everything lies in a window of that size, and a screenshot of the whole page as PNG with
    /// its scale, in pixels a CSS pixel. Lazy pictures are fetched first.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn laid_out(
        &self,
        window: (u32, u32),
    ) -> Result<(PageLayout, Vec<u8>, f64), BrowserError> {
        const EAGER: &str = "(document.querySelectorAll('[loading=lazy]').forEach((one) => { one.loading = 'eager'; }), scrollTo(0, 0), true)";
        self.resize(window).await?;
        let _: bool = self.evaluate(EAGER).await?;
        self.rest().await;
        self.show_frame().await?;
        self.rest().await;
        let layout: PageLayout = self.evaluate(LAYOUT).await?;
        let (width, height) = layout.size;
        let scale = (MAX_PIXELS / (width * height).max(1.0)).sqrt().min(MAX_SCALE);
        let whole = Viewport { x: 0.0, y: 0.0, width, height, scale };
        let format = ScreenshotParams::builder()
            .format(CaptureScreenshotFormat::Png)
            .capture_beyond_viewport(true)
            .clip(whole);
        let painted = self.page.screenshot(format.build()).await?;
        Ok((layout, painted, scale))
    }
}
