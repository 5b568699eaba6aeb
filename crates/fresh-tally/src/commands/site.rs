//! A site of the shelf, of which only what changed is written again.

use crate::error::CommandError;
use crate::settings::Settings;
use crate::{install, output};
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};
use std::collections::{BTreeMap, VecDeque};
use std::path::Path;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::UNIX_EPOCH;
use tally_core::compare::{HeadlineRules, compare_in_full};
use tally_core::grid::{GridRules, Likeness, grid};
use tally_core::knowledge::{Agents, PartRules, Roles, Scores};
use tally_core::model::Tally;
use tally_report::count_of;
use tally_report::publish::site::{self, SiteInstall, SiteKind, SiteLink, SitePage};
use tally_report::publish::{Knowledge, Report};
use tally_shelf::{read_file, write_atomically};

/// What was written, and of what: kept in the folder of the site.
const STATE: &str = ".fresh-tally-site.json";
/// Bytes that it may have: 256 MiB.
const STATE_LIMIT: u64 = 256 << 20;

#[derive(Default, Serialize, Deserialize)]
struct State {
    /// The address of the site, where one was given.
    #[serde(default)]
    url: Option<String>,
    /// What the index tells of each install, by handle, with what its file was then.
    installs: BTreeMap<String, (String, SiteInstall)>,
    /// What each page was made of, by path.
    pages: BTreeMap<String, MadeOf>,
}

#[derive(Clone, Serialize, Deserialize)]
struct MadeOf {
    key: String,
    /// The first headlines of a step.
    #[serde(default)]
    headlines: Vec<String>,
}

/// A page that is to be there.
struct Wanted {
    path: String,
    key: String,
    ways: Vec<SiteLink>,
    handles: Vec<String>,
    /// None for the page of one install.
    kind: Option<SiteKind>,
}

/// All rules, read once.
struct Rules {
    parts: PartRules,
    roles: Roles,
    scores: Scores,
    agents: Agents,
}

pub(super) fn write(url: Option<&str>, settings: &Settings) -> Result<(), CommandError> {
    let Some(folder) = settings.output.as_deref() else {
        return Err(CommandError::Usage("--site: -o names the folder that is written to".into()));
    };
    let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
    let own = &settings.own;
    let rules =
        Rules { parts: own.parts()?, roles: own.roles()?, scores: own.scores()?, agents: own.agents()? };
    if folder.exists() && !folder.is_dir() {
        return Err(CommandError::Usage(format!("--site: `{}` is not a folder", folder.display())));
    }
    let before = state(folder);
    // Where no site was made by us, a page of that name is somebody's.
    if before.pages.is_empty() && folder.join("index.html").symlink_metadata().is_ok() {
        let source = std::io::Error::new(
            std::io::ErrorKind::AlreadyExists,
            "its `index.html` is somebody else's, and would be replaced",
        );
        return Err(fail(source));
    }
    // An address that was given once holds until another one is.
    let is_address = |url: &&str| url.starts_with("https://") || url.starts_with("http://");
    let url = url.or(before.url.as_deref().filter(is_address));
    let (installs, files) = installs(&before, &rules, settings)?;
    let pages = site::pages(&installs);
    let wanted = wanted(&installs, &files, &pages, settings);
    let mut todo: Vec<&Wanted> = wanted.iter().filter(|one| !is_there(folder, one, &before)).collect();
    // Pages of one edition after another: what was read for one is at hand for the next.
    let mut order: BTreeMap<&str, usize> = BTreeMap::new();
    for handle in pages.iter().filter(|page| page.kind == SiteKind::Step).flat_map(|page| &page.of) {
        let next = order.len();
        order.entry(&installs[*handle].label.handle).or_insert(next);
    }
    let place =
        |one: &Wanted| one.handles.iter().filter_map(|handle| order.get(handle.as_str())).max().copied();
    todo.sort_by_key(|one| (one.kind == Some(SiteKind::Editions), place(one)));
    let shelf = Lent { rules: &rules, settings, kept: Mutex::default() };
    std::fs::create_dir_all(folder).map_err(fail)?;
    for sub in ["installs", "steps", "editions"] {
        if wanted.iter().any(|one| one.path.starts_with(sub)) {
            std::fs::create_dir_all(folder.join(sub)).map_err(fail)?;
        }
    }
    let put = |path: &str, text: &str| write_atomically(&folder.join(path), text.as_bytes(), true);
    let made: Vec<(String, MadeOf)> = todo
        .par_iter()
        .map(|one| {
            let (text, headlines) = rendered(one, &shelf)?;
            put(&one.path, &text)?;
            Ok((one.path.clone(), MadeOf { key: one.key.clone(), headlines }))
        })
        .collect::<Result<_, CommandError>>()?;
    let written = made.len();
    let mut now: BTreeMap<String, MadeOf> = made.into_iter().collect();
    for one in &wanted {
        if let Some(kept) = before.pages.get(&one.path).filter(|_| !now.contains_key(&one.path)) {
            now.insert(one.path.clone(), kept.clone());
        }
    }
    // Pages of installs that are no more; nothing else in the folder is touched.
    let gone: Vec<&String> =
        before.pages.keys().filter(|path| !now.contains_key(*path) && is_own(path)).collect();
    for path in &gone {
        match std::fs::remove_file(folder.join(path)) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(fail(error)),
            _ => {}
        }
    }
    let told: BTreeMap<String, Vec<String>> =
        now.iter().map(|(path, made)| (path.clone(), made.headlines.clone())).collect();
    let mut whole = vec![
        ("index.html", site::index(&installs, &pages, &told)),
        ("feed.xml", site::feed(&installs, &pages, &told, url)),
    ];
    if let Some(url) = url {
        let paths: Vec<String> =
            std::iter::once("index.html".to_owned()).chain(now.keys().cloned()).collect();
        whole.push(("sitemap.xml", site::sitemap(&paths, url)));
    }
    for (path, text) in whole {
        if std::fs::read(folder.join(path)).ok().as_deref() != Some(text.as_bytes()) {
            put(path, &text)?;
        }
    }
    let kept = installs
        .into_iter()
        .zip(files)
        .map(|(install, file)| (install.label.handle.to_string(), (file, install)));
    let state = State { url: url.map(str::to_owned), installs: kept.collect(), pages: now };
    let state = serde_json::to_string(&state).map_err(|error| CommandError::Render(error.into()))?;
    put(STATE, &state)?;
    let mut said =
        format!("Wrote {} of {} to `{}`", count_of(written as u64, "page"), wanted.len(), folder.display());
    if !gone.is_empty() {
        said.push_str(&format!(", and removed {}", gone.len()));
    }
    let begin = folder.join("index.html");
    let map = if url.is_some() { "" } else { " A map of the site needs `--url`." };
    output::status(settings, &format!("{said}; begin with `{}`.{map}", begin.display()));
    Ok(())
}

