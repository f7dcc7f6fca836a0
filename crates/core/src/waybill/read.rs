//! Reading a waybill, and everything about it that can be checked without a machine.

use std::collections::HashSet;
use std::io;
use std::path::Path;

use super::error::WaybillError;
use super::format::{FORMAT, Place, Waybill, WaybillTool};
use super::order::in_order;
use crate::checksum::{Algorithm, Checksum};
use crate::download::Address;
use crate::error::FileContext as _;
use crate::given;
use crate::naming::did_you_mean;
use crate::prepare::{PrepareStep, tools_named};

/// The longest text that is read, in bytes.
const MOST: u64 = 64 << 20;

/// The systems that a source may name.
const SYSTEMS: [&str; 3] = ["linux", "macos", "windows"];

pub fn read(file: &Path) -> Result<Waybill, WaybillError> {
    if file.is_dir() {
        return Err(WaybillError::IsFolder(file.to_owned()));
    }
    let text = match given::read(file, MOST) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Err(WaybillError::NoFile(file.to_owned())),
        Err(error) if error.kind() == io::ErrorKind::InvalidInput => {
            return Err(WaybillError::Content { file: file.to_owned(), what: error.to_string() });
        }
        text => text.at("read", file)?,
    };
    let text = String::from_utf8(text).map_err(|error| {
        let before = &error.as_bytes()[..error.utf8_error().valid_up_to()];
        let line = before.iter().filter(|byte| **byte == b'\n').count() + 1;
        WaybillError::Content { file: file.to_owned(), what: format!("line {line} is not UTF-8") }
    })?;
    let waybill: Waybill = toml::from_str(&text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start);
        let before = text.get(..at).unwrap_or_default();
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
        WaybillError::Format { file: file.to_owned(), line, column, what: in_words(error.message()) }
    })?;
    match check(&waybill) {
        Some(what) => Err(WaybillError::Content { file: file.to_owned(), what }),
        None => Ok(waybill),
    }
}

/// The reader's message, with the nearest known key in place of the list of all.
fn in_words(message: &str) -> String {
    let quoted: Vec<&str> = message.split('`').skip(1).step_by(2).collect();
    match (message.strip_prefix("unknown field"), &quoted[..]) {
        (Some(_), [unknown, known @ ..]) => {
            let known: Vec<String> = known.iter().map(|key| (*key).to_owned()).collect();
            match did_you_mean(unknown, known.clone()) {
                Some(meant) => format!("unknown key \"{unknown}\"; {meant}"),
                None => format!("unknown key \"{unknown}\"; known here: {}", known.join(", ")),
            }
        }
        _ => message.replace('`', "\"").trim().to_owned(),
    }
}

fn check(waybill: &Waybill) -> Option<String> {
    if waybill.waybill != FORMAT {
        return Some(format!("a waybill of format {}; this wyard reads format {FORMAT}", waybill.waybill));
    }
    let mut names = HashSet::new();
    if let Some(twice) = waybill.tools.iter().find(|tool| !names.insert(&tool.name)) {
        return Some(format!("{} is listed twice", twice.name));
    }
    if let Some(what) = waybill.tools.iter().find_map(check_tool) {
        return Some(what);
    }
    for tool in &waybill.tools {
        if let Some(unknown) = tool.requires.tools.iter().find(|name| !names.contains(name)) {
            return Some(format!("{} requires {unknown}, which is not in the waybill", tool.name));
        }
    }
    let circle = in_order(&waybill.tools).err()?;
    Some(format!("circular requirement: {}", circle.join(", ")))
}

fn check_tool(tool: &WaybillTool) -> Option<String> {
    let name = &tool.name;
    if let Some(error) = tool.home_variables.iter().flatten().find_map(|variable| variable.check_free().err()) {
        return Some(format!("{name}: {error}"));
    }
    for source in &tool.sources {
        if let Some(os) = source.os.as_deref().filter(|os| !SYSTEMS.contains(os)) {
            return Some(format!("{name}: no system \"{os}\"; use one of {}", SYSTEMS.join(", ")));
        }
        match source.place() {
            None => return Some(format!("{name}: a source needs exactly one of file, url and folder")),
            Some(Place::Folder(_)) if source.sha256.is_some() => {
                return Some(format!("{name}: sha256 does not apply to a folder"));
            }
            Some(Place::Url(url)) => {
                if let Err(error) = Address::parse(url) {
                    return Some(format!("{name}: {error}"));
                }
            }
            Some(_) => {}
        }
        for archive in &source.with {
            match archive.place() {
                None => return Some(format!("{name}: an archive in with needs exactly one of file and url")),
                Some(Place::Url(url)) => {
                    if let Err(error) = Address::parse(url) {
                        return Some(format!("{name}: {error}"));
                    }
                }
                Some(_) => {}
            }
        }
        let sums = [&source.sha256].into_iter().chain(source.with.iter().map(|archive| &archive.sha256));
        if let Some(error) = sums.flatten().find_map(|sum| Checksum::parse(Algorithm::Sha256, sum).err()) {
            return Some(format!("{name}: {error}"));
        }
        let is_prepared = !tool.prepare.is_empty() || !tool.launchers.is_empty() || !source.with.is_empty();
        if source.folder.is_some() && is_prepared {
            return Some(format!("{name}: prepare, launcher and with do not apply to a folder"));
        }
    }
    if let Some(what) = check_preparing(tool) {
        return Some(format!("{name}: {what}"));
    }
    let mut titles = HashSet::new();
    for trial in &tool.trials {
        if trial.run.is_empty() == trial.steps.is_empty() {
            return Some(format!("{name}: the trial \"{}\" needs either run or steps", trial.title));
        }
        if !trial.steps.is_empty() && (trial.prints.is_some() || !trial.leaves.is_empty()) {
            return Some(format!("{name}: move prints and leaves of the trial \"{}\" into its steps", trial.title));
        }
        if trial.steps.iter().any(|step| step.run.is_empty()) {
            return Some(format!("{name}: a step of the trial \"{}\" has no command", trial.title));
        }
        if !titles.insert(&trial.title) {
            return Some(format!("{name}: the trial \"{}\" is listed twice", trial.title));
        }
    }
    None
}

