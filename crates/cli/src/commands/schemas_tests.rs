//! The JSON Schemas of all reports, `docs/schema/NAME.json` for the report of that name, made from the types.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;

use schemars::generate::SchemaSettings;
use schemars::{JsonSchema, Schema};
use serde_json::{Value, json};
use wagon_yard_core::check::CheckedTools;
use wagon_yard_core::facts::MachineFacts;
use wagon_yard_core::installer::InstallPlan;
use wagon_yard_core::jobs::adopt::{AdoptedFolder, FoundTools};
use wagon_yard_core::jobs::catch_up::CatchUpLines;
use wagon_yard_core::jobs::compare::Fleet;
use wagon_yard_core::jobs::deliver::Delivery;
use wagon_yard_core::jobs::draft::Draft;
use wagon_yard_core::jobs::explain::Explanation;
use wagon_yard_core::jobs::history::History;
use wagon_yard_core::jobs::inspect::{Inspected, InspectedFolder};
use wagon_yard_core::jobs::page::WrittenPage;
use wagon_yard_core::jobs::path::PathState;
use wagon_yard_core::jobs::receive::{InstalledTool, ReceivedTool};
use wagon_yard_core::jobs::register::RegisteredTool;
use wagon_yard_core::jobs::retire::{RetiredTool, UninstallPlan, UninstalledTool};
use wagon_yard_core::jobs::selftest::SelfTest;
use wagon_yard_core::jobs::snapshot::WrittenSnapshot;
use wagon_yard_core::jobs::stock::{MendedStock, ToolStock};
use wagon_yard_core::jobs::switch::SwitchedTool;
use wagon_yard_core::jobs::trial::Tried;
use wagon_yard_core::jobs::undo::Undone;
use wagon_yard_core::jobs::unpack::Unpacked;
use wagon_yard_core::report::Report;
use wagon_yard_core::snapshot::{Difference, Snapshot};
use wagon_yard_core::survey::SurveyedPath;
use wagon_yard_core::trace::TracedCommands;

use super::{about, completions, overview};
use crate::{demo, failure};

/// The schema of a type, with the name of its report fixed.
fn schema<T: JsonSchema>(name: &str) -> Value {
    let generator = SchemaSettings::draft2020_12().for_serialize().into_generator();
    let mut schema: Schema = generator.into_root_schema_for::<T>();
    schema.insert("title".to_owned(), json!(format!("wyard report: {name}")));
    let mut schema = schema.to_value();
    schema["properties"]["report"] = json!({ "description": "The report's stable name.", "const": name });
    schema
}

/// All of them by the name of the report.
fn schemas() -> BTreeMap<&'static str, Value> {
    fn of<T: JsonSchema + 'static>(name: &'static str) -> (&'static str, Value) {
        (name, schema::<Report<T>>(name))
    }
    let error = ("error", schema::<failure::Document<'static>>("error"));
    [
        of::<overview::Overview>("overview"),
        of::<Inspected>("inspect"),
        of::<InspectedFolder>("inspect-folder"),
        of::<Unpacked>("unpack"),
        of::<ReceivedTool>("receive"),
        of::<InstallPlan>("install-plan"),
        of::<InstalledTool>("install"),
        of::<AdoptedFolder>("adopt"),
        of::<FoundTools>("adopt-search"),
        of::<RegisteredTool>("register"),
        of::<RegisteredTool>("unregister"),
        of::<SwitchedTool>("switch"),
        of::<CheckedTools>("check"),
        of::<TracedCommands>("trace"),
        of::<SurveyedPath>("survey"),
        of::<PathState>("path"),
        of::<CatchUpLines>("catch-up"),
        of::<Tried>("trial"),
        of::<Tried>("trials"),
        of::<ToolStock>("stock"),
        of::<MendedStock>("mend"),
        of::<History>("history"),
        of::<Undone>("undo"),
        of::<RetiredTool>("retire"),
        of::<UninstallPlan>("uninstall-plan"),
        of::<UninstalledTool>("uninstall"),
        of::<MachineFacts>("machine"),
        of::<Explanation>("explain"),
        of::<completions::Completions>("completions"),
        of::<about::About>("about"),
        of::<Delivery>("deliver"),
        of::<Draft>("draft"),
        of::<Snapshot>("snapshot"),
        of::<WrittenSnapshot>("snapshot-written"),
        of::<SelfTest>("selftest"),
        of::<Difference>("compare"),
        of::<Fleet>("compare-many"),
        of::<WrittenPage>("page"),
        of::<demo::Shown>("demo"),
        error,
    ]
    .into()
}

#[test]
fn the_schemas_are_those_of_the_types() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema");
    if std::env::var_os("WYARD_UPDATE_DOCS").is_some() {
        let _ = fs::remove_dir_all(&folder);
        fs::create_dir_all(&folder).unwrap();
        for (name, schema) in schemas() {
            fs::write(folder.join(format!("{name}.json")), format!("{schema:#}\n")).unwrap();
        }
    }
    let kept = fs::read_dir(&folder).unwrap().map(|entry| entry.unwrap().path());
    let kept: BTreeMap<String, Value> = kept
        .map(|file| {
            let schema = serde_json::from_slice(&fs::read(&file).unwrap()).unwrap();
            (file.file_stem().unwrap().to_string_lossy().into_owned(), schema)
        })
        .collect();
    let made: BTreeMap<String, Value> = schemas().into_iter().map(|(name, schema)| (name.to_owned(), schema)).collect();
    assert!(kept == made, "run WYARD_UPDATE_DOCS=1 cargo test -p wagon-yard --bin wyard");
}
