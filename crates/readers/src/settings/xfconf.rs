//! Channels of Xfce's settings (`xfce-perchannel-xml`): properties by their paths.

use super::NewUser;
use crate::xml;
use std::path::Path;
use tally_core::model::Text;

/// A property that has a value: its path from the channel on (`Net/ThemeName`), and the value; of an array its values.
pub(crate) struct Property {
    pub(crate) path: String,
    pub(crate) values: Vec<Text>,
}

/// The properties of a channel's file that have values, in its order; where it ends too early, what came before, and why.
pub(crate) fn properties(bytes: &[u8]) -> (Vec<Property>, Option<xml::XmlError>) {
    let mut found: Vec<Property> = Vec::new();
    let mut names: Vec<Text> = Vec::new();
    let end = xml::walk(bytes, |step| match step {
        xml::Step::Open { path, attributes } => {
            let attribute =
                |key: &str| attributes.iter().find(|(known, _)| known == key).map(|(_, value)| value.clone());
            match path.last().map(Text::as_str) {
                Some("property") => {
                    names.push(attribute("name").unwrap_or_default());
                    if let Some(value) = attribute("value").filter(|value| !value.is_empty()) {
                        found.push(Property { path: names.join("/"), values: vec![value] });
                    }
                }
                Some("value") => {
                    let (path, value) = (names.join("/"), attribute("value").unwrap_or_default());
                    match found.last_mut().filter(|last| last.path == path) {
                        Some(last) => last.values.push(value),
                        None => found.push(Property { path, values: vec![value] }),
                    }
                }
                _ => {}
            }
        }
        xml::Step::Close { path, .. } => {
            if path.last().is_some_and(|name| name == "property") {
                names.pop();
            }
        }
    });
    (found, end.err())
}

/// The file of a channel in a folder of configuration.
pub(crate) fn channel_file(folder: &str, channel: &str) -> String {
    format!("{folder}/xfce4/xfconf/xfce-perchannel-xml/{channel}.xml")
}

/// A property of a channel, by its path or the end of it: the first one that has a value, in the first file that has one.
pub(crate) fn property(user: &NewUser<'_>, channel: &str, name: &str) -> Option<(Text, String)> {
    user.config.iter().find_map(|folder| {
        let file = channel_file(folder, channel);
        let bytes = user.tree.read(&file).ok()?;
        let (found, error) = properties(&bytes);
        if let Some(error) = error {
            user.tree.note(Path::new(&file), &format!("line {}: {}", error.line, error.why));
        }
        let fits = |one: &Property| one.path == name || one.path.ends_with(&format!("/{name}"));
        let one = found.into_iter().find(fits)?;
        Some((one.values.join(", ").into(), file))
    })
}
