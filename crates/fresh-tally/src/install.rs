//! From what the user calls an install to its tally.

use crate::error::CommandError;
use crate::settings::Settings;
use crate::{interrupt, output, progress};
use rustc_hash::FxHashSet;
use sha2::{Digest, Sha256};
use std::io::{BufReader, Cursor, Read};
use std::os::unix::fs::FileTypeExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::Mutex;
use tally_core::derive::Rules;
use tally_core::history::Moment;
use tally_core::knowledge::{Agents, KindRules, PartRules, Roles, SettingRules};
use tally_core::model::{
    MeasuredWhen, Medium, Method, Reading, RootReason, System, Taken, TakenRoot, Tally, Text, Unread,
};
use tally_readers::Thumbnail;
use tally_readers::{OnMedium, Overrides, TakeOptions};
use tally_report::{RootRow, RootsView, words};
use tally_shelf::{ShelfError, is_tally, open_file, read_tally, read_tally_in_brief};
use tally_trees::{
    ChosenRoot, Folder, Opening, Root, RootBecause, Source, SourceError, Spool, Stream, Tree, named_roots,
    start_threads,
};

/// Program and version, as tallies name them.
pub(crate) const PROGRAM: &str = concat!("fresh-tally ", env!("CARGO_PKG_VERSION"));

/// Finds an install, and shows of it what is asked for: by `@shipped` or `@found` behind its name, else by `--as`.
pub(crate) fn find(asked: &str, settings: &Settings, rules: &PartRules) -> Result<Tally, CommandError> {
    find_by(asked, settings, rules, Detail::All)
}

/// As [`find`], for what holds installs against one another: a kept tally comes without the details of its packages that only a
/// look at one install asks for.
pub(crate) fn find_in_brief(
    asked: &str,
    settings: &Settings,
    rules: &PartRules,
) -> Result<Tally, CommandError> {
    find_by(asked, settings, rules, Detail::Brief)
}

/// As [`find`], for who asks when packages were built.
pub(crate) fn find_with_dates(
    asked: &str,
    settings: &Settings,
    rules: &PartRules,
) -> Result<Tally, CommandError> {
    find_by(asked, settings, rules, Detail::AllDates)
}

/// How much of a kept tally is read.
#[derive(Clone, Copy)]
enum Detail {
    All,
    Brief,
    /// Of a source that is read on the fly, the day of every package as well.
    AllDates,
}

fn find_by(
    asked: &str,
    settings: &Settings,
    rules: &PartRules,
    detail: Detail,
) -> Result<Tally, CommandError> {
    let (name, seen) = named(asked, settings);
    Ok(seen.of(find_as_found(name, settings, rules, detail)?))
}

/// The install that is meant, and what of it is shown.
pub(crate) fn named<'a>(asked: &'a str, settings: &Settings) -> (&'a str, Moment) {
    let is_there = settings.shelf.has(asked) || Path::new(asked).exists();
    match asked.rsplit_once('@') {
        Some((name, "shipped")) if !is_there => (name, Moment::Shipped),
        Some((name, "found")) if !is_there => (name, Moment::Found),
        _ => (asked, settings.seen),
    }
}

/// Finds an install: a handle on the shelf, else a tally file, else a source that is read on the fly.
fn find_as_found(
    asked: &str,
    settings: &Settings,
    rules: &PartRules,
    detail: Detail,
) -> Result<Tally, CommandError> {
    if settings.shelf.has(asked) {
        return Ok(match detail {
            Detail::All | Detail::AllDates => settings.shelf.get(asked)?,
            Detail::Brief => settings.shelf.get_in_brief(asked)?,
        });
    }
    let path = Path::new(asked);
    if path.is_file() && is_tally(path) {
        let read = match detail {
            Detail::All | Detail::AllDates => read_tally(path),
            Detail::Brief => read_tally_in_brief(path),
        };
        return match read {
            Err(ShelfError::Io { source, .. }) => Err(unreadable(path, source)),
            other => Ok(other?),
        };
    }
    if path.exists() || asked == STDIN {
        let all_dates = matches!(detail, Detail::AllDates);
        return take(path, TakeRequest { all_dates, ..TakeRequest::of(settings, rules) });
    }
    Err(unknown(asked, settings))
}

