//! Pictures that are laid out alike, as one place.

use std::collections::{BTreeMap, BTreeSet};

use kivet_recipe::PlaceName;

use super::{
    Boxed, SeenPage, SeenPicture,
    layout::{covers, layout},
    loading::{When, loadings},
    name::name,
    natural::Container,
    select::{telling, word},
};
use crate::{
    Loading, PlaceDocument,
    observation::{Role, Window},
};

/// Boxes that differ by no more are the same.
const ALIKE: f64 = 0.02;

/// Boxes of one window that differ by less, in CSS pixels, are kept once.
const SAME_PX: f64 = 0.5;

/// All pictures of a site with their places.
pub(super) struct Grouped {
    groups: Vec<Group>,
    pub members: Vec<Member>,
    /// Notes for a person.
    pub notes: Vec<String>,
}

/// One picture of a page.
pub(super) struct Member {
    pub page: usize,
    pub picture: usize,
    pub loading: Loading,
    /// The screens on which it loads `first`; all if `None`.
    pub media: Option<String>,
    /// The number of its group; `None` if it is shown nowhere, or no markup leaves its box alone.
    group: Option<usize>,
}

struct Group {
    name: String,
    document: PlaceDocument,
    /// A picture with the boxes of all members.
    picture: SeenPicture,
    /// The container of its pictures, where their own width decides how wide they are.
    container: Option<Container>,
}

impl Grouped {
    /// The name of a member's place.
    pub fn place(&self, member: &Member) -> Option<&str> {
        member.group.map(|group| self.groups[group].name.as_str())
    }

    /// The loading policy of a place: what most of its pictures have, the largest paint apart.
    pub fn loading(&self, place: &str) -> Loading {
        let mut counts: BTreeMap<&str, (usize, Loading)> = BTreeMap::new();
        let members = self.members.iter().filter(|one| self.place(one) == Some(place));
        for one in members.filter(|one| one.loading != Loading::First) {
            counts.entry(one.loading.name()).or_insert((0, one.loading)).0 += 1;
        }
        counts.values().max_by_key(|(count, _)| *count).map_or(Loading::Later, |(_, most)| *most)
    }

    /// The places with their names and what they were drawn from.
    pub fn places(&self) -> Vec<(String, PlaceDocument, String)> {
        let places = self.groups.iter().enumerate().map(|(at, group)| {
            let loading = self.loading(&group.name);
            let named = (loading != Loading::Later).then(|| loading.name().to_owned());
            let document = PlaceDocument { loading: named, ..group.document.clone() };
            let members: Vec<&Member> =
                self.members.iter().filter(|one| one.group == Some(at)).collect();
            let pages: BTreeSet<usize> = members.iter().map(|one| one.page).collect();
            let evidence = format!(
                "{} on {}; {}",
                counted(members.len(), "picture"),
                counted(pages.len(), "page"),
                shown(&group.picture.samples)
            );
            (group.name.clone(), document, evidence)
        });
        places.collect()
    }
}

