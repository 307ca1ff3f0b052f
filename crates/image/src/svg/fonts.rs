//! The fonts that text in drawings is set in, and those that take the place of missing ones.

use std::{
    collections::BTreeMap,
    sync::{Arc, Mutex, PoisonError},
};

use resvg::usvg::{
    self, FontFamily, FontResolver, FontStretch, FontStyle,
    fontdb::{Database, Family, ID, Query, Stretch, Style, Weight},
};

/// Families that stand for a generic one where the system names none that is installed, best first.
const SERIF: [&str; 4] = ["DejaVu Serif", "Liberation Serif", "Noto Serif", "Times New Roman"];
const SANS_SERIF: [&str; 4] = [EMBEDDED, "Liberation Sans", "Noto Sans", "Arial"];
const MONOSPACE: [&str; 4] =
    ["DejaVu Sans Mono", "Liberation Mono", "Noto Sans Mono", "Courier New"];

/// The family that is part of the program.
const EMBEDDED: &str = "DejaVu Sans";

/// Common families by the generic family that their lettering is of.
const COMMON: [(&str, Family<'static>); 21] = [
    ("arial", Family::SansSerif),
    ("helvetica", Family::SansSerif),
    ("helvetica neue", Family::SansSerif),
    ("verdana", Family::SansSerif),
    ("tahoma", Family::SansSerif),
    ("trebuchet ms", Family::SansSerif),
    ("segoe ui", Family::SansSerif),
    ("calibri", Family::SansSerif),
    ("roboto", Family::SansSerif),
    ("open sans", Family::SansSerif),
    ("lato", Family::SansSerif),
    ("inter", Family::SansSerif),
    ("montserrat", Family::SansSerif),
    ("system-ui", Family::SansSerif),
    ("sans", Family::SansSerif),
    ("courier", Family::Monospace),
    ("courier new", Family::Monospace),
    ("consolas", Family::Monospace),
    ("menlo", Family::Monospace),
    ("monaco", Family::Monospace),
    ("ui-monospace", Family::Monospace),
];

/// The fonts that text in drawings is set in. Empty by default: text is then left out.
#[derive(Clone, Debug, Default)]
pub struct Fonts(Arc<Database>);

/// A font family that a drawing names and that is not installed.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct ReplacedFont {
    /// The first family that the drawing names, or the default where it names none.
    pub family: String,
    /// The family its text is set in.
    pub by: String,
}

/// Families of one drawing that were replaced, by what took their place.
type Replaced = Mutex<BTreeMap<String, String>>;

impl Fonts {
    /// Those installed on this machine, read from disk, and one that is part of the program.
    pub fn of_system() -> Self {
        let mut fonts = Database::new();
        fonts.load_system_fonts();
        Self::of(fonts)
    }

    /// Only the one that is part of the program.
    pub fn embedded() -> Self {
        Self::of(Database::new())
    }

