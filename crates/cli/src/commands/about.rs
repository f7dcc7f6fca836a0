//! `wyard about`: this program, and what it is made of.

use std::io::{self, Write};
use std::process::ExitCode;

use serde::Serialize;
use wagon_yard_core::report::{Report, report_body};

use crate::context::Context;
use crate::failure::Failure;
use crate::view::{Page, count};

/// The packages that it is linked from, for any system (`scripts/components list`).
const COMPONENTS: &str = include_str!("../../components.txt");

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
pub(super) struct About {
    version: &'static str,
    system: &'static str,
    processor: &'static str,
    /// Its licence (SPDX).
    licence: &'static str,
    /// The packages that it is linked from, on one system or another.
    components: Vec<Component>,
}

#[derive(Debug, Serialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
struct Component {
    name: &'static str,
    version: &'static str,
    /// Its licence (SPDX).
    licence: &'static str,
}

report_body!(About = "about");

impl About {
    fn new() -> Self {
        let component = |line: &'static str| {
            let (name, rest) = line.split_once(' ')?;
            let (version, licence) = rest.split_once(' ')?;
            Some(Component { name, version, licence })
        };
        Self {
            version: env!("CARGO_PKG_VERSION"),
            system: std::env::consts::OS,
            processor: std::env::consts::ARCH,
            licence: env!("CARGO_PKG_LICENSE"),
            components: COMPONENTS.lines().filter_map(component).collect(),
        }
    }
}

pub fn run(context: &Context) -> Result<ExitCode, Failure> {
    context.report(&Report::new(About::new()), write)
}

fn write(report: &Report<About>, page: &Page, out: &mut dyn Write) -> io::Result<()> {
    let About { version, system, processor, licence, components } = &**report;
    let packages = count(components.len(), "package", "packages");
    page.labelled(
        out,
        "",
        0,
        &format!("wyard {version} for {system}, {processor}; licence {licence}. Made of {packages}:"),
    )?;
    writeln!(out)?;
    let rows = components.iter().map(|one| [one.name, one.version, one.licence].map(str::to_owned).to_vec());
    page.table(out, &["package", "version", "licence"], rows.collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_components_are_those_of_the_lock_file() {
        let about = About::new();
        assert_eq!(about.components.len(), COMPONENTS.lines().count());
        let lock = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../Cargo.lock")).unwrap();
        let lock = lock.replace("\r\n", "\n");
        for Component { name, version, .. } in about.components {
            let entry = format!("name = \"{name}\"\nversion = \"{version}\"\n");
            assert!(lock.contains(&entry), "{name} {version} is not in Cargo.lock: scripts/components list");
        }
    }
}