pub(super) fn counted(count: usize, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

fn shown(samples: &[Boxed]) -> String {
    let swept = samples.iter().filter(|one| one.of != Window::Shape);
    let widths: Vec<f64> = swept.map(|one| one.size.0).filter(|width| *width >= 1.0).collect();
    let (least, most) = widths
        .iter()
        .fold((f64::MAX, 0.0_f64), |(least, most), one| (least.min(*one), most.max(*one)));
    if (most - least).abs() < 1.0 {
        format!("{most:.0} px wide everywhere")
    } else {
        format!("{least:.0} to {most:.0} px wide")
    }
}

pub(super) fn grouped(pages: &[SeenPage]) -> Grouped {
    let mut grouping = Grouping { groups: Vec::new(), notes: Vec::new() };
    let mut members = Vec::new();
    for (at, page) in pages.iter().enumerate() {
        for ((number, picture), when) in page.pictures.iter().enumerate().zip(loadings(page)) {
            let When { loading, media } = when;
            let group = grouping.place(page, picture);
            members.push(Member { page: at, picture: number, loading, media, group });
        }
    }
    let twins = twins(pages, &members, &grouping);
    for (member, group) in twins {
        members[member].group = Some(group);
    }
    Grouped { groups: grouping.named(), members, notes: grouping.notes }
}

/// Pictures that were shown at no window, such as the later slides of a carousel, with the group of a
/// picture that differs from them in nothing that stylesheets usually ask for.
fn twins(pages: &[SeenPage], members: &[Member], grouping: &Grouping) -> Vec<(usize, usize)> {
    let picture = |member: &Member| &pages[member.page].pictures[member.picture];
    let mut groups: BTreeMap<String, usize> = BTreeMap::new();
    for member in members {
        // How much of a picture a crop may leave out depends on boxes, which are not known.
        let is_whole = |group: &usize| {
            let known = &grouping.groups[*group].0;
            known.container.is_none() && known.document.is_uncropped()
        };
        if let Some(group) = member.group.filter(is_whole) {
            groups.entry(structure(picture(member))).or_insert(group);
        }
    }
    let hidden = members.iter().enumerate().filter(|(_, member)| {
        let one = picture(member);
        member.group.is_none() && one.role == Role::Img && one.is_never_shown()
    });
    let twin = |(at, member): (usize, &Member)| {
        let one = picture(member);
        let group = *groups.get(&structure(one))?;
        // To cover a box, a picture of another ratio is drawn at another width.
        let known = grouping.groups[group].0.picture.ratio.zip(one.ratio);
        let same_ratio = known.is_some_and(|(known, own)| (own / known - 1.0).abs() <= ALIKE);
        (!covers(&one.fit) || same_ratio).then_some((at, group))
    };
    hidden.filter_map(twin).collect()
}

/// A picture's tags from the root, and the telling classes on it and close around it.
fn structure(picture: &SeenPicture) -> String {
    const AROUND: usize = 3;
    let path = picture.element.path.split('>').map(|part| part.split(':').next().unwrap_or(part));
    let around = picture.ancestors.iter().take(AROUND).map(|one| &one.attributes);
    let classes = [&picture.element.attributes].into_iter().chain(around).map(|attributes| {
        let mut classes: Vec<&str> = telling(attributes).collect();
        classes.sort_unstable();
        classes.join(".")
    });
    path.map(str::to_owned).chain(classes).collect::<Vec<_>>().join(">")
}

struct Grouping {
    /// Each with the words that its pictures are known by.
    groups: Vec<(Group, BTreeMap<String, usize>)>,
    notes: Vec<String>,
}

impl Grouping {
    /// The number of the group that a picture belongs to, which may be a new one.
    fn place(&mut self, page: &SeenPage, picture: &SeenPicture) -> Option<usize> {
        let container = Container::of(picture);
        let document = match &container {
            Some(container) => Some(container.place(&mut BTreeSet::new())),
            None => layout(picture, &mut BTreeSet::new()),
        }?;
        if picture.trial.dimensions().is_none() {
            self.notes.push(format!(
                "{}: {} stays as it is: every markup that was tried changed its box",
                page.path, picture.address
            ));
            return None;
        }
        if let Err(problem) = checked(&document) {
            self.notes.push(format!("{}: {} gets no place: {problem}", page.path, picture.address));
            return None;
        }
        let group = match container {
            Some(container) => self.held(picture, document, container),
            None => self.joined(picture, document),
        };
        *self.groups[group].1.entry(name(&word(picture))).or_default() += 1;
        Some(group)
    }

    /// The group of a picture whose own width decides how wide it is.
    fn held(
        &mut self,
        picture: &SeenPicture,
        document: PlaceDocument,
        container: Container,
    ) -> usize {
        let agrees = |(group, _): &(Group, BTreeMap<String, usize>)| {
            group.container.as_ref().is_some_and(|known| known.agrees(&container))
                && group.picture.trial.wrapped == picture.trial.wrapped
        };
        let Some(at) = self.groups.iter().position(agrees) else {
            let picture = picture.clone();
            let group =
                Group { name: String::new(), document, picture, container: Some(container) };
            self.groups.push((group, BTreeMap::new()));
            return self.groups.len() - 1;
        };
        let group = &mut self.groups[at].0;
        merge(&mut group.picture, picture);
        if let Some(known) = &mut group.container {
            known.add(&container);
            let document = known.place(&mut BTreeSet::new());
            if checked(&document).is_ok() {
                group.document = document;
            }
        }
        at
    }

    fn joined(&mut self, picture: &SeenPicture, document: PlaceDocument) -> usize {
        let fits = |(group, _): &(Group, BTreeMap<String, usize>)| {
            let known = &group.picture;
            // The rules of a stylesheet are the same on every page: a file has one place.
            let same_file = picture.role == Role::Background && known.file == picture.file;
            let same_crop = group.document.ratio.is_some() == document.ratio.is_some()
                && group.document.position == document.position
                && known.trial.wrapped == picture.trial.wrapped;
            group.container.is_none()
                && known.role == picture.role
                && (same_file || (same_crop && alike(&known.samples, picture)))
        };
        let at = self.groups.iter().position(fits);
        let Some(at) = at else {
            let picture = picture.clone();
            let group = Group { name: String::new(), document, picture, container: None };
            self.groups.push((group, BTreeMap::new()));
            return self.groups.len() - 1;
        };
        let group = &mut self.groups[at].0;
        merge(&mut group.picture, picture);
        // A crop leaves out only what none of its pictures shows.
        let both = layout(&group.picture, &mut BTreeSet::new());
        if let Some(both) = both.filter(|both| checked(both).is_ok()) {
            group.document = both;
        }
        at
    }

    /// The groups with names of their own, after the words most of their pictures are known by.
    fn named(&mut self) -> Vec<Group> {
        let mut named: Vec<Group> = Vec::new();
        for (group, words) in std::mem::take(&mut self.groups) {
            let most = words.iter().max_by_key(|(_, count)| **count);
            let word = most.map_or("picture", |(word, _)| word.as_str());
            let numbered = (2..).map(|number| format!("{word}-{number}"));
            let is_free = |name: &String| named.iter().all(|known| known.name != *name);
            let name = [word.to_owned()].into_iter().chain(numbered).find(is_free);
            named.push(Group { name: name.unwrap_or_default(), ..group });
        }
        named
    }
}

/// Checks a place as the service does.
fn checked(document: &PlaceDocument) -> Result<(), String> {
    let name: PlaceName = "place".parse().map_err(|_| String::new())?;
    document.checked(&name).map(drop).map_err(|error| error.to_string())
}

/// Adds the boxes of a picture to those of another.
fn merge(known: &mut SeenPicture, picture: &SeenPicture) {
    let same = |one: &Boxed, other: &Boxed| {
        one.window == other.window
            && (one.size.0 - other.size.0).abs() < SAME_PX
            && (one.size.1 - other.size.1).abs() < SAME_PX
    };
    // At a window that one alone was measured at, it would speak for both.
    let windows = |samples: &[Boxed]| -> BTreeSet<u32> {
        let swept = samples.iter().filter(|one| one.of == Window::Swept);
        swept.map(|one| one.window.0 as u32).collect()
    };
    let shared = &windows(&known.samples) & &windows(&picture.samples);
    let is_shared =
        |one: &Boxed| one.of != Window::Swept || shared.contains(&(one.window.0 as u32));
    known.samples.retain(is_shared);
    let of_known = known.samples.len();
    for sample in picture.samples.iter().filter(|one| is_shared(one)) {
        if !known.samples[..of_known].iter().any(|one| same(one, sample)) {
            known.samples.push(*sample);
        }
    }
    known.samples.sort_by(|one, other| one.window.0.total_cmp(&other.window.0));
    let fits_alike = known.fit == picture.fit && known.position == picture.position;
    known.steady &= picture.steady && fits_alike;
    known.vector &= picture.vector;
}

/// True if a picture is as wide as another at every window both were measured at; one that covers
/// its box, which is drawn as wide as the box's height asks for, as tall, too.
fn alike(samples: &[Boxed], picture: &SeenPicture) -> bool {
    let near = |one: f64, other: f64| (one - other).abs() <= ALIKE * one.max(other).max(1.0);
    let mut same = samples.iter().filter_map(|one| {
        let other = picture.samples.iter().find(|other| other.window == one.window)?;
        Some((one.size, other.size))
    });
    same.all(|(one, other)| {
        near(one.0, other.0) && (picture.fit != "cover" || near(one.1, other.1))
    })
}
