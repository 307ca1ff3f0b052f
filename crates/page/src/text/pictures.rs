//! The pictures of a page as text: which candidate is taken, where it stands, whether room is kept
//! for it.

use scraper::ElementRef;

use super::{
    document::{Document, attributes},
    layout::{is_nowhere, is_out_of_flow},
    sheet::separate,
    style::Style,
    worked::{TextPage, Worked},
};
use crate::{
    Candidate, Device, OverLimit, Source, SourceSize,
    observation::{Ancestor, Area, Role, Use},
    pick, read_srcset, source_for, source_size,
};

/// A page without end, for what nothing cuts.
const EVERYTHING: Area = Area { x: -1e7, y: -1e7, width: 2e7, height: 2e7 };

/// Nobody scrolls to what stands before a page's beginning.
const REACHABLE: Area = Area { x: 0.0, y: 0.0, width: 1e7, height: 1e7 };

const NOTHING: Area = Area { x: 0.0, y: 0.0, width: 0.0, height: 0.0 };

pub(super) fn screen(device: &Device) -> Area {
    Area { x: 0.0, y: 0.0, width: f64::from(device.width), height: f64::from(device.height) }
}

/// The candidate taken of those of a `srcset`, and its density.
pub(super) fn taken(
    candidates: &[Candidate],
    sizes: &str,
    shown: Option<f64>,
    device: &Device,
) -> Option<(String, f64)> {
    let size = match source_size(sizes, device) {
        SourceSize::Pixels(size) => size,
        SourceSize::Auto => shown.unwrap_or(f64::from(device.width)),
    };
    let taken = pick(candidates, size, device.density)?;
    let density = taken.width.map_or(taken.density.unwrap_or(1.0), |width| width / size);
    Some((taken.url.clone(), density))
}

/// What an `img` takes, absolute, with its density; `None` if it has nothing to take.
fn candidate(
    image: ElementRef<'_>,
    page: TextPage<'_>,
    device: &Device,
    shown: Option<f64>,
) -> Option<(String, f64)> {
    let sources = sources(image);
    let lazy = image.attr("loading").is_some_and(|value| value.trim().eq_ignore_ascii_case("lazy"));
    let sizes = |text: Option<&str>| {
        text.filter(|text| lazy || !text.trim_start().starts_with("auto"))
            .unwrap_or_default()
            .to_owned()
    };
    let of_source = source_for(&sources, device).and_then(|source| {
        taken(&read_srcset(&source.srcset), &sizes(Some(&source.sizes)), shown, device)
    });
    let own = || taken(&own_candidates(image), &sizes(image.attr("sizes")), shown, device);
    let (url, density) = of_source.or_else(own)?;
    Some((page.url.join(&url).map_or(url, String::from), density))
}

/// The candidates of an `img` itself: `src` is one, unless `srcset` has widths or one for density 1
/// (HTML, 4.8.4.3.6).
fn own_candidates(image: ElementRef<'_>) -> Vec<Candidate> {
    let mut candidates = read_srcset(image.attr("srcset").unwrap_or_default());
    let stands_for_src = |one: &Candidate| one.width.is_some() || one.density == Some(1.0);
    if let Some(src) = image.attr("src").map(str::trim).filter(|src| !src.is_empty())
        && !candidates.iter().any(stands_for_src)
    {
        candidates.push(Candidate { url: src.to_owned(), width: None, density: Some(1.0) });
    }
    candidates
}

fn sources(image: ElementRef<'_>) -> Vec<Source> {
    let picture = image
        .parent()
        .and_then(ElementRef::wrap)
        .filter(|parent| parent.value().name() == "picture");
    let read = |source: ElementRef<'_>| {
        let value = |name: &str| source.attr(name).unwrap_or_default().to_owned();
        Source {
            srcset: value("srcset"),
            sizes: value("sizes"),
            media: value("media"),
            r#type: value("type"),
            width: value("width"),
            height: value("height"),
        }
    };
    let inside = picture.into_iter().flat_map(|picture| picture.child_elements());
    inside.filter(|child| child.value().name() == "source").map(read).collect()
}

