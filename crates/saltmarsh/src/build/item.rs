//! A package as the builders of families beside dpkg and pacman write it: what is alike in all of them.

use super::{Root, dpkg, shape};
use crate::world::Shipped;
use crate::{Install, WorldError};

/// When everything was installed: 2026-05-04 09:46:40 UTC.
pub(super) const INSTALLED_AT: u64 = 1_777_888_000;

/// A need, or something provided: a name, and perhaps a sign with a version.
#[derive(Debug, Clone)]
pub(super) struct Need {
    pub(super) name: String,
    pub(super) sign: Option<(&'static str, String)>,
}

/// A package with its version taken apart and its files written.
pub(super) struct Item<'w> {
    pub(super) shipped: &'w Shipped<'w>,
    pub(super) epoch: Option<String>,
    /// Digits, small letters, points and underscores.
    pub(super) upstream: String,
    /// Digits.
    pub(super) revision: String,
    pub(super) followed: bool,
    /// Paths of its files, sorted.
    pub(super) files: Vec<String>,
    /// Of alternatives the first: most systems have no "or".
    pub(super) needs: Vec<Need>,
    pub(super) recommends: Vec<Need>,
    pub(super) provides: Vec<Need>,
    pub(super) replaces: Vec<Need>,
}

impl<'w> Item<'w> {
    fn of(shipped: &'w Shipped<'w>, followed: bool, files: Vec<String>) -> Self {
        let (epoch, upstream, revision) = take_apart(shipped.version);
        let optional = |text: &Option<String>| needs(text.as_deref().unwrap_or_default());
        Self {
            shipped,
            epoch,
            upstream,
            revision,
            followed,
            files,
            needs: needs(&shipped.needs),
            recommends: optional(&shipped.relations.recommends),
            provides: optional(&shipped.relations.provides),
            replaces: optional(&shipped.relations.replaces),
        }
    }

    /// The packages of an archive, of which no file is written.
    pub(super) fn offered(archive: &'w [Shipped<'w>]) -> Vec<Self> {
        let listed = archive.iter().filter(|package| package.name != "duckboard");
        listed.map(|shipped| Self::of(shipped, false, Vec::new())).collect()
    }

    /// When it was built, as a format of `strftime` says it.
    pub(super) fn built(&self, format: &str) -> String {
        let built = jiff::Timestamp::from_second(self.shipped.built.cast_signed()).unwrap_or_default();
        built.strftime(format).to_string()
    }

    pub(super) fn name(&self) -> &str {
        self.shipped.name
    }

    pub(super) fn bytes(&self) -> u64 {
        self.shipped.kib * 1024
    }

    pub(super) fn source(&self) -> &str {
        self.shipped.relations.source.as_deref().unwrap_or(self.shipped.name)
    }

    /// `neutral` for packages that hold nothing that a processor runs.
    pub(super) fn arch<'a>(&self, neutral: &'a str) -> &'a str {
        if shape::arch(self.shipped.shape) == "all" { neutral } else { "x86_64" }
    }

    /// Whether it runs without being asked.
    pub(super) fn is_service(&self) -> bool {
        matches!(self.shipped.shape, "service" | "agent" | "dm")
    }

    /// Folders of its files, each with those below it.
    pub(super) fn folders(&self) -> Vec<(&str, Vec<&str>)> {
        let mut folders: Vec<(&str, Vec<&str>)> = Vec::new();
        for path in &self.files {
            let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
            match folders.last_mut() {
                Some((last, names)) if *last == folder => names.push(name),
                _ => folders.push((folder, vec![name])),
            }
        }
        folders
    }
}

/// The packages of an install that are there, their files written below the root; `prefix` takes the place of `usr/`.
/// `service` gives the script with which the family's init starts a service.
pub(super) fn items<'w>(
    root: &Root<'_>,
    install: &Install,
    packages: &'w [Shipped<'w>],
    prefix: &str,
    service: &dyn Fn(&Shipped<'_>) -> Option<(String, String)>,
) -> Result<Vec<Item<'w>>, WorldError> {
    let followed = dpkg::followed(install, packages);
    let there = packages.iter().filter(|package| !install.leftovers.iter().any(|left| left == package.name));
    let mut items = Vec::new();
    for shipped in there {
        let mut files = Vec::new();
        for (path, content) in shape::files(shipped) {
            let path = path.strip_prefix("usr/").map_or(path.clone(), |rest| format!("{prefix}{rest}"));
            root.file(&path, content)?;
            files.push(path);
        }
        if matches!(shipped.shape, "service" | "agent" | "dm")
            && let Some((path, content)) = service(shipped)
        {
            root.file(&path, content)?;
            files.push(path);
        }
        files.sort();
        items.push(Item::of(shipped, followed.contains(shipped.name), files));
    }
    Ok(items)
}

/// Epoch, upstream version and revision, in letters that every system takes.
fn take_apart(version: &str) -> (Option<String>, String, String) {
    let (epoch, rest) =
        version.split_once(':').map_or((None, version), |(epoch, rest)| (Some(epoch.to_owned()), rest));
    let (upstream, revision) = rest.rsplit_once('-').unwrap_or((rest, "1"));
    let numbers = upstream.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(upstream.len());
    let upstream = upstream[..numbers].trim_end_matches('.');
    let revision: String = revision.chars().take_while(char::is_ascii_digit).collect();
    (epoch, upstream.to_owned(), if revision.is_empty() { "0".into() } else { revision })
}

/// Relations as the world states them: commas, bars for alternatives, versions in brackets.
fn needs(text: &str) -> Vec<Need> {
    let one = |group: &str| {
        let first = group.split('|').next().unwrap_or_default().trim();
        let (name, version) = first.split_once(" (").unwrap_or((first, ""));
        let sign = version.trim_end_matches(')').split_once(' ').map(|(sign, version)| {
            let sign = match sign {
                "<<" => "<",
                ">>" => ">",
                "<=" => "<=",
                ">=" => ">=",
                _ => "=",
            };
            (sign, take_apart(version).1)
        });
        Need { name: name.to_owned(), sign }
    };
    text.split(", ").filter(|group| !group.is_empty()).map(one).collect()
}
