//! A site of a shelf: which pages it has, its index, its feed and its map. Links are relative, so that it can be put anywhere.

use crate::document::{Block, Column, Document, Fact, Line, Role, Section, Span, Table};
use crate::render::html;
use crate::text::{bytes_human, clean, count_of, thousands};
use crate::view::{capital, change_title, dim, shared_by_all};
use crate::words;
use html_escape::encode_double_quoted_attribute;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use std::fmt::Write;
use tally_core::compare::Comparison;
use tally_core::grid::short_names;
use tally_core::model::{Label, MissingFact, Tally, Text};
use tally_core::version::compare_plain;

/// Headlines of a release step that the index and the feed tell.
const HEADLINES: usize = 3;
/// Installs that one page puts side by side.
const SIDE_BY_SIDE: usize = 12;
/// Parts that the index names.
const PARTS: [&str; 2] = ["desktop", "kernel"];

/// What the index tells of an install.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SiteInstall {
    /// What it is.
    pub label: Label,
    /// When it was taken, RFC 3339 UTC.
    pub taken_at: Text,
    packages: u64,
    /// Programs of the menu; none where that is not recorded.
    programs: Option<u64>,
    /// Bytes on disk; none where they are not recorded.
    bytes: Option<u64>,
    /// Name and version of each of [`PARTS`]; empty where there is none.
    parts: Vec<String>,
}

impl SiteInstall {
    /// Of an install that the shelf has under a handle; what the tally itself says is none of the site's paths.
    pub fn of(tally: &Tally, handle: &str) -> Self {
        let part = |named: &str| {
            let part = tally.parts.iter().find(|part| part.part == named);
            let said = part.map(|part| [Some(part.name.as_str()), part.version.as_deref()]);
            said.map(|said| said.into_iter().flatten().collect::<Vec<_>>().join(" ")).unwrap_or_default()
        };
        Self {
            label: Label { handle: handle.into(), ..tally.label.clone() },
            taken_at: tally.taken.at.clone(),
            packages: tally.present().count() as u64,
            programs: (!tally.lacks(MissingFact::Launchers)).then_some(tally.counts.applications.into()),
            bytes: (!tally.lacks(MissingFact::Sizes)).then(|| tally.installed_bytes()),
            parts: PARTS.map(part).to_vec(),
        }
    }

    /// The day that it is listed under: of its release, else when it was taken.
    fn day(&self) -> &str {
        let day = self.label.release_date.as_deref().unwrap_or(&self.taken_at);
        day.get(..10).unwrap_or_default()
    }

    /// The path of its page.
    pub fn path(&self) -> String {
        format!("installs/{}.html", self.label.handle)
    }
}

/// What a page of several installs shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SiteKind {
    /// What changed from the first to the second.
    Step,
    /// How they differ.
    Editions,
}

/// A page of several installs.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SitePage {
    /// What it shows.
    pub kind: SiteKind,
    /// Its path.
    pub path: String,
    /// Its title.
    pub title: String,
    /// Positions of its installs.
    pub of: Vec<usize>,
}

/// The first headlines of a comparison, as the index and the feed tell them.
pub fn first_headlines(comparison: &Comparison) -> Vec<String> {
    comparison.headlines.iter().take(HEADLINES).map(|headline| words::headline(&headline.news)).collect()
}

