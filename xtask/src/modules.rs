//! The graph of modules inside each crate: who imports whom, and that no imports run in a circle.
//!
//! Files are nodes. A `use` of a name leads to the file that defines it: re-exports, also of the
//! crate's root, are followed. Test modules do not count.

use std::{
    collections::{BTreeMap, BTreeSet},
    fs,
    path::{Path, PathBuf},
};

use anyhow::{Context, Result, ensure};
use syn::{Item, UseTree, Visibility};

use crate::run::root;

/// A module's path inside its crate, the root empty.
type Module = Vec<String>;

/// What a file holds, as far as imports go.
#[derive(Default)]
struct File {
    /// Items and modules defined here.
    defined: BTreeSet<String>,
    /// Names re-exported, with the path they come from.
    reexported: BTreeMap<String, Vec<String>>,
    /// Paths imported.
    imported: Vec<Vec<String>>,
}

/// Prints each crate's circles and fails if there is one.
pub fn run() -> Result<()> {
    let mut circles = Vec::new();
    for entry in fs::read_dir(root().join("crates"))? {
        let folder = entry?.path();
        let name = folder.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let files = read_crate(&folder.join("src"))?;
        let graph = graph(&files);
        let found = find_circles(&graph);
        println!(
            "{name}: {} modules, {} imports, {} circles",
            files.len(),
            edges(&graph),
            found.len()
        );
        circles.extend(found.into_iter().map(|circle| format!("{name}: {}", circle.join(" -> "))));
    }
    ensure!(
        circles.is_empty(),
        "modules import each other in circles:\n  {}",
        circles.join("\n  ")
    );
    Ok(())
}

fn edges(graph: &BTreeMap<Module, BTreeSet<Module>>) -> usize {
    graph.values().map(BTreeSet::len).sum()
}

fn read_crate(src: &Path) -> Result<BTreeMap<Module, File>> {
    let start =
        ["lib.rs", "main.rs"].map(|name| src.join(name)).into_iter().find(|file| file.is_file());
    let mut files = BTreeMap::new();
    read_module(
        &start.with_context(|| format!("no crate in {}", src.display()))?,
        src,
        Vec::new(),
        &mut files,
    )?;
    Ok(files)
}

fn read_module(
    path: &Path,
    folder: &Path,
    module: Module,
    files: &mut BTreeMap<Module, File>,
) -> Result<()> {
    let text =
        fs::read_to_string(path).with_context(|| format!("cannot read {}", path.display()))?;
    let parsed =
        syn::parse_file(&text).with_context(|| format!("cannot parse {}", path.display()))?;
    let mut file = File::default();
    for item in &parsed.items {
        if is_test(item) {
            continue;
        }
        match item {
            Item::Use(import) => {
                for (name, path) in flatten(&import.tree, Vec::new()) {
                    let absolute = absolute(&path, &module);
                    if !matches!(import.vis, Visibility::Inherited) {
                        file.reexported.insert(name, absolute);
                    } else {
                        file.imported.push(absolute);
                    }
                }
            }
            Item::Mod(inner) if inner.content.is_none() => {
                let name = inner.ident.to_string();
                let child: PathBuf = [format!("{name}.rs"), format!("{name}/mod.rs")]
                    .map(|file| folder.join(file))
                    .into_iter()
                    .find(|file| file.is_file())
                    .with_context(|| format!("no file for `mod {name}` of {}", path.display()))?;
                let nested = [module.clone(), vec![name.clone()]].concat();
                read_module(&child, &folder.join(&name), nested, files)?;
                file.defined.insert(name);
            }
            other => file.defined.extend(name_of(other)),
        }
    }
    files.insert(module, file);
    Ok(())
}

fn is_test(item: &Item) -> bool {
    let attributes = match item {
        Item::Mod(item) => &item.attrs,
        Item::Use(item) => &item.attrs,
        _ => return false,
    };
    attributes.iter().any(|attribute| {
        attribute.path().is_ident("cfg")
            && attribute.parse_args::<syn::Ident>().is_ok_and(|cfg| cfg == "test")
    })
}

