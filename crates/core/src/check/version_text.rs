//! The version in what a program prints.

/// How near a version-like word stands to what says that it is one; smaller is nearer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Nearness {
    /// Right after the program's or the tool's own name, or after "NAME version".
    OwnName,
    /// Right after the word "version", in a line that has the name.
    VersionWordOfOwn,
    VersionWord,
    OwnLine,
    Anywhere,
    /// In brackets, where what a program was built with most often stands, or shaped like a date.
    Aside,
}

const ANNOUNCING: [&str; 8] = ["version", "ver", "v", "release", "rel", "build", "rev", "is"];

/// The text of a stream: UTF-16, which some programs of Windows print, is told by the zeros in it; colours are left out.
pub(super) fn text_of(stream: &[u8]) -> String {
    let wide =
        stream.len() > 3 && stream.len().is_multiple_of(2) && stream.iter().skip(1).step_by(2).take(8).all(|b| *b == 0);
    let text = if wide {
        let units: Vec<u16> = stream.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        String::from_utf16_lossy(&units)
    } else {
        String::from_utf8_lossy(stream).into_owned()
    };
    // A control sequence is ESC [, then parameters, then one byte of 0x40 to 0x7E (ECMA-48, 5.4).
    let mut parts = text.split("\u{1b}[");
    let mut plain = parts.next().unwrap_or_default().to_owned();
    for part in parts {
        let end = part.find(|c: char| ('@'..='~').contains(&c)).map_or(part.len(), |at| at + 1);
        plain.push_str(part.get(end..).unwrap_or_default());
    }
    plain
}

/// A word of the output, with what is known of its place.
struct Word<'a> {
    text: &'a str,
    before: &'a str,
    second: &'a str,
    after: &'a str,
    in_brackets: bool,
    own_line: bool,
    of_copyright: bool,
    alone: bool,
}

/// Finds the version a program states: the word nearest to its own name, then to the word "version", then the first that
/// looks like one. `names` are the names the program goes by, `expected` is only used to accept a bare number.
pub(super) fn find(text: &str, names: &[&str], expected: Option<&str>) -> Option<(String, Nearness)> {
    let mut best: Option<(String, Nearness)> = None;
    // A name may itself end in a number.
    for word in words(text, names).into_iter().filter(|word| !is_own(word.text, names)) {
        let (joined, bare) = own_prefix(word.text, names);
        // What stands behind in brackets counts how often it was built.
        let bare = without_prefix(bare).split('(').next().unwrap_or_default();
        let announced = ANNOUNCING.iter().any(|w| word.before.eq_ignore_ascii_case(w));
        let nearness = if joined || is_own(word.before, names) || (announced && is_own(word.second, names)) {
            Nearness::OwnName
        } else if announced && word.own_line {
            Nearness::VersionWordOfOwn
        } else if announced {
            Nearness::VersionWord
        } else if word.in_brackets || is_dotted_date(bare) {
            Nearness::Aside
        } else if word.own_line {
            Nearness::OwnLine
        } else {
            Nearness::Anywhere
        };
        let is_number = !bare.is_empty() && bare.bytes().all(|b| b.is_ascii_digit());
        let accepted = if is_number {
            let is_size = ["bit", "bits"].iter().any(|unit| word.after.eq_ignore_ascii_case(unit));
            let as_expected = expected == Some(bare);
            let placed = nearness <= Nearness::VersionWord && (as_expected || !is_year(bare));
            // A small number is told from all others only by where it stands.
            !word.of_copyright && !is_size && (placed || as_expected && (word.alone || bare.len() > 4))
        } else {
            looks_like_version(bare)
        };
        if accepted && best.as_ref().is_none_or(|(_, n)| nearness < *n) {
            best = Some((bare.to_owned(), nearness));
        }
    }
    // "tide 5, version 36 (v5.36.0)": the whole of it stands aside.
    if let Some((number, nearness)) = best.as_ref().filter(|(number, _)| number.bytes().all(|b| b.is_ascii_digit())) {
        let begin = format!("{number}.");
        let whole = |word: &Word<'_>| {
            let bare = without_prefix(word.text);
            let is_marked = word.in_brackets && word.text.starts_with(['v', 'V']);
            (is_marked && bare.starts_with(&begin) && looks_like_version(bare)).then(|| bare.to_owned())
        };
        if let Some(whole) = words(text, names).iter().find_map(whole) {
            return Some((whole, *nearness));
        }
    }
    best
}

