//! Promise, limit, quotes, and the time that is charged.

use crate::catalogue::Catalogue;
use crate::desks::money;
use crate::error::{Code, CoreError};
use crate::job::entry::kind::{
    Admitting, Book, Kind, Said, check_cents, check_minutes, maybe, minutes_words, money_words,
    refuse, tail, text,
};
use crate::job::entry::vocabulary::{QuoteLine, QuoteReply, Role, WaitKind};
use crate::job::state::{Job, Mark, QuoteMade, QuoteSaid, Running, Waiting, Whose, between};
use serde::{Deserialize, Serialize};
use time::OffsetDateTime;
use utoipa::ToSchema;
use uuid::Uuid;

/// Fields of the terms.
const TERMS: [&str; 4] = [
    "promised",
    "value_cents",
    "limit_cents",
    "stop_loss_minutes",
];

/// Promise and money.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Terms {
    /// Promised for.
    #[serde(default, with = "time::serde::rfc3339::option")]
    pub promised: Option<OffsetDateTime>,
    /// Value of the vehicle, cents.
    #[serde(default)]
    pub value_cents: Option<i64>,
    /// The customer's limit, cents.
    #[serde(default)]
    pub limit_cents: Option<i64>,
    /// Stop-loss: minutes after which the job is not worth doing without asking again.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stop_loss_minutes: Option<f64>,
    /// Names of the fields that this entry sets; the others stay as they are. Empty sets all four.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub set: Vec<String>,
}

impl Terms {
    /// Is this field set by the entry?
    fn sets(&self, field: &str) -> bool {
        self.set.is_empty() || self.set.iter().any(|s| s == field)
    }
}

impl Kind for Terms {
    fn word(&self) -> &'static str {
        "terms"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { job, role, .. } = *at;
        let Self {
            value_cents,
            limit_cents,
            stop_loss_minutes,
            set,
            ..
        } = self;
        let raised = self.sets("limit_cents")
            && limit_cents.is_none_or(|l| job.limit_cents.is_some_and(|now| l > now));
        if role == Role::Trainee && job.limit_cents.is_some() && raised {
            return refuse(
                Code::NotAllowed,
                "limit_cents",
                "A technician raises the limit, after asking the customer.",
            );
        }
        if let Some(odd) = set.iter().find(|s| !TERMS.contains(&s.as_str())) {
            return refuse(
                Code::UnknownField,
                "set",
                format!("“{odd}” is none of {}.", TERMS.join(", ")),
            );
        }
        if let Some(minutes) = stop_loss_minutes {
            check_minutes(*minutes)?;
        }
        check_cents("limit_cents", *value_cents)?;
        check_cents("limit_cents", *limit_cents)?;
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self {
            promised,
            value_cents,
            limit_cents,
            stop_loss_minutes,
            ..
        } = self;
        if self.sets("stop_loss_minutes") {
            job.stop_loss_minutes = *stop_loss_minutes;
        }
        if self.sets("promised") {
            job.promised = *promised;
        }
        if self.sets("value_cents") {
            job.value_cents = *value_cents;
        }
        if self.sets("limit_cents") {
            job.limit_cents = *limit_cents;
        }
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            promised,
            value_cents,
            limit_cents,
            stop_loss_minutes,
            ..
        } = self;
        let mut set = Vec::new();
        let mut note = |name: &str, what: Option<String>| {
            if let Some(what) = what {
                set.push(format!("{name} {what}"));
            }
        };
        note("vehicle worth", value_cents.map(money_words));
        note("limit", limit_cents.map(money_words));
        note("stop and ask after", stop_loss_minutes.map(minutes_words));
        let tail = if set.is_empty() {
            String::new()
        } else {
            format!(": {}", set.join(", "))
        };
        Said::with(
            format!("Promise and limits set{tail}"),
            promised.map_or("", |_| "promised for"),
        )
    }

    fn speaks_of(&self) -> Option<OffsetDateTime> {
        self.promised
    }
}

/// A quote to the customer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Quote {
    /// Parts and other work.
    pub lines: Vec<QuoteLine>,
    /// Minutes of labour.
    pub minutes: f64,
    /// In words.
    #[serde(default)]
    pub words: String,
    /// Rate, step and tax it was worked out with; set by the server.
    #[serde(default)]
    pub terms: Option<money::Terms>,
}

impl Kind for Quote {
    fn word(&self) -> &'static str {
        "quote"
    }

    fn admit(&self, _at: &Admitting<'_>) -> Result<(), CoreError> {
        let Self {
            lines,
            minutes,
            words,
            ..
        } = self;
        check_minutes(*minutes)?;
        maybe("words", words, 1000)?;
        if lines.len() > 60 || (lines.is_empty() && *minutes <= 0.0) {
            return refuse(
                Code::BadQuote,
                "lines",
                "A quote has minutes, or 1 to 60 lines.",
            );
        }
        for l in lines {
            text("lines", &l.what, 200, "Name each line.")?;
            let fits = l.quantity.is_finite()
                && (0.001..=10_000.0).contains(&l.quantity)
                && (0..=100_000_000).contains(&l.unit_cents);
            if !fits {
                return refuse(
                    Code::BadMoney,
                    "lines",
                    "A line has a quantity above zero and a price of 0 to 1,000,000.",
                );
            }
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self {
            lines,
            minutes,
            words,
            terms,
            ..
        } = self;
        job.quotes.push(QuoteMade {
            mark: mark.clone(),
            lines: lines.clone(),
            minutes: *minutes,
            words: words.clone(),
            terms: terms.clone().unwrap_or_default(),
            said: None,
        });
        job.waiting = Some(Waiting {
            kind: WaitKind::Customer,
            what: "answer to the quote".into(),
            until: None,
            since: mark.at,
            supplier: None,
            quote: Some(mark.entry),
        });
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            lines,
            minutes,
            words,
            terms,
            ..
        } = self;
        let terms = terms.clone().unwrap_or_default();
        let priced: Vec<(f64, i64)> = lines.iter().map(|l| (l.quantity, l.unit_cents)).collect();
        let total = money::sum(&priced, *minutes, &terms).total_cents;
        let names: Vec<&str> = lines.iter().map(|l| l.what.as_str()).collect();
        let mut text = format!("Quote: {} of labour", minutes_words(*minutes));
        if !names.is_empty() {
            text = format!("{text}, {}", names.join(", "));
        }
        if !words.trim().is_empty() {
            text = format!("{text}. {words}");
        }
        Said::with(text, format!("{} with tax", money_words(total)))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// The customer's answer to a quote.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct QuoteAnswer {
    /// Entry of the quote.
    pub quote: Uuid,
    /// Answer.
    pub answer: QuoteReply,
    /// Limit, cents, tax included, when it is for less.
    #[serde(default)]
    pub limit_cents: Option<i64>,
    /// In the customer's words.
    #[serde(default)]
    pub words: String,
}

