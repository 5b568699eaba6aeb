//! What the examples share.

use tally_core::derive::Rules;
use tally_core::knowledge::{Agents, KindRules, PartRules, Roles, SettingRules};
use tally_core::model::{Medium, Taken, Tally};
use tally_readers::{Overrides, TakeOptions};
use tally_trees::Tree;

/// A tally taken with the built-in rules.
pub(crate) fn take(tree: &dyn Tree) -> Result<Tally, Box<dyn std::error::Error>> {
    let taken = Taken {
        at: "".into(),
        from: "".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let options = TakeOptions {
        program: "example".into(),
        taken,
        installed: None,
        on_medium: tally_readers::OnMedium::default(),
        overrides: Overrides::default(),
        all_dates: false,
        thumbnails: None,
        rules: Rules {
            parts: &PartRules::built_in()?,
            kinds: &KindRules::built_in()?,
            roles: &Roles::built_in()?,
            agents: &Agents::built_in()?,
            settings: &SettingRules::built_in()?,
        },
    };
    Ok(tally_readers::take(tree, &options)?)
}
