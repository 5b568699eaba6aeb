//! Writes the tables of rules as JSON: every command reads them, and TOML takes several times as long to be read.

/// The tables in `src/knowledge/rules`.
const TABLES: [&str; 10] =
    ["agents", "desktops", "headlines", "kinds", "media", "names", "parts", "roles", "settings", "words"];

#[allow(
    clippy::disallowed_macros,
    clippy::disallowed_methods,
    clippy::print_stdout,
    reason = "a build script reads and writes files, and prints what cargo is to know"
)]
fn main() -> Result<(), Box<dyn std::error::Error>> {
    let to = std::env::var("OUT_DIR")?;
    for table in TABLES {
        let from = format!("src/knowledge/rules/{table}.toml");
        println!("cargo::rerun-if-changed={from}");
        let rules: toml::Table = toml::from_str(&std::fs::read_to_string(&from)?)?;
        std::fs::write(format!("{to}/{table}.json"), serde_json::to_string(&rules)?)?;
    }
    Ok(())
}
