//! Every kind of problem the service answers with: the one source of responses, the OpenAPI
//! description, the pages at `/problems/<name>` and the reference in the docs.

use axum::http::StatusCode;

macro_rules! catalogue {
    ($($variant:ident $name:literal $status:ident $title:literal $advice:literal,)*) => {
        /// A kind of problem.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
        pub enum ProblemKind {
            $(#[doc = $title] $variant,)*
        }

        impl ProblemKind {
            /// All of them, by subject.
            pub const ALL: &'static [Self] = &[$(Self::$variant),*];

            /// The name in `/problems/<name>`.
            pub const fn name(self) -> &'static str {
                match self { $(Self::$variant => $name),* }
            }

            /// The HTTP status.
            pub const fn status(self) -> StatusCode {
                match self { $(Self::$variant => StatusCode::$status),* }
            }

            /// What is wrong, the same for every problem of the kind.
            pub const fn title(self) -> &'static str {
                match self { $(Self::$variant => $title),* }
            }

            /// What to do about it.
            pub const fn advice(self) -> &'static str {
                match self { $(Self::$variant => $advice),* }
            }
        }
    };
}

catalogue! {
    ImpossibleRecipe "impossible-recipe" BAD_REQUEST
        "The recipe cannot be followed"
        "`detail` names the clause and what is wrong with it; `nearest` is the nearest that works. `kivet why` explains any URL.",
    UnknownQueryKey "unknown-query-key" BAD_REQUEST
        "A query key is not known"
        "Leave the key out. Pictures take only `v`; an original's own query is percent-encoded into the path.",
    UnknownOverlay "unknown-overlay" BAD_REQUEST
        "An overlay is not configured"
        "Use the overlay that `detail` names, or add one to `[overlays]` in `kivet.toml`.",
    IncompletePath "incomplete-path" NOT_FOUND
        "The path of a picture is incomplete"
        "Write `/pic/<recipe>/<shelf>/<path>`, such as `/pic/640w/photos/harbour/kites-dawn.jpg`.",
    BadPath "bad-path" BAD_REQUEST
        "The path is not one on a shelf"
        "Leave out empty segments, `.`, `..`, encoded slashes and bytes that are not UTF-8.",
    UnsatisfiableRange "unsatisfiable-range" RANGE_NOT_SATISFIABLE
        "The range lies beyond the picture's end"
        "Ask for bytes within the length that `Content-Range` names, or leave `Range` out.",
    UnknownShelf "unknown-shelf" NOT_FOUND
        "There is no such shelf"
        "Use a shelf of `kivet.toml`; `nearest` names the most similar one.",
    UnreadShelf "unread-shelf" NOT_FOUND
        "The shelf is of a kind this version does not read"
        "Move its originals to a folder shelf, or wait for a version that reads it.",
    ShelfUnavailable "shelf-unavailable" SERVICE_UNAVAILABLE
        "The shelf is not there at the moment"
        "Mount its folder again; what was made of its originals before is sent meanwhile.",
    LeavesShelf "leaves-shelf" FORBIDDEN
        "The path leads out of its shelf"
        "Only files inside the shelf's folder are served, also through links.",
    UnknownOriginal "unknown-original" NOT_FOUND
        "There is no such original"
        "`kivet library list <shelf>` shows what there is.",
    OriginalRefused "original-refused" FORBIDDEN
        "The shelf does not give out its originals"
        "Ask for a rendition, such as `1600w`, or change `originals` of the shelf in `kivet.toml`.",
    UnreadableOriginal "unreadable-original" FORBIDDEN
        "The original cannot be read"
        "Let the user that runs Kivet read the file; `detail` says what the system says.",
    OriginalChanged "original-changed" SERVICE_UNAVAILABLE
        "The original was being replaced"
        "Ask again after `Retry-After` seconds.",
    NotAPicture "not-a-picture" UNSUPPORTED_MEDIA_TYPE
        "The original is not a picture"
        "Store JPEG, PNG, WebP, AVIF, JPEG XL, GIF, SVG, BMP or TIFF.",
    NotInThisBuild "not-in-this-build" UNSUPPORTED_MEDIA_TYPE
        "This build does not read the format"
        "Build Kivet with the feature that `detail` names, or convert the original.",
    DamagedOriginal "damaged-original" UNPROCESSABLE_ENTITY
        "The original is damaged"
        "Replace the file; `detail` says where it breaks the rules of its format.",
    TooManyPixels "too-many-pixels" UNPROCESSABLE_ENTITY
        "The original has too many pixels"
        "Store a smaller original, or raise `megapixels` in `[limits]`.",
    TooManyBytes "too-many-bytes" UNPROCESSABLE_ENTITY
        "The original's file is too large"
        "Store a smaller file, or raise `original-mib` in `[limits]`.",
    TooManyFrames "too-many-frames" UNPROCESSABLE_ENTITY
        "The original has too many frames"
        "Ask for `still`, shorten the animation, or raise `frames` in `[limits]`.",
    TooMuchMemory "too-much-memory" UNPROCESSABLE_ENTITY
        "The original takes too much memory to decode"
        "Store it as baseline JPEG or plain PNG, which are decoded row by row, or raise `whole-mib` in `[limits]`.",
    TooSlow "too-slow" UNPROCESSABLE_ENTITY
        "The rendition took too long"
        "Ask for a smaller rendition, or raise `seconds` in `[limits]`.",
    Cancelled "cancelled" SERVICE_UNAVAILABLE
        "The rendition was cancelled"
        "Every request for it had gone away. Ask again.",
    Overloaded "overloaded" SERVICE_UNAVAILABLE
        "The service has more work than it can do in time"
        "Ask again after `Retry-After` seconds. `queue` and `queue-megapixels` in `[limits]` set the bounds.",
    BadHost "bad-host" BAD_REQUEST
        "The request does not name the host"
        "Send one `Host` with the service's name or address, as every client does by itself.",
    PlaceTaken "place-taken" CONFLICT
        "A place of that name is stored already"
        "Choose another name, or say that it is to be replaced; `detail` names the places.",
    ImpossibleSizes "impossible-sizes" BAD_REQUEST
        "The sizes cannot be read"
        "Write the `sizes` attribute as HTML has it, such as `(min-width: 60em) 50vw, 100vw`.",
    BadMarkupOrder "bad-markup-order" BAD_REQUEST
        "The markup cannot be written as ordered"
        "`detail` names the option and what it can be.",
    SecondFirst "second-first" CONFLICT
        "More than one picture would load first"
        "One picture a page and media condition is the largest paint: let the others be `near` or `later`.",
    BadPlace "bad-place" BAD_REQUEST
        "The place cannot be used"
        "`detail` names the key and what it can be.",
    UnknownPlace "unknown-place" NOT_FOUND
        "There is no such place"
        "`kivet place list` shows what there is.",
    BadRules "bad-rules" BAD_REQUEST
        "The rules cannot be used"
        "`detail` names the rule, the key and what it can be.",
    NotAPage "not-a-page" UNPROCESSABLE_ENTITY
        "The page cannot be rewritten"
        "Save it as UTF-8, and send it as `html`, or its bytes as `base64`.",
    BadLanguage "bad-language" BAD_REQUEST
        "The language cannot be read"
        "Write a tag as HTML's `lang` has it, such as `en` or `de-AT`.",
    NoAlt "no-alt" NOT_FOUND
        "There is no such alternative text"
        "`kivet library show` lists the texts of an original.",
    BadFocus "bad-focus" BAD_REQUEST
        "The focal point lies outside the picture"
        "Write percents from 0 to 100, across and down.",
    NotAReport "not-a-report" BAD_REQUEST
        "The document is not a report of this version"
        "Send what `kivet check TARGET --report FILE.json` of the same version writes.",
    NotAUrl "not-a-url" BAD_REQUEST
        "The page is not an http URL"
        "Name a page by `http://` or `https://`; files are checked with `kivet check FILE --keep`.",
    UnknownMode "unknown-mode" BAD_REQUEST
        "The mode of a check is not known"
        "Use `browser` or `text`.",
    NotChecked "not-checked" BAD_GATEWAY
        "The page could not be checked"
        "`detail` says whether the page or the browser failed; `kivet doctor` tells whether Chromium is installed.",
    OtherSite "other-site" FORBIDDEN
        "Another site made this call"
        "Call from Kivet's own console, or with the admin token as a bearer.",
    Incomparable "incomparable" CONFLICT
        "Two checks cannot be compared"
        "Compare checks that were made in one mode and on the same devices.",
    UnknownCheck "unknown-check" NOT_FOUND
        "There is no such check"
        "`GET /api/checks` lists the checks that are kept.",
    OutdatedCheck "outdated-check" GONE
        "The check was kept by another version"
        "Check the page again.",
    BadCall "bad-call" BAD_REQUEST
        "The path of a call cannot be read"
        "`detail` names the part of it; `/api/openapi.json` describes them all.",
    MethodNotAllowed "method-not-allowed" METHOD_NOT_ALLOWED
        "The method is not one of this path"
        "Use a method that the response's `Allow` names.",
    PreconditionFailed "precondition-failed" PRECONDITION_FAILED
        "The picture is not the one that was asked for"
        "It has changed since: ask without `If-Match`.",
    BadQuery "bad-query" BAD_REQUEST
        "The query cannot be read"
        "`detail` names the parameter; `/api/openapi.json` describes them all.",
    BadBody "bad-body" BAD_REQUEST
        "The body cannot be read"
        "`detail` names the field; `/api/openapi.json` describes them all.",
    NotSignedIn "not-signed-in" UNAUTHORIZED
        "The request may not administer"
        "Send the token from the data folder as `Authorization: Bearer`, or sign the browser in: `kivet console` prints a link.",
    UnknownCall "unknown-call" NOT_FOUND
        "There is no such call"
        "`/api/openapi.json` lists them all.",
    UnknownPath "unknown-path" NOT_FOUND
        "There is nothing at this path"
        "Pictures are at `/pic/<recipe>/<shelf>/<path>`, the console at `/console/`.",
    NotReady "not-ready" SERVICE_UNAVAILABLE
        "Records or blobs do not answer"
        "The service's log says why; check the disk that holds the data folder.",
    Internal "internal" INTERNAL_SERVER_ERROR
        "The service failed"
        "The service's log says why, under the id in the response's `x-request-id`.",
}

impl ProblemKind {
    /// The kind with this [`name`](Self::name).
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|kind| kind.name() == name)
    }
}