/// A path that this command writes, and no other.
fn is_own(path: &str) -> bool {
    let name = ["installs/", "steps/", "editions/"].iter().find_map(|folder| path.strip_prefix(folder));
    name.is_some_and(|name| !name.contains('/') && name.ends_with(".html"))
}

/// What was written before; nothing where it can't be read, so that all is written anew.
fn state(folder: &Path) -> State {
    let bytes = read_file(&folder.join(STATE), STATE_LIMIT).unwrap_or_default();
    serde_json::from_slice(&bytes).unwrap_or_default()
}

/// The installs of the shelf, and what the file of each is now. What can't be read is said and left out.
fn installs(
    before: &State,
    rules: &Rules,
    settings: &Settings,
) -> Result<(Vec<SiteInstall>, Vec<String>), CommandError> {
    let handles = settings.shelf.handles()?;
    let one = |handle: &String| -> Result<(SiteInstall, String), CommandError> {
        let path = settings.shelf.file(handle);
        let data =
            std::fs::metadata(&path).map_err(|error| CommandError::Source { path, why: error.into() })?;
        let changed =
            data.modified().ok().and_then(|at| at.duration_since(UNIX_EPOCH).ok()).unwrap_or_default();
        let file = format!("{} {} {}", data.len(), changed.as_nanos(), settings.seen);
        match before.installs.get(handle) {
            Some((known, install)) if *known == file => Ok((install.clone(), file)),
            _ => {
                // As a whole, so that one that is damaged anywhere is left out of all pages.
                let tally = install::find(handle, settings, &rules.parts)?;
                Ok((SiteInstall::of(&tally, handle), file))
            }
        }
    };
    let found: Vec<Result<(SiteInstall, String), CommandError>> = handles.par_iter().map(one).collect();
    let (mut installs, mut files) = (Vec::new(), Vec::new());
    for (handle, found) in handles.iter().zip(found) {
        match found {
            Ok((install, file)) => {
                installs.push(install);
                files.push(file);
            }
            Err(error) => output::warn(&format!("left out of the site: `{handle}`: {error}")),
        }
    }
    Ok((installs, files))
}

