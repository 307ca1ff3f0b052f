//! The engine through its public face: files as other programs write them in, renditions out.

mod animated;
mod colour;
mod conformance;
mod credit;
mod effort;
mod limits;
mod reduced;
mod sides;
mod subject;

use kivet_image::{Limits, Raster, Rendition, Task, analyse, draw, find_trim_box, probe, render};
use kivet_recipe::{Curves, Facts, Policy, Recipe, Request, choose, plan_for};

/// What `recipe` makes of an original, for a client that accepts everything.
fn rendered(original: &[u8], recipe: &str) -> Rendition {
    rendered_by(original, recipe, &Policy::default())
}

fn rendered_by(original: &[u8], recipe: &str, policy: &Policy) -> Rendition {
    let recipe: Recipe = recipe.parse().expect(recipe);
    let facts = known(original, &recipe);
    let choice =
        choose(&recipe, &facts, &Curves::default(), &Request::ANYTHING, policy).expect("a choice");
    render(original, &facts, &choice, &Task::default())
        .unwrap_or_else(|error| panic!("{recipe}: {error}"))
}

/// The facts of an original, looked at as far as the recipe wants.
fn known(original: &[u8], recipe: &Recipe) -> Facts {
    let mut facts = probe(original, Limits::default()).expect("a picture");
    if recipe.wants_subject() {
        facts.analysis = Some(analyse(original, &facts, Limits::DEFAULT).expect("a look"));
    }
    if recipe.trim {
        facts.trim_box = Some(find_trim_box(original, &facts, Limits::DEFAULT).expect("borders"));
    }
    facts
}

/// The pixels of a file in sRGB, upright, at its own size.
fn pixels(file: &[u8]) -> Raster {
    let facts = probe(file, Limits::default()).expect("a picture");
    draw(file, &facts, &plan_for(&Recipe::default(), &facts), None).expect("drawn")
}
