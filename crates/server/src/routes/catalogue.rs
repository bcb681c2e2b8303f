//! What the page offers for choice: symptoms, risk factors, gate, quarantine, families.

use crate::App;
use crate::auth::Who;
use crate::error::Problem;
use axum::Json;
use axum::extract::State;
use serde::Serialize;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new().routes(routes!(catalogue))
}

/// A thing with a definition.
#[derive(Serialize, ToSchema)]
struct Term {
    id: String,
    name: String,
    definition: String,
}

/// A family that can be chosen.
#[derive(Serialize, ToSchema)]
struct FamilyChoice {
    /// Id.
    id: String,
    volts_class: u16,
    drive: String,
    name: String,
    full_volts: f64,
    groups: usize,
}

/// All choices.
#[derive(Serialize, ToSchema)]
struct Choices {
    symptoms: Vec<Term>,
    risks: Vec<Term>,
    families: Vec<FamilyChoice>,
    /// Repair classes by id and name.
    classes: Vec<Term>,
    /// Insulation colour codes.
    colours: Vec<String>,
    /// Changes whenever a data file changes.
    hash: String,
}

#[utoipa::path(get, path = "/catalogue", responses((status = 200, body = Choices), (status = "4XX", body = Problem)))]
async fn catalogue(State(app): State<App>, _: Who) -> Json<Choices> {
    let c = &app.catalogue;
    Json(Choices {
        symptoms: c
            .symptoms
            .iter()
            .map(|s| Term {
                id: s.id.get_ref().clone(),
                name: s.name.clone(),
                definition: s.definition.clone(),
            })
            .collect(),
        risks: c
            .risks
            .iter()
            .map(|r| Term {
                id: r.id.clone(),
                name: r.name.clone(),
                definition: r.definition.clone(),
            })
            .collect(),
        families: c
            .road
            .iter()
            .map(|r| (r, &r.family))
            .map(|(r, f)| FamilyChoice {
                id: f.id.clone(),
                volts_class: r.volts,
                drive: r.drive.clone(),
                name: f.name.clone(),
                full_volts: f.cells.full_volts * f.cells.groups as f64,
                groups: f.cells.groups,
            })
            .collect(),
        classes: c
            .classes
            .values()
            .map(|k| Term {
                id: k.id.get_ref().clone(),
                name: k.name.clone(),
                definition: k.act.clone(),
            })
            .collect(),
        colours: spannung_circuit::change::COLOURS
            .iter()
            .map(|c| (*c).to_string())
            .collect(),
        hash: c.hash.clone(),
    })
}
