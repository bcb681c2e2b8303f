//! People: the owner adds, changes, disables and resets them; everybody sets their own password and short
//! code. Passwords are set by whoever they belong to, through a one-time link.

use crate::App;
use crate::auth::{self, Confirmed, Who};
use crate::error::{ApiError, Problem};
use crate::passwords;
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use spannung_core::job::{Role, bounds};
use spannung_store::audit::Doer;
use spannung_store::people::Person;
use time::{Duration, OffsetDateTime};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;
use uuid::Uuid;

/// How long a one-time link lasts.
pub const LINK_LASTS: Duration = Duration::days(3);

/// Routes.
pub fn router() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .routes(routes!(list_people, add_person))
        .routes(routes!(change_person))
        .routes(routes!(reset_person))
        .routes(routes!(set_my_password))
        .routes(routes!(set_my_code))
        .routes(routes!(show_invitation, accept_invitation))
}

/// Somebody who works here.
#[derive(Serialize, ToSchema)]
struct PersonView {
    id: Uuid,
    name: String,
    role: Role,
    disabled: bool,
    /// Has a short code for changing over.
    has_code: bool,
}

#[utoipa::path(get, path = "/people", responses((status = 200, body = [PersonView]), (status = "4XX", body = Problem)))]
async fn list_people(State(app): State<App>, _: Who) -> Result<Json<Vec<PersonView>>, ApiError> {
    let people = app.store.people().await?;
    Ok(Json(
        people
            .into_iter()
            .map(|(p, disabled, has_code)| PersonView {
                id: p.id,
                name: p.name,
                role: p.role,
                disabled,
                has_code,
            })
            .collect(),
    ))
}

/// Name and role.
#[derive(Deserialize, ToSchema)]
struct NewPerson {
    /// Made by the client.
    id: Uuid,
    name: String,
    role: Role,
}

/// A one-time link, shown once.
#[derive(Serialize, ToSchema)]
struct Link {
    /// Address to open; whoever opens it sets the password.
    url: String,
    #[serde(with = "time::serde::rfc3339")]
    expires_at: OffsetDateTime,
}

fn good_name(name: &str) -> Result<String, ApiError> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "bad-name",
            Some("name"),
            "A name has 1 to 80 letters.",
        ));
    }
    bounds::text(name)?;
    // one space between words: a name is looked up however it is typed
    Ok(name.split_whitespace().collect::<Vec<_>>().join(" "))
}

async fn good_password(app: &App, password: &str, name: &str) -> Result<(), ApiError> {
    let refused = |sentence: &str| {
        Err(ApiError::refused(
            StatusCode::UNPROCESSABLE_ENTITY,
            "bad-password",
            Some("password"),
            sentence,
        ))
    };
    let letters = password.chars().count();
    if !(10..=200).contains(&letters) {
        return refused("A password has 10 letters or more. Three or four words are good.");
    }
    let shop = crate::shop::now(app).await?.name;
    if passwords::too_common(password, &[name, &shop]) {
        return refused(
            "Others try this one first. Three or four words that do not belong together are good.",
        );
    }
    Ok(())
}

/// Make a one-time link.
///
/// # Errors
/// The database does not answer.
pub async fn link(app: &App, person: Option<Uuid>) -> Result<(String, OffsetDateTime), ApiError> {
    let token = auth::new_token();
    let expires_at = OffsetDateTime::now_utc() + LINK_LASTS;
    app.store
        .invite(&auth::token_hash(&token), person, expires_at)
        .await?;
    // behind the hash, so that no proxy writes it into its log
    let url = format!("{}/welcome#{token}", app.public_url.trim_end_matches('/'));
    Ok((url, expires_at))
}

#[utoipa::path(post, path = "/people", request_body = NewPerson, responses((status = 200, body = Link), (status = "4XX", body = Problem)))]
async fn add_person(
    State(app): State<App>,
    Confirmed(owner): Confirmed,
    Json(new): Json<NewPerson>,
) -> Result<Json<Link>, ApiError> {
    let person = Person {
        id: new.id,
        name: good_name(&new.name)?,
        role: new.role,
    };
    // no password fits this until the person has set one
    app.store.add_person(&person, "!").await?;
    let about = format!("{}, {}", person.name, person.role.word());
    app.note(Doer::Person(&owner), "", "person added", &about)
        .await;
    let (url, expires_at) = link(&app, Some(person.id)).await?;
    Ok(Json(Link { url, expires_at }))
}

/// Name, role, and whether they may sign in.
#[derive(Deserialize, ToSchema)]
struct PersonChange {
    name: String,
    role: Role,
    disabled: bool,
}

#[utoipa::path(put, path = "/people/{id}", params(("id" = Uuid, Path)), request_body = PersonChange, responses((status = 204), (status = "4XX", body = Problem)))]
async fn change_person(
    State(app): State<App>,
    Confirmed(owner): Confirmed,
    Path(id): Path<Uuid>,
    Json(change): Json<PersonChange>,
) -> Result<StatusCode, ApiError> {
    let person = Person {
        id,
        name: good_name(&change.name)?,
        role: change.role,
    };
    app.store.change_person(&person, change.disabled).await?;
    let about = format!(
        "{}, {}{}",
        person.name,
        person.role.word(),
        if change.disabled { ", disabled" } else { "" }
    );
    app.note(Doer::Person(&owner), "", "person changed", &about)
        .await;
    Ok(StatusCode::NO_CONTENT)
}