/// The natural size of what an element shows, in CSS pixels.
pub(super) fn natural(
    element: ElementRef<'_>,
    page: TextPage<'_>,
    device: &Device,
) -> Option<(f64, f64)> {
    let (url, density) = candidate(element, page, device, None)?;
    let size = page.files.get(&url)?.facts.as_ref()?.size;
    Some((f64::from(size.width) / density, f64::from(size.height) / density))
}

/// Every picture of the page.
///
/// # Errors
/// If the time is over, or there are too many.
pub(super) fn uses(worked: &Worked<'_>) -> Result<Vec<Use>, OverLimit> {
    let is_image = |element: &ElementRef<'_>| {
        let name = element.value().name();
        name == "img"
            || (name == "input"
                && element.attr("type").is_some_and(|kind| kind.eq_ignore_ascii_case("image")))
    };
    let limit = worked.budget.limits().pictures;
    let mut uses = Vec::new();
    let is_live = |element: &ElementRef<'_>| !Document::is_inert(*element);
    for element in worked.document.all().filter(is_image).filter(is_live).take(limit + 1) {
        worked.budget.check_time()?;
        uses.push(image(worked, element));
    }
    for element in worked.document.all().filter(is_live) {
        worked.budget.check_time()?;
        if uses.len() > limit {
            return Err(OverLimit::Pictures(limit));
        }
        uses.extend(background(worked, element, worked.styles.style(element), None));
        let own = worked.styles.pseudo(element);
        for (pseudo, style) in
            own.filter(|(_, style)| style.get("content").is_some_and(|content| content != "none"))
        {
            uses.extend(background(worked, element, style, Some(pseudo)));
        }
    }
    for film in worked.document.elements("video").filter(|film| film.attr("poster").is_some()) {
        let url = worked.absolute(film.attr("poster").unwrap_or_default());
        let place = standing(worked, film, worked.layout.area(film));
        uses.push(Use {
            element: worked.document.describe(film),
            role: Role::Poster,
            url,
            fit: "contain".to_owned(),
            reserved: true,
            ..place
        });
    }
    Ok(uses)
}

fn image(worked: &Worked<'_>, element: ElementRef<'_>) -> Use {
    let style = worked.styles.style(element);
    let area = worked.layout.content(element);
    let url = candidate(element, worked.page, worked.device, area.map(|area| area.width))
        .map_or(String::new(), |(url, _)| url);
    let known = worked.page.files.get(&url);
    Use {
        element: worked.document.describe(element),
        role: Role::Img,
        sources: sources(element),
        ancestors: ancestors(element),
        link_text: link_text(element),
        fit: style.get("object-fit").unwrap_or("fill").to_owned(),
        position: position(style.get("object-position").unwrap_or("50% 50%")),
        reserved: reserved(worked, element),
        decoded: known.is_some_and(|file| file.facts.is_some()),
        url,
        ..standing(worked, element, area)
    }
}

fn background(
    worked: &Worked<'_>,
    element: ElementRef<'_>,
    style: &Style,
    pseudo: Option<&str>,
) -> Option<Use> {
    let image = style.get("background-image")?;
    let layer = separate(image).into_iter().find(|layer| layer.contains("url("))?;
    let url = if layer.contains("image-set(") {
        from_image_set(layer, worked.device)?
    } else {
        address(layer)?
    };
    if url.starts_with("data:") {
        return None;
    }
    let mut described = worked.document.describe(element);
    described.path += pseudo.unwrap_or_default();
    described.selector += pseudo.unwrap_or_default();
    Some(Use {
        element: described,
        role: Role::Background,
        url: worked.absolute(&url),
        fit: style.get("background-size").unwrap_or("auto").to_owned(),
        position: position(style.get("background-position").unwrap_or("0% 0%")),
        reserved: true,
        decoded: true,
        ..standing(worked, element, worked.layout.area(element))
    })
}

