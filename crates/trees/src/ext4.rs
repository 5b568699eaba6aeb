//! ext2, ext3 and ext4 file systems, read by the crate `ext4-view` on threads of their own: its view of a file system may not
//! move between threads, and a tree is asked by many. Each thread has a view of its own, and whoever is free takes the next job.

use crate::bytes::cut_off;
use crate::num::{le16, le32};
use crate::path::{Step, resolve};
use crate::{Entry, LIMITS, Node, NodeKind, ReadAt, Tree, TreeError, TreeErrorKind, shielded};
use ext4_view::{DirEntry, Ext4, Ext4Error, Ext4Read, File, FileType, Metadata};
use foldhash::{HashMap, HashMapExt};
use rustc_hash::FxHashMap;
use std::collections::VecDeque;
use std::error::Error;
use std::ffi::OsString;
use std::io;
use std::os::unix::ffi::{OsStrExt, OsStringExt};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError, mpsc};

/// Files up to this size are read as a whole when they are opened: 4 MiB.
const WHOLE: u64 = 4 << 20;

/// Whether there is such a file system.
pub(crate) fn begins(head: &[u8]) -> bool {
    head.get(1080..1082) == Some(&[0x53, 0xef])
}

/// What the file system's head says of its state; `None` when it was left in order.
pub(crate) fn unclean(head: &[u8]) -> Option<&'static str> {
    const IN_ORDER: u16 = 1;
    const NEEDS_RECOVERY: u16 = 4;
    if le16(head, 1024 + 96) & NEEDS_RECOVERY != 0 {
        return Some(
            "it was not unmounted cleanly: its journal is read, but what was never written is missing",
        );
    }
    (le16(head, 1024 + 58) & IN_ORDER == 0).then_some("it was not unmounted, or has errors")
}

/// What is missing of a file system that is longer than its bytes: `s_blocks_count` times the size of its blocks.
pub(crate) fn cut(head: &[u8], there: u64) -> Option<String> {
    const WIDE: u32 = 0x80;
    let high = if le32(head, 1024 + 96) & WIDE == 0 { 0 } else { u64::from(le32(head, 1024 + 336)) };
    let blocks = high << 32 | u64::from(le32(head, 1024 + 4));
    cut_off(there, blocks.saturating_mul(1024 << le32(head, 1024 + 24).min(6)))
}

/// What the file system's head calls it: its UUID, lower case with hyphens, and its label.
pub(crate) fn names(head: &[u8]) -> (String, String) {
    let uuid: String =
        head.get(1128..1144).unwrap_or_default().iter().map(|byte| format!("{byte:02x}")).collect();
    let ends = [8, 12, 16, 20, 32];
    let groups: Vec<&str> =
        ends.iter().zip([0, 8, 12, 16, 20]).filter_map(|(end, start)| uuid.get(start..*end)).collect();
    let label = head.get(1144..1160).unwrap_or_default().split(|byte| *byte == 0).next().unwrap_or_default();
    (groups.join("-"), String::from_utf8_lossy(label).into_owned())
}

/// Something to be done by a thread with its view; whether the view is still to be relied on afterwards.
type Job = Box<dyn FnOnce(&mut View) -> bool + Send>;

/// What waits to be done. A job for a thread of a certain number waits for that one.
#[derive(Default)]
struct Queue {
    waiting: Mutex<Waiting>,
    ready: Condvar,
}

#[derive(Default)]
struct Waiting {
    jobs: VecDeque<(Option<usize>, Job)>,
    is_closed: bool,
}

impl Queue {
    fn waiting(&self) -> MutexGuard<'_, Waiting> {
        self.waiting.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The next job of a thread; `None` when nobody is left who could ask for anything.
    fn next(&self, thread: usize) -> Option<Job> {
        let mut waiting = self.waiting();
        loop {
            let of = |(only, _): &(Option<usize>, Job)| only.is_none_or(|only| only == thread);
            if let Some(at) = waiting.jobs.iter().position(of) {
                return waiting.jobs.remove(at).map(|(_, job)| job);
            }
            if waiting.is_closed {
                return None;
            }
            waiting = self.ready.wait(waiting).unwrap_or_else(PoisonError::into_inner);
        }
    }
}

/// A file system, and the threads that read it.
pub(crate) struct FileSystem {
    jobs: Arc<Jobs>,
    /// Number of the thread that reads the next large file.
    next: AtomicUsize,
    length: u64,
}

/// The way to the threads, which end when it is gone.
struct Jobs(Arc<Queue>);

impl Drop for Jobs {
    fn drop(&mut self) {
        self.0.waiting().is_closed = true;
        self.0.ready.notify_all();
    }
}

