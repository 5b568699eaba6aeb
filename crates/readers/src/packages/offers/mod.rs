//! Lists of what repositories offer: what is alike in those of all package systems.

mod files;
mod kept;
mod programs;
mod row;

pub use files::{FromFiles, from_files};
pub use kept::{keep, kept};
pub use programs::programs;
pub(crate) use row::LINES;

use smallvec::SmallVec;
use tally_core::model::{Text, Unread};
use tally_core::offer::{Catalog, Form, Offered, PackageList, Records, key};

/// Records of a list, as a reader found them.
#[derive(Debug)]
pub(crate) struct ListRead {
    /// How they are written.
    pub(crate) form: &'static Form,
    /// All of them.
    pub(crate) bytes: Vec<u8>,
    /// Where each begins and ends, with the key of its name.
    pub(crate) names: Vec<(u32, u32, u64)>,
    /// Keys of what they provide, each with the position of its record.
    pub(crate) provided: Vec<(u64, u32)>,
    /// Positions of those that something else may bring.
    pub(crate) brought: Vec<u32>,
    /// Members of groups: group, package.
    pub(crate) groups: Vec<(Text, Text)>,
    /// Versions that errata call fixes of security.
    pub(crate) fixes: Vec<(Text, Text)>,
    /// Records without a name.
    pub(crate) nameless: usize,
}

impl ListRead {
    pub(crate) const fn of(form: &'static Form) -> Self {
        Self {
            form,
            bytes: Vec::new(),
            names: Vec::new(),
            provided: Vec::new(),
            brought: Vec::new(),
            groups: Vec::new(),
            fixes: Vec::new(),
            nameless: 0,
        }
    }

    /// Adds a record that is among the bytes.
    pub(crate) fn add(
        &mut self,
        begin: usize,
        end: usize,
        name: u64,
        provided: impl Iterator<Item = u64>,
        brought: bool,
    ) {
        let (Ok(begin), Ok(end), Ok(at)) =
            (u32::try_from(begin), u32::try_from(end), u32::try_from(self.names.len()))
        else {
            self.nameless += 1;
            return;
        };
        self.names.push((begin, end, name));
        self.provided.extend(provided.map(|key| (key, at)));
        if brought {
            self.brought.push(at);
        }
    }

    /// Adds a record that was read from a list in another form.
    pub(crate) fn push(&mut self, offered: &Offered) {
        let begin = self.bytes.len();
        let name = offered.package.name.as_bytes();
        if name.is_empty()
            || offered.package.version.is_empty()
            || name.contains(&b'\t')
            || name.contains(&b'\n')
        {
            self.nameless += 1;
            return;
        }
        if row::write(offered, &mut self.bytes).is_err() {
            self.bytes.truncate(begin);
            self.nameless += 1;
            return;
        }
        let provided: SmallVec<[u64; 8]> =
            offered.package.provides.iter().map(|one| key(one.name.as_bytes())).collect();
        let end = self.bytes.len();
        self.bytes.push(b'\n');
        self.add(begin, end, key(name), provided.into_iter(), !offered.brought_by.is_empty());
    }
}

/// Adds a list and its records to a catalogue; what has no name is noted.
pub(crate) fn add(catalog: &mut Catalog, list: PackageList, read: Vec<ListRead>) {
    let Ok(at) = u16::try_from(catalog.lists.len()) else { return };
    let nameless: usize = read.iter().map(|read| read.nameless).sum();
    if nameless > 0 {
        catalog.unread.push(Unread::whole(
            list.file.clone(),
            format!("{nameless} of its records have no name and version"),
        ));
    }
    catalog.lists.push(list);
    let provided = read.iter().map(|read| read.provided.len()).sum();
    catalog.reserve(read.iter().map(|read| read.names.len()).sum(), provided);
    for read in read {
        let ListRead { form, bytes, names, provided, brought, groups, fixes, nameless: _ } = read;
        catalog.fixes.extend(fixes);
        for (group, package) in groups {
            catalog.groups.entry(group).or_default().push(package);
        }
        catalog.add(Records { list: at, form, bytes, names, provided, brought });
    }
}
