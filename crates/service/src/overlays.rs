//! The overlays of the configuration, read once at the start.

use std::collections::BTreeMap;

use kivet_image::{Assets, Fonts, Overlay};

use crate::{config::OverlaySettings, start_error::StartError};

/// Reads the overlays and this machine's fonts; also a hash that changes when any overlay does.
///
/// # Errors
/// If an overlay's picture cannot be read.
pub fn open(settings: &BTreeMap<String, OverlaySettings>) -> Result<(Assets, String), StartError> {
    let mut assets = Assets { overlays: BTreeMap::new(), fonts: Fonts::of_system() };
    let mut state = blake3::Hasher::new();
    for (name, settings) in settings {
        let OverlaySettings { picture, position, width_percent, opacity_percent } = settings;
        let failed = |problem: String| StartError::Overlay {
            name: name.clone(),
            picture: picture.clone(),
            problem,
        };
        let bytes = std::fs::read(picture).map_err(|error| failed(error.to_string()))?;
        state.update(format!("{name} {position:?} {width_percent} {opacity_percent}").as_bytes());
        state.update(&bytes);
        let overlay = Overlay::new(bytes, *position, *width_percent, *opacity_percent);
        assets.overlays.insert(name.clone(), overlay.map_err(|error| failed(error.to_string()))?);
    }
    Ok((assets, state.finalize().to_hex().to_string()))
}
