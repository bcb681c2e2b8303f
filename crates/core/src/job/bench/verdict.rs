//! Whether to measure on, repair, refer or decline, in words.

use super::Weighed;
use crate::diagnosis::explain;
use crate::diagnosis::plan::{self, Action, Plan, Prices, Why};
use crate::job::view::{PlanView, TryView};

impl Weighed<'_> {
    /// The verdict of the plan in words.
    pub(super) fn verdict(&self, plan: &Plan, prices: &Prices) -> PlanView {
        let m = self.model;
        let class = |k: usize| m.classes[k].name.to_lowercase();
        let now = plan.now.minutes;
        let chance = |action: Action| {
            let found = plan.now.order.iter().find(|t| t.action == action);
            found.map_or(0.0, |t| t.chance * 100.0)
        };
        let (act, words, test) = match plan.action {
            Action::Test(_) => {
                let after = plan.after.map_or(now, |a| a.1);
                let words = if after < now {
                    format!(
                        "Measure first: trying the repairs now is expected to take {now:.0} min with parts, after one more test {after:.0} min."
                    )
                } else {
                    "Measure first: no repair is likely enough yet to change a part for it.".into()
                };
                ("measure", words, None)
            }
            Action::Ask(k, why) => {
                let test = &m.tests[k];
                let act = match why {
                    Why::Again | Why::Control | Why::Doubted => "again",
                    Why::Dead => "dead-first",
                    Why::Witness | Why::First | Why::Trial => "witness",
                };
                (act, self.asks(&test.name, why), Some(test.id.clone()))
            }
            Action::Built(k) => {
                let held = self.belief.ways.iter().find(|w| w.case == k);
                let alone = held.is_none_or(|w| w.alone >= w.beside);
                let then = match alone {
                    true => "That explains the readings without anything to repair.",
                    false => "What is broken as well shows once the drawing is put right.",
                };
                let name = m.cases[k].name.to_lowercase();
                let words = format!("Perhaps it is built otherwise than the drawing: {name}. {then}");
                ("built", words, None)
            }
            Action::Repair(k) => (
                "repair",
                format!(
                    "Repair it: no test is worth its minutes any more against {} at {:.0} %.",
                    class(k),
                    chance(plan.action)
                ),
                None,
            ),
            Action::Decline(k) => (
                "decline",
                format!(
                    "Ask before going on: {} at {:.0} % costs more than the owner's limit or the vehicle's value.",
                    class(k),
                    chance(plan.action)
                ),
                None,
            ),
            Action::HandBack => ("hand-back", self.sound_words(), None),
            Action::Refer if plan::given_up(m, &self.evidence) => (
                "refer",
                "Three parts have not helped: what is believed here does not fit this vehicle. Refer it, or check the drawing against it wire by wire.".into(),
                None,
            ),
            Action::Refer => (
                "refer",
                "Nothing left here is worth its minutes: refer it, or check the drawing against the vehicle.".into(),
                None,
            ),
        };
        let order = plan.now.order.iter().take(5).map(|t| {
            let k = match t.action {
                Action::Repair(k) | Action::Decline(k) => Some(k),
                _ => None,
            };
            TryView {
                class: k.map(|k| m.classes[k].id.clone()),
                name: k.map_or_else(
                    || "Sound: hand it back".into(),
                    |k| m.classes[k].name.clone(),
                ),
                percent: (t.chance * 100.0).round() as u32,
                minutes: t.minutes,
                part_cents: k.map_or(0, |k| {
                    prices.bands.get(&m.classes[k].band).copied().unwrap_or(0)
                }),
            }
        });
        PlanView {
            act: act.into(),
            words,
            test,
            order: order.collect(),
            minutes_now: now,
        }
    }

    pub(super) fn advice(&self, outside_percent: u32) -> Option<String> {
        if let Some(item) = explain::surprising(&self.belief) {
            let name = self.item_name(item);
            return Some(format!("“{name}” does not fit the rest. Take it again."));
        }
        if outside_percent > 20 {
            return Some(
                "Check the drawing against the vehicle: no single fault explains the readings."
                    .into(),
            );
        }
        let (nothing, _) = self.belief.others(self.model);
        (nothing > 0.5).then(|| "Everything read so far is as it should be. Try to reproduce the fault before a part is changed.".into())
    }

    /// What is said of a vehicle with nothing wrong: what reads otherwise is named, with what its maker chose.
    fn sound_words(&self) -> String {
        let m = self.model;
        let each = self.belief.chosen.iter().map(|k| m.cases[*k].name.as_str());
        let chosen = each.collect::<Vec<_>>().join("; ");
        if chosen.is_empty() {
            return "Everything read is as it should be: reproduce the fault, or hand it back as sound.".into();
        }
        format!(
            "What reads differently is more likely this maker's design ({chosen}) than a fault. Reproduce the fault, or hand it back as sound."
        )
    }

    /// Why one test is asked for, in a sentence.
    fn asks(&self, name: &str, why: Why) -> String {
        match why {
            Why::Doubted => format!(
                "Take “{name}” again: all else says that nothing is wrong, and a second look tells which of the two is so."
            ),
            Why::Control => format!(
                "Look at “{name}” once more before you put it right: afterwards nothing tells whether it stood wrong."
            ),
            Why::Again if self.job.failed.is_empty() => format!(
                "Take “{name}” again: everything depends on this one reading, and a slip of the tips looks like a fault."
            ),
            Why::Again => format!(
                "Take “{name}” again: the repair did not end the complaint. Gone, there was a second fault; still there, it was another."
            ),
            Why::Witness => format!(
                "First “{name}”: only readings of one line point to the likely repair, and a vehicle built otherwise than the drawing reads like that too."
            ),
            Why::Trial => format!(
                "Before it is handed back as sound, try it as its owner uses it: “{name}” may still show something."
            ),
            Why::Dead => format!(
                "First “{name}”, with the pack out: nothing is switched on before it is as it should be."
            ),
            Why::First => format!(
                "First “{name}”: it is quick, and the likely repair is costly or cannot be undone. Where it cannot be done, skip it."
            ),
        }
    }
}
