//! The panel of the simulated vehicle: a small page and the same over JSON. It stands for hands and eyes: it puts the
//! tips, moves what is to be moved, and tells what is seen, felt and smelt.

use crate::draw::in_words;
use crate::world::{Look, Place, Wish, World};
use axum::extract::{Form, State};
use axum::http::StatusCode;
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use axum::{Json, Router};
use serde::{Deserialize, Serialize};
use spannung_circuit::{Family, family};
use std::fmt::Write;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

/// The world behind the panel.
pub type Shared = Arc<Mutex<World>>;

fn locked(world: &Shared) -> MutexGuard<'_, World> {
    world.lock().unwrap_or_else(PoisonError::into_inner)
}

/// The panel's routes.
pub fn router(world: Shared) -> Router {
    Router::new()
        .route("/", get(page))
        .route("/vehicle", get(vehicle).post(renew))
        .route("/another", post(another))
        .route("/place", post(place))
        .route("/look", post(look))
        .route("/mend", post(mend))
        .route("/bind", post(bind))
        .route("/elsewhere", post(elsewhere))
        .route("/seen", post(seen))
        .with_state(world)
}

/// What stands on the bench.
#[derive(Serialize)]
struct Standing {
    family: String,
    name: String,
    volts_class: u16,
    drive: String,
    words: Vec<String>,
    job: Option<i32>,
}

fn refused(sentence: String) -> Response {
    (StatusCode::CONFLICT, sentence).into_response()
}

async fn vehicle(State(world): State<Shared>) -> Json<Standing> {
    let w = locked(&world);
    Json(Standing {
        family: w.family.id.clone(),
        name: w.family.name.clone(),
        volts_class: w.family.volts_class,
        drive: w.family.drive.clone(),
        words: w.words.clone(),
        job: w.job,
    })
}

async fn renew(State(world): State<Shared>, Json(wish): Json<Wish>) -> Response {
    match World::new(&wish) {
        Ok(fresh) => {
            *locked(&world) = fresh;
            StatusCode::NO_CONTENT.into_response()
        }
        Err(e) => refused(e.to_string()),
    }
}

/// Another vehicle, from the page.
#[derive(Deserialize)]
struct Another {
    family: String,
    what: String,
}

async fn another(State(world): State<Shared>, Form(a): Form<Another>) -> Response {
    let clock = SystemTime::now().duration_since(UNIX_EPOCH);
    let wish = Wish {
        family: (!a.family.is_empty()).then_some(a.family),
        beyond: a.what == "beyond",
        surprise: a.what == "surprise",
        seed: clock.map_or(1, |d| d.as_secs()),
        ..Wish::default()
    };
    match World::new(&wish) {
        Ok(fresh) => {
            *locked(&world) = fresh;
            Redirect::to("/").into_response()
        }
        Err(e) => refused(e.to_string()),
    }
}

async fn place(State(world): State<Shared>, Json(place): Json<Place>) -> Response {
    match locked(&world).put(place) {
        Ok(()) => StatusCode::NO_CONTENT.into_response(),
        Err(sentence) => refused(sentence),
    }
}

async fn look(State(world): State<Shared>, Json(look): Json<Look>) -> Response {
    if look.values.is_empty() {
        return refused("No answers are told.".into());
    }
    Json(locked(&world).look(&look)).into_response()
}

/// A repair, by the beginning of a fault's key.
#[derive(Deserialize)]
struct Mend {
    fault: String,
}

async fn mend(State(world): State<Shared>, Json(m): Json<Mend>) -> Json<usize> {
    Json(locked(&world).mend(&m.fault))
}

/// A job by its number; empty is none.
#[derive(Deserialize)]
struct Bind {
    job: String,
}

async fn bind(State(world): State<Shared>, Form(b): Form<Bind>) -> Redirect {
    locked(&world).job = b.job.trim().parse().ok();
    Redirect::to("/")
}

/// Tips put elsewhere; empty is back where the Bench asks.
#[derive(Deserialize)]
struct Elsewhere {
    red: String,
    black: String,
}

async fn elsewhere(State(world): State<Shared>, Form(e): Form<Elsewhere>) -> Redirect {
    let both = !e.red.is_empty() && !e.black.is_empty();
    locked(&world).elsewhere = both.then_some((e.red, e.black));
    Redirect::to("/")
}

/// A sign looked at on the page.
#[derive(Deserialize)]
struct Seen {
    sign: String,
}

async fn seen(State(world): State<Shared>, Form(s): Form<Seen>) -> Response {
    let mut w = locked(&world);
    let Some(spec) = w.signs.iter().find(|x| *x.id.get_ref() == s.sign) else {
        return refused(format!("There is no sign “{}”.", s.sign));
    };
    let (sign, values) = (s.sign, spec.values.clone());
    let state = w
        .place
        .as_ref()
        .and_then(|p| p.moments.first())
        .map(|m| m.0.clone())
        .unwrap_or_default();
    let look = Look {
        sign: sign.clone(),
        values: values.clone(),
        state,
    };
    let seen = w.look(&look);
    let value = values.get(seen.value).cloned().unwrap_or_default();
    let said = match &seen.place {
        Some(place) => format!("{value}: {}", w.family.hangs_on(place)),
        None => value,
    };
    Html(draw(&w, Some((&sign, &said)))).into_response()
}

