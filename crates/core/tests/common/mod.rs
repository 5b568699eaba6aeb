//! Small installs, written as the facts of a tally that matter to a test.

use serde_json::{Value, json};
use tally_core::model::Tally;

/// An install of which only these keys of its tally are known.
pub(crate) fn tally(facts: &Value) -> Tally {
    let mut document = json!({
        "tally": 1, "program": "test", "taken": {"at": "2031-05-02T10:00:00Z", "from": "marsh", "medium": "installed"},
        "label": {"distro": "Saltmarsh Linux", "handle": "saltmarsh"},
    });
    document.as_object_mut().unwrap().extend(facts.as_object().unwrap().clone());
    serde_json::from_value(document).unwrap()
}
