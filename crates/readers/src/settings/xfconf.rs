use super::NewUser;
use crate::xml;
use std::path::Path;
use tally_core::model::Text;

/// A property of one of Xfce's channels, by the last part of its path: the first one that has a value, in the first file that has one.
pub(crate) fn property(user: &NewUser<'_>, channel: &str, name: &str) -> Option<(Text, String)> {
    user.config.iter().find_map(|folder| {
        let file = format!("{folder}/xfce4/xfconf/xfce-perchannel-xml/{channel}.xml");
        let bytes = user.tree.read(&file).ok()?;
        let mut found: Option<Text> = None;
        let end = xml::walk(&bytes, |step| {
            let xml::Step::Open { attributes, .. } = step else { return };
            let attribute =
                |key: &str| attributes.iter().find(|(known, _)| known == key).map(|(_, value)| value);
            if let (None, Some(known), Some(value)) = (&found, attribute("name"), attribute("value"))
                && known == name
                && !value.is_empty()
            {
                found = Some(value.clone());
            }
        });
        if let Err(error) = end {
            user.tree.note(Path::new(&file), &format!("line {}: {}", error.line, error.why));
        }
        Some((found?, file))
    })
}
