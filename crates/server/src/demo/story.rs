//! The jobs of the demonstration, told entry by entry.

use super::{START, script};
use crate::App;
use crate::error::ApiError;
use spannung_core::job::entry;
use spannung_core::job::entry::{Fate, Outcome, QuoteLine, ReadOn, Recheck, WaitKind};
use spannung_core::reading::Unit;
use time::Duration;

/// Write all jobs.
///
/// # Errors
/// The database does not answer, or an entry of the story does not fit (a test proves it does).
pub(super) async fn tell(app: &App) -> Result<(), ApiError> {
    // closed: a throttle torn off at a kerb
    let mut s = script(app, 1, 1, 98);
    s.open(
        "Throttle does nothing since it fell over at the kerb. Pedalling still helps.",
        "Ferry steward's bike",
        Some("FS-2207"),
        None,
    )
    .await?;
    s.customer("Hanno Pries", "steward@ferry.example").await?;
    s.pack("K-31").await?;
    s.clear_gate("52.4").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("fm-brake-sign", "off"),
        ("fm-throttle", "home"),
        ("t-thr-idle", "0.02"),
        ("v.throttle.1.d", "4.84"),
    ])
    .await?;
    s.add(entry::Part {
        old: Some("Thumb throttle, lead torn at the bar".into()),
        fate: Some(Fate::Recycled),
        new: Some("Thumb throttle, 3 wires, 5 V".into()),
        class: Some("throttle".into()),
        minutes: 22.0,
        price_cents: Some(2_400),
    })
    .await?;
    s.renew("new ties").await?;
    s.prove("throttle-return", "0.82", "").await?;
    s.prove_all().await?;
    s.close(
        Outcome::Repaired,
        Some("throttle"),
        "New throttle fitted; lead tied with slack for steering.",
        "The lead at the bar: tell us when it rubs again.",
        Some(Recheck {
            by: START + Duration::days(3),
            km: Some(200),
            what: "Lead of the throttle at the stem".into(),
        }),
    )
    .await?;

    // closed: nothing found
    let mut s = script(app, 2, 1, 74);
    s.open(
        "Pedalling does nothing now and then, the riders say.",
        "Harbour school loan 2",
        Some("HS-0002"),
        None,
    )
    .await?;
    s.customer(
        "Harbour school, Silke Thorn",
        "office@harbour-school.example",
    )
    .await?;
    s.pack("K-12").await?;
    s.clear_gate("53.1").await?;
    s.takes(&[
        ("fm-level", "set"),
        ("fm-display", "lit"),
        ("t-pedal-run", "works"),
        ("t-pedal", "0.06..4.85"),
    ])
    .await?;
    s.renew("new ties").await?;
    s.prove_all().await?;
    s.close(
        Outcome::NoFaultFound,
        None,
        "Works in the shop. Level was explained to the riders.",
        "",
        Some(Recheck {
            by: START - Duration::days(1),
            km: None,
            what: "Ask the riders whether the help stayed away again".into(),
        }),
    )
    .await?;

    // the pack stands in quarantine
    let mut s = script(app, 3, 2, 20);
    s.open(
        "Dark since the flood tide stood in the shed, the battery was under water.",
        "Lighthouse post bike",
        Some("LH-77"),
        None,
    )
    .await?;
    s.customer("Meret Ohl", "0700 555 0134").await?;
    s.pack("K-08").await?;
    s.gate(&[
        ("shape", "flat", None),
        ("leak", "none", None),
        ("heat", "cool", None),
        ("fall", "none", None),
        ("water", "inside", None),
    ])
    .await?;
    for step in ["out", "outdoors", "watch", "tag"] {
        s.add(entry::Quarantine { step: step.into() }).await?;
    }
    s.clock(false).await?;
    s.add(entry::Wait {
        wait: WaitKind::Rest,
        what: "Pack K-08 watched in the sand bay".into(),
        until: Some(START + Duration::hours(27)),
        supplier: None,
    })
    .await?;

    // waits for a part: gears
    let mut s = script(app, 4, 1, 46);
    s.open(
        "Motor whines but hardly pulls, slips with crates on board.",
        "Chandler's long bike",
        Some("CH-410"),
        Some(56),
    )
    .await?;
    s.customer("Otto Brame", "rope@chandler.example").await?;
    s.pack("K-22").await?;
    s.clear_gate("51.0").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("t-spin-both", "free"),
        ("t-hold", "slips"),
        ("t-listen", "drive"),
        ("t-hub", "gears"),
    ])
    .await?;
    s.clock(false).await?;
    s.add(entry::Wait {
        wait: WaitKind::Part,
        what: "Planet gear set, three of 36 teeth".into(),
        until: Some(START + Duration::hours(49)),
        supplier: Some("Gear and shaft trade, order 7741".into()),
    })
    .await?;

    // waits for the customer's word
    let mut s = script(app, 5, 1, 30);
    s.open(
        "Battery empties after half the round, range is half of last year.",
        "Café tray bike",
        None,
        None,
    )
    .await?;
    s.customer("Lene Vast", "0700 555 0178").await?;
    s.pack("K-17").await?;
    s.clear_gate("50.6").await?;
    s.takes(&[("fm-gauge", "charged"), ("t-pack-load", "44.6")])
        .await?;
    s.add(entry::Quote {
        lines: vec![QuoteLine {
            what: "Pack, 48 V 14 Ah, same dock".into(),
            quantity: 1.0,
            unit_cents: 38_900,
        }],
        minutes: 25.0,
        words: "Or go on with half the range.".into(),
        terms: None,
    })
    .await?;
    s.clock(false).await?;

    // on the bench, promised today: the one to do next
    let mut s = script(app, 6, 1, 3);
    s.open(
        "One jerk, then nothing. Since the salt rain on Saturday.",
        "Market courier 3, yellow lid",
        Some("MC-0311"),
        Some(5),
    )
    .await?;
    s.customer("Market couriers, Jorun Sand", "desk@couriers.example")
        .await?;
    s.pack("K-05").await?;
    s.clear_gate("51.8").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("fm-brake-sign", "off"),
        ("fm-code", "hall"),
        ("fm-plugs", "seated"),
        ("fm-spin", "free"),
        ("t-hall-5v", "4.83"),
        ("t-hall-a", "0.07..4.82"),
    ])
    .await?;
    s.photo("Motor plug before it was pulled, salts at the seam", 7)
        .await?;
    s.clock(false).await?;

    // on the bench, promised tomorrow
    let mut s = script(app, 7, 1, 2);
    s.open(
        "Display on but it does not drive at all since it fell at the market.",
        "Bread round, tall basket",
        Some("BR-19"),
        Some(27),
    )
    .await?;
    s.pack("K-27").await?;
    s.clear_gate("52.9").await?;
    s.takes(&[("fm-display", "lit"), ("fm-brake-sign", "on")])
        .await?;
    s.clock(false).await?;

    // gate half asked
    let mut s = script(app, 8, 3, 1);
    s.open(
        "Completely dead after the wet night, no light at all.",
        "Net loft errand bike",
        None,
        Some(31),
    )
    .await?;
    s.pack("K-30").await?;
    s.gate(&[
        ("shape", "flat", None),
        ("leak", "none", None),
        ("heat", "cool", None),
    ])
    .await?;
    s.clock(false).await?;

    // in repair
    let mut s = script(app, 9, 2, 5);
    s.open(
        "Only the headlight is dead, and the wheel wobbles.",
        "Smokehouse delivery bike",
        Some("SM-6"),
        None,
    )
    .await?;
    s.pack("K-14").await?;
    s.clear_gate("49.7").await?;
    s.takes(&[
        ("t-lamp", "dark"),
        ("v.lamp.1.d", "49.2"),
        ("t-lamp-bench", "dark"),
        ("t-true", "runs-out"),
    ])
    .await?;
    s.add(entry::Part {
        old: Some("Front lamp, water behind the glass".into()),
        fate: Some(Fate::Recycled),
        new: Some("Front lamp, 48 V".into()),
        class: Some("lamp".into()),
        minutes: 10.0,
        price_cents: Some(1_900),
    })
    .await?;
    s.clock(false).await?;
    more(app).await
}

