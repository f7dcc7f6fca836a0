//! Files that are fetched from addresses first, with what their publisher says of them.

use std::path::PathBuf;

use super::observer::{Observer, Stage};
use super::request::ReceiveRequest;
use crate::checksum::{Trust, TrustError};
use crate::download::{Address, Download, DownloadError, Downloads, Transport};
use crate::error::FileContext as _;
use crate::session::{JobError, Session};
use crate::yard::check_rights;

/// What the usual files with a checksum add to the name of their file.
const ENDINGS: [&str; 2] = [".sha256", ".sha512"];

/// The usual lists of checksums for all files of a folder.
const LISTS: [&str; 2] = ["SHA256SUMS", "SHA512SUMS"];

#[derive(Debug)]
pub(super) struct Downloaded {
    downloads: Downloads,
    fetched: Vec<Download>,
    /// The folder of a dry run, which goes with it.
    _scratch: Option<tempfile::TempDir>,
}

/// Whether anything of a request has to be fetched.
pub(super) fn is_needed(request: &ReceiveRequest) -> bool {
    request.source.address.is_some() || request.source.with.iter().any(|further| further.address.is_some())
}

/// Fetches the files of a request, and gives the request for the files that are there then.
pub(super) fn fetch(
    session: &Session,
    request: &ReceiveRequest,
    observer: &dyn Observer,
) -> Result<(Downloaded, ReceiveRequest), JobError> {
    let certificates = session.settings()?.certificates.clone();
    let transport = Transport::new(&session.machine.environment, certificates.as_deref())?;
    let (root, scratch) = if request.rehearses() {
        let scratch = tempfile::tempdir().at("make a folder in", &std::env::temp_dir())?;
        (scratch.path().join("downloads"), Some(scratch))
    } else {
        check_rights(&session.machine)?;
        (session.yard.downloads(), None)
    };
    let downloads = Downloads::at(root);
    let get = |address: &Address, trust: &Trust, list: Option<&Address>| {
        let download = downloads.get(address, &transport, observer, &session.stop)?;
        observer.stage(&Stage::Downloaded(&download));
        let list = match list {
            Some(list) => Some(given_list(&download, list, &transport, session, observer)?),
            None => trust.list.clone(),
        };
        if trust.checksums.is_empty() && list.is_none() {
            usual_lists(&download, &transport, session, observer)?;
        }
        Ok::<_, JobError>((download, list))
    };
    let (mut request, mut fetched) = (request.clone(), Vec::new());
    if let Some(address) = &request.source.address {
        let (download, list) = get(address, &request.source.trust, request.source.list_address.as_ref())?;
        (request.source.file, request.source.trust.list) = (download.file.clone(), list);
        fetched.push(download);
    }
    for further in &mut request.source.with {
        if let Some(address) = &further.address {
            let (download, list) = get(address, &further.trust, None)?;
            (further.file, further.trust.list) = (download.file.clone(), list);
            fetched.push(download);
        }
    }
    Ok((Downloaded { downloads, fetched, _scratch: scratch }, request))
}

fn given_list(
    download: &Download,
    list: &Address,
    transport: &Transport,
    session: &Session,
    observer: &dyn Observer,
) -> Result<PathBuf, DownloadError> {
    let list_file = Downloads::get_beside(&download.file, list, transport, observer, &session.stop)?;
    list_file.ok_or_else(|| DownloadError::Status { address: list.clone(), status: 404 })
}

/// Fetches what the publisher has beside the file. A server that has none, or does not answer, has none.
fn usual_lists(
    download: &Download,
    transport: &Transport,
    session: &Session,
    observer: &dyn Observer,
) -> Result<(), DownloadError> {
    let name = download.address.last_part();
    let names = ENDINGS.iter().map(|ending| format!("{name}{ending}")).chain(LISTS.map(str::to_owned));
    let transport = transport.impatient();
    for list in names.filter_map(|name| download.address.beside(&name).ok()) {
        match Downloads::get_beside(&download.file, &list, &transport, observer, &session.stop) {
            Ok(Some(_)) => break,
            Err(DownloadError::Interrupted) => return Err(DownloadError::Interrupted),
            Ok(None) | Err(_) => {}
        }
    }
    Ok(())
}

impl Downloaded {
    /// Removes the download where it has done its service, or is not what was published. Everything else is kept for the
    /// next call.
    pub(super) fn settle<T>(&self, outcome: &Result<T, JobError>, keeps: bool) -> Result<(), JobError> {
        let is_over = match outcome {
            Ok(_) => !keeps,
            Err(error) => matches!(error.of(), Some(TrustError::Mismatch(_))),
        };
        for download in self.fetched.iter().filter(|_| is_over) {
            self.downloads.drop(download)?;
        }
        Ok(())
    }
}