/// The words of the output, less lines about licences, and places in files and on the net: a folder that is named after a
/// version is no statement of the program.
fn words<'a>(text: &'a str, names: &[&str]) -> Vec<Word<'a>> {
    let mut all = Vec::new();
    let mut heading = "";
    for line in text.lines() {
        let lower = line.to_lowercase();
        let own_line = names.iter().any(|name| lower.contains(&name.to_lowercase()));
        if (lower.contains("license") || lower.contains("licence")) && !own_line {
            continue;
        }
        let mut depth = 0_usize;
        let mut of_copyright = false;
        let mut pieces: Vec<(&str, bool, bool)> = Vec::new();
        for chunk in line.split(|c: char| c.is_whitespace() || c == ',' || c == ';' || c == '|') {
            let opened = chunk.starts_with(['(', '[', '{']);
            of_copyright |=
                chunk.to_lowercase().contains("copyright") || chunk == "©" || chunk == "(c)" || chunk == "(C)";
            let in_brackets = depth > 0 || opened;
            if !is_place(chunk, names) {
                let parts = chunk.split(['/', ':', '=']).map(trim).filter(|p| p.contains(char::is_alphanumeric));
                pieces.extend(parts.map(|part| (part, in_brackets, of_copyright)));
            }
            let count = |brackets: [char; 3]| chunk.matches(brackets).count();
            depth = (depth + count(['(', '[', '{'])).saturating_sub(count([')', ']', '}']));
        }
        let alone = pieces.len() == 1;
        for (at, (piece, in_brackets, of_copyright)) in pieces.iter().enumerate() {
            let earlier = |back: usize| at.checked_sub(back).map_or("", |i| pieces[i].0);
            all.push(Word {
                text: piece,
                before: if at == 0 { heading } else { earlier(1) },
                second: earlier(2),
                after: pieces.get(at + 1).map_or("", |next| next.0),
                in_brackets: *in_brackets,
                own_line,
                of_copyright: *of_copyright,
                alone,
            });
        }
        // A name in a line of its own stands over the version in the next one.
        heading = if alone { pieces[0].0 } else { "" };
    }
    all
}

/// Whether a word names a file or an address.
fn is_place(word: &str, names: &[&str]) -> bool {
    let word = trim(word);
    let begins_with_own = own_prefix(word, names).0;
    word.contains("://")
        || word.contains('\\')
        || word.contains('@') && word.contains('.') && !begins_with_own
        || word.starts_with(['/', '~'])
        || word.starts_with("./")
        || word.starts_with("../")
        || word.matches('/').count() > 1 && !begins_with_own
}

fn is_own(word: &str, names: &[&str]) -> bool {
    let word = [".exe", ".cmd", ".bat"].iter().find_map(|end| word.strip_suffix(end)).unwrap_or(word);
    names.iter().any(|name| word.eq_ignore_ascii_case(name))
}

/// "tidelog-4.2.1", "tidelog/4.2.1" and "tidelog4.2.1" state a version too: whether it begins so, and the rest.
fn own_prefix<'a>(word: &'a str, names: &[&str]) -> (bool, &'a str) {
    let rest = names.iter().find_map(|name| {
        let rest =
            word.get(..name.len()).filter(|begin| begin.eq_ignore_ascii_case(name)).and(word.get(name.len()..))?;
        let rest = rest.strip_prefix(['-', '_', '@', '/', ':', '=']).unwrap_or(rest);
        let number = rest.strip_prefix(['v', 'V']).unwrap_or(rest);
        number.starts_with(|c: char| c.is_ascii_digit()).then_some(rest)
    });
    (rest.is_some(), rest.unwrap_or(word))
}

