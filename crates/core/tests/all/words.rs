//! What is heard in complaints, against labels that were written before any rule: half of the corpus was read while the
//! words were tuned, the other half never.

use crate::common::{catalogue, family};
use spannung_circuit::Family;
use spannung_core::catalogue::fnv;
use spannung_core::hearing::{self, Heard};
use std::collections::BTreeSet;

const CORPUS: &str = include_str!("../corpus/complaints.txt");
/// Written while the words were tuned: keeps what was learnt.
const MORE: &str = include_str!("../corpus/more.txt");

/// A labelled complaint.
struct Complaint {
    words: &'static str,
    family: &'static Family,
    /// Any of these is the main symptom; empty when nothing of the list is said.
    main: Vec<&'static str>,
    /// Everything that is said, or may be heard as well.
    said: BTreeSet<&'static str>,
    denied: BTreeSet<&'static str>,
}

fn corpus(text: &'static str) -> Vec<Complaint> {
    let lines = text
        .lines()
        .filter(|l| !l.trim().is_empty() && !l.starts_with('#'));
    let read = |line: &'static str| {
        let mut parts = line.splitn(3, '|').map(str::trim);
        let (labels, kind, words) = (parts.next()?, parts.next()?, parts.next()?);
        let family = family(match kind {
            "b" => "gh48",
            "s" => "ssb36",
            "m" => "db72",
            "t" => "rt12",
            _ => return None,
        });
        let mut main = Vec::new();
        let mut said = BTreeSet::new();
        let mut denied = BTreeSet::new();
        for (k, label) in labels.split_whitespace().enumerate() {
            if let Some(id) = label.strip_prefix('-') {
                denied.insert(id);
                continue;
            }
            let ids: Vec<&str> = label.trim_start_matches('?').split('/').collect();
            if k == 0 && label != "none" {
                main.clone_from(&ids);
            }
            said.extend(ids);
        }
        Some(Complaint {
            words,
            family,
            main,
            said,
            denied,
        })
    };
    lines
        .map(|l| read(l).unwrap_or_else(|| panic!("not a line of the corpus: {l}")))
        .collect()
}

/// Is it of the half that nobody looks at?
fn sealed(c: &Complaint) -> bool {
    fnv(c.words.bytes()) % 2 == 1
}

#[derive(Default, Debug)]
struct Score {
    complaints: usize,
    main_heard: usize,
    heard: usize,
    right: usize,
    denials: usize,
    denials_heard: usize,
    denials_wrong: usize,
    misses: Vec<String>,
}

fn score(of: impl Iterator<Item = Complaint>) -> Score {
    let mut s = Score::default();
    for c in of {
        let heard = hearing::hear(catalogue(), c.words, Some(c.family));
        let signs: Vec<&Heard> = heard
            .iter()
            .filter(|h| catalogue().symptom(&h.id).is_some())
            .collect();
        let yes: BTreeSet<&str> = signs
            .iter()
            .filter(|h| h.yes)
            .map(|h| h.id.as_str())
            .collect();
        let no: BTreeSet<&str> = signs
            .iter()
            .filter(|h| !h.yes)
            .map(|h| h.id.as_str())
            .collect();
        let right = yes.iter().filter(|id| c.said.contains(*id)).count();
        s.heard += yes.len();
        s.right += right;
        s.denials += c.denied.iter().filter(|d| d.starts_with('S')).count();
        s.denials_heard += no.iter().filter(|d| c.denied.contains(*d)).count();
        s.denials_wrong += no.iter().filter(|d| c.said.contains(*d)).count();
        let found = c.main.is_empty() || c.main.iter().any(|m| yes.contains(m));
        if !c.main.is_empty() {
            s.complaints += 1;
            s.main_heard += usize::from(found);
        }
        if !found || right < yes.len() {
            s.misses
                .push(format!("{:?} heard {yes:?}: {}", c.main, c.words));
        }
    }
    s
}

impl Score {
    fn recall(&self) -> f64 {
        self.main_heard as f64 / self.complaints as f64
    }
    fn precision(&self) -> f64 {
        self.right as f64 / self.heard as f64
    }
    fn told(&self, name: &str) {
        println!(
            "{name}: main heard {}/{} = {:.3}, heard ones right {}/{} = {:.3}, denials {}/{} ({} wrong)",
            self.main_heard,
            self.complaints,
            self.recall(),
            self.right,
            self.heard,
            self.precision(),
            self.denials_heard,
            self.denials,
            self.denials_wrong
        );
    }
}

#[test]
fn the_main_symptom_is_heard_and_what_is_heard_is_right() {
    let all = corpus(CORPUS);
    assert!(all.len() >= 800, "{}", all.len());
    let (unseen, open): (Vec<_>, Vec<_>) = all.into_iter().partition(sealed);
    let open = score(open.into_iter());
    let unseen = score(unseen.into_iter());
    let more = score(corpus(MORE).into_iter());
    more.told("learnt");
    assert!(
        more.recall() >= 0.85 && more.precision() >= 0.92,
        "{:?}",
        more.misses
    );
    open.told("open half");
    unseen.told("unseen half");
    for (name, half) in [("open", &open), ("unseen", &unseen)] {
        assert!(half.recall() >= 0.85, "{name} {:.3}", half.recall());
        assert!(half.precision() >= 0.92, "{name} {:.3}", half.precision());
        assert_eq!(
            half.denials_wrong, 0,
            "{name}: a complaint taken for its denial"
        );
    }
}

