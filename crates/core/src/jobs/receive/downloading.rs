//! A file that is fetched from an address first, with what its publisher says of it.

use std::path::PathBuf;

use super::error::ReceiveError;
use super::observer::{Observer, Stage};
use super::request::ReceiveRequest;
use crate::checksum::TrustError;
use crate::download::{Address, Download, DownloadError, Downloads, Transport};
use crate::error::FileContext as _;
use crate::session::Session;
use crate::yard::check_rights;

/// What the usual files with a checksum add to the name of their file.
const ENDINGS: [&str; 2] = [".sha256", ".sha512"];

/// The usual lists of checksums for all files of a folder.
const LISTS: [&str; 2] = ["SHA256SUMS", "SHA512SUMS"];

/// A download, and where it is kept.
#[derive(Debug)]
pub(super) struct Downloaded {
    downloads: Downloads,
    download: Download,
    /// The folder of a dry run, which goes with it.
    _scratch: Option<tempfile::TempDir>,
}

/// Fetches the file of a request, and gives the request for the file that is there then.
///
/// # Errors
/// When the file, or a list of checksums that was named, does not come.
pub(super) fn fetch(
    session: &Session,
    request: &ReceiveRequest,
    address: &Address,
    observer: &dyn Observer,
) -> Result<(Downloaded, ReceiveRequest), ReceiveError> {
    let certificates = session.settings()?.certificates.clone();
    let transport = Transport::new(&session.machine.environment, certificates.as_deref())?;
    let (root, scratch) = if request.dry_run {
        let scratch = tempfile::tempdir().at("make a folder in", &std::env::temp_dir())?;
        (scratch.path().join("downloads"), Some(scratch))
    } else {
        check_rights(&session.machine)?;
        (session.yard.downloads(), None)
    };
    let downloads = Downloads::at(root);
    let download = downloads.get(address, &transport, observer, &session.stop)?;
    observer.stage(&Stage::Downloaded(&download));
    let mut request = request.clone();
    request.file.clone_from(&download.file);
    request.trust.list = match &request.list_address {
        Some(list) => Some(given_list(&download, list, &transport, session, observer)?),
        None => request.trust.list,
    };
    if request.trust.checksums.is_empty() && request.trust.list.is_none() {
        usual_lists(&download, &transport, session, observer)?;
    }
    Ok((Downloaded { downloads, download, _scratch: scratch }, request))
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
    pub(super) fn settle<T>(&self, outcome: &Result<T, ReceiveError>, keeps: bool) -> Result<(), ReceiveError> {
        let is_over = match outcome {
            Ok(_) => !keeps,
            Err(ReceiveError::Trust(TrustError::Mismatch(_))) => true,
            Err(_) => false,
        };
        if is_over {
            self.downloads.drop(&self.download)?;
        }
        Ok(())
    }
}
