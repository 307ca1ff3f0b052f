//! Text mode: a page read, styled and laid out as far as that goes without a browser, and the heads of its pictures.

use std::collections::BTreeMap;

use kivet_page::report::PageReport;

use crate::{CheckError, CheckOptions, Fetcher, Looked, Target};

/// Reads a page for each of the options' devices.
pub async fn read(
    target: &Target,
    _options: &CheckOptions,
    _fetcher: &Fetcher,
    _step: &(dyn Fn(&str) + Sync),
) -> Result<Looked, CheckError> {
    Ok(Looked { page: PageReport::new(&target.name, &[]), thumbnails: BTreeMap::new() })
}
