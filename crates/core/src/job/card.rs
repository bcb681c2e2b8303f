//! The keyed card: one test with all a person needs to do it, and what each outcome would mean before
//! it is taken.

use crate::diagnosis::choose::{self, Candidate};
use crate::diagnosis::explain::{self, Band, Move};
use crate::diagnosis::repertoire::{self, Face, Kind, Test};
use crate::job::bench::Weighed;
use crate::job::dead;
use crate::job::entry::Role;
use crate::job::gate::{self, Standing};
use crate::job::view::{
    BandView, Card, FacePin, FaceView, NeedView, PlaceView, StateNeed, TestWhy, WhySuspect,
};
use crate::reading::{self, Unit};
use spannung_circuit::state::Key;
use spannung_circuit::{Family, VehicleState};

/// Suspects named in the explanation of a test.
const EXPLAINED: usize = 5;
/// A test raises a suspect from this share on.
const RAISED: f64 = 0.02;

impl Weighed<'_> {
    /// A card for a ranked test.
    pub fn card(&self, candidate: &Candidate) -> Card {
        let m = self.model;
        let test = &m.tests[candidate.test];
        let unit = match &test.kind {
            Kind::Probe(p) => Some(p.unit()),
            Kind::Procedure { .. } => None,
        };
        let expected = explain::expected(m, candidate.test);
        let show = |v: Option<f64>| v.zip(unit).map(|(v, u)| reading::show_text(v, u));
        let values: Vec<Option<String>> = match &test.kind {
            Kind::Procedure { outcomes, .. } => {
                outcomes.iter().map(|o| Some(o.0.clone())).collect()
            }
            Kind::Probe(_) => Vec::new(),
        };
        let found = explain::bands(m, &self.belief, candidate.test);
        let explained = self.explained(candidate, &found);
        let bands = found
            .into_iter()
            .enumerate()
            .map(|(k, b)| BandView {
                kind: b.kind,
                effect: self.effect(b.moves),
                places: self.places(test, &b.places),
                from_text: show(b.from),
                to_text: show(b.to),
                name: b.name,
                from: b.from,
                to: b.to.filter(|t| t.is_finite()),
                value: values.get(k).cloned().flatten(),
            })
            .collect();
        let family = &m.profile.family;
        let access = family.access.get(&test.access);
        let closed = access.is_some_and(|a| a.minutes > 0.0)
            && !self.situation.opened.contains(&test.access);
        let (red, black, what) = self.tips(test);
        // on a locked vehicle the lock's limit is the one that counts: it is the stricter
        let lock = dead::first(self.catalogue, self.job).and_then(|d| {
            let of = d
                .readings
                .into_iter()
                .find(|r| r.test.as_ref() == Some(&test.id));
            of.map(|r| r.limit)
        });
        Card {
            test: test.id.clone(),
            name: test.name.clone(),
            why: test.why.clone(),
            kind: if unit.is_some() { "probe" } else { "check" }.into(),
            sign: match &test.kind {
                Kind::Procedure { sign, .. } => Some(sign.clone()),
                Kind::Probe(_) => None,
            },
            explained,
            set_up: self.set_up(&test.state.bring(&self.job.state)),
            first_minute: test.first_minute.is_some(),
            red,
            black,
            what,
            meter: meter_words(test),
            unit,
            expected: lock.unwrap_or_else(|| explain::sound(m, candidate.test)),
            expected_low: expected.map(|e| e.low.0),
            expected_high: expected.map(|e| e.high.1).filter(|v| v.is_finite()),
            changes: expected.is_some_and(|e| e.changes),
            bands,
            face: test.faces.first().and_then(|f| self.face(f)),
            black_face: test.faces.get(1).and_then(|f| self.face(f)),
            state: self.state_needs(test),
            as_asked: test.state.bring(&self.job.state),
            needs: test
                .needs
                .iter()
                .filter_map(|n| self.catalogue.need(n))
                .map(|n| NeedView {
                    id: n.id.get_ref().clone(),
                    ask: n.ask_for(Some(family)).into(),
                    caution: n.caution_for(Some(family)).into(),
                    // a confirmation that ends on the way to the test is asked for on its card
                    confirmed: self.job.confirmed_in(n, &test.state.bring(&self.job.state)),
                })
                .collect(),
            minutes: candidate.minutes,
            opens: closed.then(|| access.map(|a| a.name.clone())).flatten(),
            destroys: closed
                .then(|| access.and_then(|a| a.destroys.clone()))
                .flatten(),
            risk: test.risk,
            blocked: self.blocked(test),
            gain: candidate.gain,
        }
    }

    /// What an outcome would make of the suspects, in words.
    fn effect(&self, moves: Option<Move>) -> String {
        match moves {
            Some((c, from, to)) => format!(
                "{} {:.0} to {:.0} %",
                short(&self.model.classes[c].name),
                from * 100.0,
                to * 100.0
            ),
            None => "changes little".into(),
        }
    }

    /// Where a look can find something, in the order of the drawing.
    fn places(&self, test: &Test, moves: &[Option<Move>]) -> Vec<PlaceView> {
        let Kind::Procedure { places, .. } = &test.kind else {
            return Vec::new();
        };
        let family = &self.model.profile.family;
        let each = places.iter().zip(moves);
        let view = |(place, moves): (&String, &Option<Move>)| {
            let strand = family.strand(place)?;
            Some(PlaceView {
                strand: place.clone(),
                name: strand.name.clone(),
                effect: self.effect(*moves),
            })
        };
        each.filter_map(view).collect()
    }

    pub(crate) fn blocked(&self, test: &Test) -> Option<String> {
        if !gate::allows(self.standing, test) {
            return Some(match self.standing {
                Standing::Asking => {
                    "After the gate: nothing is switched on before every contact is closed.".into()
                }
                Standing::DeadFirst => {
                    "Measured dead first: battery and key stay off until the dead readings are as they should be."
                        .into()
                }
                Standing::Grounded => {
                    "It stands on its driven wheel with the power on: lift it, or confirm that a ride is safe."
                        .into()
                }
                Standing::Stopped => "STOP: isolation and quarantine first.".into(),
                _ => "This pack is in quarantine: only work without it.".into(),
            });
        }
        let limit = self.role.risk_limit(self.model.profile.family.full_volts());
        (test.risk > limit).then(|| {
            if test.risk <= Role::Technician.risk_limit(0.0) {
                "For a technician: ask one to do it.".into()
            } else {
                "For a specialist: refer it, or ask one.".into()
            }
        })
    }

    /// What each outcome would make of the suspects, and what the test tells for its minutes.
    fn explained(&self, candidate: &Candidate, bands: &[Band]) -> TestWhy {
        let now = self.belief.classes(self.model);
        let percent = |p: f64| (p * 100.0).round() as u32;
        let most = |c: usize| bands.iter().map(|b| b.after[c]).fold(now[c], f64::max);
        let moves = |c: &usize| {
            bands
                .iter()
                .any(|b| percent(b.after[*c]) != percent(now[*c]))
        };
        let mut moved: Vec<usize> = (0..now.len()).filter(moves).collect();
        moved.sort_by(|a, b| most(*b).total_cmp(&most(*a)).then(a.cmp(b)));
        moved.truncate(EXPLAINED);
        moved.sort_by(|a, b| now[*b].total_cmp(&now[*a]).then(a.cmp(b)));
        let suspects = moved.into_iter().map(|c| WhySuspect {
            name: self.model.classes[c].name.clone(),
            now: percent(now[c]),
            after: bands.iter().map(|b| percent(b.after[c])).collect(),
        });
        TestWhy {
            words: self.splits(candidate, &now, bands),
            chances: bands.iter().map(|b| percent(b.chance)).collect(),
            suspects: suspects.collect(),
        }
    }

    /// What a test splits from what, in a sentence: the suspect that one of its outcomes raises most, and the one that
    /// another raises most.
    fn splits(&self, candidate: &Candidate, now: &[f64], bands: &[Band]) -> String {
        let raised = |b: &Band| {
            let by = |c: usize| b.after[c] - now[c];
            let most = (0..now.len()).max_by(|x, y| by(*x).total_cmp(&by(*y)).then(y.cmp(x)));
            most.map(|c| (c, by(c))).filter(|m| m.1 > RAISED)
        };
        let mut all: Vec<(usize, f64)> = bands.iter().filter_map(raised).collect();
        all.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        let name = |c: usize| self.model.classes[c].name.to_lowercase();
        let first = all.first().map(|a| a.0);
        let other = all.iter().map(|a| a.0).find(|c| Some(*c) != first);
        let took = format!("in about {:.0} min", candidate.minutes.max(1.0));
        match (first, other) {
            (Some(a), Some(b)) => format!("It splits {} from {}, {took}.", name(a), name(b)),
            (Some(a), None) => format!("It shows whether it is {}, {took}.", name(a)),
            _ => format!("It tells little alone, {took}: what is left is close together."),
        }
    }

    /// The codes that the set-up itself causes, in a sentence.
    fn set_up(&self, state: &VehicleState) -> Option<String> {
        let family = &self.model.profile.family;
        if state.key != Key::On || !family.has("display") {
            return None;
        }
        let each: Vec<String> = family
            .codes_apart(state)
            .map(|(plug, code)| format!("{} apart, a {code} code", plug.name))
            .collect();
        (!each.is_empty()).then(|| {
            format!(
                "{}: expected on the display as it stands, not a fault.",
                each.join("; ")
            )
        })
    }

    /// A card for any test, chosen by hand.
    pub fn card_of(&self, id: &str) -> Option<Card> {
        let k = repertoire::find(&self.model.tests, id)?;
        Some(self.card(&self.candidate(k)))
    }

    /// Any test with what it is worth now.
    pub(crate) fn candidate(&self, test: usize) -> Candidate {
        let (minutes, state_minutes, access_minutes) =
            choose::minutes(self.model, &self.model.tests[test], &self.situation);
        Candidate {
            test,
            gain: choose::gain(&self.model.rows[test], &self.belief.looks(self.model)),
            minutes,
            state_minutes,
            access_minutes,
        }
    }

    fn state_needs(&self, test: &Test) -> Vec<StateNeed> {
        let want = test.state.bring(&self.job.state);
        let missing = test.state.missing(&self.job.state);
        let family = &self.model.profile.family;
        let r = &test.state;
        let mut out = Vec::new();
        let mut add = |field: &str, asked: bool, text: String| {
            let ok = !missing.contains(&field);
            if asked || !ok {
                out.push(StateNeed {
                    field: field.into(),
                    text,
                    ok,
                });
            }
        };
        add(
            "battery",
            r.battery.is_some(),
            format!("Battery {}", want.battery.word()),
        );
        add(
            "key",
            r.key.is_some(),
            format!("{} {}", family.key_name(), want.key.word()),
        );
        add(
            "wheel",
            r.wheel.is_some(),
            match want.wheel.word() {
                "ground" => "Wheel on the ground".into(),
                "turned" => format!("Wheel up, turn it {}", family.turn),
                _ if family.has("twin-motors") => "Driven wheels lifted".into(),
                _ => "Wheel lifted".to_string(),
            },
        );
        add(
            "throttle",
            r.throttle.is_some(),
            format!(
                "Throttle {}",
                match want.throttle.word() {
                    "full" => "open",
                    _ => "released",
                }
            ),
        );
        add(
            "brake",
            r.brake.is_some(),
            format!("Brakes {}", want.brake.word()),
        );
        add(
            "foot",
            r.foot.is_some(),
            match want.foot.word() {
                "down" => "Foot switch pressed".into(),
                _ => "Foot switch released".to_string(),
            },
        );
        add(
            "direction",
            r.direction.is_some(),
            format!("Direction {}", want.direction.word()),
        );
        add(
            "range",
            r.range.is_some(),
            format!("Range {}", want.range.word()),
        );
        add(
            "charger",
            r.charger.is_some(),
            format!(
                "Charger {}",
                match want.charger.word() {
                    "alone" => "on, plug in hand",
                    "plugged" => "plugged in",
                    _ => "away",
                }
            ),
        );
        add(
            "load",
            r.load.is_some(),
            match want.load.word() {
                "feed" => "10 A load on the feed".into(),
                _ => "Load off".to_string(),
            },
        );
        let name = |p: &String| {
            self.model
                .profile
                .family
                .plug(p)
                .map_or(p.clone(), |x| x.name.clone())
        };
        let plugs: Vec<String> = want
            .apart
            .iter()
            .filter(|p| *p != "dock")
            .map(name)
            .collect();
        add(
            "plugs",
            !plugs.is_empty(),
            if plugs.is_empty() {
                "All plugs joined".into()
            } else {
                format!("{} apart", plugs.join(", "))
            },
        );
        out
    }

    fn face(&self, f: &Face) -> Option<FaceView> {
        let plug = self.model.profile.family.plug(&f.plug)?;
        Some(FaceView {
            plug: f.plug.clone(),
            name: plug.name.clone(),
            shape: plug.face.clone(),
            pins: self.pins(&f.plug),
            red: f.red_pin,
            black: f.black_pin,
            joined: f.joined,
            harness_half: f.harness_half,
        })
    }

    /// Pins of a plug, the empty ones too.
    pub(super) fn pins(&self, plug: &str) -> Vec<FacePin> {
        let family = &self.model.profile.family;
        let wires = || {
            let here = family.strands.iter().filter(|s| s.plug == plug);
            here.flat_map(|s| &s.wires)
        };
        let last = family.plug(plug).map_or(0, |p| p.pins);
        (1..=last)
            .map(|pin| {
                let wire = wires().find(|w| w.pin == pin);
                FacePin {
                    pin,
                    code: wire.map(|w| w.code.clone()),
                    lead_code: wire.and_then(|w| w.lead_code.clone()),
                    function: wire.map(|w| w.function.clone()),
                }
            })
            .collect()
    }

    /// Where the tips go, in words, and what lies between them.
    fn tips(&self, test: &Test) -> (String, String, String) {
        let Kind::Probe(p) = &test.kind else {
            return (String::new(), String::new(), String::new());
        };
        if p.element.is_some() {
            return (
                "clamp".into(),
                "clamp".into(),
                "Clamp around the lead, arrow away from the pack".into(),
            );
        }
        if p.groups {
            return (
                "tap".into(),
                "tap".into(),
                "Each group at the balance plug: type lowest..highest".into(),
            );
        }
        let family = &self.model.profile.family;
        let words = |node: usize| -> (String, Option<String>) {
            let name = &self.model.net.nodes[node];
            let mut parts = name.split('.');
            let strand = parts.next().and_then(|s| family.strand(s));
            let pin: Option<u8> = parts.next().and_then(|p| p.parse().ok());
            if let (Some(strand), Some(pin)) = (strand, pin) {
                // the colour of the half that is touched
                let wire = strand.wires.iter().find(|w| w.pin == pin);
                let device = parts.next() == Some("d");
                let code = wire.map(|w| if device { w.beyond() } else { &w.code });
                return (pin.to_string(), code.map(str::to_owned));
            }
            (place_words(family, name), None)
        };
        let (red, red_code) = words(p.pair.red);
        let (black, black_code) = words(p.pair.black);
        let what = match (red_code, black_code) {
            (Some(a), Some(b)) => format!("{}, wire {a} to wire {b}", test.name),
            _ => test.name.clone(),
        };
        (red, black, what)
    }
}

