//! When a picture is fetched.

use std::str::FromStr;

use kivet_recipe::nearest;

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
