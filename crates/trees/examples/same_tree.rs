//! Holds an image against the folder it was made from: `same_tree IMAGE FOLDER [ROOT]`. Every name, link, mode and byte is
//! compared; `scripts/real-check` runs it on images made by other tools.

use std::path::{Path, PathBuf};
use tally_trees::{Folder, LIMITS, NodeKind, Opening, Tree, TreeError};

#[allow(clippy::print_stdout, reason = "this is a program of its own")]
fn main() -> Result<(), Box<dyn std::error::Error>> {
    let arguments = std::env::args().skip(1).collect::<Vec<_>>();
    let (image, folder, root) = match &arguments[..] {
        [image, folder] => (image, folder, None),
        [image, folder, root] => (image, folder, Some(root.clone())),
        _ => return Err("usage: same_tree IMAGE FOLDER [ROOT]".into()),
    };
    let image = Opening { root, beside: None }.open(Path::new(image))?.tree;
    let image = image.as_ref();
    let folder = Folder::open(Path::new(folder))?;
    let (mut same, mut differ, mut times) = (0_usize, 0_usize, 0_usize);
    let mut waiting = vec![PathBuf::new()];
    while let Some(here) = waiting.pop() {
        let names = folder.list(&here)?;
        if image.list(&here)? != names {
            differ += 1;
            println!("differs: {}", here.display());
        }
        for entry in names {
            let path = here.join(&entry.name);
            if is_same(image, &folder, &path, entry.kind, &mut times)? {
                same += 1;
            } else {
                differ += 1;
                println!("differs: {}", path.display());
            }
            if entry.kind == NodeKind::Folder {
                waiting.push(path);
            }
        }
    }
    println!("{same} the same, {differ} differ; {times} of other times");
    Ok(())
}

fn is_same(
    image: &dyn Tree,
    folder: &dyn Tree,
    path: &Path,
    kind: NodeKind,
    times: &mut usize,
) -> Result<bool, TreeError> {
    Ok(match kind {
        NodeKind::Link => image.read_link(path)? == folder.read_link(path)?,
        NodeKind::File => {
            let (mut a, mut b) = (Vec::new(), Vec::new());
            image.read_into(path, LIMITS.file_bytes, &mut a)?;
            folder.read_into(path, LIMITS.file_bytes, &mut b)?;
            let (mut one, other) = (image.node(path, false)?, folder.node(path, false)?);
            if one.changed_at != other.changed_at {
                *times += 1;
                one.changed_at = other.changed_at;
            }
            a == b && one == other
        }
        NodeKind::Folder | NodeKind::Other => true,
    })
}