/// All pages but the first, each with what it is made of.
fn wanted(
    installs: &[SiteInstall],
    files: &[String],
    pages: &[SitePage],
    settings: &Settings,
) -> Vec<Wanted> {
    let rules = format!("{} {:?}", env!("CARGO_PKG_VERSION"), settings.own);
    // Two builds of one version may write otherwise: the program is part of what a page is made of.
    let program =
        std::env::current_exe().and_then(std::fs::metadata).map(|data| data.len()).unwrap_or_default();
    let key = |of: &[usize], ways: &[SiteLink]| {
        let files: Vec<&String> = of.iter().map(|at| &files[*at]).collect();
        let digest = Sha256::digest(format!("{program} {rules} {files:?} {ways:?}"));
        digest.iter().map(|byte| format!("{byte:02x}")).collect::<String>()
    };
    let handle = |at: &usize| installs[*at].label.handle.to_string();
    let mut wanted = Vec::new();
    for (at, install) in installs.iter().enumerate() {
        let others = pages
            .iter()
            .filter(|page| page.of.contains(&at))
            .map(|page| (page.path.clone(), page.title.clone()));
        let ways = site::ways(others);
        wanted.push(Wanted {
            path: install.path(),
            key: key(&[at], &ways),
            ways,
            handles: vec![handle(&at)],
            kind: None,
        });
    }
    for page in pages {
        let others = page.of.iter().map(|at| (installs[*at].path(), installs[*at].label.title()));
        let ways = site::ways(others);
        let handles = page.of.iter().map(handle).collect();
        wanted.push(Wanted {
            path: page.path.clone(),
            key: key(&page.of, &ways),
            ways,
            handles,
            kind: Some(page.kind),
        });
    }
    wanted
}

fn is_there(folder: &Path, one: &Wanted, before: &State) -> bool {
    before.pages.get(&one.path).is_some_and(|made| made.key == one.key) && folder.join(&one.path).is_file()
}

/// Tallies that are kept between two pages.
const KEPT: usize = 8;

/// Tallies of the shelf, those that were read last kept.
struct Lent<'a> {
    rules: &'a Rules,
    settings: &'a Settings,
    kept: Mutex<VecDeque<(String, Arc<Tally>)>>,
}

impl Lent<'_> {
    fn get(&self, handle: &str) -> Result<Arc<Tally>, CommandError> {
        let kept = || self.kept.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some((_, tally)) = kept().iter().find(|(known, _)| known == handle) {
            return Ok(Arc::clone(tally));
        }
        let tally = Arc::new(install::find(handle, self.settings, &self.rules.parts).map(Tally::for_others)?);
        let mut kept = kept();
        kept.push_front((handle.to_owned(), Arc::clone(&tally)));
        kept.truncate(KEPT);
        Ok(tally)
    }
}

/// A page, and the first headlines of a step.
fn rendered(one: &Wanted, shelf: &Lent<'_>) -> Result<(String, Vec<String>), CommandError> {
    let Rules { parts, roles, scores, agents } = shelf.rules;
    let find = |handle: &String| shelf.get(handle);
    let words = one.handles.join(" ");
    let pictures = super::report::thumbnails(&one.handles, shelf.settings);
    let knowledge = |command| Knowledge { parts, roles, command, pictures: &pictures, lags: &[] };
    match (one.kind, &one.handles[..]) {
        (None, [handle]) => {
            let command = format!("fresh-tally show {words}");
            let tally = find(handle)?;
            Ok((Report::of_install(&tally, &knowledge(&command)).html_in(&one.ways), Vec::new()))
        }
        (Some(SiteKind::Step), [old, new]) => {
            let (old, new) = (find(old)?, find(new)?);
            let comparison =
                compare_in_full(&old, &new, None, &HeadlineRules { scores, roles, parts, agents });
            let command = format!("fresh-tally compare {words}");
            let report = Report::of_comparison((&old, &new), &comparison, &knowledge(&command));
            Ok((report.html_in(&one.ways), site::first_headlines(&comparison)))
        }
        (_, several) => {
            let tallies: Vec<Arc<Tally>> = several.iter().map(find).collect::<Result<_, _>>()?;
            let tallies: Vec<&Tally> = tallies.iter().map(Arc::as_ref).collect();
            let asked = GridRules { parts, roles, asked: &[], likeness: Likeness::Applications };
            let command = format!("fresh-tally grid {words}");
            let grid = grid(&tallies, &asked);
            let report = Report::of_editions(&tallies, &grid, &knowledge(&command));
            Ok((report.html_in(&one.ways), Vec::new()))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_pages_of_the_site_are_ever_removed() {
        assert!(is_own("installs/a.html") && is_own("steps/a--b.html"));
        for other in ["index.html", "../a.html", "installs/../../a.html", "installs/a.txt", "/etc/passwd"] {
            assert!(!is_own(other), "{other}");
        }
    }
}
