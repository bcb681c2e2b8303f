//! What a card or a check tells somebody to do never asks for what is forbidden, and speaks of what the vehicle has: every
//! text of every family against what drives it and against the rules of the gate.

use crate::common::{Log, catalogue, models};
use spannung_circuit::state::Battery;
use spannung_core::diagnosis::repertoire::Test;
use spannung_core::diagnosis::{Kind, Model};
use spannung_core::job::entry::{self, Body};
use spannung_core::job::proof;

/// A word and the trait without which a vehicle has no such thing.
const SPEAKS_OF: [(&str, &str); 14] = [
    ("throttle", "throttle"),
    ("lever", "levers"),
    ("pedal", "pedals"),
    ("display", "display"),
    ("handlebar", "!toy"),
    ("axle nut", "!toy"),
    ("stem", "!toy"),
    ("hall", "brushless"),
    ("phase", "brushless"),
    ("kill switch", "kill-switch"),
    ("dock", "docked-pack"),
    ("controller", "electronic"),
    ("foot switch", "toy"),
    ("contactor", "contactor"),
];

/// Words of pulling and wiggling.
const PULLS: [&str; 8] = [
    "pull", "wiggle", "flex", "unplug", "rock", "tug", "apart", "tap",
];

/// All texts of a test: its name, why or how, its answers, and what is confirmed before it.
fn texts(m: &Model, test: &Test) -> String {
    let mut out = vec![test.name.clone(), test.why.clone()];
    // a display's codes and a controller's settings are its maker's list, whatever else the vehicle has
    let list = ["fm-code", "t-config"].contains(&test.id.as_str());
    if let Kind::Procedure { outcomes, .. } = &test.kind
        && !list
    {
        out.extend(outcomes.iter().map(|o| o.1.clone()));
    }
    for need in test.needs.iter().filter_map(|n| catalogue().need(n)) {
        out.push(need.ask_for(Some(&m.profile.family)).to_string());
        out.push(need.caution_for(Some(&m.profile.family)).to_string());
    }
    out.join(" ").to_lowercase()
}

fn says(text: &str, word: &str) -> bool {
    text.match_indices(word).any(|(at, _)| {
        let before = text[..at].chars().next_back();
        before.is_none_or(|c| !c.is_alphanumeric())
    })
}

/// Words of this text that speak of what the vehicle has not.
fn foreign(m: &Model, text: &str) -> Vec<&'static str> {
    let family = &m.profile.family;
    let lacks = |t: &&str| !family.fits(&[(*t).to_string()]);
    SPEAKS_OF
        .iter()
        .filter(|(word, has)| says(text, word) && lacks(has))
        .map(|s| s.0)
        .collect()
}

#[test]
fn no_card_speaks_of_what_the_vehicle_has_not() {
    let mut wrong = Vec::new();
    for m in models() {
        for test in &m.tests {
            let named = m.profile.family.plugs.iter().map(|p| p.name.to_lowercase());
            let strands = m
                .profile
                .family
                .strands
                .iter()
                .map(|s| s.name.to_lowercase());
            // a plug of the drawing is called as the drawing calls it
            let text = named
                .chain(strands)
                .fold(texts(m, test), |t, n| t.replace(&n, ""));
            for word in foreign(m, &text) {
                wrong.push(format!(
                    "{} {}: {word}: {text}",
                    m.profile.family.id, test.id
                ));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_check_of_the_proof_speaks_of_what_the_vehicle_has_not() {
    let mut wrong = Vec::new();
    for m in models() {
        for class in catalogue().classes.keys() {
            let family = &m.profile.family;
            let mut log = Log::of_family(family);
            log.add(Body::Part(entry::Part {
                old: None,
                fate: None,
                new: Some("a part".into()),
                class: Some(class.clone()),
                minutes: 1.0,
                price_cents: None,
            }));
            for row in proof::rows(catalogue(), &log.job(), &[], None) {
                let parts = [row.name, row.how, row.limit];
                let needs = [row.ask, row.caution].map(Option::unwrap_or_default);
                let text = parts.into_iter().chain(needs).collect::<Vec<_>>().join(" ");
                assert!(!text.contains('{'), "{text}");
                for word in foreign(m, &text.to_lowercase()) {
                    wrong.push(format!("{} {}: {word}: {text}", family.id, row.check));
                }
            }
        }
    }
    wrong.sort();
    wrong.dedup();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// Nothing is pulled or wiggled while the wheel is driven: where plugs come apart, the power is off first or nothing
/// drives; the motor's and the phases' never come apart with the power on in one step.
#[test]
fn nothing_is_pulled_while_the_wheel_is_driven() {
    for m in models() {
        for test in &m.tests {
            let text = test.why.to_lowercase();
            if !matches!(test.kind, Kind::Procedure { .. }) || !PULLS.iter().any(|w| says(&text, w))
            {
                continue;
            }
            let live = test.state.battery == Some(Battery::In);
            let lever = says(&text, "lever") && !says(&text, "plug");
            let ride = test.rides();
            let drives = test.needs.iter().any(|n| n == "wheel-up");
            let safe =
                text.contains("power off") || text.contains("not driven") || text.contains("strap");
            assert!(
                !live || lever || ride || safe || !drives && !says(&text, "apart"),
                "{} {}: {text}",
                m.profile.family.id,
                test.id
            );
        }
    }
    for check in &catalogue().proof.checks {
        let text = check.how.to_lowercase();
        if check.live && PULLS.iter().any(|w| says(&text, w)) && says(&text, "plug") {
            assert!(
                text.contains("power off") || says(&text, "at the throttle plug"),
                "{}: {text}",
                check.id.get_ref()
            );
        }
    }
}

/// A run is told by what drives it: no share of a throttle for a foot switch, no foot switch for a throttle.
#[test]
fn the_caution_of_a_run_fits_what_drives_it() {
    for m in models() {
        let family = &m.profile.family;
        let caution = catalogue()
            .need("wheel-up")
            .unwrap()
            .caution_for(Some(family));
        assert_eq!(
            says(&caution.to_lowercase(), "throttle"),
            family.has("throttle"),
            "{}",
            family.id
        );
    }
}
