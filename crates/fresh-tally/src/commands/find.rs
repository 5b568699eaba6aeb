use crate::args::FindArgs;
use crate::error::CommandError;
use crate::exit::Exit;
use crate::settings::Settings;
use crate::{install, output};
use tally_core::find::{Answer, SearchResult, answers, find};
use tally_core::model::Label;
use tally_readers::owner::{self, Owned};
use tally_report::{FindView, OwnedFile, OwnerView};
use tally_trees::Tree;

pub(crate) fn run(args: &FindArgs, settings: &Settings) -> Result<Exit, CommandError> {
    if let Some(path) = &args.file {
        return owner(args, path, settings, |tree| vec![owner::of_file(tree, path)]);
    }
    if let Some(name) = &args.program {
        return owner(args, name, settings, |tree| owner::of_program(tree, name));
    }
    let (parts, roles) = (settings.own.parts()?, settings.own.roles()?);
    let tally = install::find(&args.install, settings, &parts)?;
    let asked = args.words.join(" ");
    let result = SearchResult { answers: answers(&tally, &asked, &parts, &roles), ..find(&tally, &asked) };
    let exit = if result.hits.is_empty() && !result.answers.iter().any(Answer::is_there) {
        Exit::No
    } else {
        Exit::Done
    };
    output::show(&FindView { label: tally.label, result }, settings)?;
    Ok(exit)
}

/// Asks the file lists of the install itself.
fn owner(
    args: &FindArgs,
    asked: &str,
    settings: &Settings,
    ask: impl FnOnce(&dyn Tree) -> Vec<Owned>,
) -> Result<Exit, CommandError> {
    let tree = install::root_of(&args.install, settings)?;
    let found: Vec<Owned> = ask(tree.as_ref()).into_iter().filter(|owned| owned.is_there).collect();
    let exit = if found.is_empty() { Exit::No } else { Exit::Done };
    let files: Vec<OwnedFile> = found
        .into_iter()
        .map(|Owned { path, package, .. }| OwnedFile {
            file: path,
            version: package.as_ref().map(|package| package.version.clone()),
            summary: package.as_ref().map(|package| package.summary.clone()),
            package: package.map(|package| package.reference()),
        })
        .collect();
    let label: Label = owner::label(tree.as_ref());
    output::show(&OwnerView { label, asked: asked.to_owned(), files }, settings)?;
    Ok(exit)
}
