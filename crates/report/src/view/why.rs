use crate::View;
use crate::document::{Block, Column, Document, Line, Role, Span, Table};
use crate::text::{bytes_human, count_of, megabytes};
use crate::view::dim;
use crate::wire::{CsvTable, WithText, pretty};
use crate::words;
use serde::Serialize;
use tally_core::find::{Answer, Hit, SearchResult};
use tally_core::model::{Label, MissingFact, PackageRef, Reason, Text};
use tally_core::weigh::Weighing;

/// Why a package is there, and what would leave with it.
#[derive(Debug, Clone, Serialize)]
pub struct WhyView {
    /// Schema number of this document.
    pub schema_version: u32,
    /// The install.
    #[serde(skip)]
    pub label: Label,
    /// The package.
    pub package: PackageRef,
    /// Why it is installed, as its system records it.
    pub reason: Reason,
    /// Dependency paths from explicitly installed packages, shortest first.
    pub paths: Vec<Vec<PackageRef>>,
    /// Paths that are not listed here.
    pub more_paths: u64,
    /// The others that would leave with it, by name.
    pub leaves_with: Vec<PackageRef>,
    /// Bytes on disk of the package and the others.
    pub leaves_bytes: u64,
    /// Packages that suggest it, by name. That pulls nothing in, but keeps it from being removed automatically.
    pub suggested_by: Vec<PackageRef>,
    /// Packages that depend on it directly, by name.
    pub needed_by: Vec<PackageRef>,
    /// Facts that the source does not record, and without which there is no answer.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub not_recorded: Vec<MissingFact>,
}

/// Others that the screen names.
const FEW: usize = 40;

impl WhyView {
    /// What is said of a package that nothing pulls in.
    fn unexplained(&self) -> String {
        let nothing = "Nothing that was installed explicitly depends on it";
        match &self.suggested_by[..] {
            [] => format!("{nothing}. "),
            [one] => format!("{nothing}; {} suggests it, which keeps it installed. ", one.name()),
            [one, others @ ..] => {
                let others = count_of(others.len() as u64, "other package");
                format!("{nothing}; {} and {others} suggest it, which keeps it installed. ", one.name())
            }
        }
    }
}

impl View for WhyView {
    fn document(&self) -> Document {
        let mut document = Document::default();
        document.title(
            format!("{} in {}", self.package.name(), self.label.title()),
            words::seen(self.label.seen_as()),
        );
        if !self.not_recorded.is_empty() {
            let facts: Vec<&str> = self.not_recorded.iter().map(|fact| words::missing_fact(*fact)).collect();
            document.paragraph(Span::new(
                Role::LookTwice,
                format!("Not recorded in this source: {}.", words::listed(&facts, facts.len())),
            ));
            if !self.not_recorded.contains(&MissingFact::Dependencies) {
                names(&mut document, "Depends on it", &self.needed_by);
            }
            return document;
        }
        let leaves = Line::from(match self.paths.len() {
            0 => Span::new(Role::LookTwice, self.unexplained()),
            _ if self.reason == Reason::Explicit => Span::from("It was installed explicitly. "),
            _ => Span::from("It was installed as a dependency. "),
        });
        document.paragraph(leaves.and(format!("Removing it frees {}.", bytes_human(self.leaves_bytes))));
        if !self.paths.is_empty() {
            document.heading("Why it is installed");
            let path =
                |path: &Vec<PackageRef>| path.iter().map(PackageRef::name).collect::<Vec<_>>().join(" → ");
            document.push(Block::Ranked(self.paths.iter().map(|p| Line::from(path(p))).collect()));
            if self.more_paths > 0 {
                document.paragraph(dim(format!(
                    "and from {}: --all shows one path from each",
                    count_of(self.more_paths, "other package")
                )));
            }
        }
        names(&mut document, "Removed along with it", &self.leaves_with);
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row {
            what: &'static str,
            package: String,
        }
        let paths = self.paths.iter().map(|path| {
            let path: Vec<&str> = path.iter().map(PackageRef::as_str).collect();
            Row { what: "path", package: path.join(" > ") }
        });
        let lists = [
            ("leaves-with", &self.leaves_with),
            ("suggested-by", &self.suggested_by),
            ("needed-by", &self.needed_by),
        ];
        let lists = lists.into_iter().flat_map(|(what, packages)| {
            packages.iter().map(move |package| Row { what, package: package.to_string() })
        });
        CsvTable::of(paths.chain(lists))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(self)
    }
}

