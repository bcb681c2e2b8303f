//! Words, what they stand for, and what they mean together. From `data/hearing.toml`.

use rust_stemmers::{Algorithm, Stemmer};
use serde::Deserialize;
use spannung_circuit::CircuitError;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use toml::Spanned;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    deny: String,
    cut: String,
    join: String,
    common: String,
    opposite: BTreeMap<String, String>,
    part: BTreeMap<String, String>,
    state: BTreeMap<String, String>,
    rule: Vec<RuleText>,
    #[serde(default)]
    hides: Vec<Hides>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct RuleText {
    says: Spanned<String>,
    all: Vec<String>,
    #[serde(default)]
    none: Vec<String>,
    #[serde(default)]
    fits: Vec<String>,
    #[serde(default)]
    text: bool,
    #[serde(default)]
    ordered: bool,
    /// The sentence that it is for.
    #[serde(rename = "for")]
    sentence: String,
}

/// A sign that says the same as others, more exactly.
#[derive(Debug, Clone, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Hides {
    /// When this is told …
    pub sign: String,
    /// … these are not heard.
    pub hides: Vec<String>,
}

/// Where the items of a rule stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scope {
    /// In one clause.
    Clause,
    /// Anywhere in the text.
    Text,
}

/// How an idea has to stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Want {
    /// Said.
    Affirmed,
    /// Denied.
    Denied,
    /// Either.
    Either,
}

/// One of these has to be there.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Item {
    /// Concepts.
    pub any: Vec<(usize, Want)>,
    /// Facts that other rules found.
    pub facts: Vec<String>,
}

/// What ideas mean together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Rule {
    /// Symptoms, risk factors, `-` before one that is denied, `=` before a fact for other rules.
    pub says: Vec<String>,
    /// All of these.
    pub all: Vec<Item>,
    /// None of these.
    pub none: Vec<Item>,
    /// Traits of the vehicles that it holds for.
    pub fits: Vec<String>,
    /// Where.
    pub scope: Scope,
    /// In this order.
    pub in_order: bool,
    /// The sentence that it is for.
    pub sentence: String,
}

/// A word or phrase, by the stems of its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Phrase {
    /// Stems.
    pub stems: Vec<String>,
    /// What it stands for.
    pub concept: usize,
}

/// Everything that is understood.
#[derive(Debug, Clone)]
pub struct Lexicon {
    /// Names of the concepts.
    pub concepts: Vec<String>,
    /// Is it a part, which says nothing by itself?
    pub is_part: Vec<bool>,
    /// What a denied concept is instead.
    pub opposite: HashMap<usize, usize>,
    /// Phrases by the stem they begin with, the longest first.
    pub phrases: HashMap<String, Vec<Phrase>>,
    /// Words that deny what follows.
    pub deny: HashSet<String>,
    /// Words at which a clause ends.
    pub cut: HashSet<String>,
    /// Words at which it ends when something was said before.
    pub join: HashSet<String>,
    /// Stems that are known, so that they are no slip.
    pub known: HashSet<String>,
    /// Words that a slip may have been meant for, by first letter.
    pub slips: HashMap<char, Vec<String>>,
    /// Rules in order.
    pub rules: Vec<Rule>,
    /// What hides what.
    pub hides: Vec<Hides>,
}

/// The stem of a word in lower case.
pub fn stem(word: &str) -> String {
    Stemmer::create(Algorithm::English).stem(word).into_owned()
}

/// Words of a list, parted by commas or white space.
fn list(text: &str, part: &[char]) -> impl Iterator<Item = String> {
    let words: Vec<String> = text.split(part).map(|w| w.trim().to_lowercase()).collect();
    words.into_iter().filter(|w| !w.is_empty())
}