/// What is wrong with steps and launchers, whatever the machine.
fn check_preparing(tool: &WaybillTool) -> Option<String> {
    if let Some(what) = tool.prepare.iter().find_map(|step| step.step().err()) {
        return Some(what);
    }
    if let Some(what) = tool.launchers.iter().find_map(|launcher| launcher.check().err()) {
        return Some(what);
    }
    let mut commands = HashSet::new();
    if let Some(twice) = tool.launchers.iter().find(|launcher| !commands.insert(launcher.command.to_lowercase())) {
        return Some(format!("the launcher {} is listed twice", twice.command));
    }
    let texts =
        tool.prepare.iter().flat_map(PrepareStep::texts).chain(tool.launchers.iter().flat_map(|l| l.runs.clone()));
    texts.into_iter().find_map(|text| {
        let is_required = |named: &str| tool.requires.tools.iter().any(|required| required.as_str() == named);
        let unknown = tools_named(&text).find(|named| !is_required(named))?;
        Some(format!("{{home:{unknown}}} needs {unknown} in requires.tools"))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn reads(text: &str) -> Result<Waybill, String> {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("waybill.toml");
        std::fs::write(&file, text).unwrap();
        read(&file).map_err(|error| error.to_string().replace(&*file.to_string_lossy(), "W"))
    }

    const HEAD: &str = "waybill = 1\n\n[[tool]]\nname = \"tidelog\"\nversion = \"4.2.1\"\n";

    #[test]
    fn what_is_wrong_is_told_with_its_place() {
        for (more, told) in [
            ("vesion = \"1\"\n", "W, line 6, column 1: unknown key \"vesion\"; did you mean version?"),
            ("zzz = []\n", "W, line 6, column 1: unknown key \"zzz\"; known here: "),
            ("launcher = [{ command = \"a\" }]\n", "W, line 6, column 13: missing field \"runs\""),
            ("scope = \"all\"\n", "W, line 6, column 9: "),
            ("[[tool]]\nname = \"tidelog\"\nversion = \"1\"\n", "W: tidelog is listed twice"),
            ("requires = { tools = [\"ebb\"] }\n", "W: tidelog requires ebb, which is not in the waybill"),
            ("requires = { tools = [\"tidelog\"] }\n", "W: circular requirement: tidelog, tidelog"),
            (
                "home_variables = [\"WYARD_YARD\"]\n",
                "W: tidelog: \"WYARD_YARD\" cannot point to a tool: it is a variable of Wagon Yard",
            ),
            ("[[tool.source]]\nos = \"linux\"\n", "W: tidelog: a source needs exactly one of file, url and folder"),
            ("[[tool.source]]\nos = \"beos\"\nfile = \"x\"\n", "W: tidelog: no system \"beos\""),
            ("[[tool.source]]\nurl = \"ftp://x/y\"\n", "W: tidelog: only http and https are supported, not ftp"),
            ("[[tool.source]]\nfile = \"x\"\nsha256 = \"1\"\n", "W: tidelog: "),
            ("[[tool.trial]]\ntitle = \"t\"\n", "W: tidelog: the trial \"t\" needs either run or steps"),
        ] {
            let error = reads(&format!("{HEAD}{more}")).unwrap_err();
            assert!(error.starts_with(told), "{more}: {error}");
        }
        assert_eq!(reads("waybill = 2\n").unwrap_err(), "W: a waybill of format 2; this wyard reads format 1");
        assert!(reads("waybill = ").unwrap_err().starts_with("W, line 1, column "));
    }

    #[test]
    fn the_documented_waybill_is_one() {
        let page = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/waybills.md");
        let page = std::fs::read_to_string(page).unwrap();
        let text = page.split("```toml").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
        assert_eq!(reads(text).unwrap().tools.len(), 2);
    }

    #[test]
    fn tools_come_behind_what_they_require() {
        let tool = |name: &str, requires: &[&str]| {
            let requires: Vec<String> = requires.iter().map(|name| format!("{name:?}")).collect();
            format!("[[tool]]\nname = {name:?}\nversion = \"1\"\nrequires = {{ tools = [{}] }}\n", requires.join(", "))
        };
        let text = |tools: &[String]| format!("waybill = 1\n{}", tools.concat());
        let waybill = reads(&text(&[tool("a", &["c"]), tool("b", &[]), tool("c", &["b"])])).unwrap();
        let order: Vec<&str> = in_order(&waybill.tools).unwrap().iter().map(|tool| tool.name.as_str()).collect();
        assert_eq!(order, ["b", "c", "a"]);
        let chain = (0..5000).map(|n| tool(&format!("t{n}"), &[&format!("t{}", n + 1)])).collect::<String>()
            + &tool("t5000", &[]);
        let waybill = reads(&text(&[chain])).unwrap();
        assert_eq!(in_order(&waybill.tools).unwrap()[0].name.as_str(), "t5000");
        let circle = reads(&text(&[tool("a", &["b"]), tool("b", &["c"]), tool("c", &["b"])])).unwrap_err();
        assert_eq!(circle, "W: circular requirement: b, c, b");
    }
}
