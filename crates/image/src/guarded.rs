//! Codecs that panic on a file: the file is damaged then, and nothing else is.

use std::panic::{AssertUnwindSafe, catch_unwind};

use kivet_recipe::Format;

use crate::ImageError;

/// What `work` on a file of that format gives. What it was working on is not used again after a
/// panic, so that nothing half changed is seen.
pub(crate) fn guarded<T>(
    format: Format,
    work: impl FnOnce() -> Result<T, ImageError>,
) -> Result<T, ImageError> {
    let done = catch_unwind(AssertUnwindSafe(work));
    done.unwrap_or_else(|_| Err(ImageError::damaged(format, "its decoder broke down on it")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    #[allow(clippy::panic)]
    fn a_panic_is_a_damaged_file() {
        let broken = || -> Result<(), ImageError> { panic!("a mistake in a decoder") };
        let error = guarded(Format::Tiff, broken).expect_err("it panics");
        assert!(matches!(error, ImageError::Damaged { format: Format::Tiff, .. }), "{error}");
        assert!(guarded(Format::Tiff, || Ok(())).is_ok());
    }
}
