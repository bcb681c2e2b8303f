//! What each kind of entry does to the job.

use super::lines::*;
use super::{Job, between, unit_of};
use crate::catalogue::Catalogue;
use crate::job::entry::{Body, Logged, ProofResult, QuoteReply, ReadingResult, WaitKind};
use crate::reading;
use std::collections::{BTreeMap, BTreeSet};
use time::OffsetDateTime;

impl Job {
    pub(super) fn apply(&mut self, catalogue: &Catalogue, e: &Logged, voided: bool) {
        match &e.body {
            Body::Opened {
                words,
                volts_class,
                drive,
                from_job,
                ..
            } => {
                self.from_job = *from_job;
                self.words.clone_from(words);
                self.volts_class = *volts_class;
                self.drive.clone_from(drive);
                self.opened_at = Some(e.at);
            }
            Body::Vehicle {
                name,
                frame_number,
                controller,
            } => {
                self.vehicle.clone_from(name);
                self.frame_number.clone_from(frame_number);
                self.controller.clone_from(controller);
            }
            Body::Symptom {
                symptom,
                yes,
                by_customer,
            } => {
                self.symptoms.retain(|s| &s.0 != symptom);
                self.symptoms
                    .push((symptom.clone(), *yes, *by_customer, e.id));
            }
            Body::Risk { risk, yes } => {
                self.risks.retain(|r| &r.0 != risk);
                self.risks.push((risk.clone(), *yes, e.id));
            }
            Body::Customer { customer } => self.customer = Some(*customer),
            Body::Terms {
                promised,
                value_cents,
                limit_cents,
                stop_loss_minutes,
                set,
            } => {
                let sets = |field: &str| set.is_empty() || set.iter().any(|s| s == field);
                if sets("stop_loss_minutes") {
                    self.stop_loss_minutes = *stop_loss_minutes;
                }
                if sets("promised") {
                    self.promised = *promised;
                }
                if sets("value_cents") {
                    self.value_cents = *value_cents;
                }
                if sets("limit_cents") {
                    self.limit_cents = *limit_cents;
                }
            }
            Body::Pack { pack, sticker, .. } => self.put_on(catalogue, e.id, *pack, sticker),
            Body::Gate {
                check,
                answer,
                typed,
            } => {
                self.answer_gate(e, check, answer, typed.as_ref());
                if check == "wheel" && answer == "up" {
                    self.wheel_is_up(catalogue);
                }
            }
            Body::Quarantine { step } => {
                let steps = &mut self.on_pack.quarantine;
                steps.insert(step.clone(), (e.at, e.by.clone()));
            }
            Body::Clearance { .. } => self.clear(catalogue),
            Body::State { state } => self.stand(catalogue, state.clone()),
            Body::Confirmed { need } => {
                if let Some(spec) = catalogue.need(need) {
                    let value = self.field(&spec.holds_while);
                    self.confirmed.insert(need.clone(), value);
                }
            }
            Body::Reading {
                test,
                result,
                typed,
                minutes,
                ..
            } => self.take_reading(catalogue, e, test, *result, typed, *minutes, voided),
            Body::Check {
                test,
                outcome,
                minutes,
            } => {
                self.taken.push(Taken {
                    entry: e.id,
                    seq: e.seq,
                    test: test.clone(),
                    result: None,
                    typed: outcome.clone(),
                    figure: None,
                    state: self.state.clone(),
                    voided,
                    at: e.at,
                    by: e.by.clone(),
                });
                if !voided {
                    self.spend(e, *minutes);
                }
            }
            Body::Skip { test, reason } => {
                self.skipped.insert(test.clone(), reason.clone());
            }
            Body::ByHand { class, out, reason } => match out {
                Some(out) => {
                    self.by_hand
                        .insert(class.clone(), (*out, reason.clone(), e.id));
                }
                None => {
                    self.by_hand.remove(class);
                    self.failed.retain(|f| &f.class != class);
                }
            },
            Body::Change { change, source } => {
                self.changes.push(change.clone());
                self.sources.push(*source);
                self.changed_by.push(e.id);
            }
            Body::Part {
                old,
                fate,
                new,
                class,
                minutes,
                price_cents,
            } => {
                self.spend(e, *minutes);
                self.parts.push(PartLine {
                    mark: Mark::of(e),
                    old: old.clone(),
                    fate: *fate,
                    new: new.clone(),
                    class: class.clone(),
                    minutes: *minutes,
                    price_cents: *price_cents,
                });
                // a swap ends what was confirmed before it
                self.confirmed.clear();
                self.gate.remove("smell");
            }
            Body::Minutes { minutes, .. } => self.minutes += minutes,
            Body::Wait {
                wait,
                what,
                until,
                supplier,
            } => {
                self.waiting = Some(Waiting {
                    kind: *wait,
                    what: what.clone(),
                    until: *until,
                    since: e.at,
                    supplier: supplier.clone(),
                    quote: None,
                });
            }
            Body::Resume {} => self.waiting = None,
            Body::GoodsIn {
                what,
                undamaged,
                complete,
                as_ordered,
                words,
            } => {
                let good = *undamaged && *complete && *as_ordered;
                self.arrivals.push(Arrival {
                    mark: Mark::of(e),
                    what: what.clone(),
                    good,
                    words: words.clone(),
                });
                if good
                    && self
                        .waiting
                        .as_ref()
                        .is_some_and(|w| w.kind == WaitKind::Part)
                {
                    self.waiting = None;
                }
            }
            Body::Claim {
                supplier,
                what,
                facts,
                wants,
            } => self.claims.push(ClaimMade {
                mark: Mark::of(e),
                supplier: supplier.clone(),
                what: what.clone(),
                facts: facts.clone(),
                wants: *wants,
            }),
            Body::Quote {
                lines,
                minutes,
                words,
                terms,
            } => {
                self.quotes.push(QuoteMade {
                    mark: Mark::of(e),
                    lines: lines.clone(),
                    minutes: *minutes,
                    words: words.clone(),
                    terms: terms.clone().unwrap_or_default(),
                    answer: None,
                });
                self.waiting = Some(Waiting {
                    kind: WaitKind::Customer,
                    what: "answer to the quote".into(),
                    until: None,
                    since: e.at,
                    supplier: None,
                    quote: Some(e.id),
                });
            }
            Body::QuoteAnswer {
                quote,
                answer,
                limit_cents,
                words,
            } => {
                if let Some(q) = self.quotes.iter_mut().find(|q| q.mark.entry == *quote) {
                    q.answer = Some((*answer, *limit_cents, words.clone()));
                    let sum = q.sum().total_cents;
                    match answer {
                        QuoteReply::Accepted => {
                            self.limit_cents = Some(self.limit_cents.unwrap_or(sum).max(sum));
                        }
                        QuoteReply::Less => self.limit_cents = *limit_cents,
                        QuoteReply::Declined | QuoteReply::NoAnswer => {}
                    }
                }
                let of_this = self
                    .waiting
                    .as_ref()
                    .is_some_and(|w| w.quote == Some(*quote));
                if of_this && *answer != QuoteReply::NoAnswer {
                    self.waiting = None;
                }
            }
            Body::Ownership { locked, proof } => {
                let seen = proof.clone().filter(|p| !p.trim().is_empty());
                self.ownership = Some((*locked, seen));
            }
            Body::Reference { vehicle } => self.reference = Some(vehicle.clone()),
            Body::PointReading {
                point,
                unit,
                on,
                result,
                typed,
                minutes,
            } => {
                if !voided {
                    self.spend(e, *minutes);
                }
                let figure = (*result == ReadingResult::Figure)
                    .then(|| reading::parse(typed, Some(*unit)).ok())
                    .flatten();
                self.points.push(PointTaken {
                    mark: Mark::of(e),
                    point: point.trim().into(),
                    unit: *unit,
                    on: *on,
                    result: *result,
                    typed: typed.clone(),
                    figure,
                    voided,
                });
            }
            Body::Sheet {
                sheet,
                name,
                points,
            } => self.sheet = Some((*sheet, name.clone(), points.clone())),
            Body::Reassembly {
                part,
                step,
                orientation,
                lubricant,
                torque_nm,
            } => {
                self.assembly.push(AssemblyStep {
                    mark: Mark::of(e),
                    part: part.clone(),
                    step: *step,
                    orientation: orientation.clone(),
                    lubricant: lubricant.clone(),
                    torque_nm: *torque_nm,
                });
                self.assembly.sort_by_key(|a| (a.step, a.mark.seq));
            }
            Body::Clock { run } => {
                let who = Whose::of(e);
                if *run {
                    self.clocks.entry(who).or_insert((e.at, e.by.clone()));
                } else if let Some((since, _)) = self.clocks.remove(&who) {
                    self.minutes += between(since, e.at);
                }
            }
            Body::OpenItem { item, what } => self.items.push(ItemWritten {
                mark: Mark::of(e),
                kind: item.clone(),
                what: what.clone(),
            }),
            Body::CloseItem { item, how } => {
                self.closings
                    .insert(item.clone(), (Mark::of(e), how.clone()));
            }
            Body::Proof {
                check,
                result,
                typed,
                words,
                still,
                minutes,
            } => self.prove(catalogue, e, check, *result, typed, words, still, *minutes),
            Body::Except { what, reason } => {
                self.exceptions
                    .insert(what.clone(), (Mark::of(e), reason.clone()));
            }
            Body::OwnerSheet { lines } => self.owner_sheet = Some(lines.clone()),
            Body::Photo { photo, of, caption } => self.photos.push(PhotoTaken {
                mark: Mark::of(e),
                photo: *photo,
                of: *of,
                caption: caption.clone(),
            }),
            Body::Note { text } => self.notes.push((e.at, e.by.clone(), text.clone())),
            Body::Void { .. } => {}
            Body::Close {
                outcome,
                class,
                cause_confirmed,
                words,
                watch,
                recheck,
                terms,
                ..
            } => {
                let running: Vec<OffsetDateTime> = self.clocks.values().map(|c| c.0).collect();
                self.minutes += running.iter().map(|s| between(*s, e.at)).sum::<f64>();
                self.clocks.clear();
                self.closed = Some(Closed {
                    watch: watch.clone(),
                    recheck: recheck.clone(),
                    terms: terms.clone(),
                    by: e.by.clone(),
                    outcome: *outcome,
                    class: class.clone(),
                    cause_confirmed: *cause_confirmed,
                    words: words.clone(),
                    at: e.at,
                });
                self.waiting = None;
            }
        }
    }