/// How an install is to be read.
pub(crate) struct TakeRequest<'a> {
    pub(crate) medium: Medium,
    pub(crate) overrides: Overrides,
    /// The last moment of the install day, seconds since 1970 UTC, where someone knows it.
    pub(crate) installed: Option<i64>,
    /// What the medium installs at the most, where this is its live session.
    pub(crate) installs: Option<FxHashSet<(System, Text)>>,
    /// The root to take of a disk with several.
    pub(crate) root: Option<String>,
    /// Where thumbnails go; without it pictures are not read.
    pub(crate) thumbnails: Option<&'a Mutex<Vec<Thumbnail>>>,
    /// Whether the day of every package is read.
    pub(crate) all_dates: bool,
    pub(crate) settings: &'a Settings,
    pub(crate) rules: &'a PartRules,
}

impl<'a> TakeRequest<'a> {
    /// As an installed system that tells all by itself.
    pub(crate) fn of(settings: &'a Settings, rules: &'a PartRules) -> Self {
        Self {
            medium: Medium::Installed,
            overrides: Overrides::default(),
            installed: None,
            installs: None,
            root: None,
            thumbnails: None,
            all_dates: false,
            settings,
            rules,
        }
    }
}

/// The error of an install that is neither on the shelf nor a path.
pub(crate) fn unknown(asked: &str, settings: &Settings) -> CommandError {
    CommandError::NoSuchInstall {
        asked: asked.into(),
        shelf: settings.shelf.folder().into(),
        near: near(asked, settings),
    }
}

/// The root of an install that is still there: the source itself, else where its tally says it came from. A folder, or
/// what is inside an archive, an image or a disk.
pub(crate) fn root_of(asked: &str, settings: &Settings) -> Result<Box<dyn Tree>, CommandError> {
    interrupt::prepare(settings);
    let path = Path::new(asked);
    if asked == STDIN {
        let why = "what came through a pipe can't be read twice";
        return Err(CommandError::Source { path: path.into(), why: why.into() });
    }
    let is_source = path.is_dir() || (is_bytes(path) && !is_tally(path));
    let (source, root) = if is_source && !settings.shelf.has(asked) {
        (PathBuf::from(asked), None)
    } else {
        let taken = find_as_found(asked, settings, &PartRules::default(), Detail::Brief)?.taken;
        (PathBuf::from(taken.from.as_str()), taken.root.map(|root| root.name.to_string()))
    };
    if is_bytes(&source) {
        let opening = Opening { root, beside: None };
        let opened =
            opening.open(&source).map_err(|error| CommandError::Image { path: source, source: error })?;
        return Ok(opened.tree);
    }
    if !source.is_dir() {
        let why = "the install is gone, and a tally does not contain lists of all files: name its root";
        return Err(CommandError::Source { path: source, why: why.into() });
    }
    Ok(Box::new(folder(&source)?))
}

/// Whether a path names bytes that may hold an install: a file, or the block device of a disk or a partition.
fn is_bytes(path: &Path) -> bool {
    path.metadata().is_ok_and(|found| found.is_file() || found.file_type().is_block_device())
}

/// What stands for standard input where a source is asked for.
const STDIN: &str = "-";

/// Whether a tally answers to this name, so that no source is read on the fly.
pub(crate) fn is_kept(asked: &str, settings: &Settings) -> bool {
    let path = Path::new(asked);
    settings.shelf.has(asked) || (path.is_file() && is_tally(path))
}

/// Reads a file that is no tally: an archive, an image or a disk with an install in it, or a list of packages.
fn take_file(source: &Path, request: TakeRequest<'_>) -> Result<Tally, CommandError> {
    let fail = |error: std::io::Error| unreadable(source, error);
    let bytes = if source == Path::new(STDIN) {
        let bar = progress::bar(None, "Receiving", request.settings);
        let mut input = bar.wrap_read(std::io::stdin().lock());
        let mut head = Vec::new();
        (&mut input).take(Source::HEAD).read_to_end(&mut head).map_err(fail)?;
        if !Source::begins(&Arc::<[u8]>::from(&head[..])) {
            is_text(&head, source)?;
            return take_list(Cursor::new(head).chain(input), source, request);
        }
        // What comes through a pipe can be read from anywhere only once it lies somewhere.
        let mut spool = Spool::new().map_err(fail)?;
        std::io::copy(&mut Cursor::new(head).chain(input), &mut spool).map_err(fail)?;
        bar.finish_and_clear();
        Arc::new(spool.finish().map_err(fail)?)
    } else {
        progress::watched(source, source, request.settings).map_err(fail)?
    };
    if !Source::begins(bytes.as_ref()) {
        let length = usize::try_from(bytes.len()).unwrap_or(usize::MAX).min(LOOKED_AT);
        is_text(&bytes.exactly(0, length).map_err(fail)?, source)?;
        return take_list(Stream::of(bytes), source, request);
    }
    let opening = Opening { root: request.root.clone(), beside: source.parent().map(Path::to_owned) };
    let opened =
        opening.of(bytes).map_err(|error| CommandError::Image { path: source.into(), source: error })?;
    take_opened(opened, source, request)
}