/// First words of a class name, for under a band.
fn short(name: &str) -> String {
    let mut out = String::new();
    for word in name.split_whitespace() {
        if out.chars().count() + word.chars().count() > 22 {
            break;
        }
        if !out.is_empty() {
            out.push(' ');
        }
        out.push_str(word);
    }
    out
}

fn meter_words(test: &Test) -> String {
    match &test.kind {
        Kind::Procedure { .. } => String::new(),
        Kind::Probe(p) => match (p.mode, p.shunt_ohms) {
            (spannung_circuit::Mode::Volts, Some(ohms)) => {
                format!(
                    "volts, {} across the tips",
                    reading::show_text(ohms, Unit::Ohms)
                )
            }
            (spannung_circuit::Mode::Volts, None) => "volts DC".into(),
            (spannung_circuit::Mode::Ohms, _) => "ohms, leads nulled".into(),
            (spannung_circuit::Mode::Milliohms, _) => "milliohms, four wires".into(),
            (spannung_circuit::Mode::Diode, _) => "diode range".into(),
            (spannung_circuit::Mode::Amps, _) => "amps, clamp zeroed".into(),
        },
    }
}

/// Points that are no pin of a plug, in the family's words.
fn place_words(family: &Family, node: &str) -> String {
    family.points.get(node).cloned().unwrap_or_else(|| {
        let tap = node
            .strip_prefix(['C', 'K'])
            .and_then(|n| n.parse::<usize>().ok());
        tap.map_or_else(|| "wire end".into(), |n| format!("tap {n}"))
    })
}
