//! A whole file, in as many tries as it takes.

use std::fs::{File, OpenOptions};
use std::io::{self, Read as _, Seek as _, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, mpsc};
use std::thread;
use std::time::Duration;

use serde::{Deserialize, Serialize};
use ureq::Body;
use ureq::http::Response;

use super::address::Address;
use super::error::{DownloadError, is_passing};
use super::headers::{content_range, file_name, page_title};
use super::transport::{RequestError, Transport};
use crate::error::{FileContext as _, FileError};
use crate::progress::{Progress, Stop};

const LONGEST_PAUSE: Duration = Duration::from_secs(8);

const GLANCE: usize = 1024;

const LOOK: Duration = Duration::from_millis(50);

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fetched {
    /// The address that gave it, behind all redirects.
    pub from: Address,
    pub name: String,
    pub bytes: u64,
}

/// What is kept beside a part, so that the rest of the same file can be asked for.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
struct PartRecord {
    /// The file's validator (RFC 9110, 8.8): a strong entity tag, or the date of its last change.
    validator: Option<String>,
    name: Option<String>,
}

/// What the thread that fetches tells while it does.
#[derive(Debug, Default)]
struct Count {
    there: AtomicU64,
    /// Zero while it is not known.
    total: AtomicU64,
}

/// Fetches a file into `part`, and goes on where an earlier call has stopped. A server that says nothing for half a minute is
/// asked again, five times. Of a larger file than `limit` bytes nothing more is read.
///
/// # Errors
/// When it does not come, or something else does; what came of the file is kept, unless it is of no use.
pub fn fetch(
    transport: &Transport,
    address: &Address,
    part: &Path,
    limit: u64,
    progress: &dyn Progress,
    stop: &Stop,
) -> Result<Fetched, DownloadError> {
    let count = Arc::new(Count::default());
    let (done, outcome) = mpsc::channel();
    let job = Job {
        transport: transport.clone(),
        address: address.clone(),
        part: part.to_owned(),
        limit,
        count: Arc::clone(&count),
        stop: stop.clone(),
    };
    // A read that waits for a server cannot be interrupted: it is left behind, for the little time that this process has.
    thread::Builder::new()
        .name("download".to_owned())
        .spawn(move || _ = done.send(job.run()))
        .at("start a thread to download", part)?;
    let (mut told, mut begun) = (0, false);
    let result = loop {
        let result = outcome.recv_timeout(LOOK);
        let (there, total) = (count.there.load(Ordering::Relaxed), count.total.load(Ordering::Relaxed));
        if !begun && there > 0 {
            progress.begin("download", (total > 0).then_some(total));
            begun = true;
        }
        progress.advance(there.saturating_sub(told));
        told = told.max(there);
        match result {
            Ok(result) => break result,
            Err(mpsc::RecvTimeoutError::Disconnected) => break Err(DownloadError::Interrupted),
            Err(mpsc::RecvTimeoutError::Timeout) if stop.requested() => break Err(DownloadError::Interrupted),
            Err(mpsc::RecvTimeoutError::Timeout) => {}
        }
    };
    if begun {
        progress.end();
    }
    result
}

enum Attempt {
    Whole(Fetched),
    /// It may go better a moment later.
    Again(RequestError),
}

struct Job {
    transport: Transport,
    address: Address,
    part: PathBuf,
    limit: u64,
    count: Arc<Count>,
    stop: Stop,
}

impl Job {
    fn run(&self) -> Result<Fetched, DownloadError> {
        let (mut tries, mut pause) = (0, self.transport.first_pause);
        loop {
            let before = self.there();
            let error = match self.try_once()? {
                Attempt::Whole(fetched) => return Ok(fetched),
                Attempt::Again(error) => error,
            };
            let there = self.there();
            if there > before {
                (tries, pause) = (0, self.transport.first_pause);
            }
            tries += 1;
            if tries >= self.transport.tries {
                return Err(error.told(there));
            }
            tracing::info!("download of {} tried again in {pause:?}: {error:?}", self.address);
            let end = std::time::Instant::now() + pause;
            while std::time::Instant::now() < end {
                if self.stop.requested() {
                    return Err(DownloadError::Interrupted);
                }
                thread::sleep(LOOK.min(pause));
            }
            pause = (pause * 2).min(LONGEST_PAUSE);
        }
    }

    fn there(&self) -> u64 {
        self.part.metadata().map_or(0, |metadata| metadata.len())
    }

