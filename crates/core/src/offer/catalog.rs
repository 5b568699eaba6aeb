use super::{Offered, PackageList, Policy};
use crate::model::{System, Text, Unread};
use rustc_hash::{FxHashMap, FxHasher};
use smallvec::SmallVec;
use std::collections::{BTreeMap, BTreeSet};
use std::hash::{BuildHasherDefault, Hasher};
use std::sync::OnceLock;

/// How the records of a list are written.
#[derive(Debug)]
pub struct Form {
    /// Stable name.
    pub name: &'static str,
    /// The name of the package of a record, without reading the rest.
    pub package: fn(&[u8]) -> &[u8],
    /// Reads a record; `None` for one that is damaged.
    pub read: fn(&[u8]) -> Option<Offered>,
}

/// The records of one list, and where each begins.
#[derive(Debug)]
pub struct Records {
    /// The list they are of, by its position in the catalogue.
    pub list: u16,
    /// How they are written.
    pub form: &'static Form,
    /// All of them.
    pub bytes: Vec<u8>,
    /// Where each begins and ends, with the key of its name.
    pub names: Vec<(u32, u32, u64)>,
    /// Keys of what records provide besides their names, each with the position of its record in `names`.
    pub provided: Vec<(u64, u32)>,
    /// Positions of the records that something else may bring by being there.
    pub brought: Vec<u32>,
}

/// What names are looked up by.
pub fn key(name: &[u8]) -> u64 {
    let mut hasher = FxHasher::default();
    hasher.write(name);
    hasher.finish()
}

/// Takes a key as it is: it is a hash already.
#[derive(Debug, Default)]
struct AsItIs(u64);

impl Hasher for AsItIs {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        bytes.iter().for_each(|byte| self.0 = self.0.rotate_left(8) ^ u64::from(*byte));
    }

    fn write_u64(&mut self, key: u64) {
        self.0 = key;
    }
}

/// Positions of records by a key: the last one for each, and for each entry the one before it.
#[derive(Debug, Default)]
struct ByKey {
    last: std::collections::HashMap<u64, u32, BuildHasherDefault<AsItIs>>,
    entries: Vec<(u32, u32)>,
}

/// No entry comes before this one.
const NONE: u32 = u32::MAX;

impl ByKey {
    fn reserve(&mut self, more: usize) {
        self.last.reserve(more);
        self.entries.reserve(more);
    }

    fn add(&mut self, key: u64, position: u32) {
        let Ok(entry) = u32::try_from(self.entries.len()) else { return };
        let before = self.last.insert(key, entry).unwrap_or(NONE);
        self.entries.push((position, before));
    }

    /// The positions of a key, in the order that they were added.
    fn of(&self, name: &str) -> SmallVec<[u32; 4]> {
        let mut found = SmallVec::new();
        let mut entry = self.last.get(&key(name.as_bytes())).copied().unwrap_or(NONE);
        while let Some((position, before)) = self.entries.get(entry as usize) {
            found.push(*position);
            entry = *before;
        }
        found.reverse();
        found
    }

    /// How many different keys there are.
    fn len(&self) -> usize {
        self.last.len()
    }
}

/// A record that is read when it is asked for.
#[derive(Debug)]
struct Slot {
    records: u16,
    begin: u32,
    end: u32,
    offered: OnceLock<Option<Box<Offered>>>,
}

/// What the lists of one package system offer. Records stay as they are until they are asked for.
#[derive(Debug)]
pub struct Catalog {
    /// The package system.
    pub system: System,
    /// The lists.
    pub lists: Vec<PackageList>,
    /// Which version is taken.
    pub policy: Policy,
    /// Versions that errata call fixes of security: name and version.
    pub fixes: BTreeSet<(Text, Text)>,
    /// Groups that can be asked for by name, and the packages of each.
    pub groups: BTreeMap<Text, Vec<Text>>,
    /// The architecture whose packages count, beside those for every machine; any where it is empty.
    pub arch: Text,
    /// What could not be read.
    pub unread: Vec<Unread>,
    records: Vec<Records>,
    slots: Vec<Slot>,
    by_name: ByKey,
    by_provided: ByKey,
    brought: Vec<u32>,
}

