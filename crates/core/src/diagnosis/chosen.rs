//! What a maker's choices ([`choices`](super::choices)), and the known ways to build the vehicle otherwise, are worth to every
//! hypothesis. That a vehicle has parts of other
//! values says nothing about whether it is broken, and where; so a choice is no suspect, but may stand beside each:
//!
//! ```text
//!     P(readings | h)  becomes  P(readings | h) · (1 + Σ_c π_c·(G_c − 1)),   G_c = Π_t P(y_t | c) / P(y_t | sound)
//! ```
//!
//! over the readings t that h leaves as they are on a sound vehicle: what h moves itself no choice can put right. A vehicle
//! has more than one; so what the best choice moves is set aside, and the sum is taken again over the rest. Two choices that
//! move one reading are not told of together, and neither is a choice that changes how a fault reads.

use crate::diagnosis::column::Column;
use crate::diagnosis::course::At;
use crate::diagnosis::hypothesis::{Hypothesis, Suspicion};
use crate::diagnosis::model::Model;
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::shared::FACTORS;
use std::collections::BTreeMap;

/// Choices that are told apart on one vehicle at the most.
const BESIDE: usize = 4;
/// Readings and looks that are followed; nobody takes more on one job.
const MOST: usize = u128::BITS as usize;
/// Estimates, and of little weight: a hypothesis that moves a reading by less than so many of its deviations leaves it to the choices; and one that moves the
/// chance of an answer by less.
const MATERIAL: f64 = 0.5;
const MATERIAL_CHANCE: f64 = 0.2;
/// ln of the odds below which a choice, at its best, is passed over.
const HOPELESS: f64 = -3.0;
/// ln of the most that a choice is worth, so that its odds stay a number.
const CERTAIN: f64 = 600.0;

/// What may stand beside a hypothesis.
#[derive(Debug, Clone)]
struct Choice {
    case: usize,
    /// ln of its chance.
    chance: f64,
    /// A known way to build the vehicle: on a sound one it is a hypothesis of its own.
    way: bool,
}

/// What is known of them.
#[derive(Debug, Clone)]
pub(super) struct Chosen {
    choices: Vec<Choice>,
    /// ln G of each choice, by what was taken in.
    gains: Vec<Vec<f64>>,
    /// Where that stands in the evidence.
    places: Vec<usize>,
    /// What each case moves, a bit an item; a sound vehicle, the last one, moves nothing.
    moves: Vec<u128>,
    /// ln of what the choices are worth to each.
    worth: Vec<f64>,
}

impl Chosen {
    /// Nothing read yet.
    pub fn new(model: &Model) -> Self {
        let choice = |h: &Hypothesis| match h.kind {
            Suspicion::Choice(k) | Suspicion::Built(k) => Some(Choice {
                case: k,
                chance: model.cases[k].share.max(1e-300).ln(),
                way: matches!(h.kind, Suspicion::Built(_)),
            }),
            _ => None,
        };
        let all = model.cases.len() + 1;
        Self {
            choices: model.hypotheses.iter().filter_map(choice).collect(),
            gains: Vec::new(),
            places: Vec::new(),
            moves: vec![0; all],
            worth: vec![0.0; all],
        }
    }

    /// Take in what the next of the evidence, a reading or a look, is worth under each case and on a sound vehicle, and put into
    /// it what the choices make of it.
    pub fn take(&mut self, model: &Model, at: &At<'_>, cases: &mut [f64], sound: &mut f64) {
        let (item, column) = (self.gains.len(), at.column);
        if item >= MOST {
            return;
        }
        self.places.push(at.evidence);
        let ln = |p: f64| p.max(1e-30).ln();
        let gain = |c: &Choice| ln(cases[c.case]) - ln(*sound);
        self.gains.push(self.choices.iter().map(gain).collect());
        for (k, moves) in self.moves.iter_mut().enumerate().take(cases.len()) {
            *moves |= u128::from(material(column, k, &model.variances)) << item;
        }
        let each = cases.iter_mut().chain([sound]);
        for (like, change) in each.zip(self.weigh()) {
            *like *= change.exp();
        }
    }

