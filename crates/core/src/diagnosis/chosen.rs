//! What a maker's choices ([`choices`](super::choices)) are worth to every hypothesis. That a vehicle has parts of other
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
use crate::diagnosis::hypothesis::{Hypothesis, Suspicion};
use crate::diagnosis::model::Model;
use crate::diagnosis::scale::Prediction;
use crate::diagnosis::shared::FACTORS;
use std::collections::BTreeMap;

/// Choices that are told apart on one vehicle at the most.
const BESIDE: usize = 4;
/// Readings and looks that are followed; nobody takes more on one job.
const MOST: usize = u128::BITS as usize;
/// A hypothesis that moves a reading by less than so many of its deviations leaves it to the choices; and one that moves the
/// chance of an answer by less.
const MATERIAL: f64 = 0.5;
const MATERIAL_CHANCE: f64 = 0.2;
/// ln of the odds below which a choice, at its best, is passed over.
const HOPELESS: f64 = -3.0;

/// What is known of them.
#[derive(Debug, Clone, Default)]
pub(super) struct Chosen {
    /// Case of each choice, and ln of its chance.
    choices: Vec<(usize, f64)>,
    /// ln G of each choice, by what was taken in.
    gains: Vec<Vec<f64>>,
    /// What each case moves, a bit an item; a sound vehicle, the last one, moves nothing.
    moves: Vec<u128>,
    /// ln of what the choices are worth to each.
    worth: Vec<f64>,
}

impl Chosen {
    /// Nothing read yet.
    pub fn new(model: &Model) -> Self {
        let choice = |h: &Hypothesis| match h.kind {
            Suspicion::Choice(k) => Some((k, model.cases[k].share.max(1e-300).ln())),
            _ => None,
        };
        let all = model.cases.len() + 1;
        Self {
            choices: model.hypotheses.iter().filter_map(choice).collect(),
            gains: Vec::new(),
            moves: vec![0; all],
            worth: vec![0.0; all],
        }
    }

    /// Take in what a reading or a look is worth under each case and on a sound vehicle, and put into it what the choices
    /// make of it.
    pub fn take(&mut self, model: &Model, column: &Column, cases: &mut [f64], sound: &mut f64) {
        let item = self.gains.len();
        if item >= MOST {
            return;
        }
        let ln = |p: f64| p.max(1e-30).ln();
        let gain = |(k, _): &(usize, f64)| ln(cases[*k]) - ln(*sound);
        self.gains.push(self.choices.iter().map(gain).collect());
        for (k, moves) in self.moves.iter_mut().enumerate().take(cases.len()) {
            *moves |= u128::from(material(column, k, &model.variances)) << item;
        }
        let open = self.open();
        let mut known: BTreeMap<u128, f64> = BTreeMap::new();
        let each = cases.iter_mut().chain([sound]);
        for ((moves, worth), like) in self.moves.iter().zip(&mut self.worth).zip(each) {
            let now = *known
                .entry(*moves)
                .or_insert_with(|| worth_beside(*moves, &open, &self.gains));
            *like *= (now - *worth).exp();
            *worth = now;
        }
    }

    /// Choices that could matter, with what they move.
    fn open(&self) -> Vec<Open> {
        let each = self.choices.iter().enumerate();
        let at_best = |c: usize| self.gains.iter().map(|g| g[c].max(0.0)).sum::<f64>();
        let open = each.filter(|(c, (_, chance))| at_best(*c) + chance > HOPELESS);
        open.map(|(place, (case, chance))| Open {
            place,
            chance: *chance,
            moves: self.moves[*case],
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

/// ln of what choices are worth beside a hypothesis that moves some items itself.
fn worth_beside(own: u128, open: &[Open], gains: &[Vec<f64>]) -> f64 {
    let mut left = !own;
    let mut sum = 0.0;
    for _ in 0..BESIDE {
        let mut total = 1.0;
        let mut best: Option<(f64, u128)> = None;
        for choice in open {
            let items = gains.iter().enumerate().filter(|(t, _)| left >> t & 1 == 1);
            let gain: f64 = items.map(|(_, g)| g[choice.place]).sum();
            let chance = choice.chance.exp();
            total += chance * (gain.exp() - 1.0);
            let odds = gain + choice.chance;
            if odds > 0.0 && best.is_none_or(|(most, _)| odds > most) {
                best = Some((odds, choice.moves));
            }
        }
        sum += total.max(1e-30).ln();
        let Some((_, moves)) = best.filter(|(_, moves)| moves & left != 0) else {
            break;
        };
        left &= !moves;
    }
    sum
}

/// Does a case move a reading, or an answer, by more than what a sound vehicle differs in?
fn material(column: &Column, case: usize, variances: &[f64; FACTORS]) -> bool {
    match column {
        Column::Outcomes { cases, healthy } => cases.get(case).is_some_and(|row| {
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
                let spread = sound.open(d, variances, |_| 1.0);
                let deviation = spread.hypot(scale.instrument(sound.mean[d]));
                (p.mean[d] - sound.mean[d]).abs() > MATERIAL * deviation
            })
        }),
    }
}
