//! The things a check can say, each with a code of its own.

use serde::{Deserialize, Serialize};

macro_rules! codes {
    ($($name:ident $code:literal $title:literal $when:literal,)*) => {
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

            /// When it is found.
            pub const fn when(self) -> &'static str {
                match self { $(Self::$name => $when,)* }
            }
        }
    };
}

codes! {
    DataExposed "data-exposed" "the site hands out Kivet's own data"
        "the admin token, the records or `kivet.toml` lie in the folder of pages, or its server sends them: high",
    BrokenPicture "broken-picture" "the picture does not load"
        "status 400 or above, no answer, bytes no decoder knows, an empty `src`",
    NeverAnswered "never-answered" "a request is never answered"
        "no byte of it arrived for 10 s while no other request made progress",
    DialogOpened "dialog-opened" "a dialog blocks the page"
        "`alert()`, `confirm()` or `prompt()` without any action of the viewer, or a `beforeunload` question",
    MorePixels "more-pixels-than-shown" "more pixels are sent than the screen shows"
        "more than twice the pixels of the screen, and 1 kB or more too much",
    TooFewPixels "too-few-pixels" "fewer pixels are sent than the screen shows: it looks blurred"
        "less than three quarters of the pixels across that the screen shows, counted up to density 2",
    DescriptorWrong "descriptor-wrong" "a width in srcset contradicts its file"
        "3% or more off the file's width: browsers choose by what `srcset` says",
    CutAway "pixels-cut-away" "pixels are sent that the layout cuts away"
        "more than 20% cut by `object-fit`, `background-size` or a clipping box; what a scroller hides does not count",
    BetterFormat "better-format" "another format holds the same picture in fewer bytes"
        "25% and 2 kB or more less at the fidelity the screen needs; a WebP file is named only if half would do",
    FlatAsPixels "flat-as-pixels" "flat art is sent heavier than it need be"
        "lossless takes no more bytes than fidelity 90 (of a JPEG: plain areas in 16 colours with hard edges); 25% and 2 kB less",
    VectorBeside "vector-beside" "a vector of the same name lies beside the picture"
        "an address ending in `.svg` instead answers with a vector",
    AnimatedGif "animated-gif" "a film is sent as GIF"
        "more than one frame, 2 kB or more",
    MetadataLeft "metadata-left" "metadata that is never shown is sent along"
        "2 kB of EXIF, XMP or comments, or any that say where it was taken; the colour profile does not count",
    DuplicatePicture "duplicate-picture" "the same picture is fetched from several addresses"
        "equal bytes fetched from several addresses",
    NoRoom "no-room-reserved" "content moves when this arrives"
        "no height before it arrives: neither attributes nor CSS give one; or it was seen to push others aside",
    LayoutAnimated "layout-animated" "an animation lays the page out anew in every frame"
        "`top`, `left`, `right`, `bottom` or a margin in keyframes or a named transition",
    RatioDistorted "ratio-distorted" "the picture is shown stretched"
        "shown at a ratio 4% or more off its own",
    WrongDimensions "wrong-dimensions" "width and height contradict the file"
        "`width` and `height` at a ratio 4% or more off the file's, unless they describe a crop by `object-fit`, or a vector's box",
    AltMissing "alt-missing" "there is no alt"
        "no `alt`, and not hidden from readers",
    AltUseless "alt-useless" "the alt says nothing"
        "a word like image, a file name, or an empty alt that leaves a link nameless",
    LargestFoundLate "largest-found-late" "the browser finds the largest paint late"
        "a CSS background, a lazy picture, or one a script puts in, and no preload",
    LargestNotUrgent "largest-not-urgent" "the largest paint is fetched like any other picture"
        "neither it nor a preload says `fetchpriority=\"high\"`",
    SeveralUrgent "several-urgent" "several pictures claim to be the most urgent"
        "more than one fetched picture says high",
    HiddenNotLow "hidden-not-low" "a picture that is not in view yet competes with those that are"
        "slides out of view, covered or undisplayed pictures, neither lazy nor low",
    EagerBelow "eager-below" "a picture below the first screen is fetched at once"
        "begins more than a tenth of a screen below the first and is fetched before scrolling",
    LazyAbove "lazy-above" "a picture in the first screen waits to be scrolled to"
        "lazy, and begins in the first nine tenths of the first screen",
    SizesMissing "sizes-missing" "srcset has widths but no sizes"
        "`w` descriptors without `sizes`, and the layout is not the viewport's width",
    SizesWrong "sizes-wrong" "sizes says another width than the layout gives"
        "10% or more off the layout's width (a cropped picture may say the width it covers)",
    PreloadUnused "preload-unused" "a preloaded picture is not used"
        "no element shows it",
    PreloadMismatched "preload-mismatched" "a preload fetches another file than the page then uses"
        "another candidate than the element takes, or another `crossorigin`",
    PreconnectMissing "preconnect-missing" "first-screen pictures wait for a connection to another host"
        "in the first screen, from another origin, with no preconnect or preload to it",
    PreconnectUnused "preconnect-unused" "a connection is opened that nothing uses"
        "nothing comes from there",
    TwoLazyLoaders "two-lazy-loaders" "two lazy loaders are stacked on one picture"
        "`loading=\"lazy\"` and a script's marks, or two scripts' marks",
    TwoPictureServices "two-picture-services" "two picture services are stacked in one address"
        "an address that asks for a transform carries another that does",
    ExemptionMissesImage "exemption-misses-image" "an exemption stands on a wrapper and does not reach its image"
        "a class or attribute like `no-lazy`, or `loading=\"eager\"`, on an element around a picture that is treated anyway",
    ShortCaching "short-caching" "browsers may keep the picture only briefly, or not at all"
        "less than a day, stale use included, or nothing said; not for files on disk",
    BlocksInstantBack "blocks-instant-back" "the page cannot be kept for instant back navigation"
        "`no-store`, a listener for `unload`, or what the browser says kept the page from memory",
    RedirectBefore "redirect-before-picture" "a redirect stands before the picture"
        "one or more on the way",
    HeavyEmbed "heavy-embed" "an embed loads its weight before anybody asks for it"
        "400 kB or more before anybody scrolls",
}

