//! The things a check can say, each with a code of its own.

use serde::{Deserialize, Serialize};

macro_rules! codes {
    ($($name:ident $code:literal $title:literal,)*) => {
        /// What kind of waste or danger a finding is about.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
        pub enum Code {
            $(#[doc = $title] #[serde(rename = $code)] $name,)*
        }

        impl Code {
            /// All, in the order they are reported.
            pub const ALL: &[Self] = &[$(Self::$name,)*];

            /// As it stands in reports.
            pub const fn as_str(self) -> &'static str {
                match self { $(Self::$name => $code,)* }
            }

            /// In a few words.
            pub const fn title(self) -> &'static str {
                match self { $(Self::$name => $title,)* }
            }
        }
    };
}

codes! {
    BrokenPicture "broken-picture" "the picture does not load",
    MorePixels "more-pixels-than-shown" "more pixels are sent than the screen shows",
    CutAway "pixels-cut-away" "pixels are sent that the layout cuts away",
    BetterFormat "better-format" "another format holds the same picture in fewer bytes",
    FlatAsPixels "flat-as-pixels" "a drawing in few colours is sent heavier than it need be",
    VectorBeside "vector-beside" "a vector of the same name lies beside the picture",
    AnimatedGif "animated-gif" "a film is sent as GIF",
    MetadataLeft "metadata-left" "metadata that is never shown is sent along",
    DuplicatePicture "duplicate-picture" "the same picture is fetched from several addresses",
    NoRoom "no-room-reserved" "content moves when this arrives",
    LayoutAnimated "layout-animated" "an animation lays the page out anew in every frame",
    RatioDistorted "ratio-distorted" "the picture is shown stretched",
    WrongDimensions "wrong-dimensions" "width and height contradict the file",
    AltMissing "alt-missing" "there is no alt",
    AltUseless "alt-useless" "the alt says nothing",
    LargestFoundLate "largest-found-late" "the browser finds the largest paint late",
    LargestNotUrgent "largest-not-urgent" "the largest paint is fetched like any other picture",
    SeveralUrgent "several-urgent" "several pictures claim to be the most urgent",
    HiddenNotLow "hidden-not-low" "a picture that is not in view yet competes with those that are",
    EagerBelow "eager-below" "a picture below the first screen is fetched at once",
    LazyAbove "lazy-above" "a picture in the first screen waits to be scrolled to",
    SizesMissing "sizes-missing" "srcset has widths but no sizes",
    SizesWrong "sizes-wrong" "sizes says another width than the layout gives",
    PreloadUnused "preload-unused" "a preloaded picture is not used",
    PreloadMismatched "preload-mismatched" "a preload fetches another file than the page then uses",
    PreconnectMissing "preconnect-missing" "first-screen pictures wait for a connection to another host",
    PreconnectUnused "preconnect-unused" "a connection is opened that nothing uses",
    TwoLazyLoaders "two-lazy-loaders" "two lazy loaders are stacked on one picture",
    TwoPictureServices "two-picture-services" "two picture services are stacked in one address",
    ExemptionMissesImage "exemption-misses-image" "an exemption stands on a wrapper and does not reach its image",
    ShortCaching "short-caching" "browsers may keep the picture only briefly, or not at all",
    BlocksInstantBack "blocks-instant-back" "the page cannot be kept for instant back navigation",
    RedirectBefore "redirect-before-picture" "a redirect stands before the picture",
    HeavyEmbed "heavy-embed" "an embed loads its weight before anybody asks for it",
}

impl Code {
    /// The code of that name.
    pub fn named(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|code| code.as_str() == name)
    }
}

impl std::fmt::Display for Code {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.as_str())
    }
}
