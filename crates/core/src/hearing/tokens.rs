//! From a sentence to its clauses and the ideas in them: words with their places, slips of the keys set right, what a
//! "not" reaches, where a clause ends.

use super::lexicon::{Lexicon, SHORTEST_SLIP, stem};
use std::collections::{BTreeSet, HashMap};
use std::ops::Range;

/// A word of the sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Token {
    /// Lower case, one kind of apostrophe.
    word: String,
    /// Its stem, or that of the word it was meant for.
    stem: String,
    /// Bytes of the sentence.
    span: (usize, usize),
    /// A mark stands between this word and the one before it.
    after_mark: bool,
}

/// A word or phrase that stands for something.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Idea {
    /// Concept.
    pub concept: usize,
    /// Words.
    pub tokens: Range<usize>,
    /// A "not" reaches it.
    pub denied: bool,
}

/// A part of the sentence that says one thing.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Clause {
    /// Ideas in order.
    pub ideas: Vec<Idea>,
}

/// A sentence as it is understood.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Text {
    tokens: Vec<Token>,
    /// Clauses in order.
    pub clauses: Vec<Clause>,
}

/// So many words a "not" reaches.
const REACH: usize = 6;
/// From this length on a word may have two slips.
const TWO_SLIPS: usize = 9;
/// Clauses with this idea speak of somebody else's, and from this idea on a clause is a comparison.
const OTHERS: &str = "others";
const COMPARED: &str = "compared";
/// Every "not" stands for this idea as well, for what is denied without saying what.
const NEGATION: &str = "negation";

/// Any error code stands for this one.
const CODE: &str = "e0";

/// Is it a code as displays show it, E and figures?
fn is_code(word: &str) -> bool {
    let figures = word.strip_prefix("err").or_else(|| word.strip_prefix('e'));
    figures.is_some_and(|f| (1..=4).contains(&f.len()) && f.bytes().all(|b| b.is_ascii_digit()))
}

/// The words of a text in lower case; a hyphen parts them.
pub fn words_of(text: &str) -> Vec<String> {
    tokenise(text).into_iter().map(|t| t.0).collect()
}

/// Words with their bytes, and whether a mark stands before each.
fn tokenise(text: &str) -> Vec<(String, (usize, usize), bool)> {
    let mut out: Vec<(String, (usize, usize), bool)> = Vec::new();
    let mut mark = false;
    let mut open: Option<(String, usize)> = None;
    let mut close = |open: &mut Option<(String, usize)>, end: usize, mark: &mut bool| {
        if let Some((word, start)) = open.take() {
            let bare = word.trim_matches('\'');
            if !bare.is_empty() {
                out.push((bare.to_string(), (start, end), *mark));
                *mark = false;
            }
        }
    };
    for (at, c) in text.char_indices() {
        if c.is_alphanumeric() || matches!(c, '\'' | '’') {
            let (word, _) = open.get_or_insert_with(|| (String::new(), at));
            if c == '’' {
                word.push('\'');
            } else {
                word.extend(c.to_lowercase());
            }
        } else {
            // a stroke or dash that stands free parts what is said as a comma does
            let free = matches!(c, '/' | '-' | '+') && open.is_none();
            close(&mut open, at, &mut mark);
            mark |= free
                || matches!(
                    c,
                    '.' | ',' | ';' | ':' | '!' | '?' | '(' | ')' | '\n' | '–' | '—'
                );
        }
    }
    close(&mut open, text.len(), &mut mark);
    out
}

/// The word of the lexicon that was meant, where this one is none and one slip away.
fn meant(lexicon: &Lexicon, word: &str) -> Option<String> {
    let length = word.chars().count();
    if length < SHORTEST_SLIP || word.chars().any(|c| c.is_ascii_digit()) {
        return None;
    }
    let most = if length >= TWO_SLIPS { 2 } else { 1 };
    let near = lexicon.slips.get(&word.chars().next()?)?.iter();
    near.filter(|w| w.chars().count().abs_diff(length) <= most)
        .map(|w| (strsim::osa_distance(w, word), w))
        .filter(|d| d.0 <= most)
        .min()
        .map(|d| d.1.clone())
}

/// The stem of a word, or of the word that was meant.
fn stem_of(lexicon: &Lexicon, word: &str) -> String {
    if is_code(word) {
        return CODE.into();
    }
    let own = stem(word);
    let denies = lexicon.deny.contains(word) || word.ends_with("n't");
    if denies || lexicon.known.contains(&own) {
        return own;
    }
    meant(lexicon, word).map_or(own, |w| stem(&w))
}