/// Without what is often written right before the number.
fn without_prefix(word: &str) -> &str {
    let before_number = |prefix: &str| {
        let rest =
            word.get(..prefix.len()).filter(|begin| begin.eq_ignore_ascii_case(prefix)).and(word.get(prefix.len()..));
        rest.filter(|rest| rest.starts_with(|c: char| c.is_ascii_digit()))
    };
    ["version-", "release-", "rel-", "ver.", "v.", "v", "r"].iter().find_map(|p| before_number(p)).unwrap_or(word)
}

/// Strips what writers put around words: brackets, quotes, a full stop or colon after them.
fn trim(word: &str) -> &str {
    const AROUND: &str = "()[]{}<>\"'`*“”‘’«»\u{feff}";
    word.trim_matches(|c: char| AROUND.contains(c))
        .trim_end_matches(['.', ':', '!', '?'])
        .trim_matches(|c: char| AROUND.contains(c))
}

fn is_year(number: &str) -> bool {
    number.len() == 4 && (number.starts_with("19") || number.starts_with("20"))
}

/// Day, month and year with dots between, in either order.
fn is_dotted_date(word: &str) -> bool {
    let numbers: Vec<u32> = word.split('.').map_while(|part| part.parse().ok()).collect();
    let is_date = |year: u32, month: u32, day: u32| {
        (1990..2100).contains(&year) && (1..=12).contains(&month) && (1..=31).contains(&day)
    };
    matches!(numbers[..], [a, b, c] if word.matches('.').count() == 2 && (is_date(c, b, a) || is_date(a, b, c)))
}

/// A number, a dot, a number, and then anything a version may hold.
fn looks_like_version(word: &str) -> bool {
    let mut parts = word.splitn(3, '.');
    let (Some(first), Some(second)) = (parts.next(), parts.next()) else { return false };
    !first.is_empty()
        && first.bytes().all(|b| b.is_ascii_digit())
        && second.starts_with(|c: char| c.is_ascii_digit())
        && word.bytes().all(|b| b.is_ascii_alphanumeric() || b"._+~-".contains(&b))
}

/// Whether a stated version is the expected one, or says more of it: the same text, or the same but for build metadata after
/// `+` (Semantic Versioning 2.0.0, 10), trailing `.0` parts, the words of a build right at the tag (git-describe(1)), or what
/// follows it after a separator and begins with a digit, such as a build number. What begins with a letter is a version before
/// that one.
pub(super) fn answers(stated: &str, expected: &str) -> bool {
    let further = stated.get(..expected.len()).filter(|begin| begin.eq_ignore_ascii_case(expected));
    let rest = further.and_then(|_| stated[expected.len()..].strip_prefix(['.', '-', '+', '_']));
    same(stated, expected) || rest.is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_digit()))
}

/// How many leading parts two versions share, of the numbers between their separators.
pub(super) fn shared_parts(one: &str, other: &str) -> usize {
    let split = |c: char| !c.is_ascii_alphanumeric();
    one.split(split).zip(other.split(split)).take_while(|(a, b)| a.eq_ignore_ascii_case(b)).count()
}

pub(super) fn same(stated: &str, expected: &str) -> bool {
    let plain = |version: &str| {
        let version = version.split('+').next().unwrap_or_default().to_ascii_lowercase();
        let version = match version.split_once("-0-g") {
            Some((tag, hash)) if hash.bytes().all(|b| b.is_ascii_hexdigit()) => tag.to_owned(),
            _ => version,
        };
        let (core, rest) = match version.find(|c: char| c != '.' && !c.is_ascii_digit()) {
            Some(at) => (version[..at].to_owned(), version[at..].to_owned()),
            None => (version, String::new()),
        };
        let mut parts: Vec<String> = core.split('.').map(str::to_owned).collect();
        while parts.len() > 1 && parts.last().is_some_and(|p| p.bytes().all(|b| b == b'0')) {
            parts.pop();
        }
        (parts, rest)
    };
    plain(stated) == plain(expected)
}

#[cfg(test)]
#[path = "version_text_tests.rs"]
mod tests;
