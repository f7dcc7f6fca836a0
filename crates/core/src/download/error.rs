//! Why something could not be downloaded.

use std::io;
use std::path::PathBuf;

use super::address::{Address, AddressError};
use crate::error::{FileError, classified};

#[derive(Debug, thiserror::Error)]
pub enum DownloadError {
    #[error(transparent)]
    Address(#[from] AddressError),
    /// The server was not reached, or the connection failed again and again.
    #[error("could not download {address}")]
    Connection {
        address: Address,
        /// How many bytes are there already.
        there: u64,
        /// What the last try met.
        #[source]
        source: Box<ureq::Error>,
    },
    #[error("{address}: the server's certificate is not trusted")]
    Certificate {
        address: Address,
        #[source]
        source: Box<ureq::Error>,
    },
    /// The server answers that it has no such file, or does not give it.
    #[error("{address}: the server answered {status}{}", reason(*status))]
    Status {
        address: Address,
        /// The status (RFC 9110, 15).
        status: u16,
    },
    #[error("{address} is a web page{}, not a file", title.as_ref().map(|title| format!(" (\"{title}\")")).unwrap_or_default())]
    Page { address: Address, title: Option<String> },
    #[error("{0}: too many redirects")]
    Redirects(Address),
    #[error("{address}: the server redirects to an invalid address")]
    Redirect {
        address: Address,
        #[source]
        source: AddressError,
    },
    #[error("{from} redirects to {to}, which is not encrypted")]
    Unencrypted { from: Address, to: Address },
    /// The part that was asked for is not the part that came.
    #[error("{0}: the server sent a wrong part of the file")]
    WrongPart(Address),
    #[error("{address}: larger than {limit} bytes")]
    TooLong { address: Address, limit: u64 },
    #[error("not a valid proxy: {0}")]
    Proxy(String),
    #[error("no certificates in {}", .0.display())]
    NoCertificates(PathBuf),
    #[error("another wyard is downloading {0}")]
    Busy(Address),
    #[error(transparent)]
    File(#[from] FileError),
    #[error("interrupted; the partial download is kept, and the next run resumes it")]
    Interrupted,
}

/// A status in words, where it has some that help.
fn reason(status: u16) -> &'static str {
    match status {
        401 | 407 => ": authentication required",
        403 => ": access denied",
        404 | 410 => ": no such file",
        429 => ": too many requests",
        500.. => ": server error",
        _ => "",
    }
}

classified!(DownloadError {
    Self::Connection { there: 0, .. } => Machine, "check the address and the network, or the proxy in https_proxy";
    Self::Connection { .. } => Machine, "run the same command again to resume";
    Self::Certificate { .. } =>
        Input, "if your network uses its own certificate authority, set certificates in settings.toml";
    Self::Status { status: 404 | 410, .. } => Input, "check the address on the publisher's page";
    Self::Page { .. } => Input, "open the page in a browser, and copy the address of the file itself";
    Self::Unencrypted { .. } => Input, "download the file another way, and compare its published checksum";
    Self::Proxy(_) => Call, "correct https_proxy, http_proxy or all_proxy";
    Self::NoCertificates(_) => Call, "name a file in PEM format in settings.toml";
    Self::Busy(_) => Machine, "wait until it has finished";
    Self::Address(_) => Call;
    Self::Status { status, .. } if *status < 500 => Input;
    Self::TooLong { .. } => Input;
    Self::Redirects(_) | Self::Redirect { .. } | Self::WrongPart(_) => Input;
    Self::Status { .. } => Machine;
    Self::Interrupted => Interrupted;
} from File);

/// Whether the same request may go well a moment later.
pub(super) fn is_passing(error: &ureq::Error) -> bool {
    match error {
        ureq::Error::Io(e) => e.kind() != io::ErrorKind::InvalidData && !is_certificate(error),
        ureq::Error::Timeout(_) | ureq::Error::HostNotFound | ureq::Error::ConnectionFailed => true,
        ureq::Error::Protocol(_) => true,
        _ => false,
    }
}

/// Whether it is the certificate that was refused.
pub(super) fn is_certificate(error: &ureq::Error) -> bool {
    match error {
        ureq::Error::Tls(_) | ureq::Error::Rustls(_) => true,
        ureq::Error::Io(e) => e.get_ref().is_some_and(<dyn std::error::Error + Send + Sync>::is::<rustls::Error>),
        _ => false,
    }
}
