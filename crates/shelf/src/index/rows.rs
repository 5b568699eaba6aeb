//! What the index keeps of a tally.

use tally_core::lag::day_of_proof;
use tally_core::model::{Package, Picture, PictureKind, ReleaseHistory, System, Tally};
use tally_core::systems::upstream;

/// What a row of the index is about, and so what its texts mean.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum RowKind {
    /// Key: package name; source: its source package.
    Package = 0,
    /// Key: application ID; name: its name. One row for each delivery, or one without a system where there is none.
    Application = 1,
    /// Key: application name; source: its ID.
    ApplicationName = 2,
    /// Key: stable name of a part; name: what fills it.
    Part = 3,
    /// Key: what fills a part; source: the part's stable name.
    PartName = 4,
}

impl RowKind {
    pub(crate) fn from_number(number: i64) -> Option<Self> {
        [Self::Package, Self::Application, Self::ApplicationName, Self::Part, Self::PartName]
            .into_iter()
            .find(|sort| *sort as i64 == number)
    }

    pub(crate) fn what(self) -> &'static str {
        match self {
            Self::Package => "package",
            Self::Application | Self::ApplicationName => "application",
            Self::Part | Self::PartName => "part",
        }
    }
}

/// A row: lower-case key, and what is said of it. Empty texts say nothing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Thing {
    pub(crate) sort: RowKind,
    pub(crate) key: String,
    /// As it is written; empty where that is the key.
    pub(crate) name: String,
    pub(crate) version: String,
    pub(crate) source: String,
    /// Position in [`System::ALL`]; -1 where no system delivers it.
    pub(crate) system: i64,
    /// Names whose place a package takes.
    pub(crate) claims: Vec<String>,
}

/// All of that of one tally.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Rows {
    pub(crate) label: String,
    /// The day by which all that it has was out; empty where there is none.
    pub(crate) day: String,
    pub(crate) taken_at: String,
    pub(crate) packages: i64,
    pub(crate) applications: i64,
    pub(crate) bytes: i64,
    pub(crate) things: Vec<Thing>,
    /// Icons are too many, and say nothing of a distribution.
    pub(crate) pictures: Vec<Picture>,
    /// What programs say of their own releases: the project in small letters, the file, and the days by version as JSON.
    pub(crate) releases: Vec<(String, String, String)>,
}

impl Rows {
    pub(crate) fn of(tally: &Tally) -> Self {
        let number = |n: u64| i64::try_from(n).unwrap_or(i64::MAX);
        let mut things: Vec<Thing> = tally.present().map(package).collect();
        for application in &tally.applications {
            let mut deliveries: Vec<(Option<System>, &str)> = application
                .delivered
                .iter()
                .map(|delivery| (Some(delivery.system), upstream(delivery.system, &delivery.version)))
                .collect();
            // No package brought it, and it is there all the same.
            if deliveries.is_empty() {
                deliveries.push((None, application.version.as_deref().unwrap_or_default()));
            }
            for (system, version) in deliveries {
                let system = system_number(system);
                let row = |sort, key: &str, source: &str| {
                    thing(sort, key, &application.name, version, source, system)
                };
                things.push(row(RowKind::Application, &application.id, ""));
                things.push(row(RowKind::ApplicationName, &application.name, &application.id));
            }
        }
        for part in &tally.parts {
            let system =
                system_number(part.package.as_ref().and_then(|p| p.parts()).map(|(system, _)| system));
            let version = part.version.as_deref().unwrap_or_default();
            things.push(thing(RowKind::Part, &part.part, &part.name, version, "", system));
            things.push(thing(RowKind::PartName, &part.name, &part.name, version, &part.part, system));
        }
        Self {
            label: serde_json::to_string(&tally.label).unwrap_or_default(),
            day: day_of_proof(tally).map(|day| day.to_string()).unwrap_or_default(),
            taken_at: tally.taken.at.to_string(),
            packages: number(tally.present().count() as u64),
            applications: number(tally.applications.len() as u64),
            bytes: number(tally.installed_bytes()),
            things,
            releases: tally.releases.iter().map(releases).collect(),
            pictures: tally.pictures.iter().filter(|one| one.kind != PictureKind::Icon).cloned().collect(),
        }
    }
}

fn releases(of: &ReleaseHistory) -> (String, String, String) {
    let released = serde_json::to_string(&of.released).unwrap_or_default();
    (of.project.to_lowercase(), of.evidence.file.to_string(), released)
}

fn package(package: &Package) -> Thing {
    let source = package.source.as_deref().filter(|source| *source != package.name.as_str());
    let mut row = thing(
        RowKind::Package,
        &package.name,
        &package.name,
        &package.upstream_version,
        source.unwrap_or_default(),
        system_number(Some(package.system)),
    );
    row.claims = package.replaces.iter().map(|claimed| claimed.name.to_string()).collect();
    row
}

fn thing(sort: RowKind, key: &str, name: &str, version: &str, source: &str, system: i64) -> Thing {
    let key = key.to_lowercase();
    let name = if name == key { String::new() } else { name.to_owned() };
    Thing {
        sort,
        name,
        key,
        version: version.to_owned(),
        source: source.to_owned(),
        system,
        claims: Vec::new(),
    }
}

fn system_number(system: Option<System>) -> i64 {
    let at = System::ALL.iter().position(|known| Some(*known) == system);
    at.and_then(|at| i64::try_from(at).ok()).unwrap_or(-1)
}
