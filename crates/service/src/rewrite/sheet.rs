//! Stylesheets: the pictures that rules give a place get its URLs.

use kivet_page::{
    markup::{Form, Options, write},
    rewrite::{Address, Edit, Fate, FoundBackground, Stays, Wanted, backgrounds, splice},
    rules::{Of, Outcome, Rules, Subject},
};

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
) -> Result<(Vec<u8>, RewriteResponse), Problem> {
    let css = std::str::from_utf8(document).map_err(|_| {
        Problem::new(ProblemKind::NotAPage, format!("{page} is not UTF-8; save it as UTF-8"))
    })?;
    let (edits, pictures) = changed(finder, css, page, None, base).await?;
    let response = RewriteResponse {
        changed: !edits.is_empty(),
        pictures,
        notes: finder.notes.clone(),
        ..RewriteResponse::default()
    };
    Ok((splice(document, &edits), response))
}

/// The changes to the text of a stylesheet, of its own or in a page whose base is given.
pub(super) async fn changed(
    finder: &mut Finder<'_>,
    css: &str,
    page: &str,
    base_element: Option<&str>,
    base: &str,
) -> Result<(Vec<Edit>, Vec<PictureChange>), Problem> {
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
    let mut edits = Vec::new();
    for one in &found {
        let background = &backgrounds[one.wanted];
        let selector = Some(background.selectors.join(", "));
        let options = Options { selector, compact: true, ..Options::default() };
        let written = write(Form::Css, &one.decided(&wanted, base).one, &options).text;
        edits.extend(changes(background, &written));
    }
    Ok((edits, pictures))
}

fn judged(
    rules: &Rules,
    page: &str,
    css: &str,
    (number, one): (usize, &FoundBackground),
    address: Address,
) -> Wanted {
    let selected: Vec<usize> = (0..rules.rules.len())
        .filter(|at| {
            let select = rules.rules[*at].select.as_ref();
            select.is_some_and(|select| one.selectors.iter().any(|known| known == select.as_str()))
        })
        .collect();
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
    let line = css[..one.url.start].matches('\n').count() + 1;
    let written = one.written.clone();
    Wanted { of: Of::Background, number, source: None, line, written, address, judged, fate }
}

/// The declaration names the widest stretch's URL, and where it can be overridden the rules for all
/// screens follow its own.
fn changes(background: &FoundBackground, written: &str) -> Vec<Edit> {
    let Some(url) = written.split("url(\"").nth(1).and_then(|rest| rest.split('"').next()) else {
        return Vec::new();
    };
    let replaced =
        Edit { range: background.url.clone(), bytes: format!("url(\"{url}\")").into_bytes() };
    let rules = match background.rule_ends {
        Some(end) if background.alone => Some(Edit::insert(end, &format!("\n{written}"))),
        _ => None,
    };
    [replaced].into_iter().chain(rules).collect()
}