impl Lexicon {
    /// Read and check. `known` says whether a symptom or risk factor exists.
    ///
    /// # Errors
    /// File and line of the first thing wrong.
    pub fn parse(
        name: &str,
        text: &str,
        known: &dyn Fn(&str) -> bool,
    ) -> Result<Self, CircuitError> {
        let file: File = toml::from_str(text).map_err(|e| CircuitError::toml(name, text, &e))?;
        let parts = file.part.iter().map(|p| (p, true));
        let named: Vec<_> = parts.chain(file.state.iter().map(|s| (s, false))).collect();
        let concepts: Vec<String> = named.iter().map(|n| n.0.0.clone()).collect();
        let place = |word: &str| concepts.iter().position(|c| c == word);
        let mut phrases: HashMap<String, Vec<Phrase>> = HashMap::new();
        let mut vocabulary: BTreeSet<String> = BTreeSet::new();
        for (concept, ((_, words), _)) in named.iter().enumerate() {
            for phrase in list(words, &[',', '\n']) {
                let parts: Vec<String> = super::tokens::words_of(&phrase);
                vocabulary.extend(parts.iter().cloned());
                let stems: Vec<String> = parts.iter().map(|w| stem(w)).collect();
                if let Some(first) = stems.first() {
                    let all = phrases.entry(first.clone()).or_default();
                    all.push(Phrase { stems, concept });
                }
            }
        }
        for all in phrases.values_mut() {
            all.sort_by_key(|p| std::cmp::Reverse(p.stems.len()));
        }
        let set = |text: &str| list(text, &[',', ' ', '\n']).collect::<HashSet<String>>();
        let (deny, cut, join, common) = (
            set(&file.deny),
            set(&file.cut),
            set(&file.join),
            set(&file.common),
        );
        let spoken = vocabulary
            .iter()
            .chain(&common)
            .chain(&deny)
            .chain(&cut)
            .chain(&join);
        let known_stems: HashSet<String> = spoken.map(|w| stem(w)).collect();
        let mut slips: HashMap<char, Vec<String>> = HashMap::new();
        for word in vocabulary
            .iter()
            .filter(|w| w.chars().count() >= SHORTEST_SLIP - 1)
        {
            if let Some(first) = word.chars().next() {
                slips.entry(first).or_default().push(word.clone());
            }
        }
        let at = |offset: usize, m: String| CircuitError::at(name, text, offset, m);
        let mut opposite = HashMap::new();
        for (a, b) in &file.opposite {
            match (place(a), place(b)) {
                (Some(a), Some(b)) => opposite.insert(a, b),
                _ => return Err(at(0, format!("opposite: there is no idea “{a}” or “{b}”"))),
            };
        }
        let facts: BTreeSet<String> = file
            .rule
            .iter()
            .flat_map(|r| r.says.get_ref().split(' '))
            .filter_map(|s| s.strip_prefix('='))
            .map(Into::into)
            .collect();
        let item = |start: usize, text: &String| -> Result<Item, CircuitError> {
            let mut item = Item::default();
            for word in text.split('|') {
                if let Some(fact) = word.strip_prefix('=') {
                    if !facts.contains(fact) {
                        return Err(at(start, format!("no rule finds “={fact}”")));
                    }
                    item.facts.push(fact.into());
                    continue;
                }
                let bare = word.trim_end_matches(['-', '+', '?']);
                let concept =
                    place(bare).ok_or_else(|| at(start, format!("there is no idea “{bare}”")))?;
                let want = match word.chars().last() {
                    Some('-') => Want::Denied,
                    Some('+') => Want::Affirmed,
                    Some('?') => Want::Either,
                    _ if named[concept].1 => Want::Either,
                    _ => Want::Affirmed,
                };
                item.any.push((concept, want));
            }
            Ok(item)
        };
        let mut rules = Vec::new();
        for r in &file.rule {
            let start = r.says.span().start;
            let says: Vec<String> = r.says.get_ref().split(' ').map(Into::into).collect();
            let ids = says.iter().filter(|s| !s.starts_with('='));
            if let Some(id) = ids.map(|s| s.trim_start_matches('-')).find(|s| !known(s)) {
                return Err(at(
                    start,
                    format!("there is no symptom or risk factor “{id}”"),
                ));
            }
            if let Some(word) = spannung_circuit::family::unknown_trait(&r.fits) {
                return Err(at(start, format!("there is no trait “{word}”")));
            }
            let items = |of: &[String]| {
                of.iter()
                    .map(|t| item(start, t))
                    .collect::<Result<Vec<_>, _>>()
            };
            rules.push(Rule {
                says,
                all: items(&r.all)?,
                none: items(&r.none)?,
                fits: r.fits.clone(),
                scope: if r.text { Scope::Text } else { Scope::Clause },
                in_order: r.ordered,
                sentence: r.sentence.clone(),
            });
        }
        let hidden = file
            .hides
            .iter()
            .flat_map(|h| h.hides.iter().chain([&h.sign]));
        if let Some(id) = hidden.into_iter().find(|id| !known(id)) {
            return Err(at(0, format!("hides: there is no symptom “{id}”")));
        }
        let hides = |a: &str, b: &String| {
            let mut of = file.hides.iter().filter(|h| h.sign == a);
            of.any(|h| h.hides.contains(b))
        };
        let mut each = file
            .hides
            .iter()
            .flat_map(|h| h.hides.iter().map(move |x| (&h.sign, x)));
        if let Some((a, b)) = each.find(|(a, b)| hides(b, a)) {
            return Err(at(0, format!("hides: “{a}” and “{b}” hide each other")));
        }
        Ok(Self {
            is_part: named.iter().map(|n| n.1).collect(),
            concepts,
            opposite,
            phrases,
            deny,
            cut,
            join,
            known: known_stems,
            slips,
            rules,
            hides: file.hides,
        })
    }
}

/// Shorter words are never taken for a slip of another.
pub const SHORTEST_SLIP: usize = 6;