/// The pages of several installs: a step for each two releases of one edition that follow one another, and the editions of each release.
pub fn pages(installs: &[SiteInstall]) -> Vec<SitePage> {
    let mut editions: BTreeMap<[Option<&Text>; 4], Vec<usize>> = BTreeMap::new();
    let mut releases: BTreeMap<[Option<&Text>; 3], Vec<usize>> = BTreeMap::new();
    for (at, SiteInstall { label, .. }) in installs.iter().enumerate() {
        let edition =
            [Some(&label.distro_id), label.edition.as_ref(), label.profile.as_ref(), label.arch.as_ref()];
        editions.entry(edition).or_default().push(at);
        releases
            .entry([Some(&label.distro_id), label.release.as_ref(), label.arch.as_ref()])
            .or_default()
            .push(at);
    }
    let label = |at: usize| &installs[at].label;
    let mut pages = Vec::new();
    for mut of in editions.into_values() {
        let release = |at: &usize| label(*at).release.clone().unwrap_or_default();
        of.sort_by(|a, b| {
            let by_release = compare_plain(&release(a), &release(b));
            by_release.then_with(|| installs[*a].taken_at.cmp(&installs[*b].taken_at))
        });
        for pair in of.windows(2) {
            let (old, new) = (label(pair[0]), label(pair[1]));
            pages.push(SitePage {
                kind: SiteKind::Step,
                path: format!("steps/{}--{}.html", old.handle, new.handle),
                title: change_title(old, new),
                of: pair.to_vec(),
            });
        }
    }
    for mut of in releases.into_values() {
        let is_edition = |at: &usize| (&label(*at).edition, &label(*at).profile);
        of.sort_by_key(|at| is_edition(at));
        of.dedup_by(|a, b| is_edition(a) == is_edition(b));
        of.truncate(SIDE_BY_SIDE);
        if of.len() < 2 {
            continue;
        }
        let labels: Vec<Label> = of.iter().map(|at| label(*at).clone()).collect();
        let names: Vec<String> = short_names(&labels).iter().map(ToString::to_string).collect();
        let (name, release) = (&labels[0].distro, labels[0].release.as_deref().unwrap_or_default());
        pages.push(SitePage {
            kind: SiteKind::Editions,
            path: format!("editions/{}.html", labels[0].handle),
            title: format!("{name} {release}: {}", names.join(", ")),
            of,
        });
    }
    pages
}

/// A way from one page of the site to another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SiteLink {
    /// The path, from the page that it is on.
    pub to: String,
    /// What it says.
    pub text: String,
}

/// The ways from a page that is in a folder of the site: to the index, and to the pages that it is told of.
pub fn ways(others: impl IntoIterator<Item = (String, String)>) -> Vec<SiteLink> {
    let index = SiteLink { to: "../index.html".to_owned(), text: "All installs".to_owned() };
    let other = |(path, text): (String, String)| SiteLink { to: format!("../{}", encoded(&path)), text };
    std::iter::once(index).chain(others.into_iter().map(other)).collect()
}

/// A path as a link has it (RFC 3986).
fn encoded(path: &str) -> String {
    let mut out = String::with_capacity(path.len());
    for byte in path.bytes() {
        match byte {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'.' | b'_' | b'~' | b'/' => {
                out.push(char::from(byte));
            }
            _ => _ = write!(out, "%{byte:02X}"),
        }
    }
    out
}

fn link(path: &str, text: impl AsRef<str>) -> Span {
    Span::from(text.as_ref()).leads_to(format!("./{}", encoded(path)))
}

/// The first page: all installs, the newest first, the steps between releases, and the editions side by side. `told` has the first headlines
/// of steps, by path.
pub fn index(installs: &[SiteInstall], pages: &[SitePage], told: &BTreeMap<String, Vec<String>>) -> String {
    let mut document = Document::default();
    let labels: Vec<Label> = installs.iter().map(|install| install.label.clone()).collect();
    let shared = shared_by_all(&labels);
    let title = if shared.is_empty() { "What is in the box".to_owned() } else { shared };
    let number = |noun: &str, n: usize| Fact {
        name: capital(noun).into(),
        value: Span::new(Role::Strong, thousands(n as u64)).into(),
        aside: Line::default(),
    };
    let count = |kind: SiteKind| pages.iter().filter(|page| page.kind == kind).count();
    document.title(Line::from(Span::new(Role::Strong, title)), count_of(installs.len() as u64, "install"));
    document.push(Block::Figures(vec![
        number("installs", installs.len()),
        number("release steps", count(SiteKind::Step)),
        number("editions side by side", count(SiteKind::Editions)),
    ]));
    document.push(section("installs", "Installs", vec![timeline(installs)]));
    for (kind, id, title) in [
        (SiteKind::Step, "steps", "Release by release"),
        (SiteKind::Editions, "editions", "Editions side by side"),
    ] {
        let mut table = Table::new(vec![Column::new("page").name(), Column::new("headlines").sentence()]);
        let mut of_kind: Vec<&SitePage> = pages.iter().filter(|page| page.kind == kind).collect();
        of_kind.sort_by_cached_key(|page| std::cmp::Reverse(newest(installs, page).to_owned()));
        for page in of_kind {
            let said = told.get(&page.path).map(|lines| lines.join("; ")).unwrap_or_default();
            table.row(vec![link(&page.path, &page.title), dim(said)]);
        }
        if kind == SiteKind::Editions {
            table.columns.truncate(1);
        }
        if !table.rows.is_empty() {
            document.push(section(id, title, vec![Block::Table(table)]));
        }
    }
    document.paragraph(dim("Made by fresh-tally."));
    let feed =
        "<link rel=\"alternate\" type=\"application/atom+xml\" title=\"What came\" href=\"feed.xml\">\n";
    html::render_with(&document, &[], feed)
}