/// A heading with the number of packages, and the names of the first.
fn names(document: &mut Document, heading: &str, packages: &[PackageRef]) {
    document.heading(Line::from(heading).and(dim(format!("  {}", packages.len()))));
    let names: Vec<&str> = packages.iter().take(FEW).map(PackageRef::name).collect();
    let rest = match packages.len() - names.len() {
        0 => String::new(),
        more => format!(" and {more} more"),
    };
    document.paragraph(if names.is_empty() {
        "none".to_owned()
    } else {
        format!("{}{rest}", names.join(", "))
    });
}

/// Whether an install fits a limit.
#[derive(Debug, Clone)]
pub struct WeighView {
    /// The install.
    pub label: Label,
    /// The answer.
    pub weighing: Weighing,
}

/// The set that reaches the limit, least missed first.
fn leave_out(document: &mut Document, weighing: &Weighing) {
    let Some(last) = weighing.proposal.last() else { return };
    let reaches = last.together_bytes >= weighing.over_bytes;
    document.heading(if reaches {
        "Leave out, to reach the limit"
    } else {
        "All that could be left out; the limit is out of reach"
    });
    let mut table = Table::new(vec![
        Column::new("leave out").name(),
        Column::new("packages").right().drops(1),
        Column::new("frees MB alone").right(),
        Column::new("MB together").right(),
    ]);
    for part in &weighing.proposal {
        let what = words::leave_out(part.kind, part.name.as_ref());
        table.row(vec![
            what.into(),
            part.packages.len().to_string().into(),
            megabytes(part.frees_bytes).into(),
            megabytes(part.together_bytes).into(),
        ]);
    }
    document.push(Block::Table(table));
}

/// Suggestions that the screen shows.
const SUGGESTIONS: usize = 15;