impl Catalog {
    /// A catalogue without lists.
    pub fn new(system: System, arch: impl Into<Text>) -> Self {
        Self {
            system,
            lists: Vec::new(),
            policy: Policy::default(),
            fixes: BTreeSet::new(),
            groups: BTreeMap::new(),
            arch: arch.into(),
            unread: Vec::new(),
            records: Vec::new(),
            slots: Vec::new(),
            by_name: ByKey::default(),
            by_provided: ByKey::default(),
            brought: Vec::new(),
        }
    }

    /// Makes room for so many more records, and names that they provide.
    pub fn reserve(&mut self, records: usize, provided: usize) {
        self.slots.reserve(records);
        self.by_name.reserve(records);
        self.by_provided.reserve(provided);
    }

    /// Adds the records of a list.
    pub fn add(&mut self, mut records: Records) {
        let first = u32::try_from(self.slots.len()).unwrap_or(u32::MAX);
        let Ok(at) = u16::try_from(self.records.len()) else { return };
        let names = std::mem::take(&mut records.names);
        self.reserve(names.len(), records.provided.len());
        for (position, (begin, end, name)) in (first..).zip(&names) {
            self.slots.push(Slot { records: at, begin: *begin, end: *end, offered: OnceLock::new() });
            self.by_name.add(*name, position);
        }
        let provided = std::mem::take(&mut records.provided);
        for (name, position) in provided {
            self.by_provided.add(name, first.saturating_add(position));
        }
        let brought = std::mem::take(&mut records.brought);
        self.brought.extend(brought.into_iter().map(|position| first.saturating_add(position)));
        if let Some(list) = self.lists.get_mut(usize::from(records.list)) {
            list.packages = list.packages.saturating_add(u32::try_from(names.len()).unwrap_or(u32::MAX));
        }
        self.records.push(records);
    }

    /// How many records there are, in all lists.
    pub fn len(&self) -> usize {
        self.slots.len()
    }

    /// Whether no list offers anything.
    pub fn is_empty(&self) -> bool {
        self.slots.is_empty()
    }

    fn bytes(&self, slot: &Slot) -> &[u8] {
        let bytes = &self.records[usize::from(slot.records)].bytes;
        bytes.get(slot.begin as usize..slot.end as usize).unwrap_or_default()
    }

    /// The name of a record, without reading it.
    pub fn name(&self, at: u32) -> &str {
        let Some(slot) = self.slots.get(at as usize) else { return "" };
        let form = self.records[usize::from(slot.records)].form;
        std::str::from_utf8((form.package)(self.bytes(slot))).unwrap_or_default()
    }

    /// The list that a record is in.
    pub fn list(&self, at: u32) -> usize {
        self.slots
            .get(at as usize)
            .map_or(0, |slot| usize::from(self.records[usize::from(slot.records)].list))
    }

    /// A record, read now if nobody asked for it before; `None` for one that is damaged.
    pub fn get(&self, at: u32) -> Option<&Offered> {
        let slot = self.slots.get(at as usize)?;
        let read = || {
            let form = self.records[usize::from(slot.records)].form;
            (form.read)(self.bytes(slot)).map(Box::new)
        };
        slot.offered.get_or_init(read).as_deref()
    }

    /// Whether a package is one for this install's machine.
    pub fn fits_machine(&self, arch: &str) -> bool {
        self.arch.is_empty() || arch == self.arch || self.system.is_neutral(arch)
    }

