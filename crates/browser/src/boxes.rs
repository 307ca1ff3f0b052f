//! The boxes of elements in windows of many sizes, and what markup would do to them.

use chromiumoxide::cdp::browser_protocol::emulation::SetDeviceMetricsOverrideParams;
use kivet_page::Device;

use crate::{BrowserError, Tab};

/// A function from paths to content boxes.
const BOXES: &str = "(paths) => paths.map((path) => {
    const found = document.querySelector(path);
    if (!found) return [0, 0];
    const style = getComputedStyle(found);
    const around = (names) => names.reduce((sum, name) => sum + (parseFloat(style[name]) || 0), 0);
    const box = found.getBoundingClientRect();
    // A background lies under the padding.
    const padding = found.tagName === 'IMG' ? 1 : 0;
    const across = ['borderLeftWidth', 'borderRightWidth', ...(padding ? ['paddingLeft', 'paddingRight'] : [])];
    const down = ['borderTopWidth', 'borderBottomWidth', ...(padding ? ['paddingTop', 'paddingBottom'] : [])];
    return [Math.max(0, box.width - around(across)), Math.max(0, box.height - around(down))];
})";

/// A function that tries attributes and a `picture` around each picture, and takes both back.
const TRIED: &str = "(paths) => {
    const found = paths.map((path) => document.querySelector(path));
    const same = (before, after) => before.map((box, at) =>
        Math.abs(box[0] - after[at][0]) < 1 && Math.abs(box[1] - after[at][1]) < 1);
    const measure = () => found.map((one) => {
        const box = one ? one.getBoundingClientRect() : { width: 0, height: 0 };
        return [box.width, box.height];
    });
    const before = measure();
    const kept = found.map((one) => one && ['width', 'height'].map((name) => one.getAttribute(name)));
    for (const one of found) {
        if (one?.naturalWidth) {
            one.setAttribute('width', one.naturalWidth);
            one.setAttribute('height', one.naturalHeight);
        }
    }
    const sized = same(before, measure());
    found.forEach((one, at) => ['width', 'height'].forEach((name, which) => {
        const value = kept[at]?.[which];
        if (one) value === null ? one.removeAttribute(name) : one.setAttribute(name, value);
    }));
    const wrappers = found.map((one) => {
        if (!one || one.parentElement?.tagName === 'PICTURE') return null;
        const wrapper = document.createElement('picture');
        one.replaceWith(wrapper);
        wrapper.append(one);
        return wrapper;
    });
    const wrapped = same(before, measure());
    wrappers.forEach((wrapper, at) => wrapper?.replaceWith(found[at]));
    return paths.map((_, at) => [sized[at], wrapped[at]]);
}";

impl Tab {
    /// The content boxes, width and height in CSS pixels, of the elements at `paths` in a window of
    /// that size; zero where one is not shown.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn boxes_at(
        &self,
        paths: &[String],
        (width, height): (u32, u32),
    ) -> Result<Vec<(f64, f64)>, BrowserError> {
        let Device { density, mobile, .. } = self.device;
        let window = SetDeviceMetricsOverrideParams::new(
            i64::from(width),
            i64::from(height),
            density,
            mobile,
        );
        self.page.execute(window).await?;
        let paths = serde_json::to_string(paths).unwrap_or_default();
        self.evaluate(&format!("({BOXES})({paths})")).await
    }

    /// Tries attributes of the true size, and a `picture` around each, on the pictures at `paths`:
    /// which of them keep their box to the pixel with the one, and with the other. The page stays as
    /// it was.
    ///
    /// # Errors
    /// If the browser fails.
    pub async fn try_markup(&self, paths: &[String]) -> Result<Vec<(bool, bool)>, BrowserError> {
        let paths = serde_json::to_string(paths).unwrap_or_default();
        self.evaluate(&format!("({TRIED})({paths})")).await
    }
}
