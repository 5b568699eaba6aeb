//! The heart of Fresh Tally: what an install is, how two are compared, and what is known about packages.
//!
//! Everything here is a function from values to values. No file is read, no clock asked, nothing printed;
//! `clippy.toml` beside this crate bans it. Rooms:
//!
//! - [`model`]: the tally document, key by key, as `docs/formats/tally.md` describes it;
//! - [`version`]: each package system's own order of versions, and the step between two of them;
//! - [`knowledge`]: what is known beforehand (menus, parts), as tables with stated precedence;
//! - [`mod@derive`]: what follows from the facts of one tally;
//! - [`history`]: what was shipped, and what came later;
//! - [`graph`]: what needs what, why a package is there, what would leave with it;
//! - [`compare`]: two tallies in, one comparison out;
//! - [`mod@age`]: how old what is in an install was on its release day;
//! - [`ask`]: one thing asked of one install;
//! - [`check`]: a reviewer's standing questions, answered by evidence;
//! - [`grid`]: many installs side by side;
//! - [`lag`]: how far behind upstream an install was on its release day;
//! - [`trail`]: one thing followed through many tallies.

pub mod age;
pub mod ask;
pub mod check;
pub mod compare;
pub mod derive;
pub mod find;
pub mod graph;
pub mod grid;
pub mod history;
pub mod knowledge;
pub mod lag;
pub mod model;
pub mod offer;
pub mod systems;
pub mod trail;
pub mod version;
pub mod vocabulary;
pub mod weigh;