fn section(id: &'static str, title: &str, blocks: Vec<Block>) -> Block {
    Block::Section(Section { id, title: title.to_owned(), open: true, blocks, ..Section::default() })
}

fn newest<'i>(installs: &'i [SiteInstall], page: &SitePage) -> &'i str {
    page.of.iter().map(|at| installs[*at].day()).max().unwrap_or_default()
}

/// All installs by day, the newest first.
fn timeline(installs: &[SiteInstall]) -> Block {
    let mut table = Table::new(vec![
        Column::new("install").name(),
        Column::new("day").right(),
        Column::new("distribution"),
        Column::new("edition"),
        Column::new("packages").right(),
        Column::new("programs").right(),
        Column::new("on disk").right(),
        Column::new("desktop"),
        Column::new("kernel"),
    ]);
    table.filters = vec!["distribution", "edition"];
    let mut sorted: Vec<&SiteInstall> = installs.iter().collect();
    sorted.sort_by(|a, b| b.day().cmp(a.day()).then_with(|| a.label.handle.cmp(&b.label.handle)));
    for install in sorted {
        let edition = [&install.label.edition, &install.label.profile, &install.label.arch];
        let edition: Vec<&str> = edition.into_iter().flatten().map(Text::as_str).collect();
        let mut row = vec![
            link(
                &install.path(),
                Label { edition: None, profile: None, arch: None, ..install.label.clone() }.title(),
            ),
            install.day().into(),
            install.label.distro.as_str().into(),
            Span::from(edition.join(", ")),
            thousands(install.packages).into(),
            install.programs.map_or_else(|| dim("not recorded"), |n| thousands(n).into()),
            install.bytes.map_or_else(|| dim("not recorded"), |bytes| bytes_human(bytes).into()),
        ];
        row.extend(install.parts.iter().map(|part| Span::from(part.as_str())));
        table.row(row);
    }
    if table.rows.is_empty() {
        return Block::Paragraph(dim("There is no install yet.").into());
    }
    Block::Table(table)
}

/// Entries of the feed at most, the newest.
const ENTRIES: usize = 100;

/// What came, the newest first (Atom, RFC 4287). Without `url`, the address of the site, links are relative to the feed.
pub fn feed(
    installs: &[SiteInstall],
    pages: &[SitePage],
    told: &BTreeMap<String, Vec<String>>,
    url: Option<&str>,
) -> String {
    let base = base(url);
    let mut entries: Vec<(String, String, String, String)> = installs
        .iter()
        .map(|install| {
            let mut said = vec![count_of(install.packages, "package")];
            said.extend(install.programs.map(|n| count_of(n, "program")));
            said.extend(install.bytes.map(bytes_human));
            said.extend(install.parts.iter().filter(|part| !part.is_empty()).cloned());
            (install.taken_at.to_string(), install.path(), install.label.title(), said.join(", "))
        })
        .collect();
    entries.extend(pages.iter().filter(|page| page.kind == SiteKind::Step).map(|page| {
        let at = page.of.iter().map(|at| installs[*at].taken_at.as_str()).max().unwrap_or_default();
        let said = told.get(&page.path).map(|lines| lines.join("; ")).unwrap_or_default();
        (at.to_owned(), page.path.clone(), page.title.clone(), said)
    }));
    entries.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| a.1.cmp(&b.1)));
    entries.truncate(ENTRIES);
    let updated = entries.first().map_or("1970-01-01T00:00:00Z", |entry| entry.0.as_str());
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<feed xmlns=\"http://www.w3.org/2005/Atom\">\n<title>What is in the box</title>\n\
         <id>{}</id>\n<updated>{}</updated>\n<author><name>fresh-tally</name></author>\n\
         <link rel=\"self\" href=\"{}feed.xml\"/>\n<link href=\"{}index.html\"/>\n",
        id(&base, ""),
        xml(updated),
        xml(&base),
        xml(&base)
    );
    for (at, path, title, said) in entries {
        let path = encoded(&path);
        _ = write!(
            out,
            "<entry>\n<title>{}</title>\n<id>{}</id>\n<updated>{}</updated>\n<link href=\"{}{path}\"/>\n<summary>{}</summary>\n</entry>\n",
            xml(&title),
            id(&base, &path),
            xml(&at),
            xml(&base),
            xml(&said)
        );
    }
    out.push_str("</feed>\n");
    out
}