fn address(layer: &str) -> Option<String> {
    let inside = layer.split("url(").nth(1)?.split(')').next()?;
    Some(inside.trim().trim_matches(['"', '\'']).to_owned())
}

/// The entry of an `image-set()` for the device: the least density that suffices, else the
/// greatest.
fn from_image_set(layer: &str, device: &Device) -> Option<String> {
    let inside = layer.split_once("image-set(")?.1;
    let entries = separate(inside.trim_end_matches(')')).into_iter().filter_map(|entry| {
        let density = entry
            .split_ascii_whitespace()
            .find_map(|word| word.strip_suffix('x')?.parse::<f64>().ok());
        Some((density.unwrap_or(1.0), address(&format!("{entry})"))?))
    });
    let mut entries: Vec<(f64, String)> = entries.collect();
    entries.sort_by(|a, b| a.0.total_cmp(&b.0));
    let enough = entries.iter().position(|(density, _)| *density >= device.density);
    enough.or(entries.len().checked_sub(1)).map(|at| entries.swap_remove(at).1)
}

/// Keywords of a position as percentages, as browsers compute them.
fn position(value: &str) -> String {
    let percent = |word: &str| match word {
        "left" | "top" => "0%".to_owned(),
        "right" | "bottom" => "100%".to_owned(),
        "center" => "50%".to_owned(),
        other => other.to_owned(),
    };
    let words: Vec<&str> = value.split_ascii_whitespace().collect();
    match words.as_slice() {
        [one @ ("top" | "bottom")] => format!("50% {}", percent(one)),
        [one] => format!("{} 50%", percent(one)),
        [one @ ("top" | "bottom"), other] | [other, one @ ("top" | "bottom")] => {
            format!("{} {}", percent(other), percent(one))
        }
        [one, other, ..] => format!("{} {}", percent(one), percent(other)),
        [] => "50% 50%".to_owned(),
    }
}

/// True if how wide an element is hangs on what only a browser works out: the size of a container
/// around it, or a tree of its own.
fn is_unknown(worked: &Worked<'_>, element: ElementRef<'_>) -> bool {
    // Between a template and what is in it stands a fragment.
    element.ancestors().filter_map(ElementRef::wrap).any(|one| {
        let kind = worked.styles.style(one).get("container-type");
        kind.is_some_and(|kind| kind.contains("size"))
            || (one.value().name() == "template" && one.attr("shadowrootmode").is_some())
    })
}

/// Where an element stands and whether it is seen there.
fn standing(worked: &Worked<'_>, element: ElementRef<'_>, area: Option<Area>) -> Use {
    let rendered = area.is_some();
    let area = area.unwrap_or(NOTHING);
    let Clips { uncut, view, seen } = clips(worked, element);
    let screen = screen(worked.device);
    let in_screen = area.intersection(view).intersection(screen);
    let in_view = rendered && seen && in_screen.width >= 1.0 && in_screen.height >= 1.0;
    let in_band = area.y < screen.height && area.y + area.height.max(1.0) > 0.0;
    Use {
        area,
        uncut: if seen { uncut } else { NOTHING },
        rendered,
        in_view,
        hidden: in_band && !in_view && rendered,
        unknown: is_unknown(worked, element),
        ..Use::default()
    }
}

/// What the boxes around an element leave of it.
struct Clips {
    /// For good.
    uncut: Area,
    /// With scrollers where they are at first.
    view: Area,
    /// False if it or a box around it is invisible.
    seen: bool,
}

