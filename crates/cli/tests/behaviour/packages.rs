//! Packages of Windows Installer, made here table by table and looked into before they run. The Windows lane runs some.

use std::fs;
use std::path::PathBuf;

use msi::{Column, Insert, Package, PackageType, Value};
use wagon_yard_core::os;

use crate::archives::script;
use crate::home::{Home, WINDOWS, program};

/// Rows of a table.
type Rows<'a> = &'a [&'a [&'a str]];

/// A table: its name, its columns with the keys first, how many are keys, and its rows.
type Table<'a> = (&'a str, &'a [&'a str], usize, Rows<'a>);

/// A package with these tables; a column called `Level` is a number.
fn package(home: &Home, name: &str, tables: &[Table<'_>]) -> PathBuf {
    let file = home.write(name, "");
    let inner = fs::File::options().read(true).write(true).open(&file).unwrap();
    let mut package = Package::create(PackageType::Installer, inner).unwrap();
    package.summary_info_mut().set_arch("x64");
    for (table, columns, keys, rows) in tables {
        let column = |(at, name): (usize, &&str)| {
            let column = Column::build(*name);
            let column = if at < *keys { column.primary_key() } else { column.nullable() };
            if *name == "Level" { column.int16() } else { column.string(0) }
        };
        package.create_table(*table, columns.iter().enumerate().map(column).collect()).unwrap();
        let value = |(column, text): (&&str, &&str)| match *column {
            "Level" => Value::Int(text.parse().unwrap()),
            _ => Value::Str((*text).to_owned()),
        };
        let rows = rows.iter().map(|row| columns.iter().zip(*row).map(value).collect()).collect();
        package.insert_rows(Insert::into(*table).rows(rows)).unwrap();
    }
    package.flush().unwrap();
    file
}

/// The tables of a package for buoyctl, with these rows for the environment and these properties more.
fn tables<'a>(properties: Rows<'a>, environment: Rows<'a>) -> Vec<Table<'a>> {
    vec![
        ("Property", &["Property", "Value"], 1, properties),
        (
            "Directory",
            &["Directory", "Directory_Parent", "DefaultDir"],
            1,
            &[
                &["TARGETDIR", "", "SourceDir"],
                &["ProgramFiles64Folder", "TARGETDIR", "."],
                &["INSTALLDIR", "ProgramFiles64Folder", "BUOYCT~1|buoyctl-2.4"],
                &["BINDIR", "INSTALLDIR", "bin"],
            ],
        ),
        ("Component", &["Component", "Directory_"], 1, &[&["Program", "BINDIR"], &["Papers", "INSTALLDIR"]]),
        (
            "File",
            &["File", "Component_", "FileName"],
            1,
            &[&["F1", "Program", "BUOYCTL.EXE|buoyctl.exe"], &["F2", "Papers", "README.txt"]],
        ),
        ("Feature", &["Feature", "Title", "Level"], 1, &[&["Main", "The program", "1"], &["More", "Charts", "200"]]),
        ("Environment", &["Environment", "Name", "Value"], 1, environment),
    ]
}

#[test]
fn what_a_package_would_do_and_what_of_it_clashes_is_told_before_it_runs() {
    let home = Home::new();
    let old = home.write(&format!("old/{}", program("buoyctl")), script("1.9"));
    os::set_mode(&fs::File::open(&old).unwrap(), 0o755).unwrap();
    let old = home.path("old").to_string_lossy().into_owned();
    home.wyard(&["path", "add", &old]).ends(0);
    let usual: Rows<'_> = &[&["ProductName", "Buoyctl"], &["ProductVersion", "2.4.0"], &["ALLUSERS", "1"]];
    // The rows of the environment; whether those clash, by the codes of the findings.
    let cases: [(&str, Rows<'_>, &[&str]); 4] = [
        ("nothing", &[], &[]),
        ("last", &[&["E1", "=-PATH", "[~];[BINDIR]"]], &["would-be-shadowed"]),
        ("first", &[&["E1", "*=-PATH", "[BINDIR];[~]"]], &[]),
        ("whole", &[&["E1", "=-Path", "[BINDIR]"], &["E2", "=-HOME_PORT", "[INSTALLDIR]"]], &["path-replaced"]),
    ];
    for (name, environment, expected) in cases {
        let file = package(&home, &format!("buoyctl-{name}.msi"), &tables(usual, environment));
        let told = home.wyard(&["inspect", "--json", "--versions", file.to_str().unwrap()]).ends(0).json();
        let installer = &told["installer"];
        assert_eq!(installer["kind"], "windows-package");
        assert_eq!((&installer["product"], &installer["arch"]), (&"Buoyctl".into(), &"x86_64".into()));
        assert_eq!(installer["for_everybody"], true);
        assert_eq!(installer["commands"], serde_json::json!(["buoyctl"]));
        assert_eq!(installer["files"][1], r"[ProgramFiles64Folder]\buoyctl-2.4\bin\buoyctl.exe");
        assert_eq!(installer["off_by_default"], serde_json::json!(["Charts"]));
        // Without a seal nothing that is somebody else's is started to be asked.
        let asked: serde_json::Value = if WINDOWS { serde_json::Value::Null } else { "1.9".into() };
        assert_eq!(installer["here"][0]["version"], asked, "{installer}");
        let codes: Vec<_> = installer["findings"].as_array().unwrap().iter().map(|f| f["code"].clone()).collect();
        assert_eq!(codes, *expected, "{name}: {installer}");
    }
    let text = home.wyard(&["inspect", "--versions", home.path("buoyctl-last.msi").to_str().unwrap()]).ends(0);
    let text = text
        .says("here now")
        .says(if WINDOWS { "buoyctl" } else { "buoyctl 1.9" })
        .says("gets, last, [BINDIR]")
        .says("unless selected: Charts");
    if !WINDOWS {
        text.says("no: for another system");
    }
    let text = home.wyard(&["inspect", home.path("buoyctl-nothing.msi").to_str().unwrap()]).ends(0);
    text.says("no PATH change");
}

#[test]
#[cfg_attr(windows, ignore = "the variable is set by a startup file")]
fn a_variable_that_would_be_replaced_is_told() {
    let home = Home::new();
    home.write("home/.profile", "export BUOYCTL_HOME=/srv/buoy\n");
    let rows: Rows<'_> = &[&["E1", "=-BUOYCTL_HOME", "[INSTALLDIR]"]];
    let file = package(&home, "buoyctl.msi", &tables(&[&["ProductName", "Buoyctl"]], rows));
    let told = home.wyard(&["inspect", file.to_str().unwrap()]).ends(0);
    told.says("BUOYCTL_HOME is /srv/buoy and would become").says("[variable-replaced]");
}

#[test]
fn a_package_that_is_damaged_is_told_for_what_it_is() {
    let home = Home::new();
    let whole = fs::read(package(&home, "whole.msi", &tables(&[&["ProductName", "Buoyctl"]], &[]))).unwrap();
    for (name, content) in [("cut.msi", &whole[..whole.len() / 2]), ("head.msi", &whole[..8])] {
        let file = home.write(name, content);
        home.wyard(&["inspect", file.to_str().unwrap()]).ends(3);
        home.wyard(&["receive", file.to_str().unwrap(), "--yes"]).ends(3);
    }
    // A compound document, and no package.
    let file = package(&home, "other.msi", &[("Notes", &["Note"], 1, &[&["tide"]])]);
    home.wyard(&["inspect", file.to_str().unwrap()]).ends(3);
}
