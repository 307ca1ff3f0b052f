//! `kivet apply`.

mod bake;
mod copy;
mod diff;
mod journal;
mod pages;
mod prove;
mod summary;

pub use diff::unified;

use std::{
    collections::BTreeMap,
    path::{Path, PathBuf},
    process::ExitCode,
};

use anyhow::{Context, Result, bail};
use kivet_page::rules::RulesDocument;
use kivet_service::{RewriteOrder, RewriteResponse};
use serde::Serialize;

use super::{learn, rules};
use crate::{client::Reach, nearby, output, private::Private};

/// Rewrite a folder of pages to Kivet's markup by rules.
///
/// Nothing changes but what is meant: all else stays, byte for byte. Applying twice is the same as
/// applying once.
#[derive(clap::Args)]
#[command(
    after_help = "Examples:\n  kivet apply site/ --rules pages.toml --diff --dry-run\n  kivet apply site/ --rules pages.toml --out site-with-kivet/\n  kivet apply site/ --in-place; kivet apply site/ --undo\n  kivet apply site/ --rules pages.toml --explain journal/one.html"
)]
pub struct Apply {
    /// The folder.
    folder: PathBuf,
    /// The rules, as TOML; those that the service keeps if left out.
    #[arg(long, value_name = "FILE")]
    rules: Option<PathBuf>,
    /// Write the whole folder anew here.
    #[arg(long, value_name = "FOLDER", conflicts_with_all = ["in_place", "undo"])]
    out: Option<PathBuf>,
    /// Change the files where they are. What they were stays in .kivet, for --undo.
    #[arg(long, conflicts_with = "undo")]
    in_place: bool,
    /// Put everything back as it was before the last --in-place.
    #[arg(long)]
    undo: bool,
    /// Print what changes as a unified diff.
    #[arg(long)]
    diff: bool,
    /// Write nothing.
    #[arg(long)]
    dry_run: bool,
    /// Say for each picture of this page which rule decided, and what the others said.
    #[arg(long, value_name = "PAGE")]
    explain: Option<String>,
    /// Learn the rules from the folder first; --rules names the file they are written to.
    #[arg(long, conflicts_with = "undo")]
    learn: bool,
    /// Write every rendition that the pages name as a file too, with sources for each format: for
    /// hosting without a service.
    #[arg(long, requires = "out", conflicts_with_all = ["dry_run", "in_place"])]
    bake: bool,
    /// Check the folder before and after in a browser on every device, and print the gain; compare
    /// both at ten other windows, and exit with 3 if a box moved or a picture shows something else.
    /// Of more than twelve pages twelve are visited.
    #[arg(long, requires = "out", conflicts_with = "dry_run")]
    prove: bool,
    /// Prove every page.
    #[arg(long, requires = "prove")]
    all: bool,
    /// What stands before /pic/, where pictures come from another host than the pages.
    #[arg(long, value_name = "ORIGIN")]
    base: Option<String>,
    /// The language of the library's alternative texts, as HTML's lang has it.
    #[arg(long, value_name = "TAG")]
    language: Option<String>,
    /// Name the current version in every URL.
    #[arg(long)]
    versioned: bool,
    /// Formats with sources of their own, best first, for hosts that do not choose by Accept.
    #[arg(long, value_name = "FORMATS", value_delimiter = ',')]
    typed: Vec<String>,
    #[command(flatten)]
    reach: Reach,
}

/// The exit code where the rewritten pages show something else than before.
const DIFFERS: u8 = 3;

/// What `--json` prints.
#[derive(Serialize)]
#[serde(rename_all = "camelCase")]
struct Applied {
    /// By path.
    pages: BTreeMap<String, RewriteResponse>,
    /// Where it was written, if it was.
    written: Option<PathBuf>,
    #[serde(flatten)]
    left_out: copy::LeftOut,
    /// What was baked, if that was asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    baked: Option<bake::Bake>,
    /// What was gained, if that was measured.
    #[serde(skip_serializing_if = "Option::is_none")]
    proof: Option<prove::Proof>,
}

impl Applied {
    fn text(&self) -> String {
        let mut text = summary::text(&self.pages, self.written.as_deref());
        let copy::LeftOut { private, links } = &self.left_out;
        for (paths, why) in [
            (private, "they are not to be published"),
            (links, "these links lead out of the folder or to nothing"),
        ] {
            if !paths.is_empty() {
                text += &format!("\nnot copied, because {why}: {}", paths.join(", "));
            }
        }
        let baked = self.baked.as_ref().map(|bake::Bake { made, kept, bytes }| {
            format!("\n{made} renditions made, {kept} kept; {} in all", output::bytes(*bytes))
        });
        let proof = self.proof.as_ref().map(|proof| format!("\n\n{}", prove::table(proof)));
        [text].into_iter().chain(baked).chain(proof).collect()
    }
}

