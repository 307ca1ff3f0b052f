//! The rules of a page, to be found by element.

use std::{cell::RefCell, collections::HashMap};

use scraper::ElementRef;
use selectors::{bloom::BloomFilter, matching::SelectorCaches};

use super::{key::Key, sheet::Rule};

/// Rules, by what an element must have for them.
pub(super) struct RuleIndex<'r> {
    rules: Vec<&'r Rule>,
    by_key: HashMap<&'r Key, Vec<usize>>,
    /// Positions among siblings. Kept by the selectors' locations in memory, which `'r` holds.
    caches: RefCell<SelectorCaches>,
}

impl<'r> RuleIndex<'r> {
    pub(super) fn new(rules: impl Iterator<Item = &'r Rule>) -> Self {
        let rules: Vec<&Rule> = rules.collect();
        let mut by_key: HashMap<&Key, Vec<usize>> = HashMap::new();
        for (at, rule) in rules.iter().enumerate() {
            by_key.entry(&rule.key).or_default().push(at);
        }
        Self { rules, by_key, caches: RefCell::default() }
    }

    /// The rules that match an element, in their order; `around` is the filter of its ancestors.
    pub(super) fn matching(
        &self,
        element: ElementRef<'_>,
        around: Option<&BloomFilter>,
    ) -> Vec<&'r Rule> {
        let keys = Key::all_of(element);
        let mut found: Vec<usize> =
            keys.filter_map(|key| self.by_key.get(&key)).flatten().copied().collect();
        found.sort_unstable();
        // A class may be given twice.
        found.dedup();
        let caches = &mut *self.caches.borrow_mut();
        let rules = found.into_iter().map(|at| self.rules[at]);
        rules.filter(|rule| rule.selector.matches(element, around, caches)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{
        Budget,
        text::{Document, ancestors::Ancestors, sheet::Sheet},
    };

    #[test]
    fn rules_are_found_as_if_all_were_looked_through() {
        let css = ".a #k.b > img.c.c { top: 1px } :is(.c) { top: 2px } :is(.c, p) { top: 3px } IMG { top: 4px } \
                   * { top: 5px } [src] { top: 6px } :not(.d) { top: 7px } .C { top: 8px } #i:where(img) { top: 9px } \
                   .c ~ img { top: 10px } p { img& { top: 11px } .c & { top: 12px } & img { top: 13px } } ::before { top: 14px } \
                   main[class] > .b img { top: 15px } .z .b img { top: 16px } [lang] .c { top: 17px } svg lineargradient { top: 18px } \
                   template p img { top: 19px } .a :is(.b, .c) img { top: 20px } svg > .c { top: 21px } img:nth-of-type(2) { top: 22px }";
        let mut sheet = Sheet::default();
        sheet.read(css, &[], &|url| url.to_owned(), &Budget::default()).expect("few rules");
        let document = Document::parse(
            "<main class=a><p id=k class=b><img class='c e c' id=i src=x><img><svg><linearGradient class=c></svg></main>\
             <template><p class=b><img class=c></template><div lang=en><b><img class=c></b></div><p class=b><img>",
        );
        let index = RuleIndex::new(sheet.rules.iter());
        let key = |rule: &Rule| format!("{:?}", rule.key);
        let keys: Vec<String> = sheet.rules.iter().take(4).map(key).collect();
        assert_eq!(keys, ["Class(\"c\")", "Class(\"c\")", "Any", "Tag(\"img\")"]);
        let mut ancestors = Ancestors::default();
        let mut matched = 0;
        for element in document.all() {
            let by_all =
                |rule: &&Rule| rule.selector.matches(element, None, &mut SelectorCaches::default());
            let all: Vec<*const Rule> =
                sheet.rules.iter().filter(by_all).map(std::ptr::from_ref).collect();
            let around = ancestors.of(element);
            let found: Vec<*const Rule> =
                index.matching(element, Some(around)).into_iter().map(std::ptr::from_ref).collect();
            ancestors.enter(element);
            assert_eq!(found, all, "{:?}", element.value());
            matched += found.len();
        }
        assert!(matched > 40, "{matched}");
    }
}