    /// A check of the proof. One that fails goes back to the Bench: its symptom is seen, and when it
    /// is the complaint itself, what was changed so far is not (or not alone) the fault.
    #[allow(clippy::too_many_arguments)]
    pub(super) fn prove(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        check: &str,
        result: ProofResult,
        typed: &str,
        words: &str,
        still: &BTreeMap<String, bool>,
        minutes: f64,
    ) {
        self.spend(e, minutes);
        let spec = catalogue.proof.find(check);
        let result = spec
            .and_then(|s| crate::job::proof::judge(s, result, typed))
            .unwrap_or(result);
        self.proofs.push(ProofTaken {
            mark: Mark::of(e),
            check: check.into(),
            result,
            typed: typed.into(),
            words: words.into(),
        });
        if result != ProofResult::Fail {
            return;
        }
        if let Some(symptom) = spec.and_then(|s| s.fails_as.clone()) {
            self.symptoms.retain(|s| s.0 != symptom);
            self.symptoms.push((symptom, Some(true), false, e.id));
        }
        if check == crate::job::proof::COMPLAINT {
            let changed: BTreeSet<String> =
                self.parts.iter().filter_map(|p| p.class.clone()).collect();
            for class in changed {
                let reason = "Changed, and the complaint still shows".to_string();
                if !self.failed.iter().any(|f| f.class == class) {
                    self.failed.push(FailedRepair {
                        class: class.clone(),
                        seq: e.seq,
                        entry: e.id,
                        still: still.clone(),
                    });
                }
                self.by_hand.insert(class, (true, reason, e.id));
            }
        }
    }

    #[allow(clippy::too_many_arguments)]
    fn take_reading(
        &mut self,
        catalogue: &Catalogue,
        e: &Logged,
        test: &str,
        result: ReadingResult,
        typed: &str,
        minutes: f64,
        voided: bool,
    ) {
        let figure = (result == ReadingResult::Figure)
            .then(|| reading::parse(typed, unit_of(catalogue, test)).ok())
            .flatten();
        self.taken.push(Taken {
            entry: e.id,
            seq: e.seq,
            test: test.into(),
            result: Some(result),
            typed: typed.into(),
            figure,
            state: self.state.clone(),
            voided,
            at: e.at,
            by: e.by.clone(),
        });
        if !voided {
            self.spend(e, minutes);
        }
    }
}