    /// What they are worth by now to each case and to a sound vehicle, the last one: how much more than before, as ln.
    fn weigh(&mut self) -> Vec<f64> {
        let (all, alone) = (self.open(true), self.open(false));
        let mut known: BTreeMap<u128, f64> = BTreeMap::new();
        let sound = self.moves.len() - 1;
        let each = self.moves.iter().zip(&mut self.worth).enumerate();
        each.map(|(k, (moves, worth))| {
            let now = if k == sound {
                Beside::of(*moves, &alone, &self.gains).worth
            } else {
                *known
                    .entry(*moves)
                    .or_insert_with(|| Beside::of(*moves, &all, &self.gains).worth)
            };
            let before = std::mem::replace(worth, now);
            now - before
        })
        .collect()
    }

    /// A way to build the vehicle that somebody looked for and did not find: what that changes for each case, as ln.
    pub fn rule_out(&mut self, case: usize) -> Vec<f64> {
        for c in self.choices.iter_mut().filter(|c| c.case == case) {
            c.chance = f64::NEG_INFINITY;
        }
        self.weigh()
    }

    /// The chance of each way to build the vehicle beside each of some hypotheses, `shares` by case: case and chance.
    pub fn ways(&self, shares: &[f64]) -> Vec<(usize, f64)> {
        let open = self.open(true);
        let ways: Vec<&Open> = open.iter().filter(|o| self.choices[o.place].way).collect();
        if ways.is_empty() {
            return Vec::new();
        }
        let mut by_moves: BTreeMap<u128, f64> = BTreeMap::new();
        for (moves, share) in self.moves.iter().zip(shares) {
            *by_moves.entry(*moves).or_default() += share;
        }
        let mut chances = vec![0.0; self.choices.len()];
        for (moves, share) in by_moves {
            let beside = Beside::of(moves, &open, &self.gains);
            for (place, chance) in beside.chances {
                chances[place] += share * chance;
            }
        }
        let each = ways
            .iter()
            .map(|o| (self.choices[o.place].case, chances[o.place]));
        each.collect()
    }

    /// Cases of the choices that are likelier than not on a sound vehicle, and which of the evidence they move.
    pub fn on_a_sound_one(&self) -> (Vec<usize>, Vec<usize>) {
        let beside = Beside::of(0, &self.open(false), &self.gains);
        let each = beside.likely.iter();
        let cases: Vec<usize> = each.map(|p| self.choices[*p].case).collect();
        let moved = cases.iter().fold(0, |all, k| all | self.moves[*k]);
        let items = self.places.iter().enumerate();
        let explained = items.filter(|(t, _)| moved >> t & 1 == 1).map(|(_, e)| *e);
        (cases, explained.collect())
    }

    /// Choices that could matter, with what they move; with the ways to build the vehicle, or without.
    fn open(&self, ways: bool) -> Vec<Open> {
        let each = self.choices.iter().enumerate();
        let at_best = |c: usize| self.gains.iter().map(|g| g[c].max(0.0)).sum::<f64>();
        let open = each
            .filter(|(_, choice)| ways || !choice.way)
            .filter(|(c, choice)| at_best(*c) + choice.chance > HOPELESS);
        open.map(|(place, choice)| Open {
            place,
            chance: choice.chance,
            moves: self.moves[choice.case],
        })
        .collect()
    }
}

/// A choice that could matter.
struct Open {
    place: usize,
    chance: f64,
    moves: u128,
}

/// The choices beside a hypothesis.
struct Beside {
    /// ln of what they are worth to it.
    worth: f64,
    /// Those that are likelier than not, by place, the likeliest of all first.
    likely: Vec<usize>,
    /// The chance of each, by place.
    chances: BTreeMap<usize, f64>,
}

impl Beside {
    /// Beside one that moves some items itself.
    fn of(own: u128, open: &[Open], gains: &[Vec<f64>]) -> Self {
        let mut left = !own;
        let mut new = Self {
            worth: 0.0,
            likely: Vec::new(),
            chances: BTreeMap::new(),
        };
        for _ in 0..BESIDE {
            let mut total = 1.0;
            let mut weights: Vec<(usize, f64)> = Vec::new();
            let mut best: Option<(f64, &Open)> = None;
            for choice in open {
                let items = gains.iter().enumerate().filter(|(t, _)| left >> t & 1 == 1);
                let gain: f64 = items.map(|(_, g)| g[choice.place]).sum();
                let gain = gain.min(CERTAIN);
                let chance = choice.chance.exp();
                total += chance * (gain.exp() - 1.0);
                weights.push((choice.place, chance * gain.exp()));
                let odds = gain + choice.chance;
                if odds > 0.0 && best.is_none_or(|(most, _)| odds > most) {
                    best = Some((odds, choice));
                }
            }
            new.worth += total.max(1e-30).ln();
            for (place, weight) in weights {
                let chance = new.chances.entry(place).or_default();
                *chance = chance.max(weight / total.max(1e-30)).min(1.0);
            }
            let Some((_, choice)) = best.filter(|(_, c)| c.moves & left != 0) else {
                break;
            };
            new.likely.push(choice.place);
            left &= !choice.moves;
        }
        new
    }
}

