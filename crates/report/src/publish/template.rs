//! Own templates: a folder of them, each a file that a report is written into.

use crate::text::{bytes_human, clean, thousands};
use minijinja::{Environment, UndefinedBehavior};
use std::collections::BTreeMap;

/// Why templates can't be used.
#[derive(Debug)]
pub struct TemplateError {
    /// The template.
    pub name: String,
    /// Its line, counted from 1, where it is known.
    pub line: Option<usize>,
    /// What is wrong.
    pub why: String,
}

impl std::fmt::Display for TemplateError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.line {
            Some(line) => write!(f, "{}, line {line}: {}", self.name, self.why),
            None => write!(f, "{}: {}", self.name, self.why),
        }
    }
}

impl std::error::Error for TemplateError {}

/// Writes the data of a report into templates, by name. Names that begin with `_` are parts of others, and write nothing.
///
/// What ends with `.html`, `.xml` or `.svg` is escaped by itself. Control characters and those that turn the direction of writing
/// are made visible everywhere. Filters beside the usual ones: `bytes` (`1.5 GB`) and `thousands` (`1,234`).
///
/// # Errors
/// The first template that can't be read or written, with its line; a name that the data does not have is an error, too.
pub fn fill(
    templates: &BTreeMap<String, String>,
    data: &serde_json::Value,
) -> Result<BTreeMap<String, String>, TemplateError> {
    let mut environment = Environment::new();
    environment.set_undefined_behavior(UndefinedBehavior::Strict);
    environment.add_filter("bytes", |bytes: u64| bytes_human(bytes));
    environment.add_filter("thousands", |n: u64| thousands(n));
    let fail = |name: &str, error: &minijinja::Error| TemplateError {
        name: error.name().unwrap_or(name).to_owned(),
        line: error.line(),
        why: error.detail().map_or_else(|| error.kind().to_string(), ToOwned::to_owned),
    };
    for (name, text) in templates {
        environment.add_template(name, text).map_err(|error| fail(name, &error))?;
    }
    let data = minijinja::Value::from(minijinja::value::Serde(cleaned(data)));
    let mut written = BTreeMap::new();
    for name in templates.keys().filter(|name| !name.starts_with('_')) {
        let template = environment.get_template(name).map_err(|error| fail(name, &error))?;
        let text = template.render(&data).map_err(|error| fail(name, &error))?;
        // The line end that a text file ends with is its own, and no matter of the template's.
        let end = if templates[name].ends_with('\n') && !text.ends_with('\n') { "\n" } else { "" };
        written.insert(name.clone(), text + end);
    }
    Ok(written)
}

fn cleaned(data: &serde_json::Value) -> serde_json::Value {
    use serde_json::Value;
    match data {
        Value::String(text) => Value::String(clean(text).into_owned()),
        Value::Array(list) => Value::Array(list.iter().map(cleaned).collect()),
        Value::Object(map) => {
            Value::Object(map.iter().map(|(key, value)| (key.clone(), cleaned(value))).collect())
        }
        other => other.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn filled(name: &str, text: &str, data: &serde_json::Value) -> Result<String, TemplateError> {
        let mut templates = BTreeMap::from([(name.to_owned(), text.to_owned())]);
        templates.insert("_part.html".into(), "[{{ label.distro }}]".into());
        fill(&templates, data).map(|mut written| {
            assert_eq!(written.len(), 1, "a part writes nothing");
            written.remove(name).unwrap()
        })
    }

    #[test]
    fn data_stands_where_the_template_asks() {
        let data = serde_json::json!({"label": {"distro": "<b>Marsh\u{1b}</b>"}, "n": 1_234_567_u64});
        let text = "{{ label.distro }} {{ n | bytes }} {{ n | thousands }} {% include '_part.html' %}";
        assert_eq!(
            filled("a.html", text, &data).unwrap(),
            "&lt;b&gt;Marsh&lt;001B&gt;&lt;&#x2f;b&gt; 1.2 MB 1,234,567 [&lt;b&gt;Marsh&lt;001B&gt;&lt;&#x2f;b&gt;]"
        );
        assert!(filled("a.md", "{{ label.distro }}", &data).unwrap().starts_with("<b>Marsh"));
    }

    #[test]
    fn what_is_wrong_is_told_with_its_line() {
        let error = filled("a.md", "first\n{{ nothing.here }}", &serde_json::json!({})).unwrap_err();
        assert_eq!((error.name.as_str(), error.line), ("a.md", Some(2)));
        let error = filled("a.md", "{% for x in %}", &serde_json::json!({})).unwrap_err();
        assert_eq!(error.line, Some(1));
    }
}
