//! What each entry of `Path` means, for random pairs of scopes, against a judge that is written from the documentation of Windows
//! ("CreateEnvironmentBlock function", "Environment Variables", "Registry Value Types") and knows nothing of our code.
#![allow(clippy::unwrap_used)]

use std::collections::HashMap;

use wagon_yard_core::os::RawValue;
use wagon_yard_core::registry::{RegistryKey, RegistryValue, ValueKind};
use wagon_yard_core::scope::Scope;
use wagon_yard_core::store::registry::{Background, Builder, RegistryEnvironments};

type Value = (String, ValueKind, String);

/// The folders of PATH of a new process, or nothing where it has no PATH.
fn folders_of_new_process(system: &[Value], user: &[Value]) -> Vec<String> {
    let mut variables: HashMap<String, String> = HashMap::from([("SYSTEMROOT".into(), r"C:\windows".into())]);
    for (values, is_user) in [(system, false), (user, true)] {
        for kind in [ValueKind::Plain, ValueKind::Expandable] {
            for (name, _, text) in values.iter().filter(|(_, its, _)| *its == kind) {
                let text = if kind == ValueKind::Expandable { expanded(text, &variables) } else { text.clone() };
                let name = name.to_uppercase();
                let before = variables.get(&name).filter(|_| is_user && name == "PATH").filter(|b| !b.is_empty());
                let text = before.map_or(text.clone(), |before| [before.as_str(), &text].join(";"));
                variables.insert(name, text);
            }
        }
    }
    let (mut folders, mut folder, mut quoted) = (Vec::new(), String::new(), false);
    for c in variables.get("PATH").map_or("", String::as_str).chars() {
        match c {
            '"' => quoted = !quoted,
            ';' if !quoted => folders.push(std::mem::take(&mut folder)),
            c => folder.push(c),
        }
    }
    folders.push(folder);
    folders.iter().map(|folder| folder.trim().to_owned()).filter(|folder| !folder.is_empty()).collect()
}

fn expanded(text: &str, variables: &HashMap<String, String>) -> String {
    let Some((before, rest)) = text.split_once('%') else { return text.to_owned() };
    let Some((name, behind)) = rest.split_once('%') else { return text.to_owned() };
    match variables.get(&name.to_uppercase()) {
        Some(value) => format!("{before}{value}{}", expanded(behind, variables)),
        None => format!("{before}%{name}{}", expanded(&format!("%{behind}"), variables)),
    }
}

fn random_key(random: &mut fastrand::Rng) -> Vec<Value> {
    let folder = |random: &mut fastrand::Rng| match random.u32(..24) {
        0 => String::new(),
        1 => "100%".to_owned(),
        2 => "\"C:\\open".to_owned(),
        3 => "\"C:\\a;b\"".to_owned(),
        4 => " C:\\blank ".to_owned(),
        5..12 => format!(
            "%{}%{}",
            random.choice(["T_HOME", "t_home", "TWO", "NOBODY", "SystemRoot", "Path", "A"]).unwrap(),
            random.choice(["", "\\bin"]).unwrap()
        ),
        at => format!("C:\\{}", at % 5),
    };
    let list = |random: &mut fastrand::Rng, most: usize| {
        let folders: Vec<String> = (0..random.usize(..=most)).map(|_| folder(random)).collect();
        folders.join(";")
    };
    let mut key = Vec::new();
    for name in ["A", "T_HOME", "TWO"] {
        if random.bool() {
            let kind = if random.bool() { ValueKind::Plain } else { ValueKind::Expandable };
            key.push((name.to_owned(), kind, list(random, 2)));
        }
    }
    if random.u32(..8) > 0 {
        let kind = if random.u32(..6) == 0 { ValueKind::Plain } else { ValueKind::Expandable };
        key.push((random.choice(["Path", "PATH"]).unwrap().to_owned(), kind, list(random, 6)));
    }
    random.shuffle(&mut key);
    key
}

fn registry_key(values: &[Value]) -> RegistryKey {
    let raw = |(name, kind, text): &Value| RawValue {
        name: name.clone(),
        kind: kind.number(),
        bytes: RegistryValue::new(*kind, text.clone()).bytes(),
    };
    RegistryKey(values.iter().map(raw).collect())
}

#[test]
fn entries_are_what_a_new_process_gets() {
    let seed = std::env::var("WYARD_TEST_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or(40);
    let mut random = fastrand::Rng::with_seed(seed);
    let (mut entries_seen, mut several, mut unlike) = (0, 0, 0);
    for at in 0..20_000 {
        let (system, user) = (random_key(&mut random), random_key(&mut random));
        let registry = RegistryEnvironments { system: registry_key(&system), user: registry_key(&user) };
        let given = vec![("SystemRoot".to_owned(), r"C:\windows".to_owned())];
        let background = Background { given, registry, builder: Builder::Windows };
        let told = format!("seed {seed}, {at}: {system:?} {user:?}");
        let text = |folders: Vec<std::path::PathBuf>| -> Vec<String> {
            folders.into_iter().map(|folder| folder.to_str().unwrap().to_owned()).filter(|f| !f.is_empty()).collect()
        };
        let judged = folders_of_new_process(&system, &user);
        assert_eq!(text(background.folders()), judged, "{told}");
        let entries: Vec<_> = [Scope::System, Scope::User]
            .into_iter()
            .flat_map(|scope| {
                background.entries(scope).into_iter().enumerate().map(move |(at, entry)| (scope, at, entry))
            })
            .collect();
        // A quote that the system's value leaves open takes the user's entries along, which no entry can say.
        let opens = |values: &[Value]| values.iter().any(|(_, _, text)| text.matches('"').count() % 2 == 1);
        let all = text(entries.iter().flat_map(|(.., entry)| entry.folders.clone()).collect());
        if !opens(&system) && !opens(&user) {
            assert_eq!(all, judged, "{told}");
        }
        entries_seen += entries.len();
        several += entries.iter().filter(|(.., entry)| entry.folders.len() > 1).count();
        // One of them goes.
        if let Some((scope, place, entry)) = random.choice(&entries) {
            let mut parts: Vec<String> = background.entries(*scope).into_iter().map(|entry| entry.raw).collect();
            parts.remove(*place);
            let mut changed = [system.clone(), user.clone()];
            let own = &mut changed[usize::from(*scope == Scope::User)];
            own.iter_mut().find(|(name, ..)| name.eq_ignore_ascii_case("path")).unwrap().2 = parts.join(";");
            let after = folders_of_new_process(&changed[0], &changed[1]);
            assert_eq!(
                text(background.with_path(*scope, &parts.join(";")).folders()),
                after,
                "{told} without {entry:?}"
            );
            // What an entry that stands alone takes along is its folders, but where another one's reference is cut by it,
            // or `%Path%` repeats it.
            let rest = entries.iter().filter(|(of, at, _)| (of, at) != (scope, place));
            let rest = text(rest.flat_map(|(.., entry)| entry.folders.clone()).collect());
            unlike += usize::from(entry.stands_alone && all == judged && rest != after);
        }
    }
    println!(
        "{entries_seen} entries, {several} of several folders, {unlike} whose loss is told by the whole value only"
    );
    assert!(several > 1000 && unlike < 2000, "{entries_seen} {several} {unlike}");
}
