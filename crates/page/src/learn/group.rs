//! Pictures that are laid out alike, as one place.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    Boxed, SeenPage, SeenPicture,
    layout::layout,
    loading::{When, loadings},
    shape::{Shape, name, shape},
};
use crate::{Loading, PlaceDocument, observation::Role};

/// Widths that differ by no more are the same.
const ALIKE: f64 = 0.02;

/// All pictures of a site with their places.
pub(super) struct Grouped {
    groups: Vec<Group>,
    pub members: Vec<Member>,
}

/// One picture of a page.
pub(super) struct Member {
    pub page: usize,
    pub picture: usize,
    pub shape: Shape,
    pub loading: Loading,
    /// The screens on which it loads `first`; all if `None`.
    pub media: Option<String>,
    /// The number of its group; `None` if it is shown nowhere.
    group: Option<usize>,
}

struct Group {
    name: String,
    document: PlaceDocument,
    /// The first member's boxes.
    samples: Vec<Boxed>,
    background: bool,
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
                shown(&group.samples)
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
    let widths: Vec<f64> =
        samples.iter().map(|one| one.size.0).filter(|width| *width >= 1.0).collect();
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
    let mut groups: Vec<(Group, BTreeMap<String, usize>)> = Vec::new();
    let mut members = Vec::new();
    for (at, page) in pages.iter().enumerate() {
        for ((number, picture), when) in page.pictures.iter().enumerate().zip(loadings(page)) {
            let When { loading, media } = when;
            let shape = shape(picture);
            let document = layout(picture, &mut BTreeSet::new());
            let group = document.map(|document| joined(&mut groups, picture, document));
            if let Some(group) = group {
                let words = &mut groups[group].1;
                *words.entry(name(&shape.word)).or_default() += 1;
            }
            members.push(Member { page: at, picture: number, shape, loading, media, group });
        }
    }
    let mut named: Vec<Group> = Vec::new();
    for (group, words) in groups {
        let most = words.iter().max_by_key(|(_, count)| **count);
        let word = most.map_or("picture", |(word, _)| word.as_str());
        let numbered = (2..).map(|number| format!("{word}-{number}"));
        let is_free = |name: &String| named.iter().all(|known| known.name != *name);
        let name = [word.to_owned()].into_iter().chain(numbered).find(is_free);
        named.push(Group { name: name.unwrap_or_default(), ..group });
    }
    Grouped { groups: named, members }
}

/// The number of the group that a picture belongs to, which may be a new one.
fn joined(
    groups: &mut Vec<(Group, BTreeMap<String, usize>)>,
    picture: &SeenPicture,
    document: PlaceDocument,
) -> usize {
    let background = picture.role == Role::Background;
    let known = groups.iter().position(|(group, _)| {
        let same_crop = group.document.ratio == document.ratio
            && group.document.position == document.position
            && group.document.alternatives.len() == document.alternatives.len();
        group.background == background
            && same_crop
            && (group.document == document || alike(&group.samples, picture))
    });
    known.unwrap_or_else(|| {
        let samples = picture.samples.clone();
        let group = Group { name: String::new(), document, samples, background };
        groups.push((group, BTreeMap::new()));
        groups.len() - 1
    })
}

/// True if a picture is as wide as another at every window both were measured at.
fn alike(samples: &[Boxed], picture: &SeenPicture) -> bool {
    let mut same = samples.iter().filter_map(|one| {
        let other = picture.samples.iter().find(|other| other.window == one.window)?;
        Some((one.size.0, other.size.0))
    });
    // A crop that is not cut on the server is drawn as wide as its picture's own ratio asks for.
    picture.fit != "cover"
        && same.all(|(one, other)| (one - other).abs() <= ALIKE * one.max(other).max(1.0))
}
