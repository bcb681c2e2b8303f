//! From a log to the job's present state.

use crate::catalogue::Catalogue;
use crate::job::danger::{Danger, Happened, OnPack, Stop};
use crate::job::entry::{Body, Logged};
use crate::job::state::{Job, Mark};
use std::collections::{BTreeMap, BTreeSet};
use uuid::Uuid;

impl Job {
    /// Fold a job's entries, with what happened on its packs: in other jobs, and the dangers kept of this
    /// one, which count as they were judged then.
    pub fn fold(catalogue: &Catalogue, entries: &[Logged], brought: &[OnPack]) -> Self {
        Self::fold_imported(catalogue, entries, brought, 0)
    }

    /// As [`Self::fold`], for a job whose entries up to `imported` came in from elsewhere: what they
    /// release at the gate does not count here, what they stop does.
    pub fn fold_imported(
        catalogue: &Catalogue,
        entries: &[Logged],
        brought: &[OnPack],
        imported: i64,
    ) -> Self {
        let mut job = Self::default();
        let own: BTreeSet<Uuid> = entries.iter().map(|e| e.id).collect();
        let (kept, mut others): (Vec<&OnPack>, Vec<&OnPack>) =
            brought.iter().partition(|b| own.contains(&b.entry));
        others.sort_by_key(|b| b.seq);
        let mut others = others.into_iter().peekable();
        let kept: BTreeMap<Uuid, &Stop> = kept
            .into_iter()
            .filter_map(|b| match &b.what {
                Happened::Found(stop) => Some((b.entry, stop)),
                _ => None,
            })
            .collect();
        for e in entries {
            if let Body::Void(strike) = &e.body {
                job.voided.insert(strike.entry, strike.reason.clone());
            }
        }
        for e in entries {
            while let Some(event) = others.next_if(|b| b.seq < e.seq) {
                job.elsewhere(catalogue, event);
            }
            let counts = e.seq > imported || !e.body.kind().releases(catalogue);
            job.step(catalogue, e, kept.get(&e.id).copied(), counts);
        }
        for event in others {
            job.elsewhere(catalogue, event);
        }
        job
    }

    /// Fold one entry more onto a job, where nothing that follows strikes it out.
    pub fn next(&mut self, catalogue: &Catalogue, e: &Logged) {
        self.step(catalogue, e, None, true);
    }

    /// One entry: what it does to the job, unless it does not count here, and the danger it raises. One
    /// that is kept stays a danger, whatever the present catalogue would say of the entry.
    fn step(&mut self, catalogue: &Catalogue, e: &Logged, kept: Option<&Stop>, counts: bool) {
        let kind = e.body.kind();
        let mark = e.mark();
        self.head = self.head.max(e.seq);
        self.written.insert(e.id, kind.can_be_struck_out());
        let struck_out = self.voided.contains_key(&e.id);
        let stop = match kept {
            Some(stop) => Some(stop.clone()),
            None if struck_out => None,
            None => kind.danger(catalogue, self).map(|found| stop(&mark, found)),
        };
        if counts && (!struck_out || kind.stays_in_sight()) {
            kind.apply(self, catalogue, &mark, struck_out);
        }
        if let Some(stop) = stop {
            self.find(stop);
        }
    }
}

/// A danger as it is kept: what the entry tells, with who found it and when.
fn stop(mark: &Mark, danger: Danger) -> Stop {
    Stop {
        entry: mark.entry,
        from: danger.from,
        order: danger.words.order,
        reason: danger.words.reason,
        clearable: danger.clearable,
        at: mark.at,
        by: mark.by.clone(),
    }
}
