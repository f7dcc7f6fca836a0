//! Packages of Windows Installer: what their tables say they would do ("Windows Installer Database Tables").

use std::collections::HashMap;
use std::fs::File;
use std::path::Path;

use msi::{Package, Select};

use super::facts::{Installer, InstallerKind, PlannedPlace, PlannedVariable};
use crate::archive::guard;
use crate::scope::Scope;

/// The feature level up to which parts are installed, where the package does not say another (`INSTALLLEVEL`).
const USUAL_LEVEL: i32 = 1;

/// The bit of the word count by which a package says that it needs no more rights ("Word Count Summary property").
const NEEDS_NO_RIGHTS: i32 = 8;

/// File extensions of what a person can type.
const TYPED: [&str; 4] = [".exe", ".com", ".bat", ".cmd"];

/// Reads a package; `None` where the compound document is something else, or spoiled.
pub(super) fn read(file: &Path) -> Option<Installer> {
    guard::run(|| Ok(tables(file))).ok().flatten()
}

fn tables(file: &Path) -> Option<Installer> {
    let mut package = msi::open(file).ok()?;
    if !package.has_table("Property") || !package.has_table("File") {
        return None;
    }
    let mut tables = Tables { package: &mut package };
    let properties: HashMap<String, String> = tables
        .rows("Property", &["Property", "Value"])
        .into_iter()
        .map(|row| (row[0].clone(), row[1].clone()))
        .collect();
    let property = |name: &str| properties.get(name).cloned();
    let folders = tables.folders();
    let of_component: HashMap<String, String> = tables
        .rows("Component", &["Component", "Directory_"])
        .into_iter()
        .map(|row| (row[0].clone(), folders.get(&row[1]).cloned().unwrap_or_else(|| format!("[{}]", row[1]))))
        .collect();
    let mut files: Vec<String> = tables
        .rows("File", &["FileName", "Component_"])
        .into_iter()
        .map(|row| {
            let folder = of_component.get(&row[1]).map_or("", String::as_str);
            format!("{folder}\\{}", long_name(&row[0]))
        })
        .collect();
    files.sort();
    let mut commands: Vec<String> = files.iter().filter_map(|file| typed(file)).collect();
    commands.sort();
    commands.dedup();
    let level = property("INSTALLLEVEL").and_then(|level| level.parse().ok()).unwrap_or(USUAL_LEVEL);
    let off = |row: &Vec<String>| row[2].parse::<i32>().is_ok_and(|at| at == 0 || at > level);
    let features = tables.rows("Feature", &["Feature", "Title", "Level"]);
    let title = |row: Vec<String>| if row[1].is_empty() { row[0].clone() } else { row[1].clone() };
    let off_by_default = features.into_iter().filter(off).map(title).collect();
    let variables =
        tables.rows("Environment", &["Name", "Value"]).iter().map(|row| variable(&row[0], &row[1])).collect();
    let summary = tables.package.summary_info();
    let arch = summary.arch().map(|arch| match arch {
        "x64" | "Intel64" => "x86_64".to_owned(),
        "Arm64" => "aarch64".to_owned(),
        "Intel" => "x86".to_owned(),
        other => other.to_lowercase(),
    });
    let needs_no_rights = summary.word_count().is_some_and(|count| count & NEEDS_NO_RIGHTS != 0);
    let for_everybody = match property("ALLUSERS").as_deref() {
        Some("1") => Some(true),
        // The package leaves it to whoever runs it.
        Some("2") => property("MSIINSTALLPERUSER").map(|per_user| per_user != "1"),
        _ => Some(false),
    };
    Some(Installer {
        product: property("ProductName"),
        version: property("ProductVersion"),
        arch,
        for_everybody: if needs_no_rights { Some(false) } else { for_everybody },
        files,
        commands,
        variables,
        off_by_default,
        folder_option: folder_property(&folders).map(|name| format!("{name}=")),
        ..Installer::new(InstallerKind::WindowsPackage)
    })
}

struct Tables<'a> {
    package: &'a mut Package<File>,
}

