//! The picture that link previews show, as the Open Graph protocol names it.

use kivet_recipe::{Fidelity, Format, Quality, Ratio, Recipe, plan_for};

use super::{Markup, Use, element::Element};

/// The recipe of link previews: 1200 by 630 pixels, in the one format that every reader shows.
pub fn preview_recipe() -> Recipe {
    let sized = Recipe::of_width(1200).with(|clauses| {
        clauses.ratio = Ratio::new(40, 21);
        clauses.format = Some(Format::Jpeg);
        clauses.quality = Some(Quality::Fidelity(Fidelity::DEFAULT));
    });
    // Only clauses that go together are set.
    sized.unwrap_or_default()
}

pub(super) fn write(one: &Use<'_>) -> Markup {
    let recipe = preview_recipe();
    let size = plan_for(&recipe, one.picture.facts).size;
    let tag = |property: &'static str, content: String| {
        Element::new("meta").text("property", property).text("content", content).html(true)
    };
    let mut tags = vec![
        tag("og:image", one.picture.url(&recipe.to_string())),
        tag("og:image:type", Format::Jpeg.media_type().to_owned()),
        tag("og:image:width", size.width.to_string()),
        tag("og:image:height", size.height.to_string()),
    ];
    if let Some(alt) = one.alt.value().filter(|alt| !alt.is_empty()) {
        tags.push(tag("og:image:alt", alt.to_owned()));
    }
    let relative = one.picture.base.is_empty().then(|| {
        format!(
            "{}: link previews need an absolute URL; name the host of the pictures with --base",
            one.picture.path
        )
    });
    Markup {
        text: tags.join("\n"),
        notes: one.alt.note(one.picture.path).into_iter().chain(relative).collect(),
        ..Markup::default()
    }
}
