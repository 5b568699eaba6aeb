//! Resolution of a path inside a root, component by component, for every tree that the kernel doesn't resolve for us.

use crate::{LIMITS, TreeError, TreeErrorKind};
use std::ffi::{OsStr, OsString};
use std::os::unix::ffi::OsStrExt;
use std::path::{Path, PathBuf};

/// What the resolver must know of a path that it has already made sure of.
pub(crate) enum Step {
    /// A folder: go on below it.
    Folder,
    /// A link with this target.
    Link(PathBuf),
    /// Anything else: nothing is below it.
    Leaf,
    /// There is nothing.
    Missing,
}

/// Resolves `path` inside a root to a path without links, `.` or `..`.
///
/// `look` is asked about clean paths only. An absolute link starts again at the root; `..` at the root stays there.
/// With `follow_last` false a link at the very end is not followed.
///
/// # Errors
/// [`TreeErrorKind::Missing`], [`TreeErrorKind::NotAFolder`] when something below a file is asked for, [`TreeErrorKind::TooManyLinks`].
pub(crate) fn resolve(
    path: &Path,
    follow_last: bool,
    mut look: impl FnMut(&Path) -> Result<Step, TreeError>,
) -> Result<PathBuf, TreeError> {
    let fail = |why| Err(TreeError::new(path, why));
    let mut waiting: Vec<OsString> = Vec::new();
    push(&mut waiting, path);
    let mut clean = PathBuf::new();
    let mut depth = 0_usize;
    let mut links = 0;
    let mut leaf = false;
    while let Some(name) = waiting.pop() {
        if leaf {
            return fail(TreeErrorKind::NotAFolder);
        }
        if name == "." {
            continue;
        }
        if name == ".." {
            clean.pop();
            depth = depth.saturating_sub(1);
            continue;
        }
        clean.push(&name);
        depth = depth.saturating_add(1);
        if clean.as_os_str().len() > LIMITS.path_bytes {
            return Err(TreeError::beyond(path, "has too long a path", LIMITS.path_bytes));
        }
        if depth > LIMITS.path_depth {
            return Err(TreeError::beyond(path, "is nested too deeply", LIMITS.path_depth));
        }
        match look(&clean)? {
            Step::Folder => {}
            Step::Leaf => leaf = true,
            Step::Missing => return fail(TreeErrorKind::Missing),
            Step::Link(_) if waiting.is_empty() && !follow_last => leaf = true,
            Step::Link(target) => {
                links = usize::saturating_add(links, 1);
                if links > LIMITS.links_followed {
                    return fail(TreeErrorKind::TooManyLinks);
                }
                if target.as_os_str().len() > LIMITS.link_target_bytes {
                    return Err(TreeError::beyond(
                        path,
                        "has a link with too long a target",
                        LIMITS.link_target_bytes,
                    ));
                }
                if target.has_root() {
                    clean.clear();
                    depth = 0;
                } else {
                    clean.pop();
                    depth = depth.saturating_sub(1);
                }
                push(&mut waiting, &target);
            }
        }
    }
    Ok(clean)
}

/// Puts the components of a path on the stack, first one on top.
///
/// A slash at the end asks for a folder, as `/.` does; `Path::components` would lose both.
fn push(waiting: &mut Vec<OsString>, path: &Path) {
    let bytes = path.as_os_str().as_bytes();
    if bytes.len() > 1 && bytes.ends_with(b"/") {
        waiting.push(".".into());
    }
    let components = bytes.split(|byte| *byte == b'/').rev().filter(|name| !name.is_empty());
    waiting.extend(components.map(|name| OsStr::from_bytes(name).to_owned()));
}