impl Tables<'_> {
    /// The rows of a table with these columns as text; none where the package has no such table.
    fn rows(&mut self, table: &str, columns: &[&str]) -> Vec<Vec<String>> {
        let has = |column: &&&str| self.package.get_table(table).is_some_and(|t| t.has_column(column));
        if columns.iter().filter(has).count() < columns.len() {
            return Vec::new();
        }
        let Ok(rows) = self.package.select_rows(Select::table(table)) else { return Vec::new() };
        let text = |value: &msi::Value| match value {
            msi::Value::Null | msi::Value::Binary => String::new(),
            msi::Value::Int(number) => number.to_string(),
            msi::Value::Str(text) => text.clone(),
        };
        rows.map(|row| columns.iter().map(|column| text(&row[*column])).collect()).collect()
    }

    /// Where each folder of the package lies, as a path below one of the system's folders.
    fn folders(&mut self) -> HashMap<String, String> {
        let rows = self.rows("Directory", &["Directory", "Directory_Parent", "DefaultDir"]);
        let table: HashMap<&str, (&str, &str)> =
            rows.iter().map(|row| (row[0].as_str(), (row[1].as_str(), row[2].as_str()))).collect();
        let place = |id: &str| {
            let (mut parts, mut at) = (Vec::new(), id);
            // A package that names a folder as its own parent is not followed for ever.
            for _ in 0..table.len() {
                let Some((parent, name)) = table.get(at) else { break };
                let name = long_name(name.split(':').next().unwrap_or(name));
                if parent.is_empty() || *parent == at || at.ends_with("Folder") {
                    parts.push(format!("[{at}]"));
                    break;
                }
                if name != "." {
                    parts.push(name.to_owned());
                }
                at = parent;
            }
            parts.reverse();
            parts.join("\\")
        };
        rows.iter().map(|row| (row[0].clone(), place(&row[0]))).collect()
    }
}

/// A name is `SHORT|LONG`, or the one it has.
fn long_name(name: &str) -> &str {
    name.rsplit('|').next().unwrap_or(name)
}

/// What is typed for a file, if anything.
fn typed(file: &str) -> Option<String> {
    let name = file.rsplit('\\').next()?;
    let end = TYPED.iter().find(|end| name.to_lowercase().ends_with(**end))?;
    Some(name[..name.len() - end.len()].to_owned())
}

/// The public property, in capitals, by which the folder is set ("Public Properties").
fn folder_property(folders: &HashMap<String, String>) -> Option<String> {
    let is_public = |name: &&String| {
        name.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit() || b == b'_') && *name != "TARGETDIR"
    };
    let mut names: Vec<&String> = folders.keys().filter(is_public).collect();
    // The outermost one holds the others.
    names.sort_by_key(|name| (folders[*name].len(), (*name).clone()));
    names.first().map(|name| (*name).clone())
}

/// A row of the table "Environment": signs before the name say when and whose, `[~]` in the value stands for what is there.
fn variable(name: &str, value: &str) -> PlannedVariable {
    let signs = name.len() - name.trim_start_matches(['=', '+', '-', '!', '*']).len();
    let (signs, name) = name.split_at(signs);
    let place = match (value.starts_with("[~]"), value.ends_with("[~]")) {
        (true, _) => PlannedPlace::Last,
        (false, true) => PlannedPlace::First,
        (false, false) => PlannedPlace::InPlace,
    };
    let scope = if signs.contains('*') { Scope::System } else { Scope::User };
    let value = value.trim_start_matches("[~]").trim_end_matches("[~]").trim_matches(';');
    PlannedVariable { name: name.to_owned(), value: value.to_owned(), scope, place }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_of_the_environment_are_read() {
        for (name, value, expected) in [
            ("*=-PATH", "[~];[BINDIR]", ("PATH", "[BINDIR]", Scope::System, PlannedPlace::Last)),
            ("=-Path", "[BINDIR];[~]", ("Path", "[BINDIR]", Scope::User, PlannedPlace::First)),
            ("=-BUOY_HOME", "[INSTALLDIR]", ("BUOY_HOME", "[INSTALLDIR]", Scope::User, PlannedPlace::InPlace)),
        ] {
            let seen = variable(name, value);
            assert_eq!((&*seen.name, &*seen.value, seen.scope, seen.place), expected);
        }
        assert_eq!(typed(r"[ProgramFilesFolder]\Buoy\bin\buoyctl.exe").as_deref(), Some("buoyctl"));
        assert_eq!(typed(r"x\read.me"), None);
        assert_eq!(long_name("BUOY~1.EXE|buoyctl.exe"), "buoyctl.exe");
    }
}