impl Text {
    /// Understand a sentence.
    pub fn read(lexicon: &Lexicon, words: &str) -> Self {
        // a word that comes again is looked up once
        let mut stems: HashMap<String, String> = HashMap::new();
        let tokens: Vec<Token> = tokenise(words)
            .into_iter()
            .map(|(word, span, after_mark)| {
                let found = stems.get(&word).cloned();
                let stem = found.unwrap_or_else(|| stem_of(lexicon, &word));
                stems.insert(word.clone(), stem.clone());
                Token {
                    word,
                    stem,
                    span,
                    after_mark,
                }
            })
            .collect();
        let found = ideas(lexicon, &tokens);
        let mut clauses = Vec::new();
        let mut start = 0;
        let says = |from: usize, to: usize| {
            let here = found
                .iter()
                .filter(|i| i.tokens.start >= from && i.tokens.end <= to);
            here.into_iter().any(|i| !lexicon.is_part[i.concept])
                || tokens[from..to].iter().any(|t| denies(lexicon, t))
        };
        for at in 1..=tokens.len() {
            let ends = match tokens.get(at) {
                None => true,
                Some(t) => {
                    let inside = found
                        .iter()
                        .any(|i| i.tokens.start < at && at < i.tokens.end);
                    let cut = lexicon.cut.contains(&t.word);
                    let join = lexicon.join.contains(&t.word) || t.after_mark;
                    !inside && (cut || join && says(start, at))
                }
            };
            if ends {
                clauses.push(clause(lexicon, &tokens, &found, start..at));
                start = at;
            }
        }
        Self { tokens, clauses }
    }

    /// Bytes of these words, neighbours put together.
    pub fn spans(&self, told: &BTreeSet<usize>) -> Vec<(usize, usize)> {
        let mut out: Vec<(usize, (usize, usize))> = Vec::new();
        for k in told {
            let span = self.tokens[*k].span;
            match out.last_mut() {
                Some((last, open)) if *last + 1 == *k => {
                    *last = *k;
                    open.1 = span.1;
                }
                _ => out.push((*k, span)),
            }
        }
        out.into_iter().map(|o| o.1).collect()
    }
}

fn denies(lexicon: &Lexicon, token: &Token) -> bool {
    token.word.ends_with("n't") || lexicon.deny.contains(&token.word)
}

/// Is what ends here denied by a "not" behind it: "charges not at all"?
fn denied_behind(tokens: &[Token], end: usize, clause_end: usize) -> bool {
    let word = |k: usize| tokens[..clause_end].get(k).map(|t| t.word.as_str());
    word(end) == Some("not") && matches!(word(end + 1), None | Some("at"))
}

/// All phrases of the lexicon in the text; one that lies within a longer one says nothing of its own.
fn ideas(lexicon: &Lexicon, tokens: &[Token]) -> Vec<Idea> {
    let mut out: Vec<Idea> = Vec::new();
    for at in 0..tokens.len() {
        let Some(phrases) = lexicon.phrases.get(&tokens[at].stem) else {
            continue;
        };
        let fits = |stems: &[String]| {
            let here = tokens.get(at..at + stems.len());
            here.is_some_and(|h| {
                let marked = h.iter().skip(1).any(|t| t.after_mark);
                !marked && h.iter().zip(stems).all(|(t, s)| &t.stem == s)
            })
        };
        for phrase in phrases.iter().filter(|p| fits(&p.stems)) {
            out.push(Idea {
                concept: phrase.concept,
                tokens: at..at + phrase.stems.len(),
                denied: false,
            });
        }
    }
    let within = |a: &Range<usize>, b: &Range<usize>| {
        b.start <= a.start && a.end <= b.end && b.len() > a.len()
    };
    let spans: Vec<Range<usize>> = out.iter().map(|i| i.tokens.clone()).collect();
    out.retain(|i| !spans.iter().any(|b| within(&i.tokens, b)));
    out
}

/// One clause: what is in it, and what a "not" reaches.
fn clause(lexicon: &Lexicon, tokens: &[Token], found: &[Idea], at: Range<usize>) -> Clause {
    let named = |i: &Idea, name: &str| lexicon.concepts[i.concept] == name;
    let here: Vec<&Idea> = found
        .iter()
        .filter(|i| at.start <= i.tokens.start && i.tokens.end <= at.end)
        .collect();
    if here.iter().any(|i| named(i, OTHERS)) {
        return Clause::default();
    }
    // a comparison lasts until the next mark
    let compared = here.iter().find(|i| named(i, COMPARED)).map(|i| {
        let rest = i.tokens.end..at.end;
        let end = rest.clone().find(|k| tokens[*k].after_mark);
        i.tokens.start..end.unwrap_or(at.end)
    });
    let meant = |i: &&Idea| {
        !compared
            .as_ref()
            .is_some_and(|c| c.contains(&i.tokens.start))
    };
    let mut ideas = Vec::new();
    for idea in here.into_iter().filter(meant) {
        let from = at.start.max(idea.tokens.start.saturating_sub(REACH));
        let inside = |k: &usize| {
            found
                .iter()
                .any(|i| i.tokens.contains(k) && i.tokens.len() > 1)
        };
        let denied = (from..idea.tokens.start).any(|k| denies(lexicon, &tokens[k]) && !inside(&k))
            || denied_behind(tokens, idea.tokens.end, at.end);
        // what is denied and has an opposite is the opposite
        let (concept, denied) = match lexicon.opposite.get(&idea.concept) {
            Some(opposite) if denied => (*opposite, false),
            _ => (idea.concept, denied),
        };
        ideas.push(Idea {
            concept,
            tokens: idea.tokens.clone(),
            denied,
        });
    }
    if let Some(concept) = lexicon.concepts.iter().position(|c| c == NEGATION) {
        let nots = at.filter(|k| denies(lexicon, &tokens[*k]));
        ideas.extend(nots.map(|k| Idea {
            concept,
            tokens: k..k + 1,
            denied: false,
        }));
        ideas.sort_by_key(|i| i.tokens.start);
    }
    Clause { ideas }
}
