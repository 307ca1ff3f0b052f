//! The elements, attributes and functions of style sheets that a drawing may keep (SVG 2; Filter
//! Effects 1; SVG Animations 2): what paints or names. What is not listed is left out.

use std::{collections::HashSet, sync::LazyLock};

/// Names, looked up whole.
pub(super) struct Names(LazyLock<HashSet<&'static str>>);

impl Names {
    pub(super) fn contain(&self, name: &str) -> bool {
        self.0.contains(name)
    }
}

pub(super) static ELEMENTS: Names = Names(LazyLock::new(|| {
    words(
        "a animate animateMotion animateTransform circle clipPath defs desc ellipse feBlend \
         feColorMatrix feComponentTransfer feComposite feConvolveMatrix feDiffuseLighting \
         feDisplacementMap feDistantLight feDropShadow feFlood feFuncA feFuncB feFuncG feFuncR \
         feGaussianBlur feImage feMerge feMergeNode feMorphology feOffset fePointLight \
         feSpecularLighting feSpotLight feTile feTurbulence filter g image line linearGradient \
         marker mask mpath path pattern polygon polyline radialGradient rect set stop style svg \
         switch symbol text textPath title tspan use view",
    )
}));

/// Beside these, `aria-...` and `data-...`.
pub(super) static ATTRIBUTES: Names = Names(LazyLock::new(|| {
    words(
        "accumulate additive alignment-baseline amplitude attributeName attributeType azimuth \
         baseFrequency baseProfile baseline-shift begin bias by calcMode class clip clip-path \
         clip-rule clipPathUnits color color-interpolation color-interpolation-filters \
         color-rendering cx cy d diffuseConstant direction display divisor dominant-baseline \
         dur dx dy edgeMode elevation enable-background end exponent fill fill-opacity \
         fill-rule filter filterRes filterUnits flood-color flood-opacity font font-family \
         font-size font-size-adjust font-stretch font-style font-variant font-weight fr from fx \
         fy glyph-orientation-horizontal glyph-orientation-vertical gradientTransform \
         gradientUnits height href id image-rendering in in2 intercept isolation k1 k2 k3 k4 \
         kernelMatrix kernelUnitLength kerning keyPoints keySplines keyTimes lang lengthAdjust \
         letter-spacing lighting-color limitingConeAngle marker marker-end marker-mid \
         marker-start markerHeight markerUnits markerWidth mask mask-type maskContentUnits \
         maskUnits max media method min mix-blend-mode mode numOctaves offset opacity operator \
         order orient origin overflow paint-order path pathLength patternContentUnits \
         patternTransform patternUnits pointer-events points pointsAtX pointsAtY pointsAtZ \
         preserveAlpha preserveAspectRatio primitiveUnits r radius refX refY repeatCount \
         repeatDur requiredExtensions requiredFeatures restart result role rotate rx ry scale \
         seed shape-rendering side slope spacing specularConstant specularExponent spreadMethod \
         startOffset stdDeviation stitchTiles stop-color stop-opacity stroke stroke-dasharray \
         stroke-dashoffset stroke-linecap stroke-linejoin stroke-miterlimit stroke-opacity \
         stroke-width style surfaceScale systemLanguage tableValues targetX targetY text-anchor \
         text-decoration text-overflow text-rendering textLength to transform transform-origin \
         type unicode-bidi values vector-effect version viewBox visibility white-space width \
         word-spacing writing-mode x x1 x2 xChannelSelector xml:lang xml:space y y1 y2 \
         yChannelSelector z",
    )
}));

/// Rules of style sheets that fetch nothing; in lower case.
pub(super) static AT_RULES: Names = Names(LazyLock::new(|| {
    words("charset container keyframes layer media supports -webkit-keyframes")
}));

/// Functions that fetch nothing, in lower case; `url()` is judged by what it names.
pub(super) static FUNCTIONS: Names = Names(LazyLock::new(|| {
    words(
        "abs acos asin atan atan2 blur brightness calc circle clamp color color-mix \
         conic-gradient contrast cos counter cubic-bezier device-cmyk drop-shadow ellipse env \
         exp fit-content grayscale has host hsl hsla hue-rotate hwb hypot inset invert is lab \
         lang lch light-dark linear linear-gradient log matrix matrix3d max min minmax mod not \
         nth-child nth-last-child nth-last-of-type nth-of-type oklab oklch opacity path \
         perspective polygon pow radial-gradient ray rect rem repeat repeating-linear-gradient \
         repeating-radial-gradient rgb rgba rotate rotate3d rotatex rotatey rotatez round \
         saturate scale scale3d scalex scaley scalez selector sepia sign sin skew skewx skewy \
         sqrt steps tan translate translate3d translatex translatey translatez var where xywh",
    )
}));

fn words(text: &'static str) -> HashSet<&'static str> {
    text.split_whitespace().collect()
}
