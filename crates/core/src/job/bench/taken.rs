//! What was taken, as evidence: the answer of a reading or look, and whether it was taken as asked.

use crate::diagnosis::evidence::Answer;
use crate::diagnosis::model::Model;
use crate::diagnosis::repertoire::{Kind, Test};
use crate::job::entry::ReadingResult;
use crate::job::state::Taken;
use crate::reading::{self, Figure, Unit};
use spannung_circuit::state::VehicleState;

/// Did a state meet what the test asks for?
pub(super) fn as_asked(test: &Test, state: &VehicleState) -> bool {
    test.state.missing(state).is_empty()
}

/// The plug that is apart and causes what was seen, when it is a code that the set-up itself brings.
pub(super) fn caused_by_set_up<'a>(
    model: &'a Model,
    taken: &Taken,
    test: usize,
) -> Option<&'a str> {
    let Kind::Procedure { sign, .. } = &model.tests[test].kind else {
        return None;
    };
    let mut codes = model.profile.family.codes_apart(&taken.state);
    let found = codes.find(|(_, code)| sign == "code" && *code == taken.typed);
    found.map(|(plug, _)| plug.name.as_str())
}

pub(super) fn answer_of(model: &Model, taken: &Taken, test: usize) -> Answer {
    match (&model.tests[test].kind, taken.result) {
        _ if caused_by_set_up(model, taken, test).is_some() => Answer::CannotTell,
        (
            Kind::Procedure {
                outcomes, places, ..
            },
            _,
        ) => {
            let found = outcomes.iter().position(|o| o.0 == taken.typed);
            let there = taken.place.as_ref();
            let place = there.and_then(|p| places.iter().position(|own| own == p));
            found.map_or(Answer::CannotTell, |k| Answer::Outcome(k, place))
        }
        (_, Some(ReadingResult::Nothing)) => Answer::Nothing,
        (_, Some(ReadingResult::NotSteady)) => Answer::NotSteady,
        (_, Some(ReadingResult::Figure)) => match taken.figure {
            Some(f) if f.over_range => Answer::OverRange,
            Some(f) => Answer::Figure {
                low: f.low,
                high: f.high,
            },
            None => Answer::CannotReach,
        },
        _ => Answer::CannotReach,
    }
}

/// The figure as the meter gave it, with its unit.
pub(super) fn typed_text(typed: &str, figure: Figure, unit: Unit) -> String {
    if figure.over_range {
        return "OL".into();
    }
    let bare = typed.trim().replace(',', ".").replace('-', "\u{2212}");
    let plain = bare
        .trim_start_matches('\u{2212}')
        .chars()
        .all(|c| c.is_ascii_digit() || c == '.');
    if plain && !bare.contains("..") {
        format!("{bare} {}", unit.symbol())
    } else if (figure.low - figure.high).abs() < 1e-12 {
        reading::show_text(figure.low, unit)
    } else {
        reading::show_range(figure.low, figure.high, unit)
    }
}
