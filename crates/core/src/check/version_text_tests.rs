//! Outputs in made-up words, of the shapes that programs have.

use super::*;

/// What is printed, by tidelog of the suite coastkit in version 4.2.1, and what is to be read from it.
const OUTPUTS: [(&str, &str); 115] = [
    // The name, and the number.
    ("tidelog 4.2.1", "4.2.1"),
    ("tidelog v4.2.1", "4.2.1"),
    ("TIDE tidelog, version 4.2.1(1)-release (x86_64)", "4.2.1"),
    ("This is tidelog 4, version 2, subversion 1 (v4.2.1) built for x86_64", "4.2.1"),
    ("tidelog 4 (since 4.0.1)", "4"),
    ("tidelog V4.2.1", "4.2.1"),
    ("tidelog r4.2.1", "4.2.1"),
    ("tidelog v. 4.2.1", "4.2.1"),
    ("TideLog 4.2.1", "4.2.1"),
    ("TIDELOG 4.2.1", "4.2.1"),
    ("tidelog-4.2.1", "4.2.1"),
    ("tidelog_4.2.1", "4.2.1"),
    ("tidelog-v4.2.1", "4.2.1"),
    ("tidelog@4.2.1", "4.2.1"),
    ("tidelog/4.2.1", "4.2.1"),
    ("tidelog/4.2.1 linux/x86_64", "4.2.1"),
    ("tidelog/4.2.1/linux", "4.2.1"),
    ("tidelog:4.2.1", "4.2.1"),
    ("tidelog: 4.2.1", "4.2.1"),
    ("tidelog=4.2.1", "4.2.1"),
    ("tidelog = 4.2.1", "4.2.1"),
    ("tidelog - 4.2.1", "4.2.1"),
    ("tidelog -- 4.2.1", "4.2.1"),
    ("tidelog | 4.2.1 | stable", "4.2.1"),
    ("tidelog\t4.2.1", "4.2.1"),
    ("tidelog\u{a0}4.2.1", "4.2.1"),
    ("tidelog......: 4.2.1", "4.2.1"),
    ("tidelog4.2.1", "4.2.1"),
    ("tidelog.exe 4.2.1", "4.2.1"),
    ("tidelog\n4.2.1", "4.2.1"),
    ("\u{feff}tidelog 4.2.1", "4.2.1"),
    ("tidelog 4.2.1.", "4.2.1"),
    ("tidelog 4.2.1!", "4.2.1"),
    ("tidelog 4.2.1, the harbour's log", "4.2.1"),
    ("tidelog \"4.2.1\"", "4.2.1"),
    ("tidelog '4.2.1'", "4.2.1"),
    ("tidelog `4.2.1`", "4.2.1"),
    ("tidelog “4.2.1”", "4.2.1"),
    ("tidelog (4.2.1)", "4.2.1"),
    ("tidelog [4.2.1]", "4.2.1"),
    ("tidelog <4.2.1>", "4.2.1"),
    // The number alone.
    ("4.2.1", "4.2.1"),
    ("v4.2.1", "4.2.1"),
    ("V4.2.1\r\n", "4.2.1"),
    ("\n\n4.2.1\n", "4.2.1"),
    ("\"4.2.1\"", "4.2.1"),
    ("release-4.2.1", "4.2.1"),
    // The word "version" and its kin.
    ("version 4.2.1", "4.2.1"),
    ("Version: 4.2.1", "4.2.1"),
    ("version=4.2.1", "4.2.1"),
    ("version \"4.2.1\"", "4.2.1"),
    ("tidelog version 4.2.1", "4.2.1"),
    ("tidelog version: v4.2.1", "4.2.1"),
    ("tidelog version is 4.2.1", "4.2.1"),
    ("tidelog version tidelog4.2.1 linux/x64", "4.2.1"),
    ("tidelog, version 4.2.1-release (x86_64)", "4.2.1-release"),
    ("tidelog (version 4.2.1)", "4.2.1"),
    ("tidelog release 4.2.1", "4.2.1"),
    ("tidelog build 4.2.1", "4.2.1"),
    ("tidelog ver. 4.2.1", "4.2.1"),
    ("tidelog ver.4.2.1", "4.2.1"),
    ("This is TideLog, version 4.2.1, made in Brackwater", "4.2.1"),
    ("TideLog, the harbour's log\nVersion: 4.2.1\nBuilt with: shore 1.9", "4.2.1"),
    ("{\"version\":\"4.2.1\"}", "4.2.1"),
    ("{\"name\": \"tidelog\", \"version\": \"4.2.1\", \"shore\": \"1.9\"}", "4.2.1"),
    ("name: tidelog\nversion: 4.2.1\nshore: 1.9", "4.2.1"),
    // Words between name and number.
    ("tidelog (coastkit) 4.2.1", "4.2.1"),
    ("tidelog (Brackwater Tide Office) 4.2.1", "4.2.1"),
    ("tidelog (Shore 1.9) 4.2.1", "4.2.1"),
    ("tidelog (built with shore 1.9, neap 2.0) 4.2.1", "4.2.1"),
    ("tidelog of coastkit 4.2.1", "4.2.1"),
    ("TideLog Compiler (Brackwater) 4.2.1 20260311", "4.2.1"),
    ("tidelog 64-bit 4.2.1", "4.2.1"),
    ("tidelog 64 bit version 4.2.1", "4.2.1"),
    ("Brackwater TideLog for harbours 4.2.1", "4.2.1"),
    // Two versions: its own, and a library's.
    ("tidelog 4.2.1, with shore 1.9", "4.2.1"),
    ("tidelog 4.2.1 (shore 1.9)", "4.2.1"),
    ("using shore 1.9, tidelog 4.2.1", "4.2.1"),
    ("shore 1.9 / tidelog 4.2.1", "4.2.1"),
    ("built with shore 9.9.9\ntidelog 4.2.1", "4.2.1"),
    ("shore version 1.9\ntidelog version 4.2.1", "4.2.1"),
    ("shore version 1.9\nThis is TideLog Suite version 4.2.1", "4.2.1"),
    ("tidelog 4.2.1\nshore 1.9\nneap 2.0", "4.2.1"),
    ("runtime 1.9\nversion 4.2.1", "4.2.1"),
    ("tidelog 3.9 (shore 4.2.1)", "3.9"),
    ("shore 4.2.1, tidelog 3.9", "3.9"),
    // Dates, years, copyright, licences.
    ("tidelog 4.2.1 (2026-03-11)", "4.2.1"),
    ("2026-03-11 tidelog 4.2.1", "4.2.1"),
    ("tidelog, built 11.03.2026, 4.2.1", "4.2.1"),
    ("tidelog version 4.2.1 (built 2026-03-11 12:30:45)", "4.2.1"),
    ("tidelog 4.2.1 Copyright 2026 Brackwater", "4.2.1"),
    ("Copyright (c) 2019-2026 Brackwater\ntidelog 4.2.1", "4.2.1"),
    ("tidelog, Copyright 2026\nversion 4.2.1", "4.2.1"),
    ("tidelog (Brackwater) 4.2\nLicense: Harbour Licence version 3 or later", "4.2"),
    ("tidelog 2026.3.1", "2026.3.1"),
    ("tidelog 20260311", "20260311"),
    // Suffixes.
    ("tidelog 4.2.1-rc.1", "4.2.1-rc.1"),
    ("tidelog 4.2.1-beta.2+build.7", "4.2.1-beta.2+build.7"),
    ("tidelog 4.2.1~rc1", "4.2.1~rc1"),
    ("tidelog 4.2.1.GA", "4.2.1.GA"),
    ("tidelog 4.2p1", "4.2p1"),
    ("tidelog 4.2.1_2", "4.2.1_2"),
    ("tidelog 4.2.1-0-g12ab34f", "4.2.1-0-g12ab34f"),
    ("tidelog 7", "7"),
    ("tidelog version 7", "7"),
    // Colours, and other writing.
    ("\u{1b}[1;32mtidelog\u{1b}[0m 4.2.1", "4.2.1"),
    ("tidelog \u{1b}[33m4.2.1\u{1b}[m", "4.2.1"),
    // No version at all.
    ("", ""),
    ("usage: tidelog FILE", ""),
    ("Copyright 2026 Brackwater Tide Office", ""),
    ("tidelog, Copyright (C) 2026", ""),
    ("Licence: Harbour Licence version 3", ""),
    ("/opt/tidelog-4.2.1/bin/tidelog: no settings", ""),
    ("C:\\Tools\\tidelog-4.2.1\\tidelog.exe: no settings", ""),
    ("see https://tide.example/tidelog/4.2.1", ""),
];