fn clips(worked: &Worked<'_>, element: ElementRef<'_>) -> Clips {
    let (mut uncut, mut view) = (EVERYTHING, EVERYTHING);
    let (mut seen, mut in_scroller) = (true, false);
    for around in
        std::iter::successors(Some(element), |one| one.parent().and_then(ElementRef::wrap))
    {
        let style = worked.styles.style(around);
        let invisible = style.is("visibility", "hidden")
            || style.get("opacity").is_some_and(|value| value.parse() == Ok(0.0));
        seen &= !invisible && (around == element || !is_nowhere(around, style));
        let is_root = matches!(around.value().name(), "html" | "body");
        let Some(box_around) = worked.layout.area(around).filter(|_| around != element && !is_root)
        else {
            continue;
        };
        let overflow = ["overflow-x", "overflow-y"].map(|name| style.get(name).unwrap_or_default());
        let scrolls = overflow.map(|overflow| matches!(overflow, "auto" | "scroll"));
        let hides = overflow.map(|overflow| matches!(overflow, "hidden" | "clip"));
        in_scroller |= scrolls[0] || scrolls[1];
        uncut = uncut.intersection(along(box_around, hides));
        view = view.intersection(along(box_around, [0, 1].map(|at| hides[at] || scrolls[at])));
    }
    let root = worked.document.elements("html").next();
    let is_rtl = root.is_some_and(|root| root.attr("dir") == Some("rtl"));
    if !in_scroller && !is_rtl {
        uncut = uncut.intersection(REACHABLE);
    }
    Clips { uncut, view, seen }
}

/// A box where it cuts: across, down, or both.
fn along(cutting: Area, [across, down]: [bool; 2]) -> Area {
    let Area { x, width, .. } = if across { cutting } else { EVERYTHING };
    let Area { y, height, .. } = if down { cutting } else { EVERYTHING };
    Area { x, y, width, height }
}

fn ancestors(element: ElementRef<'_>) -> Vec<Ancestor> {
    let around = element
        .ancestors()
        .filter_map(ElementRef::wrap)
        .take_while(|one| one.value().name() != "body")
        .take(8);
    around
        .map(|one| Ancestor { tag: one.value().name().to_owned(), attributes: attributes(one) })
        .collect()
}

fn link_text(element: ElementRef<'_>) -> Option<String> {
    let is_link = |one: &ElementRef<'_>| {
        (one.value().name() == "a" && one.attr("href").is_some()) || one.value().name() == "button"
    };
    let link = element.ancestors().filter_map(ElementRef::wrap).find(is_link)?;
    let others =
        link.descendent_elements().filter(|one| one.value().name() == "img" && *one != element);
    let mut words: Vec<&str> = link
        .text()
        .chain(["aria-label", "title"].iter().filter_map(|name| link.attr(name)))
        .collect();
    words.extend(others.filter_map(|one| one.attr("alt")));
    Some(words.join(" ").trim().to_owned())
}

/// True if an element has its height before its content is there; `collect.js` asks a browser the
/// same.
pub(super) fn reserved(worked: &Worked<'_>, element: ElementRef<'_>) -> bool {
    let style = worked.styles.style(element);
    if is_out_of_flow(style) || height_known(worked, element) {
        return true;
    }
    let width_known = style.get("width").is_some_and(|width| width != "auto");
    if width_known && style.get("aspect-ratio").and_then(super::layout::ratio).is_some() {
        return true;
    }
    let area = worked.layout.area(element).map_or(0.0, |area| area.height);
    let min = style.length("min-height", &worked.layout.basis(element)).unwrap_or(0.0);
    if min > 0.0 && min >= area - 1.0 {
        return true;
    }
    let around = element
        .ancestors()
        .filter_map(ElementRef::wrap)
        .take_while(|one| one.value().name() != "body");
    around.into_iter().any(|one| {
        let style = worked.styles.style(one);
        let shaped = style.get("aspect-ratio").and_then(super::layout::ratio).is_some();
        is_out_of_flow(style) || shaped || height_known(worked, one)
    })
}

fn height_known(worked: &Worked<'_>, element: ElementRef<'_>) -> bool {
    let style = worked.styles.style(element);
    match style.get("height") {
        None | Some("auto" | "fit-content" | "min-content" | "max-content") => false,
        // What the page itself is a share of is the screen.
        Some(height) if height.contains('%') && element.value().name() != "html" => {
            let has_box =
                |one: &ElementRef<'_>| !worked.styles.style(*one).is("display", "contents");
            let around = element.ancestors().filter_map(ElementRef::wrap).find(has_box);
            around.is_some_and(|around| height_known(worked, around))
        }
        Some(_) => true,
    }
}
