//! The description of all operations, OpenAPI 3.1, made from the table of operations and the types that go over the line.
use super::answer::KEY;
use super::operations::{BASE, Content, OPERATIONS, Operation};
use super::problem::{PROBLEM, Problem};
use crate::state::{A_SECOND, AT_ONCE};
use actix_web::HttpResponse;
use schemars::generate::SchemaSettings;
use schemars::{Schema, SchemaGenerator};
use serde_json::{Map, Value, json};
use velvet_dial_core::case;
use velvet_dial_core::rights::Scope;

/// Serves it, without a token: there is nothing of a shop in it.
pub async fn show() -> HttpResponse {
    HttpResponse::Ok().json(document())
}

/// The document.
pub fn document() -> Value {
    let settings = SchemaSettings::draft2020_12().with(|settings| {
        settings.definitions_path = "/components/schemas".into();
        settings.meta_schema = None;
    });
    let mut schemas = settings.into_generator();
    let mut paths: Map<String, Value> = Map::new();
    for operation in &OPERATIONS {
        let at = paths.entry(format!("{BASE}{}", operation.path)).or_insert_with(|| json!({}));
        let method = if operation.post { "post" } else { "get" };
        if let Some(at) = at.as_object_mut() {
            at.insert(method.to_owned(), described(operation, &mut schemas));
        }
    }
    paths.insert(format!("{BASE}/events"), stream());
    let scopes: String = Scope::ALL.iter().map(|(_, id, label)| format!("\n- `{id}`: {label}")).collect();
    let about = format!(
        "Jobs, readings, findings, recorded runs, engines, sheets, gauges, reports and practice of a shop, for other programs. \
Pressures are in kPa gauge, speeds in rpm, temperatures in °C, times in UTC.\n\n\
A program sends its token with every request (`Authorization: Bearer vdt_…`). The owner of the shop makes tokens under *Settings, Other programs*. \
What a token opens:\n{scopes}\n\n\
Every GET carries an `etag`; sent back as `if-none-match` it is answered with 304 where nothing changed. \
A POST with an `{KEY}` header may be sent again: it is done once, and answered the same for 24 hours. \
A program may ask {A_SECOND} times a second for long and {AT_ONCE} times at once; then it is answered with 429 and `retry-after`."
    );
    let mut document = json!({
        "openapi": "3.1.0",
        "info": { "title": "Velvet Dial", "version": "1", "description": about },
        "servers": [{ "url": "/", "description": "The shop's own server" }],
        "security": [{ "token": [] }],
        "paths": paths,
        "components": {
            "securitySchemes": { "token": { "type": "http", "scheme": "bearer" } },
            "responses": { "Problem": {
                "description": "It was refused; `code` says why.",
                "content": { PROBLEM: { "schema": schemas.subschema_for::<Problem>() } }
            } },
            "schemas": schemas.take_definitions(true),
        },
        "webhooks": { "event": { "post": event() } },
    });
    case::add_ranges(&mut document, "/components/schemas");
    document
}

/// What is sent to the address that the owner gave for a program.
fn event() -> Value {
    let header = |name: &str, says: &str| json!({ "name": name, "in": "header", "description": says, "required": true, "schema": { "type": "string" } });
    json!({
        "operationId": "event",
        "summary": "Something happened at a job",
        "description": "Answer with 2xx within ten seconds. Anything else is sent again, with the same id, nine times over a day and a half.",
        "parameters": [
            header("webhook-id", "The key of the event; the same each time it is sent."),
            header("webhook-timestamp", "When it is sent, seconds since 1970. Refuse what is older than five minutes."),
            header("webhook-signature", "`v1,` and base64 of an HMAC-SHA256 over `id.timestamp.body`, by the secret of the address."),
        ],
        "requestBody": { "required": true, "content": { "application/json": { "schema": {
            "type": "object",
            "required": ["id", "type", "at", "job"],
            "properties": {
                "id": { "type": "string", "format": "uuid" },
                "type": { "enum": ["job.opened", "job.changed", "job.closed", "job.reopened"] },
                "at": { "type": "string", "format": "date-time" },
                "job": { "type": "integer", "description": "The job's number." },
                "entry": {
                    "type": "object",
                    "description": "The entry that says it, where there is one.",
                    "properties": { "id": { "type": "string", "format": "uuid" }, "seq": { "type": "integer" }, "kind": { "type": "string" } },
                },
            },
        } } } },
        "responses": { "2XX": { "description": "It arrived" } },
    })
}

fn described(operation: &Operation, schemas: &mut SchemaGenerator) -> Value {
    let mut content = |content: Content| -> Option<Value> {
        Some(match content {
            Content::None => return None,
            Content::Json(of) => json!({ "application/json": { "schema": of(schemas) } }),
            Content::JsonAs(says) => json!({ "application/json": { "schema": { "type": "object", "description": says } } }),
            Content::File(kind) => json!({ kind: { "schema": Schema::default() } }),
        })
    };
    let done = if operation.status == 201 { "It is done" } else { "What was asked for" };
    let mut answers = Map::new();
    let mut says = json!({ "description": done });
    if let (Some(given), Some(answer)) = (content(operation.gives), says.as_object_mut()) {
        answer.insert("content".to_owned(), given);
    }
    answers.insert(operation.status.to_string(), says);
    if !operation.post {
        answers.insert("304".to_owned(), json!({ "description": "It is what the program has already" }));
    }
    answers.insert("default".to_owned(), json!({ "$ref": "#/components/responses/Problem" }));
    let of_path = operation.path.split('/').filter_map(|part| part.strip_prefix('{')?.strip_suffix('}'));
    let mut parameters: Vec<Value> = of_path
        .map(|name| {
            let schema = if name == "number" { json!({ "type": "integer" }) } else { json!({ "type": "string", "format": "uuid" }) };
            json!({ "name": name, "in": "path", "required": true, "schema": schema })
        })
        .collect();
    parameters.extend(
        operation
            .query
            .iter()
            .map(|asked| json!({ "name": asked.name, "in": "query", "description": asked.says, "schema": { "type": asked.kind } })),
    );
    if operation.post && !matches!(operation.takes, Content::File(_)) {
        let says = "A key of the program's own for this request, up to 120 letters: sent again with it, the request is done once.";
        parameters.push(json!({ "name": KEY, "in": "header", "description": says, "schema": { "type": "string", "maxLength": 120 } }));
    }
    let mut described = json!({ "operationId": operation.id, "summary": operation.says, "parameters": parameters, "responses": answers });
    if let Some(object) = described.as_object_mut() {
        let needs = operation.scope.map_or_else(|| "Every token will do.".to_owned(), |scope| format!("Needs `{}`.", scope.id()));
        object.insert("description".to_owned(), json!(needs));
        if let Some(taken) = content(operation.takes) {
            object.insert("requestBody".to_owned(), json!({ "required": true, "content": taken }));
        }
    }
    described
}

fn stream() -> Value {
    json!({ "get": {
        "operationId": "events",
        "summary": "Each job as it is now, whenever something was written at it",
        "description": "Needs `read_jobs`. Server-sent events: `event: job`, `data:` a job as JSON, `id:` when it changed. Sent back as `last-event-id`, what came since is said first. A stream lasts ten minutes; connect again.",
        "parameters": [{ "name": "last-event-id", "in": "header", "schema": { "type": "string", "format": "date-time" } }],
        "responses": {
            "200": { "description": "The stream", "content": { "text/event-stream": { "schema": { "type": "string" } } } },
            "default": { "$ref": "#/components/responses/Problem" }
        }
    } })
}
