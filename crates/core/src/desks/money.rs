//! Money and minutes. All money in whole cents; every product is rounded half away from zero once,
//! after binary noise of a millionth of a cent is taken off.

use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;

/// What a shop works out its bills with.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Terms {
    /// Labour, cents an hour, without tax.
    pub rate_cents: i64,
    /// Labour is billed in steps of so many minutes.
    pub step_minutes: f64,
    /// And at least so many, once there is any.
    pub least_minutes: f64,
    /// Small stuff (solder, sleeve, cleaner), per cent of labour.
    pub small_percent: f64,
    /// And at least so many cents.
    pub small_least_cents: i64,
    /// Tax, per cent.
    pub tax_percent: f64,
    /// Currency, three letters of ISO 4217.
    pub currency: String,
}

impl Default for Terms {
    fn default() -> Self {
        Self {
            rate_cents: 5600,
            step_minutes: 5.0,
            least_minutes: 15.0,
            small_percent: 0.0,
            small_least_cents: 0,
            tax_percent: 19.0,
            currency: "EUR".into(),
        }
    }
}

/// A sum worked out.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, ToSchema)]
pub struct Sum {
    /// Parts, cents.
    pub parts_cents: i64,
    /// Minutes billed.
    pub billed_minutes: i64,
    /// Labour, cents.
    pub labour_cents: i64,
    /// Small stuff, cents.
    pub small_cents: i64,
    /// Before tax, cents.
    pub net_cents: i64,
    /// Tax, cents.
    pub tax_cents: i64,
    /// To pay, cents.
    pub total_cents: i64,
}

/// Whole cents, half away from zero.
fn cents(x: f64) -> i64 {
    let clean = (x * 1e6).round() / 1e6;
    clean.round() as i64
}

/// Minutes as they are billed: none for none, otherwise up to the next step, and the least.
pub fn billed(minutes: f64, terms: &Terms) -> f64 {
    if minutes <= 0.0 {
        return 0.0;
    }
    let steps = if terms.step_minutes > 0.0 {
        let ratio = (minutes / terms.step_minutes * 1e9).round() / 1e9;
        ratio.ceil() * terms.step_minutes
    } else {
        minutes
    };
    steps.max(terms.least_minutes)
}

/// A quote or bill: (quantity, cents of one) per line, minutes of labour.
///
/// Lines are rounded one by one; labour is billed minutes at the rate; small stuff is a share of labour
/// with a floor, and nothing where there is nothing; tax is on the whole.
pub fn sum(lines: &[(f64, i64)], minutes: f64, terms: &Terms) -> Sum {
    let parts_cents: i64 = lines.iter().map(|(n, c)| cents(n * *c as f64)).sum();
    let billed_minutes = billed(minutes, terms);
    let labour_cents = cents(billed_minutes / 60.0 * terms.rate_cents as f64);
    let small_cents = if parts_cents == 0 && labour_cents == 0 {
        0
    } else {
        let share = labour_cents as f64 * terms.small_percent / 100.0;
        cents(share).max(terms.small_least_cents)
    };
    let net_cents = parts_cents + labour_cents + small_cents;
    let tax_cents = cents(net_cents as f64 * terms.tax_percent / 100.0);
    Sum {
        parts_cents,
        billed_minutes: cents(billed_minutes),
        labour_cents,
        small_cents,
        net_cents,
        tax_cents,
        total_cents: net_cents + tax_cents,
    }
}

/// Price of a part by its band, cents without tax; the bands as a shop sets them.
pub type Bands = BTreeMap<String, i64>;

/// Bands of a shop that has not set its own. Band 0 is no part at all.
pub fn usual_bands() -> Bands {
    [
        ("0", 0),
        ("A", 500),
        ("B", 2000),
        ("C", 6000),
        ("D", 14_000),
        ("E", 38_000),
    ]
    .into_iter()
    .map(|(b, c)| (b.to_string(), c))
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn terms() -> Terms {
        Terms {
            rate_cents: 6000,
            step_minutes: 15.0,
            least_minutes: 15.0,
            small_percent: 5.0,
            small_least_cents: 200,
            tax_percent: 20.0,
            currency: "EUR".into(),
        }
    }

    #[test]
    fn a_worked_quote() {
        // 2500 + 2 × 750; 40 min → 45 → 4500; 5 % of it 225, over the floor of 200; 8725 net, 1745 tax
        let s = sum(&[(1.0, 2500), (2.0, 750)], 40.0, &terms());
        assert_eq!(
            (s.parts_cents, s.billed_minutes, s.labour_cents),
            (4000, 45, 4500)
        );
        assert_eq!(
            (s.small_cents, s.net_cents, s.tax_cents, s.total_cents),
            (225, 8725, 1745, 10_470)
        );
    }

    #[test]
    fn small_stuff_has_a_floor_and_nothing_costs_nothing() {
        assert_eq!(sum(&[(1.0, 1000)], 0.0, &terms()).small_cents, 200);
        assert_eq!(sum(&[], 0.0, &terms()), Sum::default());
    }

    #[test]
    fn a_full_step_is_not_billed_as_the_next_one() {
        assert!((billed(45.0, &terms()) - 45.0).abs() < 1e-9);
        assert!((billed(45.01, &terms()) - 60.0).abs() < 1e-9);
        assert!((billed(0.1 + 0.2 + 14.7, &terms()) - 15.0).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn the_parts_of_a_sum_add_up(lines in proptest::collection::vec((0.0f64..20.0, 0i64..100_000), 0..8), minutes in 0.0f64..900.0) {
            let s = sum(&lines, minutes, &terms());
            prop_assert_eq!(s.parts_cents + s.labour_cents + s.small_cents, s.net_cents);
            prop_assert_eq!(s.net_cents + s.tax_cents, s.total_cents);
            prop_assert!(s.billed_minutes as f64 >= minutes - 1e-6);
        }
    }
}
