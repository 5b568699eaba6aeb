//! Lists of repositories as short texts.

use tally_core::model::{Alternatives, Dependency, Package, System, Text, VersionOp};
use tally_core::offer::{Catalog, Conditional, Form, Offered, PackageList, Records, key};

/// `name version key: value; key: value`, for tests alone.
static LINES: Form = Form { name: "test", package: name_of, read };

fn name_of(line: &[u8]) -> &[u8] {
    line.split(|byte| *byte == b' ').next().unwrap()
}

pub(crate) fn relation(text: &str) -> Dependency {
    let mut words = text.split_whitespace();
    let name = words.next().unwrap().into();
    let op = words.next().and_then(VersionOp::from_name);
    let version: Option<Text> = words.next().map(Text::from);
    Dependency { name, op, version }
}

fn relations(text: &str) -> Vec<Dependency> {
    text.split(',').map(relation).collect()
}

fn groups(text: &str) -> Vec<Alternatives> {
    text.split(',').map(|group| group.split('|').map(relation).collect()).collect()
}

fn package(system: System, line: &str) -> Offered {
    let (head, fields) = line.split_once(';').unwrap_or((line, ""));
    let mut words = head.split_whitespace();
    let (name, version) = (words.next().unwrap(), words.next().unwrap());
    let mut package = Package::new(system, name, version);
    (package.download_bytes, package.installed_bytes) = (Some(100), Some(1000));
    let mut offered = Offered::of(package);
    for (key, value) in fields.split(';').filter_map(|field| field.split_once(':')) {
        let package = &mut offered.package;
        match key.trim() {
            "needs" => package.depends = groups(value),
            "recommends" => package.recommends = groups(value),
            "conflicts" => package.conflicts = relations(value),
            "provides" => package.provides = relations(value),
            "source" => package.source = Some(value.trim().into()),
            "arch" => package.arch = value.trim().into(),
            "comes-with" => offered.brought_by.push(relations(value)),
            "if" => {
                let (need, when) = value.split_once("when").unwrap();
                let need = groups(need).remove(0);
                offered.conditional.push(Conditional {
                    need,
                    weak: false,
                    when: relation(when),
                    unless: false,
                });
            }
            other => panic!("there is no field {other}"),
        }
    }
    offered
}

fn read(line: &[u8]) -> Option<Offered> {
    let text = std::str::from_utf8(line).ok()?;
    // A plan has a thread of its own; the system stands behind the name.
    let (rest, system) = text.rsplit_once('@')?;
    Some(package(System::from_name(system)?, rest))
}

/// A catalogue of one list for each text: a package a line.
pub(crate) fn catalog(system: System, lists: &[(&str, i32)]) -> Catalog {
    let mut catalog = Catalog::new(system, "");
    for (at, (text, priority)) in lists.iter().enumerate() {
        catalog.lists.push(PackageList {
            repository: format!("list-{at}").into(),
            security: *priority == 501,
            priority: *priority,
            ..PackageList::default()
        });
        let mut records = Records {
            list: u16::try_from(at).unwrap(),
            form: &LINES,
            bytes: Vec::new(),
            names: Vec::new(),
            provided: Vec::new(),
            brought: Vec::new(),
        };
        for (position, line) in (0_u32..).zip(text.lines().map(str::trim).filter(|line| !line.is_empty())) {
            let offered = package(system, line);
            let begin = u32::try_from(records.bytes.len()).unwrap();
            records.bytes.extend_from_slice(format!("{line}@{system}").as_bytes());
            let end = u32::try_from(records.bytes.len()).unwrap();
            records.bytes.push(b'\n');
            records.names.push((begin, end, key(offered.package.name.as_bytes())));
            let provides = offered.package.provides.iter().map(|one| (key(one.name.as_bytes()), position));
            records.provided.extend(provides);
            if !offered.brought_by.is_empty() {
                records.brought.push(position);
            }
        }
        catalog.add(records);
    }
    catalog
}

pub(crate) fn installed(system: System, text: &str) -> Vec<Package> {
    text.lines()
        .map(str::trim)
        .filter(|line| !line.is_empty())
        .map(|line| package(system, line).package)
        .collect()
}
