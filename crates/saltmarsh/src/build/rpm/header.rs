//! The header of a package: an index of tags, and the data they point into.

use crate::build::item::{INSTALLED_AT, Item, Need};

/// A value of a tag.
enum Value {
    Text(String),
    Texts(Vec<String>),
    /// One string for each language; here, one.
    Translated(String),
    Half(Vec<u16>),
    Word(Vec<u32>),
}

/// The entries of the immutable region, sorted by tag, and those that installation adds behind it.
pub(super) fn blob(item: &Item<'_>) -> Vec<u8> {
    let mut tags = described(item);
    relations(&mut tags, [1047, 1112, 1113], &item.provides, Some(item));
    relations(&mut tags, [1049, 1048, 1050], &item.needs, None);
    relations(&mut tags, [1090, 1114, 1115], &item.replaces, None);
    relations(&mut tags, [5046, 5048, 5047], &item.recommends, None);
    tags.sort_by_key(|(tag, _)| *tag);
    let (mut index, mut data) = (Vec::new(), Vec::new());
    let count = tags.len() as u32 + 1;
    for (tag, value) in &tags {
        add(&mut index, &mut data, *tag, value);
    }
    // The region ends with a trailer that says how far back its index begins.
    let trailer = data.len() as u32;
    for word in [63, 7, (16 * count).wrapping_neg(), 16] {
        data.extend_from_slice(&word.to_be_bytes());
    }
    let mut all = Vec::new();
    for word in [63, 7, trailer, 16] {
        all.extend_from_slice(&u32::to_be_bytes(word));
    }
    all.append(&mut index);
    for (tag, value) in [(1127, 0), (1128, INSTALLED_AT as u32), (1008, INSTALLED_AT as u32)] {
        add(&mut all, &mut data, tag, &Value::Word(vec![value]));
    }
    let mut blob = (all.len() as u32 / 16).to_be_bytes().to_vec();
    blob.extend_from_slice(&(data.len() as u32).to_be_bytes());
    blob.append(&mut all);
    blob.append(&mut data);
    blob
}

/// A key that packages are signed with: it is among the packages, and is none.
pub(super) fn key() -> Vec<u8> {
    let (mut index, mut data) = (Vec::new(), Vec::new());
    for (tag, text) in
        [(1000, "gpg-pubkey"), (1001, "5a17"), (1002, "69f0"), (1016, "Public Keys"), (1044, "(none)")]
    {
        add(&mut index, &mut data, tag, &Value::Text(text.into()));
    }
    let mut blob = 5_u32.to_be_bytes().to_vec();
    blob.extend_from_slice(&(data.len() as u32).to_be_bytes());
    blob.append(&mut index);
    blob.append(&mut data);
    blob
}

fn described(item: &Item<'_>) -> Vec<(u32, Value)> {
    use Value::{Half, Text, Texts, Translated, Word};
    let mut tags = vec![
        (100, Texts(vec!["C".into()])),
        (1000, Text(item.name().into())),
        (1001, Text(item.upstream.clone())),
        (1002, Text(format!("{}.sm", item.revision))),
        (1004, Translated(item.shipped.summary.into())),
        (1005, Translated(format!("{}\nPart of Saltmarsh Linux, which is made up.", item.shipped.summary))),
        (1006, Word(vec![item.shipped.built as u32])),
        (1009, Word(vec![item.bytes() as u32])),
        (1011, Text("Saltmarsh Makers".into())),
        (1014, Text("MIT".into())),
        (1016, Translated(item.shipped.section.into())),
        (1020, Text("https://saltmarsh.example/".into())),
        (1021, Text("linux".into())),
        (1022, Text(item.arch("noarch").into())),
        (1044, Text(format!("{}-{}-{}.sm.src.rpm", item.source(), item.upstream, item.revision))),
    ];
    tags.extend(
        item.epoch.as_ref().and_then(|epoch| epoch.parse().ok()).map(|epoch| (1003, Word(vec![epoch]))),
    );
    let folders = item.folders();
    if !folders.is_empty() {
        let of_file = folders.iter().zip(0..).flat_map(|((_, names), at)| names.iter().map(move |_| at));
        tags.push((1116, Word(of_file.collect())));
        tags.push((
            1117,
            Texts(folders.iter().flat_map(|(_, names)| names).map(|name| (*name).to_owned()).collect()),
        ));
        tags.push((1118, Texts(folders.iter().map(|(folder, _)| format!("/{folder}/")).collect())));
        tags.push((1030, Half(item.files.iter().map(|_| 0o100_644).collect())));
    }
    tags
}

/// Names, flags and versions; `itself` is provided besides, as rpm writes it down for every package.
fn relations(
    tags: &mut Vec<(u32, Value)>,
    [names, flags, versions]: [u32; 3],
    needs: &[Need],
    itself: Option<&Item<'_>>,
) {
    let mut all: Vec<Need> = needs.to_vec();
    all.extend(itself.map(|item| Need {
        name: item.name().to_owned(),
        sign: Some(("=", format!("{}-{}.sm", item.upstream, item.revision))),
    }));
    if all.is_empty() {
        return;
    }
    let flag = |need: &Need| match need.sign.as_ref().map(|(sign, _)| *sign) {
        None => 0,
        Some("<") => 2,
        Some(">") => 4,
        Some("<=") => 10,
        Some(">=") => 12,
        Some(_) => 8,
    };
    tags.push((flags, Value::Word(all.iter().map(flag).collect())));
    let version = |need: &Need| need.sign.as_ref().map_or(String::new(), |(_, version)| version.clone());
    tags.push((versions, Value::Texts(all.iter().map(version).collect())));
    tags.push((names, Value::Texts(all.into_iter().map(|need| need.name).collect())));
}

fn add(index: &mut Vec<u8>, data: &mut Vec<u8>, tag: u32, value: &Value) {
    let (sort, count, align) = match value {
        Value::Text(_) => (6, 1, 1),
        Value::Texts(texts) => (8, texts.len(), 1),
        Value::Translated(_) => (9, 1, 1),
        Value::Half(numbers) => (3, numbers.len(), 2),
        Value::Word(numbers) => (4, numbers.len(), 4),
    };
    data.resize(data.len().next_multiple_of(align), 0);
    for word in [tag, sort, data.len() as u32, count as u32] {
        index.extend_from_slice(&word.to_be_bytes());
    }
    let mut text = |text: &String| {
        data.extend_from_slice(text.as_bytes());
        data.push(0);
    };
    match value {
        Value::Text(one) | Value::Translated(one) => text(one),
        Value::Texts(texts) => texts.iter().for_each(text),
        Value::Half(numbers) => {
            numbers.iter().for_each(|number| data.extend_from_slice(&number.to_be_bytes()));
        }
        Value::Word(numbers) => {
            numbers.iter().for_each(|number| data.extend_from_slice(&number.to_be_bytes()));
        }
    }
}