async fn page(State(world): State<Shared>) -> Html<String> {
    Html(draw(&locked(&world), None))
}

fn escape(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('"', "&quot;")
}

const STYLE: &str = "body{font:17px/1.4 sans-serif;margin:0;background:#f3f0e6;color:#1b1d20}\
main{max-width:60rem;margin:0 auto;padding:1.5rem}h1{font-size:1.5rem;margin:0 0 .3rem}\
section{background:#fbfaf5;border:1.5px solid #1b1d20;padding:1rem;margin:1rem 0}\
h2{font-size:1rem;margin:0 0 .6rem}form{display:inline-flex;gap:.5rem;align-items:center;flex-wrap:wrap}\
button,input,select{font:inherit;padding:.5rem .7rem;border:1.5px solid #1b1d20;background:#fff;border-radius:3px}\
.signs{display:flex;flex-wrap:wrap;gap:.4rem}.said{font-size:1.25rem;font-weight:650}b{font-weight:700}";

fn draw(w: &World, seen: Option<(&str, &str)>) -> String {
    let mut out = String::new();
    // writing to a String cannot fail
    let _ = write!(
        out,
        "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content='width=device-width'>\
         <title>Simulated vehicle</title><style>{STYLE}</style><main><h1>{}</h1><p>It stands beside the bench and plays \
         the owner, your hands and your eyes. The meter reads where the Bench asks.</p>\
         <section><h2>The owner says</h2><p class=said>{}</p></section>",
        escape(&w.family.name),
        w.words
            .iter()
            .map(|s| escape(s))
            .collect::<Vec<_>>()
            .join(" ")
    );
    if !w.changes.is_empty() {
        let each: Vec<String> = w.changes.iter().map(|c| escape(&in_words(c))).collect();
        let _ = write!(
            out,
            "<section><h2>Unlike its family</h2><p>{}</p></section>",
            each.join("<br>")
        );
    }
    let _ = write!(
        out,
        "<section><h2>Job</h2><form method=post action=/bind><input name=job inputmode=numeric size=6 value='{}' \
         aria-label='Job number'><button>Bind to this job</button></form> {}</section>",
        w.job.map_or(String::new(), |j| j.to_string()),
        if w.job.is_some() {
            "Only this job reads the meter."
        } else {
            "Not bound: the first job that reads takes it."
        }
    );
    let tips = match (&w.elsewhere, &w.place) {
        (Some((r, b)), _) => format!("Put by hand: red on {}, black on {}.", escape(r), escape(b)),
        (None, Some(p)) => format!(
            "As the Bench asks: red on {}, black on {}.",
            escape(&p.red),
            escape(&p.black)
        ),
        (None, None) => "They lie beside the vehicle.".into(),
    };
    let options: String = std::iter::once(String::new())
        .chain(w.points().iter().cloned())
        .map(|p| format!("<option>{}</option>", escape(&p)))
        .collect();
    let _ = write!(
        out,
        "<section><h2>Tips</h2><p>{tips}</p><form method=post action=/elsewhere><select name=red aria-label='Red tip'>\
         {options}</select><select name=black aria-label='Black tip'>{options}</select><button>Put them there</button>\
         </form></section><section><h2>Look, feel, try</h2>"
    );
    if let Some((sign, value)) = seen {
        let _ = write!(
            out,
            "<p class=said>{}: <b>{}</b></p>",
            escape(&sign.replace('_', " ")),
            escape(&value.replace('-', " "))
        );
    }
    out.push_str("<div class=signs>");
    for spec in &w.signs {
        let sign = spec.id.get_ref();
        let _ = write!(
            out,
            "<form method=post action=/seen><input type=hidden name=sign value='{0}'><button>{1}</button></form>",
            escape(sign),
            escape(&sign.replace('_', " "))
        );
    }
    let _ = write!(
        out,
        "</div></section><section><h2>Another vehicle</h2><form method=post action=/another><select name=family \
         aria-label=Family><option value=''>any family</option>{}</select><select name=what aria-label='What is wrong'>\
         <option value=one>one fault</option><option value=beyond>one fault that is in no catalogue</option>\
         <option value=surprise>as it comes through the door</option></select><button>Put it on the bench</button></form>\
         </section><details><summary>What is wrong with it</summary><p>{}</p></details></main></html>",
        family::shipped()
            .iter()
            .filter_map(|(file, text)| Family::parse(file, text).ok())
            .map(|f| format!(
                "<option value='{}'>{}</option>",
                escape(&f.id),
                escape(&f.name)
            ))
            .collect::<String>(),
        w.truth()
            .iter()
            .map(|t| escape(t))
            .collect::<Vec<_>>()
            .join("<br>")
    );
    out
}
