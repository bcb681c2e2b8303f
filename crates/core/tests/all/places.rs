//! Looks that go over several places: what was seen, and where.

use crate::common::{self, Log, catalogue, test_item, told};
use spannung_circuit::VehicleState;
use spannung_core::diagnosis::column::{Column, Places};
use spannung_core::diagnosis::{Answer, Belief, Kind, Model, repertoire};
use spannung_core::job::bench::Weighed;
use spannung_core::job::entry::{self, Body, Role};

const CONTACTS: &str = "t-contacts";

/// What a look goes over on a vehicle, by its test.
struct Look<'a> {
    model: &'a Model,
    test: usize,
    outcomes: &'a [(String, String)],
    strands: &'a [String],
    places: &'a Places,
}

fn looks(model: &Model) -> Vec<Look<'_>> {
    let each = model.tests.iter().enumerate();
    let look = |(test, spec): (usize, &'_ repertoire::Test)| -> Option<usize> {
        match &spec.kind {
            Kind::Procedure { places, .. } if !places.is_empty() => Some(test),
            _ => None,
        }
    };
    each.filter_map(look).map(|test| of(model, test)).collect()
}

fn of(model: &Model, test: usize) -> Look<'_> {
    let (
        Kind::Procedure {
            outcomes,
            places: strands,
            ..
        },
        Column::Outcomes { places, .. },
    ) = (&model.tests[test].kind, &*model.columns[test])
    else {
        panic!("{} is no look", model.tests[test].id)
    };
    Look {
        model,
        test,
        outcomes,
        strands,
        places,
    }
}

fn contacts(model: &Model) -> Look<'_> {
    of(model, repertoire::find(&model.tests, CONTACTS).unwrap())
}

impl Look<'_> {
    fn value(&self, id: &str) -> usize {
        self.outcomes.iter().position(|o| o.0 == id).unwrap()
    }

    fn strand(&self, id: &str) -> usize {
        self.strands.iter().position(|s| s == id).unwrap()
    }

    /// Share of a case once all of these were seen.
    fn share(&self, case: &str, seen: &[Answer]) -> f64 {
        let each = seen.iter().map(|a| test_item(self.test, a.clone()));
        let evidence: Vec<_> = std::iter::once(told("S05")).chain(each).collect();
        let belief = Belief::of(self.model, &evidence);
        let k = self.model.cases.iter().position(|c| c.key == case);
        belief.shares[k.unwrap_or_else(|| panic!("there is no case {case}"))]
    }
}

#[test]
fn a_loose_pin_at_one_plug_speaks_for_that_plug_and_against_the_others() {
    let look = contacts(common::model("gh48"));
    let loose = look.value("loose");
    let (here, there) = ("har-pin-open:throttle.3.pin", "har-pin-open:pedal.3.pin");
    let odds = |place| {
        let seen = [Answer::Outcome(loose, place)];
        look.share(here, &seen) / look.share(there, &seen)
    };
    let times = odds(Some(look.strand("throttle"))) / odds(None);
    // Six small plugs. Who sees what is there names the right one in 0.9, any of the six in the rest; so the right plug has
    // 0.9 + 0.1/6 = 0.917, another 0.1/6 = 0.017. One in eighty of such answers is imagined (0.01 of 0.8), and is said of
    // any plug: 0.907 against 0.019.
    assert!((30.0..60.0).contains(&times), "{times}");
    let against = odds(Some(look.strand("pedal"))) / odds(None);
    assert!((against * times - 1.0).abs() < 0.05, "{against} {times}");
}

#[test]
fn what_shows_nothing_at_the_plugs_is_not_moved_by_where() {
    let look = contacts(common::model("gh48"));
    let green = look.value("green");
    let odds = |place| {
        let seen = [Answer::Outcome(green, place)];
        look.share("ctl-15v-dead", &seen) / look.share("ctl-mcu-dead", &seen)
    };
    let lamp = odds(Some(look.strand("lamp")));
    assert!((lamp / odds(None) - 1.0).abs() < 1e-9, "{lamp}");
}

#[test]
fn the_same_plug_named_twice_is_one_fact() {
    let look = contacts(common::model("gh48"));
    let loose = look.value("loose");
    let at = |place: &str| Answer::Outcome(loose, Some(look.strand(place)));
    let case = "har-pin-open:throttle.3.pin";
    let odds = |seen: &[Answer]| {
        let p = look.share(case, seen);
        p / (1.0 - p)
    };
    let again = odds(&[at("throttle"), at("throttle")]) / odds(&[at("throttle")]);
    let without = odds(&[at("throttle"), Answer::Outcome(loose, None)]) / odds(&[at("throttle")]);
    assert!((again / without - 1.0).abs() < 1e-9, "{again} {without}");
    // another plug named at the second look takes back what the first had said
    assert!(odds(&[at("throttle"), at("pedal")]) < 0.2 * odds(&[at("throttle")]));
}

