//! An address on the web (RFC 3986), of http or https.

use std::fmt;

use fluent_uri::{Uri, UriRef};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Address(Box<Uri<String>>);

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum AddressError {
    #[error("not a valid address: {0}")]
    Invalid(String),
    #[error("only http and https are supported, not {0}")]
    Scheme(String),
    #[error("an address must not contain a user name or password")]
    Credentials,
}

impl Address {
    /// Reads one. A fragment is left out: it is for the reader, not the server (RFC 9110, 4.2.5).
    pub fn parse(text: &str) -> Result<Self, AddressError> {
        let text = text.split('#').next().unwrap_or_default();
        let uri = Uri::parse(text.to_owned()).map_err(|_| AddressError::Invalid(text.to_owned()))?;
        Self::checked(uri)
    }

    /// Whether a text is meant as an address rather than as a file.
    pub fn is_meant(text: &str) -> bool {
        let scheme = text.split("://").next().filter(|scheme| scheme.len() < text.len());
        scheme.is_some_and(|scheme| scheme.len() > 1 && scheme.bytes().all(|byte| byte.is_ascii_alphanumeric()))
    }

    /// Where a redirect leads, seen from here.
    pub fn join(&self, location: &str) -> Result<Self, AddressError> {
        let location = location.split('#').next().unwrap_or_default();
        let invalid = || AddressError::Invalid(location.to_owned());
        let reference = UriRef::parse(location.to_owned()).map_err(|_| invalid())?;
        Self::checked(reference.resolve_against(&*self.0).map_err(|_| invalid())?)
    }

    pub fn beside(&self, name: &str) -> Result<Self, AddressError> {
        let reference: String = name.bytes().map(encoded).collect();
        self.join(&format!("./{reference}"))
    }

    fn checked(uri: Uri<String>) -> Result<Self, AddressError> {
        let scheme = uri.scheme().as_str().to_ascii_lowercase();
        if scheme != "http" && scheme != "https" {
            return Err(AddressError::Scheme(scheme));
        }
        let authority = uri.authority().filter(|authority| !authority.host().is_empty());
        match authority {
            None => Err(AddressError::Invalid(uri.as_str().to_owned())),
            Some(authority) if authority.userinfo().is_some() => Err(AddressError::Credentials),
            Some(_) => Ok(Self(Box::new(uri))),
        }
    }

    pub fn as_str(&self) -> &str {
        self.0.as_str()
    }

    /// Whether what comes from there is encrypted and its sender proved.
    pub fn is_secure(&self) -> bool {
        self.0.scheme().as_str().eq_ignore_ascii_case("https")
    }

    /// The host, in lower case, without the brackets of an IPv6 address.
    pub fn host(&self) -> String {
        let host = self.0.authority().map(|authority| authority.host().to_ascii_lowercase()).unwrap_or_default();
        host.trim_start_matches('[').trim_end_matches(']').to_owned()
    }

    /// The port, the usual one where none is written.
    pub fn port(&self) -> u16 {
        let usual = if self.is_secure() { 443 } else { 80 };
        self.0.authority().and_then(|authority| authority.port_to_u16().ok().flatten()).unwrap_or(usual)
    }

    /// The last part of the path, decoded: most often the name of a file.
    pub fn last_part(&self) -> String {
        let last = self.0.path().as_str().rsplit('/').next().unwrap_or_default();
        percent_decoded(last)
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

/// A byte of a name as an address has it.
fn encoded(byte: u8) -> String {
    if byte.is_ascii_alphanumeric() || b"-._~".contains(&byte) {
        char::from(byte).to_string()
    } else {
        format!("%{byte:02X}")
    }
}

/// A part of an address with its `%XX` as the bytes they stand for.
pub(super) fn percent_decoded(text: &str) -> String {
    let (mut bytes, mut rest) = (Vec::new(), text.as_bytes());
    while let Some((first, after)) = rest.split_first() {
        let digits = after.get(..2).filter(|_| *first == b'%').and_then(|two| std::str::from_utf8(two).ok());
        match digits.and_then(|two| u8::from_str_radix(two, 16).ok()) {
            Some(byte) => {
                bytes.push(byte);
                rest = &after[2..];
            }
            None => {
                bytes.push(*first);
                rest = after;
            }
        }
    }
    String::from_utf8_lossy(&bytes).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn addresses_have_parts() {
        let address = Address::parse("https://Tools.brackwater.example:8443/a/tide%20log-4.2.1.zip?x=1#top").unwrap();
        assert_eq!((address.host().as_str(), address.port()), ("tools.brackwater.example", 8443));
        assert_eq!(address.last_part(), "tide log-4.2.1.zip");
        assert_eq!(address.as_str(), "https://Tools.brackwater.example:8443/a/tide%20log-4.2.1.zip?x=1");
        for (location, leads) in [
            ("/b", "https://Tools.brackwater.example:8443/b"),
            ("c?d", "https://Tools.brackwater.example:8443/a/c?d"),
            ("//ebb.example/x", "https://ebb.example/x"),
            ("http://ebb.example/y", "http://ebb.example/y"),
        ] {
            assert_eq!(address.join(location).unwrap().as_str(), leads);
        }
        let beside = address.beside("tide log.zip.sha256").unwrap();
        assert_eq!(beside.as_str(), "https://Tools.brackwater.example:8443/a/tide%20log.zip.sha256");
        assert_eq!(Address::parse("http://[::1]/").unwrap().host(), "::1");
    }

    #[test]
    fn what_is_no_address_is_refused() {
        for text in ["http://", "https:///x", "http://a b/", "tidelog.zip"] {
            assert!(matches!(Address::parse(text), Err(AddressError::Invalid(_))), "{text}");
        }
        assert_eq!(Address::parse("ftp://ebb.example/x"), Err(AddressError::Scheme("ftp".to_owned())));
        assert_eq!(Address::parse("https://k:p@ebb.example/"), Err(AddressError::Credentials));
        for (text, meant) in [("http://x", true), ("ftp://x", true), (r"C:\x", false), ("c://x", false), ("a/b", false)]
        {
            assert_eq!(Address::is_meant(text), meant, "{text}");
        }
    }
}
