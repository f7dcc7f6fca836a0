//! The variables that a shell hands on, as they are printed.

use crate::environment::Environment;
use crate::os;
use crate::system::System;

/// What a shell sets for the program it starts, which is another one here, and what says that it is sealed.
const OF_THE_SHELL: [&str; 3] = ["_", "PWD", os::SEALED_VARIABLE];

/// Variables as `env -0` prints them, `NAME=VALUE` each (env(1)).
pub(super) fn environment<'a>(fields: impl IntoIterator<Item = &'a [u8]>) -> Environment {
    let mut environment = Environment::new(System::Unix);
    for field in fields {
        let Some(at) = field.iter().position(|byte| *byte == b'=') else { continue };
        let [name, value] = [&field[..at], &field[at + 1..]].map(|bytes| os::name_from_bytes(bytes.to_vec()));
        environment.set(name, value);
    }
    environment.retain(|name, _| !OF_THE_SHELL.iter().any(|own| name == *own));
    environment
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_may_hold_anything() {
        let found = environment([&b"PATH=/bin"[..], b"TIDE=a=b\nc", b"PWD=/", b"odd", b"WYARD_SEALED=full"]);
        assert_eq!(found.iter().count(), 2);
        assert_eq!(found.get("TIDE").unwrap(), "a=b\nc");
    }
}
