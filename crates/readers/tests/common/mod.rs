//! Taking made-up trees.

use tally_core::derive::Rules;
use tally_core::knowledge::{Agents, KindRules, PartRules, Roles, SettingRules};
use tally_core::model::{Medium, Taken, Tally};
use tally_readers::{OnMedium, Overrides, TakeOptions, take};
use tally_trees::Tree;

/// The tally of an installed system; `installed` is the last moment of its install day, where somebody knows it.
pub(crate) fn taken(tree: &dyn Tree, installed: Option<i64>) -> Tally {
    let taken = Taken {
        at: "".into(),
        from: "".into(),
        medium: Medium::Installed,
        layer: None,
        sha256: None,
        root: None,
    };
    let options = TakeOptions {
        program: "test".into(),
        taken,
        overrides: Overrides::default(),
        installed,
        on_medium: OnMedium::default(),
        all_dates: false,
        thumbnails: None,
        rules: Rules {
            parts: &PartRules::built_in().unwrap(),
            kinds: &KindRules::built_in().unwrap(),
            roles: &Roles::built_in().unwrap(),
            agents: &Agents::built_in().unwrap(),
            settings: &SettingRules::built_in().unwrap(),
        },
    };
    take(tree, &options).unwrap()
}
