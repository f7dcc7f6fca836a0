//! The time, as records have it.

use std::time::SystemTime;

/// Now, as RFC 3339 in UTC, to the microsecond: always as long, so that the order of the texts is that of the times.
pub fn now() -> String {
    humantime::format_rfc3339_micros(SystemTime::now()).to_string()
}

/// The time that a record has; `None` where it is none.
pub fn parse(time: &str) -> Option<SystemTime> {
    humantime::parse_rfc3339(time).ok()
}

/// A time as this module writes it, to the minute.
pub fn to_the_minute(time: &str) -> String {
    match time.get(..16) {
        Some(start) => format!("{} UTC", start.replace('T', " ")),
        None => time.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_again_and_so_are_shorter_fractions() {
        let written = now();
        assert_eq!(humantime::format_rfc3339_micros(parse(&written).unwrap()).to_string(), written);
        assert!(parse("2026-11-27T00:27:38.04Z") < parse("2026-11-27T00:27:38.043904Z"));
        assert_eq!(parse("yesterday"), None);
    }
}