    /// Every generic family resolves to an installed one: the system's choice where it is installed.
    fn of(mut fonts: Database) -> Self {
        fonts.load_font_data(dejavu::sans::regular().to_vec());
        let has = |fonts: &Database, family: Family<'_>| {
            fonts.query(&Query { families: &[family], ..Query::default() }).is_some()
        };
        let first = |fonts: &Database, families: &[&'static str]| {
            families.iter().copied().find(|family| has(fonts, Family::Name(family)))
        };
        if !has(&fonts, Family::SansSerif) {
            let family = first(&fonts, &SANS_SERIF).unwrap_or(EMBEDDED);
            fonts.set_sans_serif_family(family);
        }
        if !has(&fonts, Family::Serif) {
            let family = first(&fonts, &SERIF).unwrap_or(EMBEDDED);
            fonts.set_serif_family(family);
        }
        if !has(&fonts, Family::Monospace) {
            let family = first(&fonts, &MONOSPACE).unwrap_or(EMBEDDED);
            fonts.set_monospace_family(family);
        }
        if !has(&fonts, Family::Cursive) {
            fonts.set_cursive_family(fonts.family_name(&Family::Serif).to_owned());
        }
        if !has(&fonts, Family::Fantasy) {
            fonts.set_fantasy_family(fonts.family_name(&Family::SansSerif).to_owned());
        }
        Self(Arc::new(fonts))
    }

    /// The drawing as a tree, its text set in these fonts, and the families that were replaced.
    pub(super) fn tree(
        &self,
        document: &roxmltree::Document<'_>,
        options: usvg::Options<'_>,
    ) -> Result<(usvg::Tree, Vec<ReplacedFont>), usvg::Error> {
        let replaced = Replaced::default();
        let resolver = FontResolver {
            select_font: Box::new(|font, fonts| select(font, fonts, &replaced)),
            ..FontResolver::default()
        };
        let options =
            usvg::Options { fontdb: Arc::clone(&self.0), font_resolver: resolver, ..options };
        let tree = usvg::Tree::from_xmltree(document, &options)?;
        drop(options);
        let replaced = replaced.into_inner().unwrap_or_else(PoisonError::into_inner);
        let replaced =
            replaced.into_iter().map(|(family, by)| ReplacedFont { family, by }).collect();
        Ok((tree, replaced))
    }
}

/// The face for text: of the first family that is installed, else of the generic family that is most
/// like the first.
fn select(font: &usvg::Font, fonts: &Database, replaced: &Replaced) -> Option<ID> {
    let of = |family: Family<'_>| {
        fonts.query(&Query {
            families: &[family],
            weight: Weight(font.weight()),
            stretch: stretch(font.stretch()),
            style: match font.style() {
                FontStyle::Normal => Style::Normal,
                FontStyle::Italic => Style::Italic,
                FontStyle::Oblique => Style::Oblique,
            },
        })
    };
    let named = |family: &FontFamily| match family {
        FontFamily::Serif => of(Family::Serif),
        FontFamily::SansSerif => of(Family::SansSerif),
        FontFamily::Cursive => of(Family::Cursive),
        FontFamily::Fantasy => of(Family::Fantasy),
        FontFamily::Monospace => of(Family::Monospace),
        FontFamily::Named(name) => of(Family::Name(name)),
    };
    let found =
        font.families().iter().enumerate().find_map(|(at, family)| Some((at, named(family)?)));
    let like = || {
        let known = |family: &FontFamily| match family {
            FontFamily::Named(name) => COMMON
                .iter()
                .find(|(common, _)| name.eq_ignore_ascii_case(common))
                .map(|(_, generic)| *generic),
            _ => None,
        };
        of(font.families().iter().find_map(known).unwrap_or(Family::Serif))
    };
    let (at, id) = match found {
        Some((at, id)) => (at, Some(id)),
        None => (usize::MAX, like()),
    };
    if let (true, Some(FontFamily::Named(first)), Some(id)) = (at > 0, font.families().first(), id)
    {
        let face = fonts.face(id)?;
        let by = face.families.first().map_or(String::new(), |(name, _)| name.clone());
        let mut replaced = replaced.lock().unwrap_or_else(PoisonError::into_inner);
        replaced.insert(first.clone(), by);
    }
    id
}

const fn stretch(stretch: FontStretch) -> Stretch {
    match stretch {
        FontStretch::UltraCondensed => Stretch::UltraCondensed,
        FontStretch::ExtraCondensed => Stretch::ExtraCondensed,
        FontStretch::Condensed => Stretch::Condensed,
        FontStretch::SemiCondensed => Stretch::SemiCondensed,
        FontStretch::Normal => Stretch::Normal,
        FontStretch::SemiExpanded => Stretch::SemiExpanded,
        FontStretch::Expanded => Stretch::Expanded,
        FontStretch::ExtraExpanded => Stretch::ExtraExpanded,
        FontStretch::UltraExpanded => Stretch::UltraExpanded,
    }
}