/// Bytes of a list that are looked at before it is read: 64 KiB.
const LOOKED_AT: usize = 64 << 10;

/// Refuses what is no text: a list of packages has no zero bytes.
fn is_text(head: &[u8], source: &Path) -> Result<(), CommandError> {
    match head.iter().take(LOOKED_AT).any(|byte| *byte == 0) {
        true => Err(CommandError::Image { path: source.into(), source: SourceError::Unknown }),
        false => Ok(()),
    }
}

/// Reads an install that was found inside a file.
fn take_opened(opened: Source, source: &Path, request: TakeRequest<'_>) -> Result<Tally, CommandError> {
    let TakeRequest { mut overrides, installed, installs, thumbnails, all_dates, settings, rules, .. } =
        request;
    let medium = if opened.is_medium { Medium::Image } else { request.medium };
    let mut options = Options::new(source, medium, installed, settings)?;
    let layers: Vec<String> =
        opened.layers.iter().map(|layer| layer.to_string_lossy().into_owned()).collect();
    options.taken.root = opened.root.as_ref().map(|chosen| TakenRoot {
        name: chosen.root.name.as_str().into(),
        because: reason(chosen.because),
        others: chosen.others.iter().map(|other| other.name.as_str().into()).collect(),
    });
    let in_silence = |chosen: &&ChosenRoot| chosen.because != RootBecause::Asked && !chosen.others.is_empty();
    if let Some(chosen) = opened.root.as_ref().filter(in_silence) {
        output::warn(&format!(
            "`{}` has several installs: `{}` was taken, {}; not taken: {}; `--root NAME` takes one",
            source.display(),
            chosen.root.name,
            words::root_reason(reason(chosen.because)),
            named_roots(&chosen.others)
        ));
    }
    options.taken.layer = (!layers.is_empty()).then(|| layers.join(" + ").into());
    overrides.profile = overrides.profile.or(opened.profile);
    options.all_dates = all_dates;
    options.on_medium = OnMedium { lists: opened.lists, installs };
    // Said at once as well: it may be why there is nothing in it.
    opened.remarks.iter().for_each(|remark| output::warn(&format!("`{}`: {remark}", source.display())));
    let taken = tally_readers::take(opened.tree.as_ref(), &options.of(overrides, rules, thumbnails));
    let mut tally = taken.map_err(|error| CommandError::NoInstall { path: source.into(), source: error })?;
    // The kit takes the figures of the running system along.
    tally.readings = tally_readers::readings::read(opened.tree.as_ref(), medium, MeasuredWhen::KitRun);
    let name = source.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    tally.unread.extend(opened.remarks.into_iter().map(|why| Unread::whole(name.as_str(), why)));
    tally.unread.sort();
    Ok(tally)
}

/// The installs on a disk, as they can be asked for.
pub(crate) fn roots(source: &Path, settings: &Settings) -> Result<RootsView, CommandError> {
    interrupt::prepare(settings);
    let fail = |error| CommandError::Image { path: source.into(), source: error };
    let opening = Opening { root: None, beside: source.parent().map(Path::to_owned) };
    let found = if source.is_dir() {
        let tree: Arc<dyn Tree> = Arc::new(folder(source)?);
        opening.folder(&tree).map(Opening::roots).transpose().map_err(fail)?.unwrap_or_default()
    } else {
        let bytes = progress::watched(source, source, settings).map_err(|error| unreadable(source, error))?;
        Opening::roots(opening.of(bytes)).map_err(fail)?
    };
    let row = |Root { name, title, bytes }: Root| RootRow { name, title, bytes };
    Ok(RootsView { source: source.display().to_string(), roots: found.into_iter().map(row).collect() })
}

/// Why a root was taken, as tallies have it.
const fn reason(because: RootBecause) -> RootReason {
    match because {
        RootBecause::Asked => RootReason::Asked,
        RootBecause::Only => RootReason::Only,
        RootBecause::BootEntry => RootReason::BootEntry,
        RootBecause::DefaultSubvolume => RootReason::DefaultSubvolume,
        RootBecause::OwnTable => RootReason::OwnTable,
        RootBecause::UsualName => RootReason::UsualName,
    }
}