#[utoipa::path(post, path = "/people/{id}/link", params(("id" = Uuid, Path)), responses((status = 200, body = Link), (status = "4XX", body = Problem)))]
async fn reset_person(
    State(app): State<App>,
    Confirmed(owner): Confirmed,
    Path(id): Path<Uuid>,
) -> Result<Json<Link>, ApiError> {
    let known = app.store.people().await?;
    let Some((person, ..)) = known
        .iter()
        .find(|(p, disabled, _)| p.id == id && !disabled)
    else {
        return Err(ApiError::not_found("person who may sign in"));
    };
    // the old password is gone at once, and with it all they could come in with
    app.store.reset_person(id).await?;
    app.note(Doer::Person(&owner), "", "person reset", &person.name)
        .await;
    let (url, expires_at) = link(&app, Some(id)).await?;
    Ok(Json(Link { url, expires_at }))
}

/// The old and the new password.
#[derive(Deserialize, ToSchema)]
struct MyPassword {
    old: String,
    new: String,
}

#[utoipa::path(put, path = "/me/password", request_body = MyPassword, responses((status = 204), (status = "4XX", body = Problem)))]
async fn set_my_password(
    State(app): State<App>,
    Who(person): Who,
    Json(given): Json<MyPassword>,
) -> Result<StatusCode, ApiError> {
    good_password(&app, &given.new, &person.name).await?;
    let hash = app.store.person_by_name(&person.name).await?.map(|f| f.1);
    auth::throttled(&app, &person.name, "password", given.old, hash).await?;
    let hash = auth::hashed(&app, given.new).await?;
    app.store.set_password(person.id, &hash).await?;
    app.note(Doer::Person(&person), "", "password changed", "")
        .await;
    Ok(StatusCode::NO_CONTENT)
}

/// Password and short code.
#[derive(Deserialize, ToSchema)]
struct MyCode {
    password: String,
    /// 4 to 8 figures; none takes it away.
    code: Option<String>,
}

#[utoipa::path(put, path = "/me/code", request_body = MyCode, responses((status = 204), (status = "4XX", body = Problem)))]
async fn set_my_code(
    State(app): State<App>,
    Who(person): Who,
    Json(given): Json<MyCode>,
) -> Result<StatusCode, ApiError> {
    let hash = app.store.person_by_name(&person.name).await?.map(|f| f.1);
    auth::throttled(&app, &person.name, "password", given.password, hash).await?;
    let code = match given.code {
        None => None,
        Some(code) => {
            let plain = (4..=8).contains(&code.len()) && code.bytes().all(|b| b.is_ascii_digit());
            let same = code.bytes().all(|b| Some(b) == code.bytes().next());
            if !plain || same {
                return Err(ApiError::refused(
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "bad-code",
                    Some("code"),
                    "A code has 4 to 8 figures, not all the same.",
                ));
            }
            Some(auth::hashed(&app, code).await?)
        }
    };
    app.store.set_code(person.id, code.as_deref()).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// A one-time link's secret.
#[derive(Deserialize, ToSchema)]
struct Token {
    token: String,
}

/// Whom the link is for.
#[derive(Serialize, ToSchema)]
struct Invitation {
    /// Name; none for the first owner, who chooses one.
    name: Option<String>,
}

#[utoipa::path(post, path = "/invitation", request_body = Token, responses((status = 200, body = Invitation), (status = "4XX", body = Problem)))]
async fn show_invitation(
    State(app): State<App>,
    Json(given): Json<Token>,
) -> Result<Json<Invitation>, ApiError> {
    let hash = auth::token_hash(&given.token);
    let person = app.store.invited(&hash, OffsetDateTime::now_utc()).await?;
    Ok(Json(Invitation {
        name: person.map(|p| p.name),
    }))
}

/// What the link is answered with.
#[derive(Deserialize, ToSchema)]
struct Accept {
    token: String,
    /// Name of the first owner; not needed otherwise.
    #[serde(default)]
    name: String,
    password: String,
}

#[utoipa::path(put, path = "/invitation", request_body = Accept, responses((status = 204), (status = "4XX", body = Problem)))]
async fn accept_invitation(
    State(app): State<App>,
    Json(given): Json<Accept>,
) -> Result<StatusCode, ApiError> {
    let now = OffsetDateTime::now_utc();
    let token = auth::token_hash(&given.token);
    let person = app.store.invited(&token, now).await?;
    let name = match &person {
        Some(p) => p.name.clone(),
        None => good_name(&given.name)?,
    };
    good_password(&app, &given.password, &name).await?;
    let hash = auth::hashed(&app, given.password).await?;
    match person {
        Some(p) => {
            app.store.use_invitation(&token, now).await?;
            app.store.set_password(p.id, &hash).await?;
            app.store.forget_attempts(&auth::account(&p.name)).await?;
            app.note(Doer::Person(&p), "", "password set", "").await;
        }
        None => {
            // only an empty shop takes a first owner
            if app.store.people_count().await? > 0 {
                return Err(ApiError::not_allowed("This shop has its people already."));
            }
            app.store.use_invitation(&token, now).await?;
            let owner = Person {
                id: Uuid::new_v4(),
                name,
                role: Role::Owner,
            };
            app.store.add_person(&owner, &hash).await?;
        }
    }
    Ok(StatusCode::NO_CONTENT)
}
