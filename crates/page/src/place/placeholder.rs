//! What stands in a picture's room until it arrives.

use std::{fmt, str::FromStr};

/// What stands in a picture's room until it arrives. Never under a picture with transparent parts.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum Placeholder {
    /// Nothing.
    #[default]
    None,
    /// The colour there is most of.
    Flat,
    /// A blurred miniature in fewer than 400 bytes.
    Soft,
    /// A picture of one's own, by its URL.
    Own(String),
}

impl FromStr for Placeholder {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        match text {
            "none" => Ok(Self::None),
            "flat" => Ok(Self::Flat),
            "soft" => Ok(Self::Soft),
            // Within `url("...")` in an attribute.
            url if url.contains('/')
                && !url.contains(['"', '\'', '\\', '<', '>', '(', ')'])
                && !url.contains(char::is_whitespace) =>
            {
                Ok(Self::Own(url.to_owned()))
            }
            _ => Err(format!(
                "`{text}` is not a placeholder: use none, flat, soft, or a picture's path or URL such as /img/waiting.svg"
            )),
        }
    }
}

impl fmt::Display for Placeholder {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::None => "none",
            Self::Flat => "flat",
            Self::Soft => "soft",
            Self::Own(url) => url,
        })
    }
}
