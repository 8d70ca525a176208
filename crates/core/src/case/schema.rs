//! The JSON Schema of the case file, from its types, with the ranges of [`crate::field`] and the words of the knowledge files in it.
use super::{Case, FORMAT};
use crate::field::{self, Field};
use crate::knowledge::knowledge;
use crate::oil;
use serde_json::{Value, json};

/// Where a number of the case file stands, and its range: definition (empty for the case itself), key, field.
const RANGES: &[(&str, &str, &Field)] = &[
    ("Card", "displacement_l", &field::DISPLACEMENT),
    ("Card", "cylinders", &field::CYLINDERS),
    ("Card", "idle_rpm", &field::IDLE),
    ("Card", "relief_opens_kpa", &field::RELIEF),
    ("Card", "rated_rpm", &field::RATED),
    ("Card", "sump_off_minutes", &field::SUMP_OFF),
    ("Card", "cover_off_minutes", &field::COVER_OFF),
    ("Card", "engine_out_minutes", &field::ENGINE_OUT),
    ("Card", "worth", &field::WORTH),
    ("Card", "fill_l", &field::FILL),
    ("Card", "filter_l", &field::FILTER_TAKES),
    ("KnownPattern", "times", &field::TIMES),
    ("Reading", "hold_s", &field::HOLD),
    ("Act", "minutes", &field::OVERRULED),
    ("Layout", "jets_open_kpa", &field::JETS),
    ("Point", "rpm", &field::RPM),
    ("Point", "oil_temp_c", &field::OIL_TEMP),
    ("Point", "min_kpa", &field::PRESSURE),
    ("Point", "max_kpa", &field::PRESSURE),
    ("Instrument", "full_scale_kpa", &field::FULL_SCALE),
    ("Instrument", "class_percent", &field::CLASS),
    ("Instrument", "graduation_kpa", &field::GRADUATION),
    ("Instrument", "opens_kpa", &field::LAMP_OPENS),
    ("Instrument", "armed_from_rpm", &field::RPM),
    ("Reading", "rpm", &field::RPM),
    ("Reading", "oil_temp_c", &field::OIL_TEMP),
    ("Reading", "kpa", &field::PRESSURE),
    ("Reading", "spread_kpa", &field::SPREAD),
];

/// The schema (draft 2020-12), as JSON.
pub fn schema() -> Value {
    let mut schema = schemars::schema_for!(Case).to_value();
    set(&mut schema, "", "title", json!("Velvet Dial case file, version 1"));
    set(&mut schema, "/properties", "format", json!({ "const": FORMAT }));
    add_ranges(&mut schema, "/$defs");
    let grades: Vec<&str> = oil::grades().iter().map(|grade| grade.grade.as_str()).collect();
    set(&mut schema, "/$defs/Card/properties/oil_grade", "examples", json!(grades));
    let know = knowledge();
    let told: Vec<&str> = know.circumstances.iter().map(|circumstance| circumstance.id.as_str()).collect();
    set(&mut schema, "/properties/circumstances", "items", json!({ "enum": told }));
    set(&mut schema, "/properties/circumstances", "uniqueItems", json!(true));
    let outcomes: Vec<Value> = know
        .checks
        .iter()
        .map(|check| {
            let outcomes: Vec<&str> = check.outcomes.iter().map(|outcome| outcome.id.as_str()).collect();
            let most = if check.several { outcomes.len() } else { 1 };
            let several = json!({ "items": { "enum": outcomes }, "maxItems": most, "uniqueItems": true });
            json!({ "properties": { "check": { "const": check.id }, "outcome": { "enum": outcomes }, "outcomes": several } })
        })
        .collect();
    set(&mut schema, "/$defs/Evidence", "oneOf", json!(outcomes));
    let some = |list: &str| json!({ "required": [list], "properties": { list: { "minItems": 1 } } });
    set(&mut schema, "", "anyOf", json!([some("readings"), some("evidence")]));
    schema
}

/// Adds the ranges of numbers to the definitions of a document, which stand at `definitions`.
pub fn add_ranges(document: &mut Value, definitions: &str) {
    for (definition, key, field) in RANGES {
        let property = format!("{definitions}/{definition}/properties/{key}");
        set(document, &property, "minimum", json!(field.min));
        set(document, &property, "maximum", json!(field.max));
    }
}

/// Sets a key of the object at a pointer. A pointer that leads nowhere is found by the test that looks for every range.
fn set(schema: &mut Value, pointer: &str, key: &str, value: Value) {
    if let Some(object) = schema.pointer_mut(pointer).and_then(Value::as_object_mut) {
        object.insert(key.to_owned(), value);
    }
}