fn name_of(item: &Item) -> Option<String> {
    Some(match item {
        Item::Const(item) => item.ident.to_string(),
        Item::Enum(item) => item.ident.to_string(),
        Item::Fn(item) => item.sig.ident.to_string(),
        Item::Macro(item) => item.ident.as_ref()?.to_string(),
        Item::Mod(item) => item.ident.to_string(),
        Item::Static(item) => item.ident.to_string(),
        Item::Struct(item) => item.ident.to_string(),
        Item::Trait(item) => item.ident.to_string(),
        Item::Type(item) => item.ident.to_string(),
        _ => return None,
    })
}

/// Each name a `use` brings in, with the path it stands for.
fn flatten(tree: &UseTree, prefix: Vec<String>) -> Vec<(String, Vec<String>)> {
    let with = |name: String| [prefix.clone(), vec![name]].concat();
    match tree {
        UseTree::Path(path) => flatten(&path.tree, with(path.ident.to_string())),
        UseTree::Name(name) if name.ident == "self" => {
            vec![(prefix.last().cloned().unwrap_or_default(), prefix)]
        }
        UseTree::Name(name) => vec![(name.ident.to_string(), with(name.ident.to_string()))],
        UseTree::Rename(name) => vec![(name.rename.to_string(), with(name.ident.to_string()))],
        UseTree::Glob(_) => vec![("*".to_owned(), prefix)],
        UseTree::Group(group) => {
            group.items.iter().flat_map(|item| flatten(item, prefix.clone())).collect()
        }
    }
}

/// A path from the crate's root: `crate`, `super` and `self` resolved; others may name a child or
/// another crate.
fn absolute(path: &[String], module: &[String]) -> Vec<String> {
    let mut base = module.to_vec();
    let mut rest = path;
    match path.first().map(String::as_str) {
        Some("crate") => {
            base.clear();
            rest = &path[1..];
        }
        Some("self") => rest = &path[1..],
        _ => {}
    }
    while rest.first().is_some_and(|part| part == "super") {
        base.pop();
        rest = &rest[1..];
    }
    [base, rest.to_vec()].concat()
}

/// For each file, those whose items it imports.
fn graph(files: &BTreeMap<Module, File>) -> BTreeMap<Module, BTreeSet<Module>> {
    files
        .iter()
        .map(|(module, file)| {
            let found = file.imported.iter().filter_map(|path| defining(path, files, 0));
            (module.clone(), found.filter(|found| found != module).collect())
        })
        .collect()
}

/// The module that defines what a path names; `None` for another crate's.
fn defining(path: &[String], files: &BTreeMap<Module, File>, depth: usize) -> Option<Module> {
    let known = (0..=path.len()).rev().find(|length| files.contains_key(&path[..*length]))?;
    let (module, rest) = (&path[..known], &path[known..]);
    let file = &files[module];
    let Some(name) = rest.first() else { return Some(module.to_vec()) };
    if depth < 8
        && let Some(target) = file.reexported.get(name)
    {
        return defining(&[target.clone(), rest[1..].to_vec()].concat(), files, depth + 1);
    }
    file.defined.contains(name).then(|| module.to_vec())
}

/// Sets of modules that reach each other (Tarjan's strongly connected components), each once.
fn find_circles(graph: &BTreeMap<Module, BTreeSet<Module>>) -> Vec<Vec<String>> {
    let mut search = Components {
        graph,
        order: BTreeMap::new(),
        low: BTreeMap::new(),
        stack: Vec::new(),
        found: vec![],
    };
    for module in graph.keys() {
        if !search.order.contains_key(module) {
            search.visit(module);
        }
    }
    search.found
}

struct Components<'a> {
    graph: &'a BTreeMap<Module, BTreeSet<Module>>,
    order: BTreeMap<Module, usize>,
    low: BTreeMap<Module, usize>,
    stack: Vec<Module>,
    found: Vec<Vec<String>>,
}

impl Components<'_> {
    fn visit(&mut self, module: &Module) {
        let number = self.order.len();
        self.order.insert(module.clone(), number);
        self.low.insert(module.clone(), number);
        self.stack.push(module.clone());
        for next in &self.graph[module] {
            if !self.order.contains_key(next) {
                self.visit(next);
            }
            if self.stack.contains(next) {
                let low = self.low[module].min(self.low[next]);
                self.low.insert(module.clone(), low);
            }
        }
        if self.low[module] == number {
            let from = self.stack.iter().position(|one| one == module).unwrap_or_default();
            let component = self.stack.split_off(from);
            if component.len() > 1 {
                self.found.push(component.iter().map(|module| module.join("::")).collect());
            }
        }
    }
}
