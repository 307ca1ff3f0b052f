//! Findings over all devices, on the way to a report.

use super::DeviceCost;
use crate::{Code, Element, Fix};

/// A finding over all devices it was made on, before what its element needs is put together.
pub(super) struct Pending {
    pub(super) code: Code,
    pub(super) element: Element,
    pub(super) url: String,
    pub(super) why: String,
    pub(super) fix: Fix,
    pub(super) costs: Vec<DeviceCost>,
}
