//! Registry states through receive, unregister and undo.

use std::fs;

use super::lane::{Lane, dumped};
use super::states::{STATES, USUAL, key, name};
use wagon_yard_core::os::RawValue;
use wagon_yard_core::registry::{RegistryKey, RegistryValue, ValueKind};
use wagon_yard_core::store::registry::Builder;

/// Texts of `Path`, each tried as a plain and as an expandable value of the user and of the system.
const PATHS: &[&str] = &[
    "",
    r"C:\a",
    r"C:\a;",
    r";;C:\a;;",
    r"C:\a;C:\a;c:\A\",
    r#""C:\a b";C:\c"#,
    r#""C:\a;b";C:\c"#,
    r#"C:\a;"C:\open"#,
    r#"C:\a"b"c;C:\d"#,
    r" C:\a ; C:\b ",
    r"%SystemRoot%;%SystemRoot%\system32;C:\a",
    r"%TIDELOG_HOME%\bin;C:\a",
    r"C:\a;%NOBODY%\x;%;100%",
    r"%Path%;C:\a",
    r"C:\a&b;C:\c^d;C:\e!f;C:\(g)",
    "C:\\Größe;C:\\潮",
    r"\\host\share\bin;C:\a",
    r"C:\a\.\b\..;C:/a/b/",
    r"relative;.;C:\a",
    r"C:\a;%SystemDrive%\%USERNAME%\bin",
    "C:\\a\tb;\u{a0}C:\\b\u{a0};C:\\c",
    r"C:\windows\system32;C:\a;C:\WINDOWS;C:\b",
];

/// A state, and what is done on the way.
struct Case {
    told: String,
    system: RegistryKey,
    user: RegistryKey,
    scope: &'static str,
    /// Another program appends an entry to `Path` before it is unregistered.
    foreign: bool,
}

fn cases() -> Vec<Case> {
    let of = |lines: &[&str]| (key(lines, 'S', Builder::Wine), key(lines, 'U', Builder::Wine));
    let mut cases = Vec::new();
    let mut add = |told: String, (system, user): (RegistryKey, RegistryKey), scope, foreign| {
        cases.push(Case { told, system, user, scope, foreign });
    };
    for scope in ["user", "system"] {
        // Both scopes are edited by the same rules: what is about a state as a whole is tried in the user's.
        let is_user = scope == "user";
        for state in STATES.iter().step_by(if is_user { 1 } else { 4 }) {
            add(format!("{state:?}"), of(state), scope, false);
        }
        let mark = if is_user { 'U' } else { 'S' };
        for (at, path) in PATHS.iter().enumerate() {
            for kind in if is_user { &["=", ":="][..] } else { &[":="] } {
                let line = format!("{mark} Path{kind}{path}");
                add(line.clone(), of(&[&line]), scope, at % 3 == 1);
            }
        }
        for length in if is_user { &[2040, 2048, 8150, 8192, 20_000, 32_700, 32_760][..] } else { &[2048, 32_760] } {
            let line = format!("{mark} Path={}", r"C:\x".repeat(length / 4));
            add(format!("{mark} Path of {length}"), of(&[&line]), scope, false);
        }
        let text = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
        for (told, name, kind, bytes) in [
            ("no zero at the end", "Path", 2, text(r"C:\a")),
            ("two zeros at the end", "Path", 1, text("C:\\a\0\0")),
            ("bytes behind a zero", "Path", 1, text("C:\\a\0hidden\0")),
            ("a link", "STRANGE", 6, text("C:\\a")),
            ("half a character", "Path", 2, vec![0x00, 0xd8, 0, 0]),
            ("a type that nobody knows", "Path", 256, text("C:\\a\0")),
            ("bytes", "Path", 3, text("C:\\a\0")),
            ("several strings", "STRANGE", 7, text("C:\\a\0C:\\b\0\0")),
            ("a variable with bytes behind a zero", "TIDELOG_HOME", 1, text("C:\\t\0hidden\0")),
            ("a variable that refers to itself", "TIDELOG_HOME", 2, text("%TIDELOG_HOME%\0")),
            ("a variable that is a number", "TIDELOG_HOME", 4, vec![1, 0, 0, 0]),
        ] {
            let (mut system, mut user) = of(&[]);
            let key = if mark == 'U' { &mut user } else { &mut system };
            key.0.retain(|raw| !raw.name.eq_ignore_ascii_case(name));
            key.0.push(RawValue { name: name.to_owned(), kind, bytes });
            add(format!("{mark} {told}"), (system, user), scope, false);
        }
    }
    cases
}

