//! What a customer's sentence says: which signs are told, which are denied, and by which words.
//!
//! A sentence is parted into clauses ([`tokens`]); words and phrases become ideas ([`lexicon`]: a part, a state, something
//! that happens), each affirmed or denied where it stands. A rule says what ideas together in a clause, or over the whole
//! text, mean. Words, rules and the sentence that each rule is for are data: `data/hearing.toml`.

mod lexicon;
mod tokens;

pub use lexicon::Lexicon;

use crate::catalogue::Catalogue;
use lexicon::{Item, Rule, Scope, Want};
use spannung_circuit::Family;
use std::collections::{BTreeMap, BTreeSet};
use tokens::{Clause, Idea, Text};

/// A sign or risk factor that was heard.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heard {
    /// Symptom or risk factor.
    pub id: String,
    /// Told, or denied.
    pub yes: bool,
    /// Bytes of the sentence that told it, in order.
    pub spans: Vec<(usize, usize)>,
}

impl Heard {
    /// The places of the words in UTF-16 units, as a page counts them.
    pub fn utf16(&self, words: &str) -> Vec<(usize, usize)> {
        let units = |at: usize| words[..at].encode_utf16().count();
        self.spans
            .iter()
            .map(|s| (units(s.0), units(s.1)))
            .collect()
    }
}

/// The symptoms that a vehicle comes in with most often, by the weights of its faults and how often each is told, the
/// commonest first; for a vehicle without a wiring model by all groups together.
pub fn commonest(catalogue: &Catalogue, family: Option<&Family>, most: usize) -> Vec<String> {
    let mut told: BTreeMap<&str, f64> = BTreeMap::new();
    for prior in catalogue.priors.values() {
        let weight = match family {
            Some(f) => prior.weight.get(&f.group).copied().unwrap_or(0.0),
            None => prior.weight.values().sum(),
        };
        for (symptom, p) in &prior.symptoms {
            *told.entry(symptom).or_default() += weight * p;
        }
    }
    let fits = |id: &&str| {
        let sign = catalogue.symptom(id);
        sign.is_some_and(|s| !s.ask.is_empty() && family.is_none_or(|f| f.fits(&s.fits)))
    };
    let mut order: Vec<&str> = told.keys().copied().filter(fits).collect();
    order.sort_by(|a, b| told[b].total_cmp(&told[a]).then(a.cmp(b)));
    order.into_iter().take(most).map(Into::into).collect()
}

/// Of what is on the road with these volts and this drive, what the words speak of: its owner calls it so. None when they speak
/// of the likeliest, or of none more than of it.
pub fn called<'a>(
    catalogue: &'a Catalogue,
    words: &str,
    volts_class: u16,
    drive: &str,
) -> Option<&'a Family> {
    let stems = |text: &str| -> Vec<String> {
        let words = tokens::words_of(text).into_iter();
        words.map(|w| lexicon::stem(&w)).collect()
    };
    let said = stems(words);
    let spoken = |family: &Family| -> usize {
        let phrases = family.build.called.iter().map(|p| stems(p));
        let there = phrases.filter(|p| said.windows(p.len()).any(|w| w == p.as_slice()));
        there.map(|p| p.len()).sum()
    };
    let mut such = catalogue.on_road(volts_class, drive);
    let mut best = (spoken(such.next()?), None);
    for other in such {
        let words = spoken(other);
        if words > best.0 {
            best = (words, Some(other));
        }
    }
    best.1
}

/// Where the ideas of something heard stand: indices of tokens.
type Told = BTreeSet<usize>;