impl Apply {
    pub fn run(self, json: bool) -> Result<ExitCode> {
        nearby::look_above(&self.folder);
        if self.undo {
            return self.put_back(json);
        }
        let rules = self.read_rules()?;
        let writes = !self.dry_run && self.explain.is_none();
        if writes && self.out.is_none() && !self.in_place {
            bail!("say where to write: --out FOLDER, or --in-place; --dry-run writes nothing");
        }
        if let Some(out) = self.out.as_deref().filter(|_| writes) {
            copy::refuse_foreign(&self.folder, out)?;
        }
        let mut documents = pages::documents(&self.folder)?;
        if let Some(page) = &self.explain {
            documents.retain(|path| path == page);
            if documents.is_empty() {
                bail!("unknown page `{page}`; name it by its path in {}", self.folder.display());
            }
        }
        let mut rewritten = self.rewrite(&documents, rules.as_ref())?;
        if let Some(page) = &self.explain {
            let answer = &rewritten[page].response;
            output::print(json, answer, |answer| summary::explained(answer, rules.as_ref()))?;
            return Ok(ExitCode::SUCCESS);
        }
        if self.diff && !json {
            for (path, one) in rewritten.iter().filter(|(_, one)| one.response.changed) {
                diff::print(path, &one.before, &one.after)?;
            }
        }
        let baked = match self.out.as_deref().filter(|_| self.bake) {
            Some(out) => Some(bake::bake(&self.reach, out, &mut rewritten)?),
            None => None,
        };
        let (written, left_out) = match writes {
            true => self.write(&rewritten).map(|(folder, left)| (Some(folder), left))?,
            false => (None, copy::LeftOut::default()),
        };
        let pages = rewritten.into_iter().map(|(path, one)| (path, one.response)).collect();
        let proof = match written.as_deref().filter(|_| self.prove) {
            Some(after) => Some(prove::proved(&self.folder, after, &self.reach, self.all)?),
            None => None,
        };
        let is_same = proof.as_ref().is_none_or(|proof| proof.differences.is_empty());
        output::print(json, &Applied { pages, written, left_out, baked, proof }, Applied::text)?;
        Ok(if is_same { ExitCode::SUCCESS } else { ExitCode::from(DIFFERS) })
    }

    fn put_back(&self, json: bool) -> Result<ExitCode> {
        let undone = journal::undo(&self.folder)?;
        output::print(json, &undone, |undone| {
            let kept = undone.edited.iter().map(|path| {
                format!("\n{path}: was edited since; stays, and what it was is in .kivet")
            });
            format!(
                "{} files put back as they were{}",
                undone.restored.len(),
                kept.collect::<String>()
            )
        })?;
        Ok(ExitCode::SUCCESS)
    }

    /// The rules of the file, learnt first if that is asked for; `None` for those the service keeps.
    fn read_rules(&self) -> Result<Option<RulesDocument>> {
        if !self.learn {
            return self.rules.as_deref().map(rules::read).transpose();
        }
        if let Some(file) = &self.rules {
            learn::refuse_known(file)?;
        }
        let site = self.folder.display().to_string();
        let learnt = learn::learnt(std::slice::from_ref(&site), None)?;
        let text = kivet_page::learn::toml(&learnt, &site);
        if let Some(file) = &self.rules {
            std::fs::write(file, &text)
                .with_context(|| format!("cannot write {}", file.display()))?;
        }
        Ok(Some(toml::from_str(&text).context("what was learnt cannot be read back")?))
    }

    fn rewrite(
        &self,
        documents: &[String],
        rules: Option<&RulesDocument>,
    ) -> Result<BTreeMap<String, pages::Rewritten>> {
        let whole = self.folder.canonicalize().with_context(|| unreadable(&self.folder))?;
        let order = RewriteOrder {
            folder: Some(whole.display().to_string()),
            rules: rules.cloned(),
            base: self.base.clone(),
            language: self.language.clone(),
            versioned: self.versioned,
            typed: if self.bake && self.typed.is_empty() {
                bake::TYPED.map(str::to_owned).to_vec()
            } else {
                self.typed.clone()
            },
            ..RewriteOrder::default()
        };
        pages::rewrite(&self.reach, &whole, documents, &order)
    }

    /// Writes the documents; returns where, and what was not copied.
    fn write(
        &self,
        rewritten: &BTreeMap<String, pages::Rewritten>,
    ) -> Result<(PathBuf, copy::LeftOut)> {
        match &self.out {
            Some(out) => {
                let private = Private::of(nearby::config(), nearby::config_file().as_deref());
                let left_out = copy::copy(&self.folder, out, rewritten, &private)?;
                Ok((out.clone(), left_out))
            }
            None => {
                let changed = rewritten.iter().filter(|(_, one)| one.response.changed);
                let files = changed.map(|(path, one)| (path.as_str(), one.after.as_slice()));
                journal::write(&self.folder, files)?;
                Ok((self.folder.clone(), copy::LeftOut::default()))
            }
        }
    }
}

fn unreadable(path: &Path) -> String {
    format!("cannot read {}", path.display())
}