impl Lane {
    /// Takes a case through all steps, and says what went wrong.
    fn judge(&self, at: usize, case: &Case, count: &mut Count) -> Vec<String> {
        let (keys, scope) = (&self.keys, case.scope);
        // Everybody is an administrator there, and would be asked.
        let wyard = format!("\"{}\" --unsealed --yard C:\\yards\\{at} --scope {scope}", self.wyard);
        let step = |does: &str, name: &str| {
            [
                format!("{wyard} {does} >{name}.txt 2>&1"),
                format!(">{name}.code echo %ERRORLEVEL%"),
                format!("\"{keys}\" dump >{name}.keys"),
            ]
        };
        fs::write(self.folder.path().join("state.keys"), dumped(&case.system, &case.user)).unwrap();
        let begin = [format!("\"{keys}\" set state.keys"), format!("\"{keys}\" dump >before.keys")];
        self.run(&[&begin[..], &step(&format!("receive --name tidelog \"{}\"", self.tool), "receive")].concat());
        let seen = self.cmd("tidelog --version");
        let append = format!("\"{keys}\" append {scope} C:\\foreign");
        let append = if case.foreign { vec![append] } else { Vec::new() };
        self.run(&[&append[..], &step("unregister tidelog", "unregister"), &step("undo", "undo")].concat());

        let mut wrong = Vec::new();
        let mut must = |holds: bool, words: String| {
            if !holds {
                wrong.push(words);
            }
        };
        let [before, received, gone, undone] =
            ["before", "receive", "unregister", "undo"].map(|step| self.said(&format!("{step}.keys")));
        // Wine puts zeros behind some texts.
        let plain = |keys: &str| keys.lines().map(|line| line.trim_end_matches('0').to_owned()).collect::<Vec<_>>();
        must(
            plain(&before) == plain(&dumped(&case.system, &case.user)),
            format!("the state was not set, but\n{before}"),
        );
        let code = self.said("receive.code");
        let runs = seen.trim() == "tidelog 4.2.1";
        if !["0", "1"].contains(&code.as_str()) {
            count.refused += 1;
            must(code == "4" || code == "2", format!("receive ended with {code}: {}", self.said("receive.txt")));
            must(received == before, format!("refused, and changed\n{before}\n{received}"));
            return wrong;
        }
        let counted = if code == "0" { &mut count.good } else { &mut count.not_good };
        *counted += 1;
        must(code == "1" || runs, format!("good, and a terminal says {seen:?}"));
        if code == "1" && runs {
            count.too_careful.push(case.told.clone());
        }
        let with_foreign = |keys: &str| if case.foreign { appended(keys, scope) } else { keys.to_owned() };
        must(self.said("unregister.code") == "0", self.said("unregister.txt"));
        must(gone == with_foreign(&before), format!("unregister leaves\n{gone}\nof\n{}", with_foreign(&before)));
        must(self.said("undo.code") == "0", self.said("undo.txt"));
        must(undone == with_foreign(&received), format!("undo leaves\n{undone}\nof\n{}", with_foreign(&received)));
        wrong
    }
}

/// How the cases came out.
#[derive(Debug, Default)]
struct Count {
    good: usize,
    not_good: usize,
    refused: usize,
    too_careful: Vec<String>,
}

/// A dump of both keys after an entry was appended to one `Path`.
fn appended(keys: &str, scope: &str) -> String {
    let mark = if scope == "user" { "U " } else { "S " };
    let line = |line: &str| {
        let fields: Vec<&str> = line.trim().split(' ').collect();
        let [of, name, kind, rest @ ..] = &fields[..] else { return line.to_owned() };
        let is_path = format!("{of} ") == mark && text(&hex(name, 2)).eq_ignore_ascii_case("path");
        if !is_path {
            return line.trim().to_owned();
        }
        let old = text(&hex(rest.first().unwrap_or(&""), 1));
        let old = old.split('\0').next().unwrap_or_default();
        let end = if old.is_empty() { "" } else { ";" };
        let bytes = RegistryValue::new(ValueKind::Plain, format!("{old}{end}C:\\foreign")).bytes();
        let digits: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
        format!("{of} {name} {kind} {digits}")
    };
    keys.lines().map(line).collect::<Vec<_>>().join("\n")
}

/// Bytes by their digits; a unit of two bytes is written with its higher one first.
fn hex(digits: &str, width: usize) -> Vec<u8> {
    let bytes: Vec<u8> =
        (0..digits.len() / 2).map(|at| u8::from_str_radix(&digits[at * 2..at * 2 + 2], 16).unwrap()).collect();
    bytes.chunks(width).flat_map(|unit| unit.iter().rev().copied().collect::<Vec<_>>()).collect()
}

fn text(bytes: &[u8]) -> String {
    let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    String::from_utf16_lossy(&units)
}

#[test]
#[ignore = "needs Wine: scripts/windows-lane runs it"]
fn every_state_comes_back_and_none_is_good_that_a_terminal_denies() {
    assert!(USUAL.iter().all(|line| !name(line).is_empty()));
    let lane = Lane::new();
    lane.run(&["rmdir /s /q C:\\yards".to_owned(), format!("\"{}\" dump >usual.keys", lane.keys)]);
    let cases = cases();
    let mut count = Count::default();
    let mut wrong = Vec::new();
    // To look at some of them again.
    let only = std::env::var("WYARD_TEST_STATES").unwrap_or_default();
    let only: Vec<usize> = only.split(',').filter_map(|text| text.parse().ok()).collect();
    for (at, case) in cases.iter().enumerate().filter(|(at, _)| only.is_empty() || only.contains(at)) {
        for words in lane.judge(at, case, &mut count) {
            wrong.push(format!("{at}, {} scope, {}: {words}", case.scope, case.told));
        }
    }
    lane.run(&[format!("\"{}\" set usual.keys", lane.keys), "rmdir /s /q C:\\yards".to_owned()]);
    println!("{} states: {count:?}", cases.len());
    assert!(wrong.is_empty(), "{} wrong:\n{}", wrong.len(), wrong.join("\n\n"));
}
