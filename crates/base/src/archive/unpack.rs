//! Listing and unpacking: one walk over the entries, with or without writing.

use std::path::Path;
use std::sync::atomic::{AtomicU64, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};
use std::thread;

use super::collect::Collector;
use super::entries::Wanted;
use super::error::ArchiveError;
use super::kinds::Container;
use super::left_out::LeftOut;
use super::limits::Limits;
use super::listing::{EntryKind, Listing};
use super::room::look_for_room;
use super::source::Source;
use super::stream::Decoded;
use super::write::{CHUNK, FileJob, Writer, make_folder};
use super::zip::Whole;
use super::{links, zip};
use crate::error::FileContext;
use crate::finding::{Code, Finding};
use crate::os::{self, HeldFolder};
use crate::program::{HEAD_BYTES, Program};
use crate::progress::{Processor, Progress, Stop};

#[derive(Debug, Clone, Copy, Default)]
pub struct Options {
    pub limits: Limits,
    /// Whether entries that could do harm are left out, where otherwise the whole archive would be refused.
    pub leave_out_hazards: bool,
}

/// Reads all entries without writing anything; of files no more than their first bytes.
pub fn list(source: &Source, options: Options, stop: &Stop) -> Result<Listing, ArchiveError> {
    let mut collector = collector(source, None, options);
    source.walk(Wanted::Programs, &options.limits, stop, &mut |raw, content| {
        if stop.requested() {
            return Err(ArchiveError::Interrupted);
        }
        if let Some((index, job)) = collector.take(raw)? {
            let damaged = |e| ArchiveError::Damaged { file: source.path.clone(), source: e };
            collector.look(index, &job, content).map_err(damaged)?;
        }
        Ok(())
    })?;
    listing(source, collector)
}

/// Unpacks all files and folders under `root`, an empty folder of ours. Links are not made and execute bits that only
/// content can tell are not set before [`Finish::apply`]. `other` is the processor that does something else for this
/// archive meanwhile, and can take part in this once that is done.
///
/// # Errors
/// When the archive is damaged or holds something hostile, or the disk refuses; `root` is then half full and to be
/// thrown away.
pub fn unpack(
    source: &Source,
    root: &Path,
    options: Options,
    progress: &dyn Progress,
    stop: &Stop,
    other: &Processor,
) -> Result<Listing, ArchiveError> {
    let held = HeldFolder::open(root).at("open the folder", root)?;
    let writer = Writer {
        archive: &source.path,
        root: &held,
        packed: source.format.bytes,
        limits: options.limits,
        progress,
        stop,
        written: AtomicU64::new(0),
        masked: os::masked_bits(root).at("make a file in", root)?,
    };
    if source.format.container == Container::Zip {
        return unpack_zip(source, options, &writer, other);
    }
    look_for_room(root, source.content_bytes())?;
    let mut collector = collector(source, Some(&held), options);
    source.walk(Wanted::All, &options.limits, stop, &mut |raw, content| {
        if stop.requested() {
            return Err(ArchiveError::Interrupted);
        }
        if let Some((index, job)) = collector.take(raw)? {
            let wanted = collector.is_of_interest(&job);
            let (bytes, head) = writer.write(&job, content, wanted)?;
            collector.done(index, bytes, wanted.then(|| job.program(&head).into()));
        }
        Ok(())
    })?;
    listing(source, collector)
}

/// A written entry: its place in the listing, its size, and what it is where that matters.
type Done = (usize, u64, Option<Box<Program>>);

