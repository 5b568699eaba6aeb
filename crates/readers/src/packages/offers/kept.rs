//! What is kept of an offer beside a tally: all lists as they were read, packed with zstd.
//!
//! A line of JSON for each catalogue with all that is known of its lists; after it the records of each, as long as the line says.

use super::{LINES, ListRead, row};
use crate::packages::dpkg;
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use tally_core::model::{System, Text};
use tally_core::offer::{Catalog, PackageList, Policy, Program, Records, key};
use tally_trees::{pack, unpack_file};

/// How such a file begins once it is unpacked.
pub(super) const MAGIC: &str = "{\"offer_version\":";

/// The version that is written.
const VERSION: u32 = 1;

/// Bytes that such a file may hold once it is unpacked: 1 GiB.
const LIMIT: u64 = 1 << 30;

#[derive(Debug, Serialize, Deserialize)]
struct Head {
    offer_version: u32,
    system: System,
    arch: Text,
    policy: Policy,
    groups: BTreeMap<Text, Vec<Text>>,
    #[serde(default)]
    fixes: BTreeSet<(Text, Text)>,
    lists: Vec<PackageList>,
    records: Vec<Part>,
    /// Programs that catalogues described; all are with the first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    programs: Vec<Program>,
}

#[derive(Debug, Serialize, Deserialize)]
struct Part {
    form: Text,
    list: u16,
    bytes: u64,
}

/// Packs catalogues, to be kept.
///
/// # Errors
/// None that come from what is in them; JSON may refuse.
pub fn keep(catalogs: &[Catalog], programs: &[Program]) -> serde_json::Result<Vec<u8>> {
    let mut programs = programs.to_vec();
    let mut all = Vec::new();
    for catalog in catalogs {
        let records = catalog.parts().map(|(form, list, bytes)| Part {
            form: form.name.into(),
            list,
            bytes: bytes.len() as u64,
        });
        let head = Head {
            offer_version: VERSION,
            system: catalog.system,
            arch: catalog.arch.clone(),
            policy: catalog.policy.clone(),
            groups: catalog.groups.clone(),
            fixes: catalog.fixes.clone(),
            lists: catalog.lists.iter().map(|list| PackageList { packages: 0, ..list.clone() }).collect(),
            records: records.collect(),
            programs: std::mem::take(&mut programs),
        };
        serde_json::to_writer(&mut all, &head)?;
        all.push(b'\n');
        catalog.parts().for_each(|(_, _, bytes)| all.extend_from_slice(bytes));
    }
    Ok(pack(&all))
}

/// Reads what [`keep`] packed.
///
/// # Errors
/// When it is damaged, or of a version that is not known.
pub fn kept(packed: Vec<u8>) -> Result<(Vec<Catalog>, Vec<Program>), String> {
    let bytes = unpack_file(packed, LIMIT).map_err(|error| error.to_string())?;
    let mut rest = bytes.as_slice();
    let (mut catalogs, mut programs) = (Vec::new(), Vec::new());
    while !rest.is_empty() {
        let end = memchr::memchr(b'\n', rest).ok_or("is cut off")?;
        let head: Head = serde_json::from_slice(&rest[..end]).map_err(|error| error.to_string())?;
        if head.offer_version > VERSION {
            return Err(format!(
                "is of version {}, and {VERSION} is the last that is known",
                head.offer_version
            ));
        }
        rest = &rest[end + 1..];
        programs.extend(head.programs);
        let mut catalog = Catalog::new(head.system, head.arch);
        (catalog.policy, catalog.groups, catalog.lists) = (head.policy, head.groups, head.lists);
        catalog.fixes = head.fixes;
        for part in head.records {
            let length = usize::try_from(part.bytes)
                .ok()
                .filter(|length| *length <= rest.len())
                .ok_or("is cut off")?;
            let (own, tail) = rest.split_at(length);
            rest = tail;
            let reads = match part.form.as_str() {
                form if form == dpkg::STANZAS.name => dpkg::stanzas_of_list(own.to_vec()),
                form if form == LINES.name => vec![lines(own)],
                other => return Err(format!("has records in the unknown form {other}")),
            };
            for read in reads {
                let ListRead { form, bytes, names, provided, brought, .. } = read;
                catalog.add(Records { list: part.list, form, bytes, names, provided, brought });
            }
        }
        catalogs.push(catalog);
    }
    Ok((catalogs, programs))
}

/// Finds the records of a list of lines again.
fn lines(bytes: &[u8]) -> ListRead {
    let mut read = ListRead::of(&LINES);
    read.bytes = bytes.to_vec();
    for (begin, line) in crate::text::lines(bytes).scan(0, |at, (_, line)| {
        let begin = *at;
        *at += line.len() + 1;
        Some((begin, line))
    }) {
        let name = (LINES.package)(line);
        if name.is_empty() {
            continue;
        }
        let (provided, brought) = row::provided(line);
        read.add(begin, begin + line.len(), key(name), provided.into_iter(), brought);
    }
    read
}
