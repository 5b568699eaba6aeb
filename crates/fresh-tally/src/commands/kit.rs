use crate::error::CommandError;
use crate::exit::Exit;
use crate::output;
use crate::settings::Settings;
use tally_readers::packages::{KitRule, REGISTRY};

/// The script that collects what is read of an install, but for the files of the package systems: `@WHOLE@`, `@FILTERED@` and `@IMAGES@`
/// are where those belong.
const TEMPLATE: &str = include_str!("../kit/kit.sh");

pub(crate) fn run(settings: &Settings) -> Result<Exit, CommandError> {
    output::answer(script().as_bytes(), settings)?;
    Ok(Exit::Done)
}

/// The script, with the files that the readers of package systems name.
fn script() -> String {
    let all = || REGISTRY.iter().flat_map(|reader| reader.paths());
    let of = |rule: KitRule| {
        let lists = all().filter(move |(known, _)| *known == rule);
        lists.map(|(_, paths)| paths.join(" ")).collect::<Vec<_>>()
    };
    // Files that the same is cut out of stand in one line.
    let mut filtered: Vec<String> = Vec::new();
    for (rule, paths) in all() {
        let Some(begin) = rule.filter().map(|filter| format!("{filter}~")) else { continue };
        match filtered.iter_mut().find(|line| line.starts_with(&begin)) {
            Some(line) => *line = format!("{line} {}", paths.join(" ")),
            None => filtered.push(format!("{begin}{}", paths.join(" "))),
        }
    }
    TEMPLATE
        .replace("@WHOLE@", &of(KitRule::Whole).join("\n"))
        .replace("@FILTERED@", &filtered.join("\n"))
        .replace("@IMAGES@", &of(KitRule::Image).join("\n"))
}
