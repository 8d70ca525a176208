//! How practice scenes went.
use super::answer;
use super::caller::Called;
use super::problem::ApiFailure;
use super::shapes::SceneView;
use actix_web::{HttpRequest, HttpResponse};
use std::collections::HashMap;
use uuid::Uuid;
use velvet_dial_store::{accounts, practice};

/// The newest scenes of the shop's bench. What a scene hides is not said.
pub async fn scenes(request: HttpRequest, called: Called) -> Result<HttpResponse, ApiFailure> {
    let (db, viewer) = (&called.app.db, &called.caller.viewer);
    let bench = practice::at_the_bench(db, viewer).await?;
    let (rows, people) = tokio::try_join!(practice::scenes(db, &bench), accounts::colleagues(db, viewer))?;
    let names: HashMap<Uuid, String> = people.into_iter().map(|person| (person.id, person.shown_name)).collect();
    let view = |row: practice::Row| SceneView {
        number: row.number,
        by: names.get(&row.by).cloned().unwrap_or_default(),
        grade: row.scene.begun.grade + 1,
        began_at: row.began_at.and_utc(),
        handed_back_at: row.scene.ended_at.map(|at| at.and_utc()),
        marks: row.scene.result.as_deref().and_then(|text| serde_json::from_str(text).ok()),
    };
    answer::found(&request, &rows.into_iter().map(view).collect::<Vec<_>>())
}