/// The entries of a zip lie each for itself, so that all processors can take part: the biggest first.
fn unpack_zip(
    source: &Source,
    options: Options,
    writer: &Writer<'_>,
    other: &Processor,
) -> Result<Listing, ArchiveError> {
    let mut opened = zip::Opened::open(&source.path, source.archive(), &options.limits)?;
    let mut collector = collector(source, Some(writer.root), options);
    let mut jobs: Vec<(usize, usize, FileJob)> = Vec::new();
    opened.check(&source.path)?;
    for at in 0..opened.len() {
        if let Some((index, job)) = collector.take(opened.entry(&source.path, at)?)? {
            jobs.push((at, index, job));
        }
    }
    let needed: u64 = jobs.iter().filter_map(|(_, _, job)| job.bytes).sum();
    look_for_room(writer.root.place(), needed)?;
    jobs.sort_by_key(|(_, _, job)| std::cmp::Reverse(job.bytes));
    let next = AtomicUsize::new(0);
    let broke: Mutex<Option<ArchiveError>> = Mutex::new(None);
    let done: Mutex<Vec<Done>> = Mutex::new(Vec::new());
    let interesting = |job: &FileJob| collector.is_of_interest(job);
    let threads = thread::available_parallelism().map_or(2, usize::from).min(jobs.len());
    let work = || {
        let (mut opened, mut buffer, mut whole) = (opened.clone(), vec![0; CHUNK], Whole::new(threads));
        while let Some((at, index, job)) = jobs.get(next.fetch_add(1, Ordering::Relaxed)) {
            let written = match opened.inflate(&source.path, *at, &mut whole) {
                Ok(Some(content)) => writer.write_whole(job, content).map(|bytes| {
                    let program = interesting(job).then(|| job.program(&content[..content.len().min(HEAD_BYTES)]));
                    (bytes, program)
                }),
                Ok(None) => opened.content(&source.path, *at, &job.path.display(), &mut |content| {
                    let wanted = interesting(job);
                    let (bytes, head) = writer.write(job, &mut Decoded::new(content, &mut buffer), wanted)?;
                    Ok((bytes, wanted.then(|| job.program(&head))))
                }),
                Err(error) => Err(error),
            };
            match written {
                Ok((bytes, program)) => lock(&done).push((*index, bytes, program.map(Box::new))),
                Err(error) => {
                    // The others end as soon as they have written what they are at.
                    next.store(jobs.len(), Ordering::Relaxed);
                    lock(&broke).get_or_insert(error);
                }
            }
        }
    };
    thread::scope(|scope| {
        for _ in 1..threads {
            let busy = other.in_use();
            scope.spawn(|| {
                let _busy = busy;
                work();
            });
        }
        other.wait();
        work();
    });
    if let Some(error) = lock(&broke).take() {
        return Err(error);
    }
    for (index, bytes, program) in lock(&done).drain(..) {
        collector.done(index, bytes, program);
    }
    listing(source, collector)
}

fn lock<T>(mutex: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

fn collector<'a>(source: &Source, root: Option<&'a HeldFolder>, options: Options) -> Collector<'a> {
    let later_counts = matches!(source.format.container, Container::Tar | Container::Deb);
    let mut collector = Collector::new(root, later_counts, options.limits, source.format.bytes);
    collector.left_out = options.leave_out_hazards.then(Vec::new);
    collector
}

fn listing(source: &Source, collector: Collector<'_>) -> Result<Listing, ArchiveError> {
    let listing = collector.end();
    if listing.files() == 0 {
        return Err(ArchiveError::Empty(source.path.clone()));
    }
    Ok(listing)
}

#[derive(Debug, Default)]
pub struct Finished {
    /// How many became copies, because none can be made here.
    pub copied: usize,
    /// Those that could not even become that.
    pub left_out: Vec<LeftOut>,
}

impl Finished {
    /// Tells that links became copies, where any did.
    pub fn finding(&self) -> Option<Finding> {
        let seen = format!("{} links were replaced by copies, since links cannot be created here", self.copied);
        (self.copied > 0).then(|| Finding::new(Code::LinksCopied, seen))
    }
}

/// What is left to do once the whole listing, and so the wrapper, is known.
#[derive(Debug)]
#[must_use = "links and execute bits are missing until it is applied"]
pub struct Finish<'a> {
    listing: &'a Listing,
    wrapper: &'a Path,
}

impl<'a> Finish<'a> {
    /// Checks that no link leads out of `wrapper` (empty: the whole archive).
    pub fn check(listing: &'a Listing, wrapper: &'a Path) -> Result<Self, ArchiveError> {
        if let Some((_, fault)) = links::faults(listing, wrapper).into_iter().next() {
            return Err(fault);
        }
        Ok(Self { listing, wrapper })
    }

