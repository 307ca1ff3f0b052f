//! In development, a picture that fails is answered by a picture of the failure: a broken `img`
//! explains itself.

use axum::{
    http::{HeaderMap, HeaderValue, StatusCode, Uri, header},
    response::{IntoResponse, Response},
};
use kivet_recipe::{Clauses, Recipe, Size};

use crate::problem::Problem;

/// The size of a failure whose address does not tell one.
const USUAL: Size = Size { width: 640, height: 400 };

/// The smallest and largest text, in pixels.
const TEXT: (f64, f64) = (9.0, 20.0);

/// The width of a character of the system's sans-serif, as a share of its size; a little more than
/// usual.
const CHARACTER: f64 = 0.56;

/// How much wider a bold character is.
const BOLD: f64 = 1.15;

/// True for a request by an `img` and its like: one that names pictures in `Accept`.
pub(super) fn is_wanted(request: &HeaderMap) -> bool {
    let lines = request.get_all(header::ACCEPT).iter().filter_map(|line| line.to_str().ok());
    lines.into_iter().any(|line| line.contains("image/"))
}

/// The problem drawn at the size its address asks for, with its own status.
pub(super) fn answer(problem: Problem, uri: &Uri) -> Response {
    let drawing = draw(&problem, size_of(uri));
    let status = StatusCode::from_u16(problem.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR);
    let mut response = (status, drawing).into_response();
    let headers = response.headers_mut();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("image/svg+xml"));
    headers.insert(header::CACHE_CONTROL, HeaderValue::from_static("no-store"));
    if let Some(seconds) = problem.retry_after {
        headers.insert(header::RETRY_AFTER, HeaderValue::from(seconds));
    }
    response
}

/// The box an address asks for, as far as its recipe can be read: clause by clause where the whole
/// cannot.
fn size_of(uri: &Uri) -> Size {
    let text = uri.path().split('/').nth(2).unwrap_or_default();
    let read = |text: &str| text.parse::<Recipe>().ok().map(|recipe| Clauses::clone(&recipe));
    let of_clauses = || {
        let clauses = text.split('_').filter_map(read);
        clauses.fold(Clauses::default(), |all, one| Clauses {
            width: all.width.or(one.width),
            height: all.height.or(one.height),
            ratio: all.ratio.or(one.ratio),
            ..all
        })
    };
    let recipe = read(text).unwrap_or_else(of_clauses);
    let density = recipe.density.map_or(1.0, |density| density.factor());
    let ratio = recipe
        .ratio
        .map_or(f64::from(USUAL.width) / f64::from(USUAL.height), |ratio| ratio.value());
    let side = |pixels: u32| f64::from(pixels) * density;
    let (width, height) = match (recipe.width, recipe.height) {
        (Some(width), Some(height)) => (side(width), side(height)),
        (Some(width), None) => (side(width), side(width) / ratio),
        (None, Some(height)) => (side(height) * ratio, side(height)),
        (None, None) => (f64::from(USUAL.width), f64::from(USUAL.width) / ratio),
    };
    Size::new(width.round().max(1.0) as u32, height.round().max(1.0) as u32)
}

fn draw(problem: &Problem, size: Size) -> String {
    let Size { width, height } = size;
    let title = format!("{} {}", problem.status, problem.title);
    let (text_size, titles, lines) =
        fitted(&title, &problem.detail, f64::from(width), f64::from(height));
    let margin = text_size;
    let row = |line: &String, weight: u32| {
        format!(
            "<tspan x=\"{margin:.1}\" dy=\"1.35em\" font-weight=\"{weight}\">{}</tspan>",
            escaped(line)
        )
    };
    let rows: String = titles
        .iter()
        .map(|line| row(line, 700))
        .chain(lines.iter().map(|line| row(line, 400)))
        .collect();
    format!(
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"{width}\" height=\"{height}\" viewBox=\"0 0 {width} {height}\">\
         <title>{}</title><rect width=\"100%\" height=\"100%\" fill=\"#fbeee6\"/>\
         <rect x=\"0\" y=\"0\" width=\"{:.1}\" height=\"100%\" fill=\"#b4441a\"/>\
         <text y=\"{:.1}\" font-family=\"system-ui, sans-serif\" font-size=\"{text_size:.1}\" fill=\"#3a1608\">{rows}</text></svg>",
        escaped(&problem.detail),
        text_size / 4.0,
        text_size * 0.4,
    )
}

/// The largest text size at which title and sentence fit, and their lines.
fn fitted(title: &str, sentence: &str, width: f64, height: f64) -> (f64, Vec<String>, Vec<String>) {
    let mut size = TEXT.1;
    loop {
        let columns = |wider: f64| {
            ((width - 2.0 * size) / (size * CHARACTER * wider)).floor().max(4.0) as usize
        };
        let (titles, lines) = (wrapped(title, columns(BOLD)), wrapped(sentence, columns(1.0)));
        let needed = size * (0.8 + 1.35 * (titles.len() + lines.len()) as f64);
        if needed <= height || size <= TEXT.0 {
            return (size, titles, lines);
        }
        size -= 1.0;
    }
}

/// Words on lines of at most so many characters; longer words are broken.
fn wrapped(sentence: &str, columns: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in sentence.split(' ') {
        let letters: Vec<char> = word.chars().collect();
        for (index, part) in letters.chunks(columns).enumerate() {
            let part: String = part.iter().collect();
            match lines.last_mut() {
                Some(line)
                    if index == 0 && line.chars().count() + 1 + part.chars().count() <= columns =>
                {
                    line.push(' ');
                    line.push_str(&part);
                }
                _ => lines.push(part),
            }
        }
    }
    lines
}

/// Problems hold no control characters beside newlines.
fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