    fn try_once(&self) -> Result<Attempt, DownloadError> {
        let mut record = self.record();
        let there = self.there();
        let rest = record.validator.clone().filter(|_| there > 0);
        // Without a validator the rest might be that of another file.
        let headers =
            rest.as_ref().map(|validator| [("range", format!("bytes={there}-")), ("if-range", validator.clone())]);
        let headers: &[(&str, String)] = headers.as_ref().map_or(&[], |headers| headers);
        let (from, response) = match self.transport.get(&self.address, headers) {
            Ok(answer) => answer,
            Err(RequestError::Failed(_, error)) if !is_passing(&error) => {
                return Err(RequestError::Failed(self.address.clone(), error).told(there));
            }
            Err(RequestError::Final(error)) => return Err(error),
            Err(failed) => return Ok(Attempt::Again(failed)),
        };
        let status = response.status().as_u16();
        let text = |name: &str| response.headers().get(name).and_then(|value| value.to_str().ok());
        let begin = match status {
            200 => 0,
            206 if rest.is_some() => match text("content-range").and_then(content_range) {
                Some((first, _)) if first == there => there,
                _ => return Err(self.forget(DownloadError::WrongPart(self.address.clone()))),
            },
            // What is kept is no part of what the server has: from the beginning.
            416 if rest.is_some() => {
                self.discard()?;
                return self.try_once();
            }
            408 | 429 | 500.. => {
                return Ok(Attempt::Again(DownloadError::Status { address: from, status }.into()));
            }
            status => return Err(DownloadError::Status { address: from, status }),
        };
        if begin == 0 {
            record.name = Some(file_name(text("content-disposition"), &from));
            let strong = text("etag").filter(|tag| !tag.starts_with("W/"));
            record.validator = strong.or(text("last-modified")).map(str::to_owned);
            self.discard()?;
            self.keep_record(&record)?;
        }
        let length = text("content-length").and_then(|length| length.trim().parse::<u64>().ok());
        let total = length.map(|length| begin + length);
        if total.is_some_and(|total| total > self.limit) {
            return Err(DownloadError::TooLong { address: from, limit: self.limit });
        }
        self.count.total.store(total.unwrap_or(0), Ordering::Relaxed);
        match self.take(response, begin, &from) {
            Ok(bytes) => {
                let name = record.name.unwrap_or_else(|| file_name(None, &from));
                Ok(Attempt::Whole(Fetched { from, name, bytes }))
            }
            Err(Taken::Refused(error)) => Err(self.forget(error)),
            // A disk that it has filled is not left full.
            Err(Taken::File(error)) if error.source.kind() == io::ErrorKind::StorageFull => {
                Err(self.forget(error.into()))
            }
            Err(Taken::File(error)) => Err(error.into()),
            Err(Taken::BrokenOff(error)) => Ok(Attempt::Again(RequestError::Failed(from, ureq::Error::Io(error)))),
        }
    }

    /// Takes the body into the file from `begin` on. The length of the whole.
    fn take(&self, response: Response<Body>, begin: u64, from: &Address) -> Result<u64, Taken> {
        let file = |error: io::Error| Taken::File(FileError { doing: "write", path: self.part.clone(), source: error });
        let mut target = OpenOptions::new().create(true).append(true).open(&self.part).map_err(file)?;
        let left = self.limit.saturating_sub(begin);
        let mut body = response.into_body().into_with_config().limit(left.saturating_add(1)).reader();
        let mut buffer = vec![0; 64 << 10];
        let mut there = begin;
        loop {
            let read = match body.read(&mut buffer) {
                Ok(0) => break,
                Ok(read) => read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
                Err(error) => {
                    target.sync_data().map_err(file)?;
                    return Err(Taken::BrokenOff(error));
                }
            };
            target.write_all(&buffer[..read]).map_err(file)?;
            there += read as u64;
            self.count.there.store(there, Ordering::Relaxed);
            if there > self.limit {
                return Err(Taken::Refused(DownloadError::TooLong { address: from.clone(), limit: self.limit }));
            }
            if self.stop.requested() {
                return Err(Taken::BrokenOff(io::ErrorKind::TimedOut.into()));
            }
        }
        target.sync_all().map_err(file)?;
        if let Some(title) = page_title(&self.glance().map_err(file)?) {
            return Err(Taken::Refused(DownloadError::Page { address: from.clone(), title }));
        }
        Ok(there)
    }

    fn glance(&self) -> io::Result<Vec<u8>> {
        let mut start = Vec::new();
        let mut file = File::open(&self.part)?;
        file.seek(SeekFrom::Start(0))?;
        file.take(GLANCE as u64).read_to_end(&mut start)?;
        Ok(start)
    }

    fn record_file(&self) -> PathBuf {
        self.part.with_extension("record")
    }

    /// What is known of the part; nothing where the record cannot be read: then it is begun anew.
    fn record(&self) -> PartRecord {
        let text = std::fs::read_to_string(self.record_file()).unwrap_or_default();
        toml::from_str(&text).unwrap_or_default()
    }

    fn keep_record(&self, record: &PartRecord) -> Result<(), FileError> {
        let file = self.record_file();
        let text = toml::to_string(record).unwrap_or_default();
        std::fs::write(&file, text).at("write", &file)
    }

    fn discard(&self) -> Result<(), FileError> {
        for file in [&self.part, &self.record_file()] {
            match std::fs::remove_file(file) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error).at("remove", file),
                _ => {}
            }
        }
        Ok(())
    }

    /// The error, after what came was thrown away.
    fn forget(&self, error: DownloadError) -> DownloadError {
        self.discard().map_or_else(DownloadError::from, |()| error)
    }
}

enum Taken {
    BrokenOff(io::Error),
    Refused(DownloadError),
    File(FileError),
}