    /// The records of a name, whatever machine they are for.
    pub fn named_for_any<'c>(&'c self, name: &str) -> impl Iterator<Item = (u32, &'c Offered)> + use<'c> {
        let name = Text::from(name);
        let found = self.by_name.of(&name);
        found
            .into_iter()
            .filter_map(|at| Some((at, self.get(at)?)))
            .filter(move |(_, offered)| offered.package.name == name)
    }

    /// The records of a name that fit the machine.
    pub fn named<'c>(&'c self, name: &str) -> impl Iterator<Item = (u32, &'c Offered)> + use<'c> {
        self.named_for_any(name).filter(|(_, offered)| self.fits_machine(&offered.package.arch))
    }

    /// The records that provide a name besides their own.
    pub fn providing<'c>(&'c self, name: &str) -> impl Iterator<Item = (u32, &'c Offered)> + use<'c> {
        let name = Text::from(name);
        let found = self.by_provided.of(&name);
        found
            .into_iter()
            .filter_map(|at| Some((at, self.get(at)?)))
            .filter(|(_, offered)| self.fits_machine(&offered.package.arch))
            .filter(move |(_, offered)| offered.package.provides.iter().any(|one| one.name == name))
    }

    /// The records that something else may bring by being there.
    pub fn brought(&self) -> impl Iterator<Item = (u32, &Offered)> {
        self.brought
            .iter()
            .filter_map(|at| Some((*at, self.get(*at)?)))
            .filter(|(_, offered)| self.fits_machine(&offered.package.arch))
    }

    /// Every name that is offered, once, with the first record of it; in the order of the lists.
    pub fn names(&self) -> impl Iterator<Item = (&str, u32)> {
        let mut seen = FxHashMap::<&str, ()>::default();
        seen.reserve(self.slots.len());
        (0..u32::try_from(self.slots.len()).unwrap_or(u32::MAX)).filter_map(move |at| {
            let name = self.name(at);
            (!name.is_empty() && seen.insert(name, ()).is_none()).then_some((name, at))
        })
    }

    /// How many names are offered.
    pub fn names_offered(&self) -> u32 {
        u32::try_from(self.by_name.len()).unwrap_or(u32::MAX)
    }

    /// The records that were asked for and are damaged.
    pub fn damaged(&self) -> impl Iterator<Item = u32> {
        let is_damaged = |slot: &Slot| slot.offered.get().is_some_and(Option::is_none);
        (0_u32..).zip(&self.slots).filter(move |(_, slot)| is_damaged(slot)).map(|(at, _)| at)
    }

    /// The lists as they were read: form, list and bytes of each, for keeping them.
    pub fn parts(&self) -> impl Iterator<Item = (&'static Form, u16, &[u8])> {
        self.records.iter().map(|records| (records.form, records.list, records.bytes.as_slice()))
    }

    /// Where a name is mentioned for the first time in the lists: package systems number packages by that. `u64::MAX` where it
    /// is not mentioned at all.
    pub(super) fn first_mention(&self, name: &str) -> u64 {
        let finder = memchr::memmem::Finder::new(name.as_bytes());
        let is_end = |byte: Option<&u8>| byte.is_none_or(|byte| b" \t\n,(|:)".contains(byte));
        let mut before = 0_u64;
        for records in &self.records {
            let bytes = &records.bytes;
            let whole = finder.find_iter(bytes).find(|at| {
                is_end(at.checked_sub(1).and_then(|before| bytes.get(before)))
                    && is_end(bytes.get(at + name.len()))
                    && is_in_relation(&bytes[..*at])
            });
            if let Some(at) = whole {
                return before + at as u64;
            }
            before += bytes.len() as u64;
        }
        u64::MAX
    }
}

/// Whether the line that is open at the end names packages, and is no prose.
fn is_in_relation(bytes: &[u8]) -> bool {
    let begin = memchr::memrchr(b'\n', bytes).map_or(0, |at| at + 1);
    let line = &bytes[begin..];
    const FIELDS: [&[u8]; 10] = [
        b"Package:",
        b"Depends:",
        b"Pre-Depends:",
        b"Recommends:",
        b"Suggests:",
        b"Provides:",
        b"Conflicts:",
        b"Breaks:",
        b"Replaces:",
        b"Enhances:",
    ];
    FIELDS.iter().any(|field| line.starts_with(field))
}
