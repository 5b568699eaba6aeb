//! Which pictures are new, kept, or gone: by their files, and by what they show.

use super::{PictureChange, PictureChangeKind};
use crate::model::{Picture, PictureKind, Sameness};

/// Pictures of both sides but icons; nothing where one side has none recorded.
pub(super) fn changes(old: &[Picture], new: &[Picture]) -> Vec<PictureChange> {
    if old.is_empty() || new.is_empty() {
        return Vec::new();
    }
    let told = |list: &[Picture]| -> Vec<usize> {
        (0..list.len()).filter(|at| list[*at].kind != PictureKind::Icon).collect()
    };
    let (mut before, mut after) = (told(old), told(new));
    let mut changes = Vec::new();
    // The same files first, then what shows the same, the nearest pair before others.
    let mut pairs: Vec<(Sameness, u32, usize, usize)> = Vec::new();
    for is in &after {
        for was in before.iter().filter(|was| old[**was].kind == new[*is].kind) {
            let how = new[*is].beside(&old[*was]);
            if how != Sameness::Other {
                // Of several that are the same one of the same name goes first.
                let named = u32::from(old[*was].name != new[*is].name);
                pairs.push((
                    how,
                    new[*is].distance(&old[*was]).map_or(0, |(bits, steps)| bits + steps) * 2 + named,
                    *was,
                    *is,
                ));
            }
        }
    }
    pairs.sort_unstable();
    for (how, _, was, is) in pairs {
        let free = before.contains(&was) && after.contains(&is);
        if !free {
            continue;
        }
        before.retain(|at| *at != was);
        after.retain(|at| *at != is);
        let kind = if how == Sameness::Same { PictureChangeKind::Kept } else { PictureChangeKind::Alike };
        changes.push(change(kind, &new[is], Some(&old[was])));
    }
    // Drawings and formats that are not decoded can only be told by their names.
    after.retain(|is| {
        let same_name = |was: &usize| {
            let (old, new) = (&old[*was], &new[*is]);
            old.kind == new.kind && old.name == new.name && old.distance(new).is_none()
        };
        let Some(at) = before.iter().position(same_name) else { return true };
        changes.push(change(PictureChangeKind::SameName, &new[*is], Some(&old[before.remove(at)])));
        false
    });
    changes.extend(after.into_iter().map(|at| change(PictureChangeKind::New, &new[at], None)));
    changes.extend(before.into_iter().map(|at| change(PictureChangeKind::Gone, &old[at], None)));
    changes.sort_by(|a, b| (a.kind, a.change, &a.name).cmp(&(b.kind, b.change, &b.name)));
    changes
}

fn change(change: PictureChangeKind, picture: &Picture, was: Option<&Picture>) -> PictureChange {
    PictureChange {
        change,
        kind: picture.kind,
        name: picture.name.clone(),
        old_name: was.map(|was| was.name.clone()).filter(|was| *was != picture.name),
        thumbnail: picture.thumbnail.clone(),
        package: picture.package.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn picture(name: &str, sha256: u8, likeness: u64) -> Picture {
        let likeness = Some(format!("{likeness:016x}{:048}", 0).into());
        Picture { sha256: format!("{sha256}").into(), likeness, ..Picture::unread(name) }
    }

    #[test]
    fn files_then_what_they_show_then_the_rest() {
        let old = [picture("a", 1, 0), picture("b", 2, 0x00ff), picture("c", 3, u64::MAX)];
        let new = [picture("a2", 1, 0), picture("b", 9, 0x00fe), picture("d", 4, 0x5555_5555_0000_0000)];
        let told: Vec<String> = changes(&old, &new)
            .iter()
            .map(|one| format!("{} {} {}", one.change, one.name, one.old_name.as_deref().unwrap_or("-")))
            .collect();
        assert_eq!(told, ["new d -", "kept a2 a", "alike b -", "gone c -"]);
        let drawn = |sha256: u8| Picture { likeness: None, ..picture("e", sha256, 0) };
        let by_name = changes(&[drawn(1)], &[drawn(2)]);
        assert_eq!((by_name.len(), by_name[0].change), (1, PictureChangeKind::SameName));
        assert!(changes(&[], &new).is_empty(), "the older one was taken without pictures");
    }

    proptest! {
        #[test]
        fn nothing_is_lost_and_the_mirror_shows_the_same(
            old in prop::collection::vec((0_u8..6, 0_u64..4), 1..8),
            new in prop::collection::vec((0_u8..6, 0_u64..4), 1..8),
        ) {
            let of = |list: &[(u8, u64)]| -> Vec<Picture> {
                list.iter().enumerate().map(|(at, (hash, look))| picture(&format!("p{at}"), *hash, look << 60)).collect()
            };
            let (old, new) = (of(&old), of(&new));
            let (there, back) = (changes(&old, &new), changes(&new, &old));
            let count = |list: &[PictureChange], kind| list.iter().filter(|one| one.change == kind).count();
            let paired = |list: &[PictureChange]| count(list, PictureChangeKind::Kept) + count(list, PictureChangeKind::Alike);
            prop_assert_eq!(paired(&there) + count(&there, PictureChangeKind::New), new.len());
            prop_assert_eq!(paired(&there) + count(&there, PictureChangeKind::Gone), old.len());
            prop_assert_eq!(count(&there, PictureChangeKind::Kept), count(&back, PictureChangeKind::Kept));
        }
    }
}
