//! The registry of fields as JSON Schema (draft 2020-12), for editors that complete and check as one types.

use super::registry::{self, Field, Holds, Table};
use serde_json::{Map, Value, json};

fn text() -> Value {
    // A number without its unit may be written bare.
    json!({ "type": ["string", "number"] })
}

fn texts() -> Value {
    json!({ "oneOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }] })
}

fn reference(table: &Table) -> Value {
    json!({ "$ref": format!("#/$defs/{}", table.name) })
}

fn field(field: &Field) -> Value {
    let mut value = match field.holds {
        Holds::Note | Holds::Name(_) => json!({ "type": "string" }),
        Holds::Text(_) | Holds::Quantity(..) | Holds::Range(_) => text(),
        Holds::Whole(low, high) => json!({ "type": "integer", "minimum": low, "maximum": high }),
        Holds::YesNo => json!({ "type": "boolean" }),
        Holds::Word(words) if words.iter().all(|w| !w.ends_with(" N")) => json!({ "enum": words }),
        Holds::Word(_) => json!({ "type": "string" }),
        // Some lists may be tables of lists, by the values of a state.
        Holds::List(_) => json!({ "oneOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }, { "type": "object" }] }),
        Holds::Pairs(_) => json!({ "type": "object" }),
        Holds::Table(inner, "") => reference(inner),
        Holds::Table(inner, _) => json!({ "oneOf": [reference(inner), { "type": ["string", "number"] }] }),
        // A formula alone may stand for its table, a shared setting for its name.
        Holds::Named(inner) => json!({ "type": "object", "additionalProperties": { "oneOf": [reference(inner), { "type": "string" }] } }),
        Holds::Tables(inner) => json!({ "type": "array", "items": reference(inner) }),
    };
    let mut says = format!("{}. Holds {}.", capital(field.says), field.holds.words());
    match field.unsaid {
        "" => {}
        "!" => says += " Must be there.",
        unsaid => says += &format!(" Unsaid: {unsaid}."),
    }
    value["description"] = json!(says);
    value
}

fn capital(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| first.to_uppercase().chain(letters).collect())
}

fn table(table: &Table) -> Value {
    let properties: Map<String, Value> = table.fields.iter().map(|f| (f.name.to_owned(), field(f))).collect();
    let required: Vec<&str> = table.fields.iter().filter(|f| f.unsaid == "!" && !matches!(table.name, "parameter")).map(|f| f.name).collect();
    let further = if table.open { texts() } else { json!(false) };
    json!({ "type": "object", "title": table.head, "properties": properties, "required": required, "additionalProperties": further })
}

/// The schema of one kind of file (see [`registry::FILES`]); `None` if there is no such kind.
#[must_use]
pub fn schema(file: &str) -> Option<Value> {
    let (_, root) = registry::FILES.iter().find(|(name, _)| *name == file)?;
    let definitions: Map<String, Value> = registry::tables().into_iter().map(|t| (t.name.to_owned(), table(t))).collect();
    let mut schema = json!({ "$schema": "https://json-schema.org/draft/2020-12/schema", "title": format!("Estampie: {file}"), "$defs": definitions });
    // Sounds stand in their files by name.
    if file == "sounds" {
        schema["type"] = json!("object");
        schema["additionalProperties"] = reference(root);
    } else {
        schema["$ref"] = reference(root)["$ref"].clone();
    }
    Some(schema)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Every reference leads somewhere.
    fn references(value: &Value, found: &mut Vec<String>) {
        match value {
            Value::Object(map) => {
                found.extend(map.get("$ref").and_then(Value::as_str).map(str::to_owned));
                map.values().for_each(|v| references(v, found));
            }
            Value::Array(list) => list.iter().for_each(|v| references(v, found)),
            _ => {}
        }
    }

    #[test]
    fn each_file_has_a_schema_whose_references_lead_somewhere() {
        for (name, root) in registry::FILES {
            let schema = schema(name).unwrap();
            let mut found = Vec::new();
            references(&schema, &mut found);
            assert!(!found.is_empty());
            for reference in found {
                let name = reference.strip_prefix("#/$defs/").unwrap();
                assert!(schema["$defs"][name].is_object(), "{reference}");
            }
            for field in root.fields {
                assert!(schema["$defs"][root.name]["properties"][field.name]["description"].as_str().is_some_and(|d| d.len() > 10), "{name} {}", field.name);
            }
        }
        assert_eq!(schema("nothing"), None);
        let sounds = schema("sounds").unwrap();
        assert_eq!(sounds["$defs"]["sound"]["properties"]["re-trigger"]["enum"], json!(["overlap", "restart", "ignore"]));
        assert_eq!(sounds["$defs"]["limit"]["properties"]["each"]["maximum"], json!(4096));
        assert_eq!(sounds["$defs"]["sound"]["additionalProperties"], json!(false));
    }
}
