//! Parts of the JSON Schemas of reports (JSON Schema 2020-12), for types that write themselves.

/// Gives a type that is written as one of a few names its schema.
#[macro_export]
macro_rules! schema_of_names {
    ($type:ty, $title:literal, $names:expr) => {
        impl schemars::JsonSchema for $type {
            fn schema_name() -> std::borrow::Cow<'static, str> {
                $title.into()
            }

            fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
                let names: Vec<String> = $names.collect();
                schemars::json_schema!({ "type": "string", "enum": names })
            }
        }
    };
}
