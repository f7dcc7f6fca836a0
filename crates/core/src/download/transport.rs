//! One request, and the answer to it: proxy, certificates, limits of time, redirects.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use rustls::crypto::ring;
use ureq::http::{Response, StatusCode};
use ureq::tls::{Certificate, RootCerts, TlsConfig, parse_pem};
use ureq::{Agent, Body, Proxy};

use super::address::Address;
use super::error::{DownloadError, is_certificate};
use super::proxy::proxy_for;
use crate::environment::Environment;
use crate::error::FileContext as _;
use crate::given;

/// At most this many redirects are followed.
const REDIRECTS: usize = 10;

/// How long a server may be silent.
const SILENCE: Duration = Duration::from_secs(30);

#[derive(Debug, Clone)]
pub struct Transport {
    environment: Environment,
    roots: RootCerts,
    /// So often in a row nothing may come.
    pub(super) tries: u32,
    /// The pause before the second try; each further one is twice as long.
    pub(super) first_pause: Duration,
}

impl Transport {
    /// Through the proxies that an environment names. Certificates are judged by the system, or by the authorities in a PEM
    /// file instead.
    pub fn new(environment: &Environment, certificates: Option<&Path>) -> Result<Self, DownloadError> {
        let roots = match certificates {
            None => RootCerts::PlatformVerifier,
            Some(file) => authorities(file)?,
        };
        Ok(Self { environment: environment.clone(), roots, tries: 5, first_pause: Duration::from_millis(500) })
    }

    /// The same, for what may as well be missing: asked for once.
    pub fn impatient(&self) -> Self {
        Self { tries: 1, ..self.clone() }
    }

    /// Asks for an address, and follows redirects; once https, always https. With the answer comes the address that gave it.
    pub(super) fn get(
        &self,
        address: &Address,
        headers: &[(&str, String)],
    ) -> Result<(Address, Response<Body>), RequestError> {
        let mut at = address.clone();
        for _ in 0..=REDIRECTS {
            let mut request = self.agent(&at)?.get(at.as_str());
            for (name, value) in headers {
                request = request.header(*name, value);
            }
            // Of packed contents neither the length nor a part could be compared.
            let response = request.header("accept-encoding", "identity").call();
            let response = response.map_err(|error| RequestError::Failed(at.clone(), error))?;
            let redirects = [
                StatusCode::MOVED_PERMANENTLY,
                StatusCode::FOUND,
                StatusCode::SEE_OTHER,
                StatusCode::TEMPORARY_REDIRECT,
                StatusCode::PERMANENT_REDIRECT,
            ];
            if !redirects.contains(&response.status()) {
                return Ok((at, response));
            }
            let location = response.headers().get("location").and_then(|value| value.to_str().ok()).unwrap_or_default();
            let to = at.join(location).map_err(|source| DownloadError::Redirect { address: at.clone(), source })?;
            if at.is_secure() && !to.is_secure() {
                return Err(DownloadError::Unencrypted { from: at, to }.into());
            }
            at = to;
        }
        Err(DownloadError::Redirects(address.clone()).into())
    }

    fn agent(&self, address: &Address) -> Result<Agent, DownloadError> {
        let proxy = match proxy_for(address, &self.environment) {
            None => None,
            Some(proxy) => Some(Proxy::new(&proxy).map_err(|_| DownloadError::Proxy(proxy))?),
        };
        let tls = TlsConfig::builder()
            .root_certs(self.roots.clone())
            .unversioned_rustls_crypto_provider(Arc::new(ring::default_provider()))
            .build();
        let config = Agent::config_builder()
            .max_redirects(0)
            .max_redirects_will_error(false)
            .http_status_as_error(false)
            .https_only(address.is_secure())
            .proxy(proxy)
            .user_agent(concat!("wyard/", env!("CARGO_PKG_VERSION")))
            .timeout_connect(Some(SILENCE))
            .timeout_recv_response(Some(SILENCE))
            .timeout_per_read(Some(SILENCE))
            .tls_config(tls);
        Ok(config.build().into())
    }
}

#[derive(Debug)]
pub(super) enum RequestError {
    /// The transfer failed; another try may go better.
    Failed(Address, ureq::Error),
    Final(DownloadError),
}

impl From<DownloadError> for RequestError {
    fn from(error: DownloadError) -> Self {
        Self::Final(error)
    }
}

impl RequestError {
    /// As it is told where nothing more is tried.
    pub(super) fn told(self, there: u64) -> DownloadError {
        match self {
            Self::Final(error) => error,
            Self::Failed(address, ureq::Error::BodyExceedsLimit(limit)) => DownloadError::TooLong { address, limit },
            Self::Failed(address, error) if is_certificate(&error) => {
                DownloadError::Certificate { address, source: Box::new(error) }
            }
            Self::Failed(address, error) => DownloadError::Connection { address, there, source: Box::new(error) },
        }
    }
}

fn authorities(file: &Path) -> Result<RootCerts, DownloadError> {
    let text = given::content(file).at("read", file)?;
    let none = || DownloadError::NoCertificates(PathBuf::from(file));
    let mut found: Vec<Certificate<'static>> = Vec::new();
    for item in parse_pem(&text) {
        if let ureq::tls::PemItem::Certificate(certificate) = item.map_err(|_| none())? {
            found.push(certificate);
        }
    }
    if found.is_empty() { Err(none()) } else { Ok(RootCerts::new_with_certs(&found)) }
}