/// What the rest of the shop's work looks like: vehicles without a wiring model, a proof that failed and
/// came back, a complaint that returned, locked electronics.
async fn more(app: &App) -> Result<(), ApiError> {
    // a ride-on toy, compared with its twin
    let mut s = script(app, 10, 1, 4);
    s.open_as(
        "Left side does not pull, goes round in circles.",
        12,
        "other",
        None,
    )
    .await?;
    s.add(entry::Vehicle {
        name: "Campsite ride-on 5, green tractor".into(),
        frame_number: Some("CT-05".into()),
        controller: None,
    })
    .await?;
    s.customer("Dune campsite, Arvid Lund", "gate@dune.example")
        .await?;
    s.pack("K-40").await?;
    s.clear_gate("12.7").await?;
    s.add(entry::Reference {
        vehicle: "Ride-on 6, same year, drives well".into(),
    })
    .await?;
    for (point, unit, reference, this) in [
        ("Block, at rest", Unit::Volts, "12.8", Some("12.7")),
        ("Left motor, pedal down", Unit::Volts, "12.4", Some("0.3")),
        ("Right motor, pedal down", Unit::Volts, "12.4", Some("12.3")),
        ("Pedal switch, pressed", Unit::Ohms, "0.3", Some("0.4")),
        ("Left motor, plug apart", Unit::Ohms, "1.1", None),
    ] {
        s.point(point, unit, ReadOn::Reference, reference).await?;
        if let Some(this) = this {
            s.point(point, unit, ReadOn::This, this).await?;
        }
    }
    s.clock(false).await?;

    // from a fleet, locked
    let mut s = script(app, 11, 2, 7);
    s.open_as(
        "Bought at an auction, display asks for a code and it will not drive.",
        36,
        "other",
        None,
    )
    .await?;
    s.add(entry::Vehicle {
        name: "Auction scooter, grey".into(),
        frame_number: Some("GX-88120".into()),
        controller: None,
    })
    .await?;
    s.add(entry::Ownership {
        locked: true,
        proof: None,
    })
    .await?;
    s.pack("K-41").await?;
    s.clock(false).await?;
    s.add(entry::Wait {
        wait: WaitKind::Customer,
        what: "Proof of ownership: receipt or letter of the fleet".into(),
        until: None,
        supplier: None,
    })
    .await?;

    // being proved: a brake cut-off failed, was mended, and is proved again
    let mut s = script(app, 12, 1, 6);
    s.open(
        "Pedalling does nothing since the chain came off, throttle works.",
        "Pilot's commuter, blue",
        Some("PL-310"),
        Some(7),
    )
    .await?;
    s.customer("Birte Hauk", "0700 555 0122").await?;
    s.pack("K-19").await?;
    s.clear_gate("50.9").await?;
    s.takes(&[
        ("fm-display", "lit"),
        ("fm-level", "set"),
        ("t-pedal-run", "dead"),
        ("t-pedal", "4.85..4.86"),
    ])
    .await?;
    s.add(entry::Part {
        old: Some("Pedal sensor, cracked by the chain".into()),
        fate: Some(Fate::Recycled),
        new: Some("Pedal sensor with ring, 12 magnets".into()),
        class: Some("pedal-sensor".into()),
        minutes: 18.0,
        price_cents: Some(1_450),
    })
    .await?;
    s.add(entry::OpenItem {
        item: "unsealed-cover".into(),
        what: "Grommet at the bottom bracket, glue sets".into(),
    })
    .await?;
    s.add(entry::Reassembly {
        part: "Crank, left".into(),
        step: 1,
        orientation: "arm opposite the right one".into(),
        lubricant: "grease on the taper".into(),
        torque_nm: Some(40.0),
    })
    .await?;
    s.prove("complaint", "", "").await?;
    s.prove("brake-function", "", "").await?;
    s.prove("axle-torque", "41", "").await?;
    s.prove("throttle-return", "0.86", "").await?;
    s.prove("brake-cut-left", "0.2", "").await?;
    s.prove("brake-cut-right", "0.9", "").await?;
    s.add(entry::Part {
        old: None,
        fate: None,
        new: Some("Magnet of the right lever set back and glued".into()),
        class: Some("brake-right".into()),
        minutes: 6.0,
        price_cents: None,
    })
    .await?;
    s.prove("brake-cut-right", "0.2", "").await?;
    s.clock(false).await?;

    // the same complaint again within the comeback period
    let mut s = script(app, 13, 1, 1);
    s.open_as(
        "Throttle dead again since this morning, pedalling helps.",
        48,
        "geared-hub",
        Some(script(app, 1, 1, 0).job),
    )
    .await?;
    s.add(entry::Symptom {
        symptom: "S03".into(),
        yes: Some(true),
        by_customer: true,
    })
    .await?;
    s.add(entry::Vehicle {
        name: "Ferry steward's bike".into(),
        frame_number: Some("FS-2207".into()),
        controller: None,
    })
    .await?;
    s.pack("K-31").await?;
    s.clock(false).await?;
    Ok(())
}
