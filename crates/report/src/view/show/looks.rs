use crate::document::{Block, Document, Fact, Line};
use crate::text::count_of;
use crate::view::dim;
use crate::wire::CsvTable;
use crate::words;
use tally_core::model::{Look, PackageRef, Tally, Text};

pub(super) fn document(tally: &Tally) -> Document {
    let looks = &tally.looks;
    let mut document = Document::default();
    document.title(tally.label.title(), words::seen(tally.label.seen_as()));
    let sessions: Vec<String> =
        looks.sessions.iter().map(|s| format!("{} ({})", s.name, s.display)).collect();
    let pictures: u64 = looks.wallpapers.iter().filter_map(|pack| pack.count).map(u64::from).sum();
    let packs =
        format!("{} in {}", count_of(pictures, "picture"), count_of(looks.wallpapers.len() as u64, "pack"));
    document.push(Block::Facts(vec![
        fact(
            "Sessions",
            if sessions.is_empty() { "none".into() } else { sessions.join(", ") },
            set(looks.default_session.as_ref()),
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
            format!("{}: {}", count_of(looks.fonts.len() as u64, "folder"), named(&looks.fonts)),
            set(looks.default_font.as_ref()),
        ),
    ]));
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

pub(super) fn csv(tally: &Tally) -> CsvTable {
    let looks = &tally.looks;
    let mut table = CsvTable::new(&["kind", "name", "count", "default", "package", "file"]);
    let owner = |package: &Option<PackageRef>| package.as_ref().map(ToString::to_string).unwrap_or_default();
    for session in &looks.sessions {
        let default = looks.default_session.as_ref() == Some(&session.id);
        table.row(vec![
            "session".into(),
            session.id.to_string(),
            String::new(),
            default.to_string(),
            owner(&session.package),
            session.evidence.place(),
        ]);
    }
    for (sort, list, default) in [
        ("theme", &looks.themes, &looks.default_theme),
        ("icon-set", &looks.icon_sets, &looks.default_icons),
        ("wallpapers", &looks.wallpapers, &looks.default_wallpaper),
        ("font", &looks.fonts, &looks.default_font),
    ] {
        for look in list {
            let count = look.count.map(|n| n.to_string()).unwrap_or_default();
            table.row(vec![
                sort.into(),
                look.name.to_string(),
                count,
                (default.as_ref() == Some(&look.name)).to_string(),
                owner(&look.package),
                look.evidence.place(),
            ]);
        }
    }
    table
}