impl Jobs {
    /// Lets a thread do something, and waits for its answer. A panic of the crate is an error of this job alone.
    fn ask<T: Send + 'static>(
        &self,
        thread: Option<usize>,
        job: impl FnOnce(&mut View) -> T + Send + 'static,
    ) -> io::Result<T> {
        let (answer, wait) = mpsc::sync_channel(1);
        let job: Job = Box::new(move |view| {
            let outcome = shielded(|| job(view));
            let is_whole = outcome.is_ok();
            _ = answer.send(outcome);
            is_whole
        });
        self.0.waiting().jobs.push_back((thread, job));
        self.0.ready.notify_all();
        let gone = |_| io::Error::other("the file system is too damaged to be read");
        wait.recv().map_err(gone)?.map_err(io::Error::other)
    }
}

/// Bytes that are read at a time, and kept: 32 KiB.
const CHUNK: u64 = 32 << 10;
/// Chunks that each thread keeps: 16 MiB in all. Tables of inodes and folders are asked for again and again.
const KEPT: usize = 512;
/// Threads that read one file system.
const THREADS: usize = 2;

/// The bytes below a file system, with what was read last.
struct Below {
    bytes: Arc<dyn ReadAt>,
    kept: FxHashMap<u64, Vec<u8>>,
}

impl Below {
    fn of(bytes: Arc<dyn ReadAt>) -> Self {
        Self { bytes, kept: FxHashMap::default() }
    }

    /// A chunk by its number; shorter at the end.
    fn chunk(&mut self, number: u64) -> io::Result<&[u8]> {
        if self.kept.len() >= KEPT && !self.kept.contains_key(&number) {
            self.kept.clear();
        }
        Ok(match self.kept.entry(number) {
            std::collections::hash_map::Entry::Occupied(known) => known.into_mut(),
            std::collections::hash_map::Entry::Vacant(free) => {
                let mut chunk = vec![0; CHUNK as usize];
                let read = self.bytes.read_at(number.saturating_mul(CHUNK), &mut chunk)?;
                chunk.truncate(read);
                free.insert(chunk)
            }
        })
    }
}

impl Ext4Read for Below {
    fn read(
        &mut self,
        start_byte: u64,
        buffer: &mut [u8],
    ) -> Result<(), Box<dyn Error + Send + Sync + 'static>> {
        let (mut at, mut rest) = (start_byte, buffer);
        while !rest.is_empty() {
            let chunk = self.chunk(at / CHUNK)?;
            let there = chunk.get((at % CHUNK) as usize..).unwrap_or_default();
            if there.is_empty() {
                return Err(Box::new(io::Error::from(io::ErrorKind::UnexpectedEof)));
            }
            let (piece, after) = rest.split_at_mut(there.len().min(rest.len()));
            piece.copy_from_slice(&there[..piece.len()]);
            at = at.saturating_add(piece.len() as u64);
            rest = after;
        }
        Ok(())
    }
}

/// Names of folders that are kept at a time: about 30 MB.
const NAMES_KEPT: usize = 100_000;

// A hash that nobody can foresee: names are a stranger's.
type Folder = HashMap<Vec<u8>, NamedEntry>;

/// Files that a thread keeps open.
const OPENED: usize = 4;

/// A name in a folder, and what is behind it once someone asked.
struct NamedEntry {
    entry: DirEntry,
    node: Option<Node>,
}

/// What the thread keeps: the crate's view, which walks from the root for each path, and the folders that were walked through.
struct View {
    fs: Ext4,
    /// By the bytes of their paths.
    folders: HashMap<Vec<u8>, Folder>,
    names: usize,
    /// Files that are being read from their start on, the last one at the end. To begin in the middle of one, the crate goes
    /// through all blocks before.
    opened: VecDeque<(PathBuf, File)>,
}

impl View {
    fn open(bytes: Arc<dyn ReadAt>) -> io::Result<Self> {
        let fs =
            shielded(|| Ext4::load(Box::new(Below::of(bytes)))).map_err(io::Error::other)?.map_err(failed)?;
        Ok(Self { fs, folders: HashMap::new(), names: 0, opened: VecDeque::new() })
    }

    /// The names in a folder, by a path without links.
    fn folder(&mut self, clean: &Path) -> io::Result<&mut Folder> {
        let key = clean.as_os_str().as_bytes();
        if !self.folders.contains_key(key) {
            let mut folder = Folder::default();
            for entry in self.fs.read_dir(rooted(clean).as_slice()).map_err(failed)? {
                let entry = entry.map_err(failed)?;
                let name = entry.file_name();
                let name: &[u8] = name.as_ref();
                if name != b"." && name != b".." {
                    folder.insert(name.to_vec(), NamedEntry { entry, node: None });
                }
                if folder.len() > LIMITS.folder_names {
                    return Err(io::Error::other(format!("has more than {} names", LIMITS.folder_names)));
                }
            }
            if self.names > NAMES_KEPT {
                self.folders.clear();
                self.names = 0;
            }
            self.names = self.names.saturating_add(folder.len());
            self.folders.insert(key.to_vec(), folder);
        }
        self.folders.get_mut(key).ok_or_else(|| io::ErrorKind::NotFound.into())
    }