/// Everything heard in a customer's words, symptoms and risk factors, what stands first in the text first. With a family,
/// only what such a vehicle can show.
pub fn hear(catalogue: &Catalogue, words: &str, family: Option<&Family>) -> Vec<Heard> {
    let lexicon = &catalogue.hearing;
    let text = Text::read(lexicon, words);
    let fits = |rule: &&Rule| rule.fits.is_empty() || family.is_none_or(|f| f.fits(&rule.fits));
    let mut facts: BTreeMap<&str, Told> = BTreeMap::new();
    let mut found: BTreeMap<(&str, bool), Told> = BTreeMap::new();
    let rules = || lexicon.rules.iter().filter(fits);
    for clause in &text.clauses {
        for rule in rules().filter(|r| r.scope == Scope::Clause) {
            if let Some(told) = holds_in(rule, clause) {
                note(rule, told, &mut facts, &mut found);
            }
        }
    }
    let all: Vec<&Idea> = text.clauses.iter().flat_map(|c| &c.ideas).collect();
    for rule in rules().filter(|r| r.scope == Scope::Text) {
        if let Some(told) = together(rule, &all, &facts) {
            note(rule, told, &mut facts, &mut found);
        }
    }
    // what says the same more exactly takes the place of the other; what is told is not denied as well
    let can_show = |id: &str| match (catalogue.symptom(id), family) {
        (Some(s), Some(f)) => f.fits(&s.fits),
        _ => true,
    };
    let told: BTreeSet<&str> = found
        .keys()
        .filter(|(id, yes)| *yes && can_show(id))
        .map(|k| k.0)
        .collect();
    let hidden = |id: &str| {
        let mut by = lexicon
            .hides
            .iter()
            .filter(|h| told.contains(h.sign.as_str()));
        by.any(|h| h.hides.iter().any(|x| x == id))
    };
    let mut out: Vec<(usize, Heard)> = found
        .into_iter()
        .filter(|((id, yes), _)| can_show(id) && !hidden(id) && (*yes || !told.contains(id)))
        .map(|((id, yes), told)| {
            let first = told.first().copied().unwrap_or(0);
            let heard = Heard {
                id: id.into(),
                yes,
                spans: text.spans(&told),
            };
            (first, heard)
        })
        .collect();
    out.sort_by(|a, b| (!a.1.yes, a.0, &a.1.id).cmp(&(!b.1.yes, b.0, &b.1.id)));
    out.into_iter().map(|o| o.1).collect()
}

fn note<'a>(
    rule: &'a Rule,
    told: Told,
    facts: &mut BTreeMap<&'a str, Told>,
    found: &mut BTreeMap<(&'a str, bool), Told>,
) {
    for says in &rule.says {
        if let Some(fact) = says.strip_prefix('=') {
            facts.entry(fact).or_default().extend(&told);
        } else if let Some(id) = says.strip_prefix('-') {
            found.entry((id, false)).or_default().extend(&told);
        } else {
            found.entry((says, true)).or_default().extend(&told);
        }
    }
}

/// Does one of these ideas fit the item?
fn fitting<'a>(item: &Item, ideas: &[&'a Idea]) -> Option<&'a Idea> {
    let fits = |idea: &&&Idea| {
        item.any.iter().any(|(concept, want)| {
            *concept == idea.concept
                && match want {
                    Want::Affirmed => !idea.denied,
                    Want::Denied => idea.denied,
                    Want::Either => true,
                }
        })
    };
    ideas.iter().find(fits).copied()
}

fn holds_in(rule: &Rule, clause: &Clause) -> Option<Told> {
    let ideas: Vec<&Idea> = clause.ideas.iter().collect();
    together(rule, &ideas, &BTreeMap::new())
}

/// The tokens of a rule's items, when all of them are there and none of those that it must not meet.
fn together(rule: &Rule, ideas: &[&Idea], facts: &BTreeMap<&str, Told>) -> Option<Told> {
    let mut told = Told::new();
    let mut after = 0;
    for item in &rule.all {
        if let Some(fact) = item.facts.iter().find_map(|f| facts.get(f.as_str())) {
            told.extend(fact);
            continue;
        }
        let left: Vec<&Idea> = if rule.in_order {
            ideas
                .iter()
                .filter(|i| i.tokens.start >= after)
                .copied()
                .collect()
        } else {
            ideas.to_vec()
        };
        let idea = fitting(item, &left)?;
        after = idea.tokens.end;
        told.extend(idea.tokens.clone());
    }
    let met = |item: &Item| {
        item.facts.iter().any(|f| facts.contains_key(f.as_str())) || fitting(item, ideas).is_some()
    };
    (!rule.none.iter().any(met)).then_some(told)
}
