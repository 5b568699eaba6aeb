//! Environment and clock. They are read here and nowhere else.

use std::path::PathBuf;

/// Where the reviewer's configuration is.
pub(crate) fn configuration_folder() -> Option<PathBuf> {
    let folder = folder_of("XDG_CONFIG_HOME").or_else(|| home().map(|home| home.join(".config")))?;
    Some(folder.join("fresh-tally"))
}

/// A variable that is set to something.
fn set(name: &str) -> Option<PathBuf> {
    std::env::var_os(name).filter(|value| !value.is_empty()).map(PathBuf::from)
}

/// The home folder.
pub(crate) fn home() -> Option<PathBuf> {
    set("HOME")
}

/// A folder of the XDG Base Directory Specification: what is no absolute path is to be ignored.
fn folder_of(name: &str) -> Option<PathBuf> {
    set(name).filter(|folder| folder.is_absolute())
}

/// The shelf that the environment names.
pub(crate) fn shelf() -> Option<PathBuf> {
    set("FRESH_TALLY_SHELF")
}

/// Where the shelf is when nothing says: in the data folder.
pub(crate) fn default_shelf_folder() -> Option<PathBuf> {
    let data = folder_of("XDG_DATA_HOME").or_else(|| home().map(|home| home.join(".local/share")));
    data.map(|data| data.join("fresh-tally/shelf"))
}

/// Whether the locale's encoding is UTF-8: the first of the variables that is set decides, as in POSIX; none says nothing against it.
pub(crate) fn speaks_utf8() -> bool {
    let locale = ["LC_ALL", "LC_CTYPE", "LANG"].iter().find_map(|name| set(name));
    locale.is_none_or(|locale| {
        let locale = locale.to_string_lossy().to_ascii_lowercase();
        locale.contains("utf-8") || locale.contains("utf8")
    })
}

/// The moment of this run, RFC 3339 UTC; `SOURCE_DATE_EPOCH` overrides the clock.
pub(crate) fn now() -> String {
    let epoch = std::env::var("SOURCE_DATE_EPOCH").ok().and_then(|seconds| seconds.parse::<i64>().ok());
    let moment = epoch
        .and_then(|seconds| jiff::Timestamp::from_second(seconds).ok())
        .unwrap_or_else(jiff::Timestamp::now);
    moment.strftime("%Y-%m-%dT%H:%M:%SZ").to_string()
}

/// Whether `NO_COLOR` asks for none.
pub(crate) fn refuses_color() -> bool {
    set("NO_COLOR").is_some()
}

/// Whether the terminal can show no colours.
pub(crate) fn is_dumb_terminal() -> bool {
    std::env::var_os("TERM").is_some_and(|term| term == "dumb")
}

/// Whether the terminal says that it has 256 colours or more.
#[cfg(feature = "browse")]
pub(crate) fn has_many_colors() -> bool {
    let says = |name: &str, word: &str| set(name).is_some_and(|value| value.to_string_lossy().contains(word));
    set("COLORTERM").is_some() || says("TERM", "256color") || says("TERM", "direct")
}