/// A folder on disk.
fn folder(path: &Path) -> Result<Folder, CommandError> {
    Folder::open(path).map_err(|error| CommandError::Source { path: path.into(), why: error.why.into() })
}

/// Reads every profile that a medium can install, the smallest first. What only the live session has beyond the largest of
/// the others is marked.
pub(crate) fn take_each_profile(
    source: &Path,
    overrides: &Overrides,
    settings: &Settings,
    rules: &PartRules,
) -> Result<Vec<Tally>, CommandError> {
    interrupt::prepare(settings);
    start_threads(None);
    let fail = |error| CommandError::Image { path: source.into(), source: error };
    let bytes = progress::watched(source, source, settings).map_err(|error| unreadable(source, error))?;
    let profiles = Source::each_profile(bytes).map_err(fail)?;
    let mut tallies = Vec::new();
    for opened in profiles {
        let overrides = Overrides { profile: None, ..overrides.clone() };
        let mut request = TakeRequest { overrides, ..TakeRequest::of(settings, rules) };
        if opened.profile.as_deref() == Some(LIVE) {
            // The profiles before it stand on fewer layers: the last of them is the largest that is installed.
            request.installs = tallies.last().map(|tally: &Tally| {
                tally.packages.iter().map(|package| (package.system, package.name.clone())).collect()
            });
        }
        tallies.push(take_opened(opened, source, request)?);
    }
    Ok(tallies)
}

/// The profile that is only started, and never installed.
const LIVE: &str = "live";

/// Reads a list of packages.
fn take_list(list: impl Read, source: &Path, request: TakeRequest<'_>) -> Result<Tally, CommandError> {
    let TakeRequest { mut overrides, settings, rules, .. } = request;
    // A list is called like its file, unless somebody says better.
    let stem =
        source.file_stem().map(|stem| stem.to_string_lossy().into_owned()).filter(|stem| stem != STDIN);
    let named = overrides.distro.is_some();
    let options = Options::new(source, Medium::Listing, None, settings)?;
    let list = BufReader::with_capacity(1 << 16, list);
    let told = tally_readers::take_listing(list, options.of(Overrides::default(), rules, None));
    let told =
        told.map_err(|source_error| CommandError::NoInstall { path: source.into(), source: source_error })?;
    if told.label.distro.is_empty() && !named {
        overrides.distro = Some(stem.unwrap_or_else(|| "Listing".to_owned()));
    }
    let mut tally = told;
    overrides.apply(&mut tally.label);
    tally.label.handle = tally.label.natural_handle();
    if named {
        let distro_id = tally.label.distro_id.clone();
        tally.packages.iter_mut().for_each(|package| package.purl = package.make_purl(&distro_id));
    }
    Ok(tally)
}

/// What every reading is told: where from, when, and the rules.
struct Options {
    taken: Taken,
    installed: Option<i64>,
    on_medium: OnMedium,
    all_dates: bool,
    kinds: KindRules,
    roles: Roles,
    agents: Agents,
    settings: SettingRules,
}

impl Options {
    fn new(
        source: &Path,
        medium: Medium,
        installed: Option<i64>,
        settings: &Settings,
    ) -> Result<Self, CommandError> {
        let from = match std::path::absolute(source) {
            Ok(path) if source != Path::new(STDIN) => path,
            _ => PathBuf::from("standard input"),
        };
        let taken = Taken {
            at: settings.now.as_str().into(),
            from: Text::from(from.to_string_lossy()),
            medium,
            layer: None,
            sha256: None,
            root: None,
        };
        let (kinds, roles, agents) = (settings.own.kinds()?, settings.own.roles()?, settings.own.agents()?);
        let rules = settings.own.settings()?;
        Ok(Self {
            taken,
            installed,
            on_medium: OnMedium::default(),
            all_dates: false,
            kinds,
            roles,
            agents,
            settings: rules,
        })
    }

    fn of<'a>(
        &'a self,
        overrides: Overrides,
        rules: &'a PartRules,
        thumbnails: Option<&'a Mutex<Vec<Thumbnail>>>,
    ) -> TakeOptions<'a> {
        TakeOptions {
            program: PROGRAM.into(),
            taken: self.taken.clone(),
            overrides,
            installed: self.installed,
            on_medium: self.on_medium.clone(),
            all_dates: self.all_dates,
            thumbnails,
            rules: Rules {
                parts: rules,
                kinds: &self.kinds,
                roles: &self.roles,
                agents: &self.agents,
                settings: &self.settings,
            },
        }
    }
}