fn heard(words: &str, family_id: &str) -> Vec<(String, bool)> {
    let found = hearing::hear(catalogue(), words, Some(family(family_id)));
    found.into_iter().map(|h| (h.id, h.yes)).collect()
}

/// The words that were heard wrongly before: a part of another word, what works, what belongs to something else.
#[test]
fn what_was_heard_wrongly_is_not() {
    let has =
        |words: &str, family: &str, id: &str| heard(words, family).iter().any(|h| h.0 == id && h.1);
    assert!(!has("The seat is new, it is slow", "gh48", "R"));
    assert!(!has("Nothing lights up", "gh48", "S31"));
    assert!(has("Nothing lights up", "gh48", "S01"));
    assert!(!has("When I hit the brakes it squeaks", "gh48", "C"));
    assert!(!has("The throttle is fine", "gh48", "S03"));
    assert!(has("It only works in reverse", "rt12", "S40"));
    assert!(!has("It only works in reverse", "rt12", "S10"));
    assert!(has("The headlight is dead, the bike is not", "gh48", "S31"));
    assert!(!has(
        "The headlight is dead, the bike is not",
        "gh48",
        "S01"
    ));
    // one of two motors, on a scooter that has two
    for words in [
        "It pulls only at the back wheel",
        "Only the rear motor works",
        "The front motor is dead",
    ] {
        assert!(has(words, "tm52", "S41"), "{words}");
        assert!(!has(words, "ks36", "S41"), "{words}");
    }
    assert!(!has("Only the rear brake works", "tm52", "S41"));
    // signs that do not fit the vehicle are not heard on it
    assert!(has("The regen is gone", "db72", "S37"));
    assert!(!has("The regen is gone", "gh48", "S37"));
}

/// The bytes that are underlined are words of the sentence, in order, whatever is typed.
#[test]
fn what_is_underlined_stands_in_the_sentence() {
    let odd = [
        "",
        " ",
        "…",
        "’’’",
        "it's dead\u{0}",
        "émotion 🚲 tot, dead 🚲 dead",
        "DEAD!!!",
        "won’t charge",
        "a-b-c dead-",
    ];
    let long = "it cuts out uphill and smells burnt ".repeat(60);
    let all = corpus(CORPUS)
        .into_iter()
        .map(|c| c.words)
        .chain(odd)
        .chain([long.as_str()]);
    for words in all.collect::<Vec<_>>() {
        for h in hearing::hear(catalogue(), words, None) {
            assert!(!h.spans.is_empty(), "{words}");
            let mut end = 0;
            for (a, b) in &h.spans {
                assert!(
                    *a >= end && a < b && words.get(*a..*b).is_some(),
                    "{words}: {h:?}"
                );
                end = *b;
            }
        }
    }
}

/// Each rule names the sentence that it is for, and that sentence makes it be heard.
#[test]
fn every_rule_hears_the_sentence_that_it_is_for() {
    let mut deaf = Vec::new();
    for rule in &catalogue().hearing.rules {
        for id in rule.says.iter().filter(|s| !s.starts_with('=')) {
            let fits = |f: &&Family| {
                let sign = catalogue().symptom(id.trim_start_matches('-'));
                f.fits(&rule.fits) && sign.is_none_or(|s| f.fits(&s.fits))
            };
            let f = catalogue().families.iter().find(fits).unwrap();
            let all = hearing::hear(catalogue(), &rule.sentence, Some(f));
            let told = match id.strip_prefix('-') {
                Some(id) => all.iter().any(|h| h.id == id && !h.yes),
                None => all.iter().any(|h| &h.id == id && h.yes),
            };
            if !told {
                let heard: Vec<_> = all.iter().map(|h| (&h.id, h.yes)).collect();
                deaf.push(format!("{id}: “{}” heard as {heard:?}", rule.sentence));
            }
        }
    }
    assert!(deaf.is_empty(), "{}", deaf.join("\n"));
}

/// Of vehicles with the same volts and drive the one that its owner names; nothing is said by what both are called, nor against the
/// likeliest by a word that it goes by as well.
#[test]
fn what_the_owner_calls_it_chooses_among_vehicles_that_look_alike() {
    let called = |words: &str, volts: u16, drive: &str| {
        let family = hearing::called(catalogue(), words, volts, drive);
        family.map(|f| f.id.as_str())
    };
    for (words, volts, drive, family) in [
        (
            "His scooter does not switch on",
            48,
            "direct-hub",
            Some("ks36-48"),
        ),
        ("E-bike, does not switch on", 48, "direct-hub", None),
        (
            "Scooter: of the two motors one is dead",
            48,
            "direct-hub",
            Some("tm52"),
        ),
        (
            "Tricycles like mine are slow, says the neighbour",
            60,
            "chain",
            Some("tw60"),
        ),
        ("QUAD!! no go", 36, "chain", Some("lq36")),
        ("The moped is dead", 36, "chain", None),
        ("Does not switch on", 48, "direct-hub", None),
        ("scooter", 48, "other", None),
        ("", 48, "direct-hub", None),
    ] {
        assert_eq!(called(words, volts, drive), family, "{words}");
    }
}
