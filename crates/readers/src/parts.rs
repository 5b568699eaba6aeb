//! Answers what the rules for parts ask of the tree.

use crate::text::{filled, lines, name_text, text};
use std::os::unix::ffi::OsStrExt;
use std::path::Path;
use tally_core::knowledge::{PartRules, Probe, ProbeKind, Probes};
use tally_core::model::Text;
use tally_trees::Tree;

/// Looks up every link, folder and file that the rules name; what isn't there has no answer.
pub(crate) fn probe(tree: &dyn Tree, rules: &PartRules) -> Probes {
    let answer = |probe: Probe| {
        let answers = answer(tree, &probe);
        (!answers.is_empty()).then_some((probe, answers))
    };
    rules.probes().into_iter().filter_map(answer).collect()
}

fn answer(tree: &dyn Tree, probe: &Probe) -> Vec<Text> {
    match probe.kind {
        ProbeKind::Link => {
            let target = tree.read_link(Path::new(probe.path.as_str())).ok();
            target.and_then(|target| filled(text(target.as_os_str().as_bytes()))).into_iter().collect()
        }
        ProbeKind::Entries => {
            tree.names(probe.path.as_str()).iter().map(|entry| name_text(&entry.name)).collect()
        }
        ProbeKind::FirstLine => {
            let bytes = tree.read(probe.path.as_str()).unwrap_or_default();
            let line =
                bytes.split(|b| *b == b'\n').map(<[u8]>::trim_ascii).find(|l| !l.is_empty() && l[0] != b'#');
            // It names a program; what stands behind that may be anything.
            let word = line.and_then(|line| line.split(u8::is_ascii_whitespace).next());
            word.and_then(|word| filled(text(word))).into_iter().collect()
        }
        ProbeKind::Setting => {
            let Some((file, key)) = probe.path.split_once(' ') else { return Vec::new() };
            let bytes = tree.read(file).unwrap_or_default();
            let values =
                lines(&bytes).filter_map(|(_, line)| line.strip_prefix(key.as_bytes())?.strip_prefix(b"="));
            let values = values.map(|value| text(value).trim_matches(['"', '\'']).into());
            values.filter_map(filled).take(1).collect()
        }
    }
}
