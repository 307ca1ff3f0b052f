//! Pages as text: parsed, styled and laid out as far as that goes without a browser.

mod document;

pub use document::Document;