/// Reads the install that is in a folder or a file, or a list of packages.
pub(crate) fn take(source: &Path, request: TakeRequest<'_>) -> Result<Tally, CommandError> {
    interrupt::prepare(request.settings);
    start_threads(None);
    if source == Path::new(STDIN) || is_bytes(source) {
        if source.is_file() && is_tally(source) {
            let why = "it is a tally already; `show` looks at one, `shelf import` puts one on the shelf";
            return Err(CommandError::Source { path: source.into(), why: why.into() });
        }
        return take_file(source, request);
    }
    if source.metadata().is_ok_and(|found| !found.is_dir()) {
        let why = "it is a device, a pipe or a socket: give a folder, an archive, an image or a disk, or `-` for \
                   standard input";
        return Err(CommandError::Source { path: source.into(), why: why.into() });
    }
    let tree: Arc<dyn Tree> = Arc::new(folder(source)?);
    let opening = Opening { root: request.root.clone(), beside: None };
    if let Some(opened) = opening.folder(&tree) {
        let opened = opened.map_err(|error| CommandError::Image { path: source.into(), source: error })?;
        return take_opened(opened, source, request);
    }
    if let Some(asked) = request.root {
        let roots = Vec::new();
        return Err(CommandError::Image {
            path: source.into(),
            source: SourceError::NoSuchRoot { asked, roots },
        });
    }
    let tree = tree.as_ref();
    let TakeRequest { medium, overrides, installed, thumbnails, all_dates, settings, rules, .. } = request;
    let options = Options { all_dates, ..Options::new(source, medium, installed, settings)? };
    let mut result = tally_readers::take(tree, &options.of(overrides, rules, thumbnails));
    if let Ok(tally) = &mut result
        && options.taken.from == "/"
    {
        tally.readings = readings(tree, medium);
    }
    result.map_err(|error| CommandError::NoInstall { path: source.into(), source: error })
}

/// The SHA-256 of a file, in hexadecimal digits.
pub(crate) fn sha256(source: &Path, settings: &Settings) -> Result<Text, CommandError> {
    if !source.is_file() {
        return Err(CommandError::Usage(format!("--sha256: `{}` is not a file", source.display())));
    }
    let fail = |error: std::io::Error| unreadable(source, error);
    let mut file = open_file(source).map_err(fail)?;
    let length = file.metadata().map_err(fail)?.len();
    let bar = progress::bar(Some(length), &format!("Summing {}", source.display()), settings);
    let mut sum = Sha256::new();
    let mut buffer = vec![0; 1 << 20];
    loop {
        let read = file.read(&mut buffer).map_err(fail)?;
        if read == 0 {
            break;
        }
        sum.update(&buffer[..read]);
        bar.inc(read as u64);
    }
    bar.finish_and_clear();
    Ok(sum.finalize().iter().map(|byte| format!("{byte:02x}")).collect())
}

/// The figures of the system we run on; the disk's from the kernel, since no file tells.
fn readings(tree: &dyn Tree, medium: Medium) -> Vec<Reading> {
    let mut readings = tally_readers::readings::read(tree, medium, MeasuredWhen::TallyTaken);
    let (Some(first), Ok(disk)) = (readings.first().cloned(), rustix::fs::statvfs("/")) else {
        return readings;
    };
    let used = disk.f_blocks.saturating_sub(disk.f_bfree).saturating_mul(disk.f_frsize);
    #[allow(clippy::cast_precision_loss, reason = "disks are far below 2^53 bytes")]
    let value = used as f64;
    readings.push(Reading {
        what: "disk-used".into(),
        value,
        unit: "bytes".into(),
        method: Method::UsedBlocks.name().into(),
        ..first
    });
    readings
}

fn unreadable(path: &Path, error: std::io::Error) -> CommandError {
    CommandError::Source { path: path.into(), why: error.into() }
}

/// Handles that look like what was asked for, likest first.
fn near(asked: &str, settings: &Settings) -> Vec<String> {
    let handles = settings.shelf.handles().unwrap_or_default();
    let mut scored: Vec<(f64, String)> = handles
        .into_iter()
        .map(|handle| (strsim::jaro_winkler(asked, &handle), handle))
        .filter(|(score, handle)| *score > 0.8 || handle.contains(asked))
        .collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0));
    scored.into_iter().map(|(_, handle)| handle).collect()
}

/// The error of a handle that could not be a file name, before anything is read.
pub(crate) fn check_handle(handle: &str) -> Result<(), CommandError> {
    if handle.is_empty() || tally_core::model::slug(handle) != handle {
        return Err(ShelfError::BadHandle { handle: handle.into() }.into());
    }
    Ok(())
}
