//! Stylesheets: the pictures that rules give a place get its URLs.

use kivet_page::{
    rewrite::{
        Address, Decided, Edit, Fate, FoundBackground, Stays, Wanted, backgrounds, sheet_edits,
        splice,
    },
    rules::{Of, Outcome, Rules, Subject},
};
use kivet_recipe::Format;

use super::{
    pictures::Finder,
    responses::{PictureChange, RewriteResponse},
};
use crate::problem::{Problem, ProblemKind};

pub(super) async fn rewritten(
    finder: &mut Finder<'_>,
    document: &[u8],
    page: &str,
    base: &str,
    typed: &[Format],
) -> Result<(Vec<u8>, RewriteResponse), Problem> {
    let css = std::str::from_utf8(document).map_err(|_| {
        Problem::new(ProblemKind::NotAPage, format!("{page} is not UTF-8; save it as UTF-8"))
    })?;
    let written = Written { page, base_element: None, base, typed };
    let (edits, pictures) = changed(finder, css, &written).await?;
    let response = RewriteResponse {
        changed: !edits.is_empty(),
        pictures,
        notes: finder.notes.clone(),
        ..RewriteResponse::default()
    };
    Ok((splice(document, &edits), response))
}

/// How a stylesheet is rewritten.
pub(super) struct Written<'a> {
    /// Its path in the site, or that of the page it stands in.
    pub page: &'a str,
    /// The page's `base` element.
    pub base_element: Option<&'a str>,
    /// The text before `/pic/`.
    pub base: &'a str,
    /// Formats with candidates of their own.
    pub typed: &'a [Format],
}

/// The changes to the text of a stylesheet, of its own or in a page.
pub(super) async fn changed(
    finder: &mut Finder<'_>,
    css: &str,
    written: &Written<'_>,
) -> Result<(Vec<Edit>, Vec<PictureChange>), Problem> {
    let Written { page, base_element, base, typed } = *written;
    let backgrounds = backgrounds(css);
    let wanted: Vec<Wanted> = backgrounds
        .iter()
        .enumerate()
        .map(|(number, one)| {
            let address = Address::of(&one.written, page, base_element);
            judged(finder.rules, page, css, (number, one), address)
        })
        .collect();
    let (found, pictures) = finder.all(&wanted).await?;
    let decided: Vec<Decided<'_>> = found.iter().map(|one| one.decided(&wanted, base)).collect();
    Ok((sheet_edits(&backgrounds, &decided, typed), pictures))
}

fn judged(
    rules: &Rules,
    page: &str,
    css: &str,
    (number, one): (usize, &FoundBackground),
    address: Address,
) -> Wanted {
    let selected = rules.with_selectors(&one.selectors);
    let subject = Subject {
        of: Of::Background,
        page,
        file: address.path(),
        selected: &selected,
        left: false,
    };
    let judged = rules.judge(&subject);
    let fate = match (&address, judged.rule.map(|rule| &rules.rules[rule].outcome)) {
        (Address::Ours, _) => Fate::Stays(Stays::Ours),
        (Address::Template, _) => Fate::Stays(Stays::Template),
        (Address::Nothing, _) => Fate::Stays(Stays::Nothing),
        (_, None) => Fate::Stays(Stays::NoRule),
        (_, Some(Outcome::Place(placed))) => Fate::Place { placed: placed.clone(), near: false },
        (_, Some(Outcome::Leave | Outcome::Wait)) => Fate::Stays(Stays::Rule),
    };
    let line = css[..one.image.start].matches('\n').count() + 1;
    let written = one.written.clone();
    Wanted { of: Of::Background, number, source: None, line, written, address, judged, fate }
}
