//! Which proxy a request goes through, by the variables that most programs read: `https_proxy`, `http_proxy`, `all_proxy` and
//! `no_proxy`, in either case (curl(1), "ENVIRONMENT"; wget(1), "Proxies").

use std::net::IpAddr;

use super::address::Address;
use crate::environment::Environment;

/// The proxy for an address; `None` where it is asked directly. Of a variable in both cases the one in lower case counts.
pub fn proxy_for(address: &Address, environment: &Environment) -> Option<String> {
    let variable = |name: &str| {
        let value = |name: &str| environment.get(name).map(|value| value.to_string_lossy().into_owned());
        value(name).or_else(|| value(&name.to_ascii_uppercase())).filter(|value| !value.trim().is_empty())
    };
    if variable("no_proxy").is_some_and(|list| is_exempt(address, &list)) {
        return None;
    }
    let proxy = variable(if address.is_secure() { "https_proxy" } else { "http_proxy" });
    let proxy = proxy.or_else(|| variable("all_proxy"))?;
    Some(if proxy.contains("://") { proxy } else { format!("http://{proxy}") })
}

/// Whether a list of `no_proxy` names the address: `*`, a host, a suffix with or without its dot, a number, a range of numbers
/// (`10.0.0.0/8`), each with a port or without.
fn is_exempt(address: &Address, list: &str) -> bool {
    let host = address.host();
    let host = host.trim_end_matches('.');
    let number: Option<IpAddr> = host.parse().ok();
    list.split([',', ' ']).map(str::trim).filter(|entry| !entry.is_empty()).any(|entry| {
        let entry = entry.to_ascii_lowercase();
        if entry == "*" {
            return true;
        }
        if let Some((range, bits)) = entry.split_once('/') {
            let range = (range.parse::<IpAddr>().ok(), bits.parse::<u32>().ok());
            return matches!((number, range), (Some(number), (Some(range), Some(bits))) if is_within(number, range, bits));
        }
        let (name, port) = with_port(&entry);
        if port.is_some_and(|port| port != address.port()) {
            return false;
        }
        if let Some(number) = number {
            return name.parse() == Ok(number);
        }
        let name = name.trim_start_matches('*').trim_start_matches('.').trim_end_matches('.');
        !name.is_empty() && (host == name || host.strip_suffix(name).is_some_and(|front| front.ends_with('.')))
    })
}

/// A host and the port behind it; an IPv6 address has one only behind brackets.
fn with_port(entry: &str) -> (&str, Option<u16>) {
    if let Some((host, port)) = entry.strip_prefix('[').and_then(|rest| rest.split_once(']')) {
        return (host, port.strip_prefix(':').and_then(|port| port.parse().ok()));
    }
    match entry.split_once(':') {
        Some((host, port)) if !port.contains(':') => (host, port.parse().ok()),
        _ => (entry, None),
    }
}

/// Whether a number begins with the same bits as a range (RFC 4632).
fn is_within(number: IpAddr, range: IpAddr, bits: u32) -> bool {
    let same = |one: u128, other: u128, width: u32| {
        bits <= width && (bits == 0 || one >> (width - bits) == other >> (width - bits))
    };
    match (number, range) {
        (IpAddr::V4(number), IpAddr::V4(range)) => same(number.to_bits().into(), range.to_bits().into(), 32),
        (IpAddr::V6(number), IpAddr::V6(range)) => same(number.to_bits(), range.to_bits(), 128),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::system::System;

    #[test]
    fn the_variables_choose_the_proxy() {
        let of = |variables: &[(&str, &str)], address: &str| {
            let mut environment = Environment::new(System::Unix);
            variables.iter().for_each(|(name, value)| environment.set(*name, *value));
            proxy_for(&Address::parse(address).unwrap(), &environment)
        };
        let both = [("http_proxy", "http://one:1"), ("HTTPS_PROXY", "two:2")];
        assert_eq!(of(&both, "http://ebb.example/").as_deref(), Some("http://one:1"));
        assert_eq!(of(&both, "https://ebb.example/").as_deref(), Some("http://two:2"));
        assert_eq!(
            of(&[("all_proxy", "socks5://three:3")], "https://ebb.example/").as_deref(),
            Some("socks5://three:3")
        );
        assert_eq!(of(&[("http_proxy", "one:1")], "https://ebb.example/"), None);
        assert_eq!(of(&[("http_proxy", " ")], "http://ebb.example/"), None);
    }

    #[test]
    fn exempt_are_hosts_suffixes_ports_and_ranges() {
        for (list, address, exempt) in [
            ("*", "http://ebb.example/", true),
            ("ebb.example", "http://ebb.example/", true),
            ("ebb.example", "http://a.ebb.example/", true),
            (".ebb.example", "http://a.ebb.example/", true),
            (".ebb.example", "http://ebb.example/", true),
            ("*.ebb.example", "http://a.ebb.example/", true),
            ("ebb.example", "http://lowebb.example/", false),
            ("EBB.example.", "http://ebb.EXAMPLE/", true),
            ("a.example, ebb.example:8080", "http://ebb.example:8080/", true),
            ("ebb.example:8080", "http://ebb.example/", false),
            ("10.0.0.0/8", "http://10.9.8.7/", true),
            ("10.0.0.0/8", "http://11.0.0.1/", false),
            ("127.0.0.1", "http://127.0.0.1:81/", true),
            ("127.0.0.1:82", "http://127.0.0.1:81/", false),
            ("fd00::/8", "http://[fd12::1]/", true),
            ("::1", "http://[::1]/", true),
            ("[::1]:81", "http://[::1]:81/", true),
            ("0.0.0.0/0", "http://1.2.3.4/", true),
            ("10.0.0.0/99", "http://10.0.0.1/", false),
            ("", "http://ebb.example/", false),
        ] {
            assert_eq!(is_exempt(&Address::parse(address).unwrap(), list), exempt, "{list}: {address}");
        }
    }
}