    /// What a path without links in its folders is; `None` where there is nothing.
    fn look(&mut self, clean: &Path) -> io::Result<Option<Node>> {
        let (Some(above), Some(name)) = (clean.parent(), clean.file_name()) else {
            return node_of(self.fs.metadata("/"));
        };
        // Of a folder that is damaged in one place, the crate may still find a name in another.
        let Ok(folder) = self.folder(above) else {
            return node_of(self.fs.symlink_metadata(rooted(clean).as_slice()));
        };
        let Some(held) = folder.get_mut(name.as_bytes()) else { return Ok(None) };
        if held.node.is_none() {
            held.node = node_of(held.entry.metadata())?;
        }
        Ok(held.node)
    }

    fn target(&self, clean: &Path) -> io::Result<PathBuf> {
        let target = self.fs.read_link(rooted(clean).as_slice()).map_err(failed)?;
        Ok(PathBuf::from(OsString::from_vec(AsRef::<[u8]>::as_ref(&target).to_vec())))
    }

    fn find(&mut self, path: &Path, follow_last: bool) -> Result<(PathBuf, Node), TreeError> {
        let fail = |error| TreeError::io(path, error);
        let clean = resolve(path, follow_last, |clean| {
            let Some(node) = self.look(clean).map_err(fail)? else { return Ok(Step::Missing) };
            Ok(match node.kind {
                NodeKind::Folder => Step::Folder,
                NodeKind::Link => Step::Link(self.target(clean).map_err(fail)?),
                _ => Step::Leaf,
            })
        })?;
        match self.look(&clean).map_err(fail)? {
            Some(node) => Ok((clean, node)),
            None => Err(TreeError::new(path, TreeErrorKind::Missing)),
        }
    }

    fn list(&mut self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        let (clean, node) = self.find(path, true)?;
        if node.kind != NodeKind::Folder {
            return Err(TreeError::new(path, TreeErrorKind::NotAFolder));
        }
        let folder = self.folder(&clean).map_err(|error| TreeError::io(path, error))?;
        let entry = |(name, held): (&Vec<u8>, &NamedEntry)| {
            let kind = held.entry.file_type().map_or(NodeKind::Other, kind);
            Entry { name: OsString::from_vec(name.clone()), kind }
        };
        let mut entries: Vec<Entry> = folder.iter().map(entry).collect();
        entries.sort();
        Ok(entries)
    }

    /// Fills a buffer from an offset of a file, and returns how many bytes there were.
    fn piece(&mut self, clean: &Path, offset: u64, mut wanted: Vec<u8>) -> io::Result<Vec<u8>> {
        let known = self.opened.iter().position(|(path, _)| path == clean);
        let (path, mut file) = match known.and_then(|at| self.opened.remove(at)) {
            Some(known) => known,
            None => (clean.to_owned(), self.fs.open(rooted(clean).as_slice()).map_err(failed)?),
        };
        if file.position() != offset {
            file.seek_to(offset).map_err(failed)?;
        }
        let mut done = 0_usize;
        while done < wanted.len() {
            match file.read_bytes(&mut wanted[done..]).map_err(failed)? {
                0 => break,
                read => done = done.saturating_add(read),
            }
        }
        wanted.truncate(done);
        if self.opened.len() == OPENED {
            self.opened.pop_front();
        }
        self.opened.push_back((path, file));
        Ok(wanted)
    }
}

/// What the crate tells of a path; `None` where there is nothing.
fn node_of(told: Result<Metadata, Ext4Error>) -> io::Result<Option<Node>> {
    match told {
        Ok(found) => Ok(Some(Node {
            kind: kind(found.file_type()),
            size: found.len(),
            mode: u32::from(found.mode()) & 0o7777,
            changed_at: found.modified().seconds(),
        })),
        Err(Ext4Error::NotFound | Ext4Error::NotADirectory) => Ok(None),
        Err(error) => Err(failed(error)),
    }
}

fn rooted(clean: &Path) -> Vec<u8> {
    [b"/", clean.as_os_str().as_bytes()].concat()
}

fn kind(sort: FileType) -> NodeKind {
    match sort {
        FileType::Regular => NodeKind::File,
        FileType::Directory => NodeKind::Folder,
        FileType::Symlink => NodeKind::Link,
        _ => NodeKind::Other,
    }
}

fn failed(error: impl Into<Ext4Error>) -> io::Error {
    let error: Ext4Error = error.into();
    io::Error::new(io::ErrorKind::InvalidData, error.to_string())
}