#[test]
fn versions_are_found_in_made_up_outputs() {
    for (text, expected) in OUTPUTS {
        let found = find(&text_of(text.as_bytes()), &["tidelog", "coastkit"], Some("4.2.1"));
        let found = found.map(|(version, _)| version).unwrap_or_default();
        assert_eq!(found, expected, "{text}");
    }
    let wide: Vec<u8> = "tidelog 4.2.1".encode_utf16().flat_map(u16::to_le_bytes).collect();
    assert_eq!(text_of(&wide), "tidelog 4.2.1");
}

#[test]
fn a_bare_number_counts_only_where_it_is_meant() {
    for (text, expected, found) in [
        ("built 20260311", "20260311", true),
        ("7", "7", true),
        ("took 7 seconds", "7", false),
        ("tidelog 2026", "2026", true),
        ("Copyright 2026", "2026", false),
        ("tidelog Copyright 2026", "2026", false),
    ] {
        assert_eq!(find(text, &["tidelog"], Some(expected)).is_some(), found, "{text}");
    }
}

#[test]
fn versions_are_compared_by_meaning() {
    for (stated, expected, equal) in [
        ("4.2.1", "4.2.1", true),
        ("4.2.1+g12ab", "4.2.1", true),
        ("4.2", "4.2.0", true),
        ("4.2.1-RC1", "4.2.1-rc1", true),
        ("4.2.1-0-g12ab34f", "4.2.1", true),
        ("4.2.1-4986621", "4.2.1", false),
        ("4.2.1-3-g12ab34f", "4.2.1", false),
        ("4.2.1-rc1", "4.2.1", false),
        ("4.2.10", "4.2.1", false),
        ("4.20", "4.2", false),
        ("0", "0.0", true),
    ] {
        assert_eq!(same(stated, expected), equal, "{stated} {expected}");
    }
}

#[test]
fn a_longer_answer_that_is_no_earlier_version_will_do() {
    for (stated, expected, will_do) in [
        ("29.0.1-4986621", "29.0.1", true),
        ("1.2.3+build", "1.2.3", true),
        ("1.2.3.0", "1.2.3", true),
        ("1.2.3.4", "1.2.3", true),
        ("3.99.0", "3.99", true),
        ("4.2.1-rc1", "4.2.1", false),
        ("4.2.10", "4.2.1", false),
        ("4.2", "4.2.1", false),
    ] {
        assert_eq!(answers(stated, expected), will_do, "{stated} {expected}");
    }
    assert_eq!((shared_parts("4.2.0", "4.2.1"), shared_parts("99.1", "4.2.1")), (2, 0));
    assert_eq!(find("snek3 3.99.0", &["snek3", "snek"], Some("3.99")).unwrap().0, "3.99.0");
}
