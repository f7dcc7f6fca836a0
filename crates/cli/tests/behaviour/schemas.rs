//! What `--json` prints, held against the schemas in `docs/schema`.

use std::collections::HashMap;
use std::fs;
use std::path::Path;
use std::sync::{LazyLock, Mutex};

use jsonschema::Validator;
use serde_json::Value;

static VALIDATORS: LazyLock<Mutex<HashMap<String, Validator>>> = LazyLock::new(Mutex::default);

/// Asserts that a document is as the schema of its report says.
#[track_caller]
pub fn assert_conforms(document: &Value) {
    let name = document["report"].as_str().unwrap_or_else(|| panic!("no report: {document:#}")).to_owned();
    let mut validators = VALIDATORS.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    let validator = validators.entry(name).or_insert_with_key(|name| {
        let file = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/schema").join(format!("{name}.json"));
        let schema =
            serde_json::from_slice(&fs::read(&file).unwrap_or_else(|e| panic!("{}: {e}", file.display()))).unwrap();
        assert!(jsonschema::meta::is_valid(&schema), "{name}.json is no schema");
        jsonschema::validator_for(&schema).unwrap()
    });
    let errors: Vec<String> =
        validator.iter_errors(document).map(|error| format!("{}: {error}", error.instance_path())).collect();
    assert!(errors.is_empty(), "{}\nin {document:#}", errors.join("\n"));
}

#[test]
fn a_document_that_lacks_a_field_does_not_conform() {
    let good = serde_json::json!({
        "format": 1, "report": "error", "message": "m", "causes": [], "next": null, "exit_code": 2
    });
    assert_conforms(&good);
    let mut bad = good;
    bad["exit_code"] = "two".into();
    assert!(std::panic::catch_unwind(|| assert_conforms(&bad)).is_err());
}
