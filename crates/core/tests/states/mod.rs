//! States of the registry that the lookups and the edits are tried on.

use wagon_yard_core::os::RawValue;
use wagon_yard_core::registry::{RegistryKey, RegistryValue, ValueKind};
use wagon_yard_core::store::registry::Builder;

/// What every session has, where a state says nothing else.
pub const USUAL: [&str; 2] = [r"S PATH=C:\windows\system32;C:\windows", "S PATHEXT=.COM;.EXE;.BAT;.CMD"];

/// Registry states: `S` is the system's key, `U` the user's; `NAME=text` is a plain value, `NAME:=text` an expandable
/// one. Later values come later in the key.
pub const STATES: &[&[&str]] = &[
    &[],
    &[r"U Path=C:\a"],
    &[r"U PATH=C:\a"],
    &[r"U path:=C:\a"],
    &["U Path="],
    &["S PATH=", r"U Path=C:\a"],
    &[r"S PATH:=%SystemRoot%\system32", r"U Path=C:\a"],
    &[r"S PATH=%SystemRoot%\system32;C:\windows\system32"],
    &[r"U Path:=%SystemRoot%\x;C:\a"],
    &[r"U Path=%SystemRoot%\x"],
    &[r"U T_HOME=C:\t", r"U Path:=%T_HOME%\bin"],
    &[r"U Path:=%T_HOME%\bin", r"U T_HOME=C:\t"],
    &[r"U T_HOME:=C:\t", r"U Path:=%T_HOME%\bin"],
    &["U A:=%B%", "U B:=1"],
    &["U B:=1", "U A:=%B%"],
    &["U A:=%A%;x"],
    &["S A=s", "U A=u"],
    &["S A=s", "U A:=%A%;u"],
    &["S A:=%W%", "S W=1", "U W=2"],
    &[r"S PATH:=%T_HOME%\bin;C:\windows\system32", r"U T_HOME=C:\t"],
    &[r"S T_HOME=C:\s", r"U T_HOME=C:\u", r"U Path:=%T_HOME%\bin"],
    &[r"U Path:=%NOBODY%\x;C:\a"],
    &["U Path:=100%;50%"],
    &["U Path:=%%"],
    &["U Path:=%NOBODY%SystemRoot%"],
    &[r#"U Path:="C:\a;b";C:\c"#],
    &[r"U Path:=C:\a;;C:\b;"],
    &[r"U Path:=;C:\a"],
    &[r"U Path:= C:\a ; C:\b "],
    &[r"U Path:=C:\Gezeiten übersicht;C:\潮"],
    &[r"U PATH =C:\a", r"U Paths=C:\b"],
    &["U PATHEXT=.EXE;.TIDE"],
    &["U PATHEXT:=%PATHEXT%;.TIDE"],
    &[r"U t_home=C:\t", r"U Path:=%T_HOME%\bin"],
    &["U A=1", "U Path:=%A%%A%"],
    &["U A=%B%", "U B=1", "U Path:=%A%"],
    &["U EMPTY=", r"U Path:=%EMPTY%C:\a"],
    &["S A=1", r"S PATH:=%A%\x;C:\windows\system32", "U A=2", r"U Path:=%A%\y"],
];

/// The variable a line is about, in upper case.
pub fn name(line: &str) -> String {
    line[2..].split(['=', ':']).next().unwrap_or_default().to_uppercase()
}

pub fn key(state: &[&str], scope: char, builder: Builder) -> RegistryKey {
    let said = |usual: &&&str| !state.iter().any(|line| line.starts_with(scope) && name(line) == name(usual));
    let lines = USUAL.iter().filter(said).chain(state).filter_map(|line| line.strip_prefix(scope)?.strip_prefix(' '));
    let value = |line: &str| {
        let (name, text) = line.split_once('=').unwrap();
        let (name, kind) = name.strip_suffix(':').map_or((name, ValueKind::Plain), |n| (n, ValueKind::Expandable));
        RawValue { name: name.to_owned(), kind: kind.number(), bytes: RegistryValue::new(kind, text).bytes() }
    };
    let mut values: Vec<RawValue> = lines.map(value).collect();
    if builder == Builder::Wine {
        // Its keys are kept in this order.
        values.sort_by_key(|raw| raw.name.to_uppercase());
    }
    RegistryKey(values)
}