/// Does a case move a reading, or an answer, by more than what a sound vehicle differs in?
pub(super) fn material(column: &Column, case: usize, variances: &[f64; FACTORS]) -> bool {
    match column {
        Column::Outcomes { cases, healthy, .. } => cases.get(case).is_some_and(|row| {
            let mut apart = row.iter().zip(healthy);
            apart.any(|(a, b)| (a - b).abs() > MATERIAL_CHANCE)
        }),
        Column::Figures {
            scale,
            dims,
            readings,
            ..
        } => readings.moved(case).is_some_and(|p: &Prediction| {
            let sound = &readings.healthy;
            (0..*dims).any(|d| {
                // a case that pins down what may be anything on a sound vehicle does not leave it as it is
                let open = |p: &Prediction| p.open(d, variances, |_| 1.0);
                let spread = open(sound).min(open(p));
                let deviation = spread.hypot(scale.instrument(sound.mean[d]));
                (p.mean[d] - sound.mean[d]).abs() > MATERIAL * deviation
            })
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn open(chances: &[f64], moves: &[u128]) -> Vec<Open> {
        let each = chances.iter().zip(moves).enumerate();
        each.map(|(place, (chance, moves))| Open {
            place,
            chance: chance.ln(),
            moves: *moves,
        })
        .collect()
    }

    /// Every set of choices, each there or not; what two of them move reads as the first of them has it.
    fn exact(own: u128, open: &[Open], gains: &[Vec<f64>]) -> f64 {
        let mut total = 0.0;
        for set in 0..1usize << open.len() {
            let there = |c: &Open| set >> c.place & 1 == 1;
            let chance: f64 = open
                .iter()
                .map(|c| {
                    if there(c) {
                        c.chance.exp()
                    } else {
                        1.0 - c.chance.exp()
                    }
                })
                .product();
            let gain = |(t, gains): (usize, &Vec<f64>)| {
                let moves = |c: &&Open| there(c) && c.moves >> t & 1 == 1;
                let first = open.iter().find(moves);
                first
                    .filter(|_| own >> t & 1 == 0)
                    .map_or(0.0, |c| gains[c.place])
            };
            total += chance * gains.iter().enumerate().map(gain).sum::<f64>().exp();
        }
        total.ln()
    }

    #[test]
    fn choices_are_worth_what_brute_force_gives() {
        let open = open(&[0.015, 0.01, 0.02], &[0b0011, 0b0100, 0b1000]);
        // two readings of one choice; one of another; one that speaks against the third
        let gains = [
            vec![4.0, 0.0, 0.0],
            vec![3.5, 0.0, 0.0],
            vec![0.0, 6.0, 0.0],
            vec![0.0, 0.0, -5.0],
        ];
        for own in 0..16 {
            let (near, exact) = (
                Beside::of(own, &open, &gains).worth,
                exact(own, &open, &gains),
            );
            assert!(
                (near - exact).abs() < 0.2,
                "{own:04b}: {near:.3}, exact {exact:.3}"
            );
        }
    }

    #[test]
    fn what_a_hypothesis_moves_itself_no_choice_puts_right() {
        let open = open(&[0.015], &[0b11]);
        let gains = [vec![5.0], vec![5.0]];
        let worth = |own| Beside::of(own, &open, &gains).worth;
        assert!(worth(0b00) > 5.0, "{}", worth(0));
        assert!(worth(0b01) < 1.5, "{}", worth(1));
        assert!(worth(0b11).abs() < 1e-12);
        assert_eq!(Beside::of(0, &open, &gains).likely, [0]);
        // however often it is read, its odds stay a number
        let always = vec![vec![60.0]; MOST];
        assert!(Beside::of(0, &open, &always).worth.is_finite());
    }
}