#[test]
fn every_row_of_places_sums_to_its_outcome() {
    for model in common::models() {
        for look in looks(model) {
            let Column::Outcomes { cases, healthy, .. } = &*model.columns[look.test] else {
                panic!()
            };
            let rows = &model.rows[look.test];
            for (k, row) in cases.iter().enumerate() {
                let spread = look.places.spread(Some(k), row, healthy);
                assert_eq!(spread.len(), rows.healthy.len());
                for (outcome, chance) in row.iter().enumerate() {
                    let sum: f64 = spread[look.places.cells(outcome)].iter().sum();
                    assert!(
                        (sum - chance).abs() < 1e-12,
                        "{}",
                        model.tests[look.test].id
                    );
                }
            }
        }
    }
}

#[test]
fn whatever_a_look_finds_sits_at_a_place_that_it_goes_over_or_at_none() {
    for model in common::models() {
        let family = &model.profile.family;
        for look in looks(model) {
            assert!(look.strands.iter().all(|s| family.strand(s).is_some()));
            let Kind::Procedure { sign, .. } = &model.tests[look.test].kind else {
                panic!()
            };
            for (k, case) in model.cases.iter().enumerate() {
                let shows = case.signs.contains_key(sign) && case.strand.is_some();
                assert!(
                    !shows || !look.places.of[k].is_empty(),
                    "{}: {} shows {sign} where nobody looks",
                    family.id,
                    case.key
                );
            }
        }
    }
}

fn seen(outcome: &str, place: Option<&str>) -> Body {
    Body::Check(entry::Check {
        test: CONTACTS.into(),
        outcome: outcome.into(),
        place: place.map(Into::into),
        minutes: 2.0,
    })
}

fn bench<T>(log: &Log, see: impl Fn(&Weighed<'_>) -> T) -> T {
    let job = log.job();
    let mut none = |_: usize, _: &VehicleState| None;
    let model = common::model("gh48");
    see(&Weighed::new(
        catalogue(),
        model,
        &job,
        Role::Technician,
        &mut none,
    ))
}

fn opened() -> Log {
    let mut log = Log::with_pack();
    log.clear_gate();
    log
}

#[test]
fn a_place_that_is_none_is_refused_with_a_sentence() {
    let log = opened();
    let refusal = |outcome: &str, place: &str| {
        let body = seen(outcome, Some(place));
        bench(&log, |w| w.admit(&body)).unwrap_err().to_string()
    };
    for (outcome, place, says) in [
        ("loose", "left-motor", "does not go over “left-motor”"),
        ("loose", "", "does not go over “”"),
        ("loose", "dock", "does not go over “dock”"),
        ("clean", "throttle", "“clean” is seen nowhere"),
        ("cannot-tell", "throttle", "“cannot-tell” is seen nowhere"),
    ] {
        let said = refusal(outcome, place);
        assert!(said.contains(says), "{outcome} at {place}: {said}");
    }
    for body in [seen("loose", Some("throttle")), seen("loose", None)] {
        bench(&log, |w| w.admit(&body)).unwrap();
    }
}

#[test]
fn the_place_stands_on_the_tile_and_an_older_answer_has_none() {
    let mut log = opened();
    log.add(seen("loose", Some("throttle")));
    log.add(seen("loose", None));
    let values: Vec<String> = bench(&log, |w| {
        w.bench().evidence.iter().map(|t| t.value.clone()).collect()
    });
    assert_eq!(values, ["pin loose: throttle", "pin loose"]);
    let older = r#"{"kind":"check","test":"t-contacts","outcome":"loose","minutes":2.0}"#;
    let read: Body = serde_json::from_str(older).unwrap();
    assert_eq!(read, seen("loose", None));
    assert_eq!(serde_json::to_string(&read).unwrap(), older);
}

#[test]
fn a_card_says_what_each_place_would_do() {
    let log = opened();
    let card = bench(&log, |w| w.card_of(CONTACTS)).unwrap();
    let [clean, .., loose, _] = &card.bands[..] else {
        panic!("{:?}", card.bands)
    };
    assert!(clean.places.is_empty());
    let names: Vec<&str> = loose.places.iter().map(|p| p.strand.as_str()).collect();
    assert_eq!(
        names,
        [
            "brake-left",
            "brake-right",
            "throttle",
            "pedal",
            "display",
            "lamp"
        ]
    );
    let throttle = &loose.places[2];
    assert!(
        throttle.effect.starts_with("Throttle plug"),
        "{}",
        throttle.effect
    );
}
