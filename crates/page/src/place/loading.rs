//! When a picture is fetched.

use std::str::FromStr;

use kivet_recipe::nearest;

use crate::is_media_condition;

/// When a picture is fetched.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Loading {
    /// The largest paint: eager and high priority. One a page and media condition.
    First,
    /// Above the fold: eager.
    Near,
    /// Below it: lazy.
    #[default]
    Later,
    /// Out of view until an interaction, such as a later slide: lazy, low priority.
    Hidden,
}

impl Loading {
    /// All of them.
    pub const ALL: [Self; 4] = [Self::First, Self::Near, Self::Later, Self::Hidden];

    /// The name in places, JSON and on the command line.
    pub const fn name(self) -> &'static str {
        match self {
            Self::First => "first",
            Self::Near => "near",
            Self::Later => "later",
            Self::Hidden => "hidden",
        }
    }

    /// The `loading` attribute (HTML, 2.5.7).
    pub const fn attribute(self) -> &'static str {
        if self.is_lazy() { "lazy" } else { "eager" }
    }

    /// The `fetchpriority` attribute (HTML, 2.5.8), where it is not `auto`.
    pub const fn priority(self) -> Option<&'static str> {
        match self {
            Self::First => Some("high"),
            Self::Hidden => Some("low"),
            Self::Near | Self::Later => None,
        }
    }

    /// True if the picture waits until it comes near the viewport.
    pub const fn is_lazy(self) -> bool {
        matches!(self, Self::Later | Self::Hidden)
    }
}

/// The screens on which a picture loads `first`.
///
/// # Errors
/// If it does not load `first` at all, or `media` is not a media condition.
pub fn first_on(media: Option<&str>, loading: Option<Loading>) -> Result<Option<String>, String> {
    match media {
        Some(media) if loading != Some(Loading::First) => Err(format!(
            "`{media}` says on which screens a picture loads `first`; write loading first beside it"
        )),
        Some(media) if !is_media_condition(media) => {
            Err(format!("`{media}` is not a media condition; write one such as (max-width: 700px)"))
        }
        media => Ok(media.map(str::to_owned)),
    }
}

impl FromStr for Loading {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let names = Self::ALL.map(Self::name);
        Self::ALL.into_iter().find(|one| one.name() == text).ok_or_else(|| {
            let near = nearest(text, names)
                .map_or(String::new(), |near| format!("; did you mean `{near}`?"));
            format!("`{text}` is not a loading policy: use {}{near}", names.join(", "))
        })
    }
}
