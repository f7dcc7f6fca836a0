//! What a machine is and has.

use std::io::{self, Write};

use wagon_yard_core::facts::{FoundProgram, MachineFacts};
use wagon_yard_core::report::Report;

use super::text::{Page, escape};

pub fn write(report: &Report<MachineFacts>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let level = report.processor_level.map(|level| format!(", level x86-64-v{level}")).unwrap_or_default();
    let kernel = report.kernel.as_ref().map(|kernel| format!(", kernel {kernel}")).unwrap_or_default();
    let name = report.system_name.as_deref().unwrap_or(&report.system);
    let libraries: Vec<String> = report
        .c_libraries
        .iter()
        .map(|library| {
            let version = library.version.as_ref().map(|version| format!(" {version}")).unwrap_or_default();
            let bits = if library.is_64_bit { 64 } else { 32 };
            format!("{}{version} ({bits} bit, {})", library.kind, library.loader)
        })
        .collect();
    for (label, text) in [
        ("system", format!("{name}{kernel}")),
        ("processor", format!("{}{level}", report.processor)),
        ("C library", libraries.join(", ")),
        ("emulates", report.emulates.join(", ")),
    ] {
        if !text.is_empty() {
            page.labelled(out, label, LABELS, &escape(&text))?;
        }
    }
    let mut programs = report.shells.iter().chain(&report.interpreters);
    // A snapshot without versions asked nobody.
    let none = if programs.any(|program| program.version.is_some()) { "not stated" } else { "not recorded" };
    let row = |kind: &str, program: &FoundProgram| {
        let version = program.version.as_deref().unwrap_or(none);
        vec![kind.to_owned(), escape(&program.name), escape(version), escape(&page.short(&program.file.text()))]
    };
    let shells = report.shells.iter().map(|program| row("shell", program));
    let interpreters = report.interpreters.iter().map(|program| row("interpreter", program));
    let rows: Vec<Vec<String>> = shells.chain(interpreters).collect();
    if !rows.is_empty() {
        writeln!(out)?;
        page.table(out, &["kind", "name", "version", "file"], rows)?;
    }
    page.all_findings(out, report)
}

const LABELS: usize = 11;