/// Starts a thread with a view of its own, which takes jobs until there is nobody left to give any.
fn start(bytes: Arc<dyn ReadAt>, queue: Arc<Queue>, number: usize) -> io::Result<()> {
    let (opened, wait) = mpsc::sync_channel::<io::Result<()>>(1);
    std::thread::Builder::new().name("ext4".into()).spawn(move || {
        let mut view = match View::open(Arc::clone(&bytes)) {
            Ok(view) => view,
            Err(error) => {
                _ = opened.send(Err(error));
                return;
            }
        };
        _ = opened.send(Ok(()));
        while let Some(job) = queue.next(number) {
            // What a panic left behind is no view to go on with.
            if !job(&mut view)
                && let Ok(fresh) = View::open(Arc::clone(&bytes))
            {
                view = fresh;
            }
        }
    })?;
    wait.recv().unwrap_or_else(|_| Err(io::Error::other("the file system can't be read")))
}

impl FileSystem {
    /// Opens a file system.
    ///
    /// # Errors
    /// When it is none, is damaged, or uses a feature that can't be read.
    pub(crate) fn open(bytes: Box<dyn ReadAt>) -> io::Result<Self> {
        let bytes: Arc<dyn ReadAt> = Arc::from(bytes);
        let queue = Arc::new(Queue::default());
        let jobs = Arc::new(Jobs(Arc::clone(&queue)));
        // What the first one can't read no other one can.
        for number in 0..THREADS {
            start(Arc::clone(&bytes), Arc::clone(&queue), number)?;
        }
        Ok(Self { jobs, next: AtomicUsize::new(0), length: bytes.len() })
    }

    /// Lets a thread answer something about a path.
    fn of<T: Send + 'static>(
        &self,
        path: &Path,
        job: impl FnOnce(&mut View, &Path) -> Result<T, TreeError> + Send + 'static,
    ) -> Result<T, TreeError> {
        let asked = path.to_owned();
        self.jobs.ask(None, move |view| job(view, &asked)).map_err(|error| TreeError::io(path, error))?
    }
}

impl Tree for FileSystem {
    fn node(&self, path: &Path, follow_last: bool) -> Result<Node, TreeError> {
        self.of(path, move |view, path| view.find(path, follow_last).map(|(_, node)| node))
    }

    fn list(&self, path: &Path) -> Result<Vec<Entry>, TreeError> {
        self.of(path, View::list)
    }

    fn read_into(&self, path: &Path, limit: u64, buffer: &mut Vec<u8>) -> Result<(), TreeError> {
        let file = self.open(path)?;
        crate::bytes::read_whole(path, file.as_ref(), limit, buffer)
    }

    fn open(&self, path: &Path) -> Result<Box<dyn ReadAt>, TreeError> {
        let jobs = Arc::clone(&self.jobs);
        let (thread, most) = (self.next.fetch_add(1, Ordering::Relaxed) % THREADS, self.length);
        self.of(path, move |view, path| {
            let (clean, node) = view.find(path, true)?;
            if node.kind != NodeKind::File {
                return Err(TreeError::new(path, TreeErrorKind::NotAFile));
            }
            if node.size > most {
                return Err(TreeError::beyond(path, "claims more bytes than its file system has", most));
            }
            if node.size > WHOLE {
                return Ok(
                    Box::new(Opened { jobs, thread, path: clean, length: node.size }) as Box<dyn ReadAt>
                );
            }
            let length = usize::try_from(node.size).unwrap_or_default();
            let whole = view.piece(&clean, 0, vec![0; length]).map_err(|error| TreeError::io(path, error))?;
            match whole.len() == length {
                true => Ok(Box::new(Arc::<[u8]>::from(whole))),
                false => Err(TreeError::io(path, io::ErrorKind::UnexpectedEof.into())),
            }
        })
    }

    fn read_link(&self, path: &Path) -> Result<PathBuf, TreeError> {
        self.of(path, |view, path| {
            let (clean, node) = view.find(path, false)?;
            if node.kind != NodeKind::Link {
                return Err(TreeError::new(path, TreeErrorKind::NotALink));
            }
            view.target(&clean).map_err(|error| TreeError::io(path, error))
        })
    }
}

/// A large file, read piece by piece, by one thread: it knows where it was.
struct Opened {
    jobs: Arc<Jobs>,
    thread: usize,
    path: PathBuf,
    length: u64,
}

impl ReadAt for Opened {
    fn len(&self) -> u64 {
        self.length
    }

    fn read_at(&self, offset: u64, buffer: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.length.saturating_sub(offset)).unwrap_or(usize::MAX);
        let (asked, wanted) = (self.path.clone(), vec![0; buffer.len().min(left)]);
        let bytes = self.jobs.ask(Some(self.thread), move |view| view.piece(&asked, offset, wanted))??;
        buffer[..bytes.len()].copy_from_slice(&bytes);
        Ok(bytes.len())
    }
}
