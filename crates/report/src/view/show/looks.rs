use crate::document::{Block, Document, Fact, Line};
use crate::text::count_of;
use crate::view::dim;
use crate::wire::CsvTable;
use crate::words;
use serde::Serialize;
use tally_core::model::{Look, Looks, PackageRef, Tally, Text};

pub(super) fn document(tally: &Tally) -> Document {
    let looks = &tally.looks;
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    let sessions: Vec<String> =
        looks.sessions.iter().map(|s| format!("{} ({})", s.name, words::display(&s.display))).collect();
    let pictures: u64 = looks.wallpapers.iter().filter_map(|pack| pack.count).map(u64::from).sum();
    let packs =
        format!("{} in {}", count_of(pictures, "picture"), count_of(looks.wallpapers.len() as u64, "pack"));
    let mut facts = vec![
        fact(
            "Sessions",
            if sessions.is_empty() { "none".into() } else { sessions.join(", ") },
            started(looks),
        ),
        fact("Themes", named(&looks.themes), set(looks.default_theme.as_ref())),
        fact("Icon sets", named(&looks.icon_sets), set(looks.default_icons.as_ref())),
        fact(
            "Wallpapers",
            format!("{packs}: {}", named(&looks.wallpapers)),
            set(looks.default_wallpaper.as_ref()),
        ),
        fact(
            "Fonts",
            format!("{}: {}", count_of(looks.fonts.len() as u64, "family"), named(&looks.fonts)),
            set(looks.default_font.as_ref()),
        ),
    ];
    let more = [("Mouse pointer", looks.default_pointer.clone()), ("Colour scheme", looks.colour_scheme())];
    let more =
        more.into_iter().filter_map(|(name, value)| Some(fact(name, value?.to_string(), Line::default())));
    facts.extend(more);
    document.push(Block::Facts(facts));
    let files: Vec<String> = looks.evidence.iter().map(tally_core::model::Evidence::place).collect();
    let said = if files.is_empty() {
        "No file sets a theme for new users.".to_owned()
    } else {
        format!("Settings read from {}", files.join(", "))
    };
    document.paragraph(dim(said));
    document
}

fn fact(name: &str, value: String, set: Line) -> Fact {
    let mut value = Line::from(value);
    value.0.extend(set.0);
    Fact { name: name.into(), value, aside: Line::default() }
}

/// The session that starts, how it draws, and what starts it.
fn started(looks: &Looks) -> Line {
    let by = looks.display_manager.as_ref().map(|by| format!(", started by {by}")).unwrap_or_default();
    match words::session(looks) {
        Some(said) => dim(format!("; default: {said}{by}")).into(),
        None => Line::default(),
    }
}

fn set(default: Option<&Text>) -> Line {
    default.map(|default| dim(format!("; default: {default}")).into()).unwrap_or_default()
}

fn named(looks: &[Look]) -> String {
    let one = |look: &Look| match look.count {
        Some(count) => format!("{} {count}", look.name),
        None => look.name.to_string(),
    };
    if looks.is_empty() { "none".into() } else { looks.iter().map(one).collect::<Vec<_>>().join(", ") }
}

pub(super) fn csv(tally: &Tally) -> csv::Result<CsvTable> {
    #[derive(Serialize, Default)]
    struct Row<'a> {
        kind: &'a str,
        name: &'a str,
        count: Option<u32>,
        default: bool,
        package: Option<&'a str>,
        file: String,
    }
    let looks = &tally.looks;
    let sessions = looks.sessions.iter().map(|session| Row {
        kind: "session",
        name: &session.id,
        count: None,
        default: looks.started().is_some_and(|started| std::ptr::eq(started, session)),
        package: session.package.as_ref().map(PackageRef::as_str),
        file: session.evidence.place(),
    });
    let lists = [
        ("theme", &looks.themes, &looks.default_theme),
        ("icon-set", &looks.icon_sets, &looks.default_icons),
        ("wallpapers", &looks.wallpapers, &looks.default_wallpaper),
        ("font", &looks.fonts, &looks.default_font),
    ];
    let lists = lists.into_iter().flat_map(|(kind, list, default)| {
        list.iter().map(move |look| Row {
            kind,
            name: &look.name,
            count: look.count,
            default: default.as_ref() == Some(&look.name),
            package: look.package.as_ref().map(PackageRef::as_str),
            file: look.evidence.place(),
        })
    });
    CsvTable::of(sessions.chain(lists))
}
