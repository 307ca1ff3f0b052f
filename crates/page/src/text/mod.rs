//! Pages as text: parsed, styled and laid out as far as that goes without a browser.

mod ancestors;
mod declarations;
mod document;
mod embeds;
mod key;
mod layout;
mod node;
mod observe;
mod pictures;
mod rule_index;
mod sheet;
mod shorthand;
mod siblings;
mod style;
mod variables;
mod worked;

pub use document::Document;
pub use observe::observe;
pub use worked::TextPage;