impl View for WeighView {
    fn document(&self) -> Document {
        let weighing = &self.weighing;
        let mut document = Document::default();
        document.title(self.label.title(), words::seen(self.label.seen_as()));
        let plus = if weighing.plus_bytes > 0 {
            format!(" plus {}", bytes_human(weighing.plus_bytes))
        } else {
            String::new()
        };
        let limit = bytes_human(weighing.limit_bytes);
        let said = format!("{} on disk{plus}, limit {limit}: ", bytes_human(weighing.installed_bytes));
        if weighing.over_bytes == 0 {
            document.paragraph(Line::from(said).and(Span::new(Role::Came, "it fits")));
            return document;
        }
        let over = Span::new(Role::LookTwice, format!("{} over", bytes_human(weighing.over_bytes)));
        document.paragraph(Line::from(said).and(over));
        leave_out(&mut document, weighing);
        document.heading("One by one");
        let mut table = Table::new(vec![
            Column::new("remove").name(),
            Column::new("frees MB").right(),
            Column::new("others removed").right().drops(1),
            Column::new("").drops(0),
        ]);
        for droppable in weighing.droppable.iter().take(SUGGESTIONS) {
            table.row(vec![
                droppable.name.as_str().into(),
                megabytes(droppable.frees_bytes).into(),
                droppable.leaves_with.len().to_string().into(),
                if droppable.enough { Span::new(Role::Came, "enough by itself") } else { Span::default() },
            ]);
        }
        document.table_or(table, "Nothing can be removed without breaking the system.");
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            name: &'a str,
            package: &'a str,
            frees_bytes: u64,
            leaves: usize,
            enough: bool,
            leaves_with: String,
        }
        CsvTable::of(self.weighing.droppable.iter().map(|droppable| {
            let with: Vec<&str> = droppable.leaves_with.iter().map(PackageRef::as_str).collect();
            Row {
                name: &droppable.name,
                package: droppable.package.as_str(),
                frees_bytes: droppable.frees_bytes,
                leaves: with.len(),
                enough: droppable.enough,
                leaves_with: with.join("; "),
            }
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        pretty(&self.weighing)
    }
}

/// What a search found in one install.
#[derive(Debug, Clone)]
pub struct FindView {
    /// The install.
    pub label: Label,
    /// What was found.
    pub result: SearchResult,
}

impl View for FindView {
    fn document(&self) -> Document {
        let result = &self.result;
        let mut document = Document::default();
        document.title(self.label.title(), words::seen(self.label.seen_as()));
        // That no known program does it is no answer where something says of itself that it does.
        let told = |answer: &&Answer| {
            result.hits.is_empty() || answer.is_there() || !matches!(answer, Answer::Packages { .. })
        };
        for answer in result.answers.iter().filter(told) {
            document.paragraph(Line::from(Span::new(Role::Strong, words::found(answer))));
        }
        if result.hits.is_empty() && !result.answers.is_empty() {
            return document;
        }
        if result.hits.is_empty() {
            document
                .paragraph(Line::from(Span::new(Role::Strong, format!("{} was not found.", result.asked))));
            let nearest: Vec<&str> = result.nearest.iter().map(|name| name.as_str()).collect();
            document.paragraph(if nearest.is_empty() {
                "No name is similar.".to_owned()
            } else {
                format!("Similar names: {}", nearest.join(", "))
            });
            return document;
        }
        let mut table = Table::new(vec![
            Column::new("name").name(),
            Column::new("version"),
            Column::new("what").drops(1),
            Column::new("package").name().drops(2),
            Column::new("why").sentence().drops(3),
        ]);
        for hit in &result.hits {
            table.row(vec![
                hit.name.as_str().into(),
                hit.version.as_deref().unwrap_or("unknown").into(),
                if hit.hidden { dim("hidden launcher") } else { words::thing(hit.what.name()).into() },
                hit.package.as_ref().map_or("no package", PackageRef::name).into(),
                dim(words::matched(&hit.matched)),
            ]);
        }
        document.push(Block::Table(table));
        document
    }

    fn csv(&self) -> csv::Result<CsvTable> {
        #[derive(Serialize, Default)]
        struct Row<'a> {
            what: &'a str,
            name: &'a str,
            version: Option<&'a str>,
            package: Option<&'a str>,
            why: String,
            score: f64,
        }
        CsvTable::of(self.result.hits.iter().map(|hit| Row {
            what: hit.what.name(),
            name: &hit.name,
            version: hit.version.as_deref(),
            package: hit.package.as_ref().map(PackageRef::as_str),
            why: words::matched(&hit.matched),
            score: hit.score,
        }))
    }

    fn json(&self) -> serde_json::Result<Vec<u8>> {
        #[derive(Serialize)]
        struct Wire<'a> {
            schema_version: u32,
            asked: &'a str,
            answers: Vec<WithText<&'a Answer>>,
            hits: Vec<WithText<&'a Hit>>,
            nearest: &'a [Text],
        }
        let SearchResult { schema_version, asked, answers, hits, nearest } = &self.result;
        let answers =
            answers.iter().map(|answer| WithText { text: words::found(answer), data: answer }).collect();
        let hits = hits.iter().map(|hit| WithText { text: words::matched(&hit.matched), data: hit });
        pretty(&Wire { schema_version: *schema_version, asked, answers, hits: hits.collect(), nearest })
    }
}
