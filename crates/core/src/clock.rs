//! The time, as records have it.

/// The moment, in RFC 3339 with microseconds.
#[must_use]
pub fn now() -> String {
    jiff::Timestamp::now().round(jiff::Unit::Microsecond).unwrap_or_else(|_| jiff::Timestamp::now()).to_string()
}