/// All pages (Sitemaps 0.9), whose addresses have to be whole ones.
pub fn sitemap(paths: &[String], url: &str) -> String {
    let base = base(Some(url));
    let mut out = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<urlset xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">\n".to_owned();
    for path in paths {
        _ = writeln!(out, "<url><loc>{}{}</loc></url>", xml(&base), encoded(path));
    }
    out.push_str("</urlset>\n");
    out
}

fn base(url: Option<&str>) -> String {
    url.map(|url| format!("{}/", url.trim_end_matches('/'))).unwrap_or_default()
}

/// The address of a page; where none is known, a name that is nobody's (RFC 4151, RFC 2606).
fn id(base: &str, path: &str) -> String {
    if base.is_empty() { format!("tag:site.invalid,2026:/{path}") } else { xml(&format!("{base}{path}")) }
}

fn xml(text: &str) -> String {
    encode_double_quoted_attribute(&clean(text)).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn install(distro: &str, release: &str, edition: &str, handle: &str) -> SiteInstall {
        let label = Label {
            distro: distro.into(),
            distro_id: distro.to_lowercase().into(),
            release: Some(release.into()),
            edition: Some(edition.into()),
            handle: handle.into(),
            ..Label::default()
        };
        SiteInstall {
            label,
            taken_at: "2026-05-04T10:00:00Z".into(),
            packages: 10,
            programs: Some(3),
            bytes: None,
            parts: vec!["Weir 4".into(), String::new()],
        }
    }

    #[test]
    fn releases_of_one_edition_are_steps_in_the_order_of_their_versions_and_editions_of_one_release_stand_side_by_side()
     {
        let all = [
            install("Marsh", "10", "Reed", "ten"),
            install("Marsh", "9", "Reed", "nine"),
            install("Marsh", "10", "Mud", "mud"),
            install("Fen", "1", "Reed", "fen"),
        ];
        let pages = pages(&all);
        let paths: Vec<&str> = pages.iter().map(|page| page.path.as_str()).collect();
        assert_eq!(paths, ["steps/nine--ten.html", "editions/mud.html"], "{pages:?}");
        assert_eq!(pages[0].of, [1, 0]);
        assert_eq!(pages[0].title, "Marsh, Reed: 9 → 10");
    }

    #[test]
    fn hostile_names_stay_text_and_links_stay_in_the_site() {
        let hostile = "a</title><script>alert(1)</script>\" onload=\"x";
        let mut one = install(hostile, "1", "x", "a b#?%");
        one.label.release_date = Some("9999-99-99T<b>".into());
        let all = [one, install("Marsh", "2", "x", "two")];
        let told = BTreeMap::new();
        for made in
            [index(&all, &pages(&all), &told), feed(&all, &[], &told, Some("https://marsh.example/box/"))]
        {
            assert!(
                !made.contains("<script>alert")
                    && !made.contains("\" onload")
                    && made.contains("a%20b%23%3F%25")
            );
        }
        let map = sitemap(&["installs/a b.html".to_owned()], "https://marsh.example/box");
        assert!(map.contains("<loc>https://marsh.example/box/installs/a%20b.html</loc>"), "{map}");
    }
}