impl Kind for QuoteAnswer {
    fn word(&self) -> &'static str {
        "quote-answer"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { job, role, .. } = *at;
        let Self {
            quote,
            answer,
            limit_cents,
            words,
            ..
        } = self;
        maybe("words", words, 1000)?;
        let binds = matches!(answer, QuoteReply::Accepted | QuoteReply::Less);
        if role == Role::Trainee && binds {
            return refuse(
                Code::NotAllowed,
                "answer",
                "A technician takes the customer's yes.",
            );
        }
        let Some(q) = job.quotes.iter().find(|q| q.mark.entry == *quote) else {
            return refuse(Code::UnknownQuote, "quote", "There is no such quote.");
        };
        if !q.open() {
            return refuse(
                Code::Answered,
                "quote",
                "This quote is answered. Write another one for a new price.",
            );
        }
        if *answer == QuoteReply::Less && limit_cents.is_none_or(|c| c <= 0) {
            return refuse(
                Code::NoLimit,
                "limit_cents",
                "Less: up to which sum, tax included?",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self {
            quote,
            answer,
            limit_cents,
            words,
            ..
        } = self;
        if let Some(q) = job.quotes.iter_mut().find(|q| q.mark.entry == *quote) {
            q.said = Some(QuoteSaid {
                answer: *answer,
                limit_cents: *limit_cents,
                words: words.clone(),
            });
            let sum = q.sum().total_cents;
            match answer {
                QuoteReply::Accepted => {
                    job.limit_cents = Some(job.limit_cents.unwrap_or(sum).max(sum));
                }
                QuoteReply::Less => job.limit_cents = *limit_cents,
                QuoteReply::Declined | QuoteReply::NoAnswer => {}
            }
        }
        let of_this = job
            .waiting
            .as_ref()
            .is_some_and(|w| w.quote == Some(*quote));
        if of_this && *answer != QuoteReply::NoAnswer {
            job.waiting = None;
        }
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self {
            answer,
            limit_cents,
            words,
            ..
        } = self;
        let said = match answer {
            QuoteReply::Accepted => "accepted",
            QuoteReply::Declined => "declined",
            QuoteReply::Less => "for less",
            QuoteReply::NoAnswer => "no answer yet",
        };
        let tail = tail(": “", words, "”");
        Said::with(
            format!("Quote {said}{tail}"),
            limit_cents.map_or(String::new(), |c| format!("up to {}", money_words(c))),
        )
    }

    fn guards(&self) -> &'static [&'static str] {
        &["quote", "quote-answer", "close"]
    }
}

/// Minutes of other work, or a correction (negative).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Minutes {
    /// Minutes.
    pub minutes: f64,
    /// What for.
    pub what: String,
}

impl Kind for Minutes {
    fn word(&self) -> &'static str {
        "minutes"
    }

    fn admit(&self, at: &Admitting<'_>) -> Result<(), CoreError> {
        let Admitting { role, .. } = *at;
        let Self { minutes, what, .. } = self;
        if !minutes.is_finite() || minutes.abs() > 1440.0 {
            return refuse(
                Code::BadMinutes,
                "minutes",
                "Minutes between −1440 and 1440 are accepted.",
            );
        }
        if what.trim().is_empty() {
            return refuse(Code::NoReason, "what", "Say what the minutes were for.");
        }
        if role == Role::Trainee && *minutes < 0.0 {
            return refuse(
                Code::NotAllowed,
                "minutes",
                "A technician takes minutes off.",
            );
        }
        Ok(())
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, _mark: &Mark, _struck_out: bool) {
        let Self { minutes, .. } = self;
        job.minutes += minutes
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { minutes, what, .. } = self;
        Said::with(what.clone(), minutes_words(*minutes))
    }

    fn can_be_struck_out(&self) -> bool {
        true
    }
}

/// A person's clock on this job starts or pauses.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Clock {
    /// Runs from here.
    pub run: bool,
}

impl Kind for Clock {
    fn word(&self) -> &'static str {
        "clock"
    }

    fn apply(&self, job: &mut Job, _catalogue: &Catalogue, mark: &Mark, _struck_out: bool) {
        let Self { run, .. } = self;
        let who = Whose::of(mark);
        if *run {
            job.clocks.entry(who).or_insert(Running {
                since: mark.at,
                by: mark.by.clone(),
            });
        } else if let Some(clock) = job.clocks.remove(&who) {
            job.minutes += between(clock.since, mark.at);
        }
    }

    fn said(&self, _book: &Book<'_>) -> Said {
        let Self { run, .. } = self;
        Said::words(if *run { "Clock runs" } else { "Clock pauses" })
    }
}
