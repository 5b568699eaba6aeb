use crate::args::RulesAction;
use crate::config::Applied;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::output;
use crate::settings::{Settings, read_rules};
use std::fmt::Write as _;
use std::io::Read;
use std::path::Path;
use tally_core::knowledge::{
    Agents, KindRules, MediaRules, OwnCounts, PartRules, Roles, Scores, SettingRules,
};
use tally_core::model::{System, Tally};
use tally_core::systems::{compare, exact};
use tally_core::version::sign;

pub(crate) fn run(action: RulesAction, settings: &Settings) -> Result<Exit, CommandError> {
    let bytes = match action {
        RulesAction::Order { system, a, b } => order(&system, &a, b.as_deref())?.into_bytes(),
        RulesAction::Parts => PartRules::built_in_text().as_bytes().to_vec(),
        RulesAction::Kinds => KindRules::built_in_text().as_bytes().to_vec(),
        RulesAction::Roles => Roles::built_in_text().as_bytes().to_vec(),
        RulesAction::Agents => Agents::built_in_text().as_bytes().to_vec(),
        RulesAction::Media => MediaRules::built_in_text().as_bytes().to_vec(),
        RulesAction::Settings => SettingRules::built_in_text().as_bytes().to_vec(),
        RulesAction::Check { file } => check(&file)?.into_bytes(),
        RulesAction::Headlines => Scores::built_in_text().as_bytes().to_vec(),
        RulesAction::Schema => schema()?,
        RulesAction::Reference => super::scripts::reference().into_bytes(),
        RulesAction::Config => config(settings).into_bytes(),
    };
    output::answer(&bytes, settings)?;
    Ok(Exit::Done)
}

fn check(file: &Path) -> Result<String, CommandError> {
    let OwnCounts { kinds, parts, roles, agents, settings, scores } = read_rules(file)?.counts();
    Ok(format!(
        "`{}` is valid: kinds {kinds}, parts {parts}, roles {roles}, agents {agents}, settings {settings}, scores {scores}\n",
        file.display()
    ))
}

/// A setting a line, with its source behind it.
fn config(settings: &Settings) -> String {
    let widest = |texts: &mut dyn Iterator<Item = &str>| texts.map(tally_report::width).max().unwrap_or(0);
    let keys = widest(&mut settings.applied.iter().map(|one| one.key));
    let values = widest(&mut settings.applied.iter().map(|one| one.value.as_str()));
    settings.applied.iter().fold(String::new(), |all, Applied { key, value, from }| {
        all + &tally_report::clean(&format!("{key:keys$}  {value:values$}  {from}")) + "\n"
    })
}

fn order(system: &str, a: &str, b: Option<&str>) -> Result<String, CommandError> {
    let system =
        System::from_name(system).filter(|system| system.descriptor().exact_order).ok_or_else(|| {
            let known: Vec<&str> = exact().map(System::name).collect();
            CommandError::Usage(format!(
                "there is no package system `{system}`; valid are {}",
                known.join(", ")
            ))
        })?;
    match (a, b) {
        ("-", None) => order_lines(system, &read_stdin()?),
        (_, None) => Err(CommandError::Usage(
            "two versions are needed, or `-` to read pairs from standard input".into(),
        )),
        (a, Some(b)) => Ok(format!("{}\n", sign(compare(system, a, b)))),
    }
}

fn read_stdin() -> Result<Vec<u8>, CommandError> {
    let mut bytes = Vec::new();
    match std::io::stdin().lock().take(16 << 20).read_to_end(&mut bytes) {
        Ok(_) => Ok(bytes),
        Err(error) => Err(CommandError::Source { path: "standard input".into(), why: error.into() }),
    }
}

/// Lines of `A<TAB>B` in, lines of `A<TAB>B<TAB>order` out; columns behind the second are not looked at.
fn order_lines(system: System, bytes: &[u8]) -> Result<String, CommandError> {
    let text = String::from_utf8_lossy(bytes);
    let mut out = String::with_capacity(text.len() + text.len() / 8);
    for (number, line) in (1..).zip(text.split('\n')).filter(|(_, line)| !line.is_empty()) {
        let mut columns = line.split('\t');
        let (Some(a), Some(b)) = (columns.next(), columns.next()) else {
            let why = format!("line {number} has no tab between two versions");
            return Err(CommandError::Source { path: "standard input".into(), why: why.into() });
        };
        _ = writeln!(out, "{a}\t{b}\t{}", sign(compare(system, a, b)));
    }
    Ok(out)
}

fn schema() -> Result<Vec<u8>, CommandError> {
    let mut bytes = serde_json::to_vec_pretty(&Tally::schema())
        .map_err(|error| CommandError::Render(tally_report::RenderError::Json(error)))?;
    bytes.push(b'\n');
    Ok(bytes)
}