    pub fn apply(self, root: &Path, options: Options) -> Result<Finished, ArchiveError> {
        let inside = || self.listing.entries.iter().filter(|e| e.path.below(self.wrapper).is_some());
        let mut links = inside().filter(|e| matches!(e.kind, EntryKind::Link(_))).peekable();
        let copies = links.peek().is_some() && !os::can_link(root);
        let held = HeldFolder::open(root).at("open the folder", root)?;
        let mut finished = Finished::default();
        for entry in links {
            if let Some(above) = entry.path.as_path().parent().filter(|above| !above.as_os_str().is_empty()) {
                make_folder(&held, above)?;
            }
            if copies {
                match links::copy(self.listing, entry, root) {
                    Ok(copied) => finished.copied += usize::from(copied),
                    Err(e @ ArchiveError::Endless { .. }) if options.leave_out_hazards => {
                        finished.left_out.push(LeftOut { entry: entry.path.display(), reason: e.to_string() });
                    }
                    Err(e) => return Err(e),
                }
            } else if let EntryKind::Link(target) = &entry.kind {
                let made = held.make_link(Path::new(target), entry.path.as_path());
                made.at("make the link", &entry.path.under(root))?;
            }
        }
        if self.listing.without_modes {
            for entry in inside().filter(|e| e.kind == EntryKind::File && self.listing.executable(e)) {
                let place = entry.path.under(root);
                let file = held.open_file(entry.path.as_path()).at("open", &place)?;
                os::set_mode(&file, 0o755).at("make executable", &place)?;
            }
        }
        Ok(finished)
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write as _;

    use super::*;
    use crate::progress::Silent;
    use proptest::prelude::*;

    const FILES: [(&str, &str); 3] = [("w/bin/t", "#!/bin/sh\n"), ("w/lib/a", "tide"), ("w/read.txt", "text")];

    /// The same three files in each container that can be written here.
    fn archives() -> Vec<Vec<u8>> {
        let mut zip = ::zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        let mut tar = ::tar::Builder::new(Vec::new());
        for (name, content) in FILES {
            zip.start_file(name, ::zip::write::SimpleFileOptions::default().unix_permissions(0o755)).unwrap();
            zip.write_all(content.as_bytes()).unwrap();
            let mut header = ::tar::Header::new_gnu();
            header.set_size(content.len() as u64);
            header.set_mode(0o755);
            tar.append_data(&mut header, name, content.as_bytes()).unwrap();
        }
        let tar = tar.into_inner().unwrap();
        let mut gzip = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::default());
        gzip.write_all(&tar).unwrap();
        let zstd = zstd::encode_all(tar.as_slice(), 3).unwrap();
        let mut xz = Vec::new();
        let mut packer = liblzma::read::XzEncoder::new(tar.as_slice(), 1);
        std::io::copy(&mut packer, &mut xz).unwrap();
        let mut bzip2 = bzip2::write::BzEncoder::new(Vec::new(), bzip2::Compression::fast());
        bzip2.write_all(&tar).unwrap();
        let gzip = gzip.finish().unwrap();
        let mut deb = b"!<arch>\n".to_vec();
        for (name, content) in [("debian-binary", &b"2.0\n"[..]), ("control.tar.gz", &gzip), ("data.tar.gz", &gzip)] {
            writeln!(deb, "{name:<16}{:<12}{:<6}{:<6}{:<8}{:<10}`", 0, 0, 0, 100_644, content.len()).unwrap();
            deb.extend_from_slice(content);
            deb.resize(deb.len().next_multiple_of(2), b'\n');
        }
        vec![zip.finish().unwrap().into_inner(), tar, gzip, zstd, xz, bzip2.finish().unwrap(), deb]
    }

    /// Lists and unpacks bytes; gives whether both went well. Whatever they are, nothing lands beside the root.
    fn read(bytes: &[u8]) -> (bool, bool) {
        let folder = tempfile::tempdir().unwrap();
        let (file, root) = (folder.path().join("t-1.0"), folder.path().join("root"));
        std::fs::write(&file, bytes).unwrap();
        std::fs::create_dir(&root).unwrap();
        let stop = Stop::default();
        let Ok(source) = Source::open(&file, folder.path(), &Stop::default()) else { return (false, false) };
        if source.check_end(false).is_err() {
            return (false, false);
        }
        let listed = list(&source, Options::default(), &stop).is_ok();
        let unpacked = unpack(&source, &root, Options::default(), &Silent, &stop, &Processor::free()).is_ok();
        assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2);
        (listed, unpacked)
    }

    #[test]
    fn every_container_is_read_whole_and_refused_when_cut_off() {
        for archive in archives() {
            assert_eq!(read(&archive), (true, true));
            for length in [archive.len() / 2, archive.len() / 3, 40] {
                assert!(!read(&archive[..length]).1, "{length} of {}", archive.len());
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

        #[test]
        fn spoiled_bytes_never_panic_nor_leave_the_root(
            spoils in proptest::collection::vec((any::<proptest::sample::Index>(), any::<u8>()), 1..8)
        ) {
            for mut archive in archives() {
                for (at, byte) in &spoils {
                    let at = at.index(archive.len());
                    archive[at] = *byte;
                }
                read(&archive);
            }
        }
    }
}