impl Code {
    /// True if it rests on how large a picture is shown.
    pub(super) const fn is_of_layout(self) -> bool {
        matches!(
            self,
            Self::MorePixels
                | Self::TooFewPixels
                | Self::CutAway
                | Self::BetterFormat
                | Self::FlatAsPixels
                | Self::RatioDistorted
                | Self::SizesMissing
                | Self::SizesWrong
        )
    }

    /// True if it is about the bytes of a picture that was sent.
    pub(super) const fn is_of_bytes(self) -> bool {
        matches!(
            self,
            Self::MorePixels
                | Self::TooFewPixels
                | Self::DescriptorWrong
                | Self::CutAway
                | Self::BetterFormat
                | Self::FlatAsPixels
                | Self::ShortCaching
        )
    }

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

#[cfg(test)]
mod tests {
    use super::Code;

    /// `docs/reference/findings.md`.
    fn reference() -> String {
        let mut text = String::from(
            "# Findings\n\nWhat a check can say. Costs are bytes or milliseconds a device. `more-pixels-than-shown`, \
             `pixels-cut-away` and\n`better-format` share out the bytes of one picture in this order; the other codes are ways \
             of their own to look at\nthe same bytes. `crates/check/tests/pages` has a page for each, and one for each thing \
             that only looks like it.\n\n| code | what | when |\n| --- | --- | --- |\n",
        );
        for code in Code::ALL {
            text.push_str(&format!("| `{code}` | {} | {} |\n", code.title(), code.when()));
        }
        text
    }

    #[test]
    fn the_reference_is_current() {
        let file = std::path::Path::new(env!("CARGO_MANIFEST_DIR"))
            .join("../../docs/reference/findings.md");
        let current = reference();
        if std::env::var_os("KIVET_BLESS").is_some() {
            std::fs::write(&file, &current).expect("written");
        }
        assert_eq!(
            std::fs::read_to_string(&file).expect("findings.md"),
            current,
            "run with KIVET_BLESS=1"
        );
    }
}
