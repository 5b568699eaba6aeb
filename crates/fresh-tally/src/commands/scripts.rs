//! What shells and manual readers ask for.

use crate::args::{COMPLETE, Cli};
use crate::error::CommandError;
use crate::exit::Exit;
use crate::install::PROGRAM;
use crate::output;
use crate::settings::Settings;
use clap::CommandFactory;
use std::os::unix::ffi::OsStrExt;

/// The name that the program is called by.
const NAME: &str = "fresh-tally";

/// A script that lets the shell ask the program itself, which knows the handles on the shelf.
pub(crate) fn completions(shell: clap_complete::Shell, settings: &Settings) -> Result<Exit, CommandError> {
    let shells = clap_complete::env::Shells::builtins();
    let Some(completer) = shells.completer(&shell.to_string()) else {
        return Err(CommandError::Usage(format!("there are no completions for `{shell}`")));
    };
    let mut script = Vec::new();
    let fail = |source| CommandError::Output { to: "the completions".into(), source };
    completer.write_registration(COMPLETE, NAME, NAME, NAME, &mut script).map_err(fail)?;
    output::answer(&script, settings)?;
    Ok(Exit::Done)
}

/// The manual: the program's page, then one for each command; in a folder, a file each.
pub(crate) fn man(settings: &Settings) -> Result<Exit, CommandError> {
    let pages = pages().map_err(|source| CommandError::Output { to: "the manual".into(), source })?;
    let folder =
        settings.output.as_ref().filter(|path| path.is_dir() || path.as_os_str().as_bytes().ends_with(b"/"));
    if let Some(folder) = folder {
        let fail = |source| CommandError::Output { to: format!("`{}`", folder.display()), source };
        std::fs::create_dir_all(folder).map_err(fail)?;
        for (name, page) in &pages {
            output::file(&folder.join(name), page)?;
        }
        output::status(settings, &format!("{} pages are in `{}`.", pages.len(), folder.display()));
        return Ok(Exit::Done);
    }
    let all: Vec<u8> = pages.into_iter().flat_map(|(_, page)| page).collect();
    output::answer(&all, settings)?;
    Ok(Exit::Done)
}

/// The pages by the names that man(1) looks for: `fresh-tally.1`, `fresh-tally-take.1`.
fn pages() -> std::io::Result<Vec<(String, Vec<u8>)>> {
    let mut command = Cli::command();
    command.build();
    let mut pages = Vec::new();
    let subs = command.get_subcommands().filter(|sub| sub.get_name() != "help").cloned();
    for one in std::iter::once(command.clone()).chain(subs) {
        // A page of its own is called by its whole name, and lists its own commands.
        let name =
            if one.get_name() == NAME { NAME.to_owned() } else { format!("{NAME}-{}", one.get_name()) };
        let mut page = Vec::new();
        let man = clap_mangen::Man::new(one).title(&name).source(PROGRAM).manual("User commands");
        man.render(&mut page)?;
        pages.push((format!("{name}.1"), page));
    }
    Ok(pages)
}

/// All commands and options as one page of Markdown, for `docs/cli-reference.md`.
pub(crate) fn reference() -> String {
    let mut command = Cli::command().term_width(100);
    command.build();
    let mut page = String::from(
        "# All commands\n\nMade by `fresh-tally rules reference`; a test holds this page against the program. Every command takes the common options of \
         `fresh-tally --help`.\n",
    );
    let root = command.render_long_help().to_string();
    page.push_str(&format!("\n## fresh-tally\n\n```text\n{}\n```\n", trimmed(&root)));
    describe(&command, "fresh-tally", &mut page);
    page
}

fn describe(command: &clap::Command, path: &str, page: &mut String) {
    for sub in command.get_subcommands().filter(|sub| sub.get_name() != "help") {
        let path = format!("{path} {}", sub.get_name());
        // What every command takes stands once, on top.
        let own = sub
            .clone()
            .mut_args(|arg| if arg.is_global_set() { arg.hide(true) } else { arg })
            .term_width(100);
        let help = own.bin_name(&path).render_long_help().to_string();
        page.push_str(&format!("\n## {path}\n\n```text\n{}\n```\n", trimmed(&help)));
        describe(sub, &path, page);
    }
}

/// Lines without blanks at their ends.
fn trimmed(text: &str) -> String {
    text.trim_end().lines().map(str::trim_end).collect::<Vec<_>>().join("\n")
}
