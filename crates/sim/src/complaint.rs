//! What the owner of a simulated vehicle notices and says.

use spannung_circuit::Circuit;
use spannung_circuit::behaviour::Scene;
use spannung_circuit::state::{Battery, Charger, Key, Load, VehicleState};

/// Symptom of a sign: (sign, value, symptom), most telling first.
const HEARD: [(&str, &str, &str); 49] = [
    ("pack_case", "swollen", "S21"),
    ("pack_case", "wet", "S43"),
    ("charge_led", "dark", "S24"),
    ("charge_label", "wrong", "S22"),
    ("charge_wiggle", "jumps", "S22"),
    ("charge_run", "stops", "S23"),
    ("charge_run", "slow", "S23"),
    ("pack_trip", "trips", "S28"),
    ("pack_days", "falls", "S44"),
    ("push", "slips", "S16"),
    ("brake_seen", "weak", "S48"),
    ("brake_seen", "drags", "S45"),
    ("lever_cut", "drives-on", "S34"),
    ("start", "sharp", "S49"),
    ("start", "needs-push", "S07"),
    ("assist", "runs-on", "S47"),
    ("motor", "runs-away", "S11"),
    ("motor", "backwards", "S10"),
    ("motor", "slow", "S12"),
    ("ctl_case", "hot", "S20"),
    ("motor_case", "hot", "S19"),
    ("smell", "burnt", "S18"),
    ("face_seen", "melted", "S18"),
    ("pull", "weak", "S13"),
    ("capacity", "low", "S25"),
    ("play", "wheel", "S46"),
    ("play", "crank", "S46"),
    ("play", "clamp", "S46"),
    ("true", "runs-out", "S46"),
    ("noise", "drive", "S17"),
    ("noise", "always", "S17"),
    ("noise", "pedal", "S17"),
    ("spin_forward", "drags", "S45"),
    ("roll", "drags", "S45"),
    ("tyre", "low", "S45"),
    ("hall_heat", "drops", "S08"),
    ("ripple", "high", "S30"),
    ("settings", "cut-off", "S25"),
    ("settings", "volts", "S26"),
    ("pack_skin", "cold", "S25"),
    ("lamp_setting", "off", "S31"),
    ("ctr_hold", "drops", "S08"),
    ("regen", "none", "S37"),
    ("regen", "trips", "S39"),
    ("spark", "loud", "S38"),
    ("gauge_fits", "off", "S26"),
    ("breaker_seen", "trips", "S08"),
    ("board_seen", "dead", "S32-toy"),
    ("block_labels", "mixed", "S25"),
];

/// Symptoms told, most telling first; empty when the owner would not come.
pub fn tell(scene: &Scene<'_>, intermittent: bool, circuit: &Circuit, z: &[f64]) -> Vec<String> {
    let rest = VehicleState::default();
    let see = |sign: &str| scene.observe(sign, &rest).unwrap_or_default();
    let mut out: Vec<String> = Vec::new();
    let (display, motor, assist) = (see("display"), see("motor"), see("assist"));
    if intermittent {
        out.push("S09".into());
    } else {
        let pedals = scene.has("assist");
        match (display.as_str(), motor.as_str(), assist.as_str()) {
            ("dark", "silent", _) => out.push("S01".into()),
            ("dark", _, _) if scene.profile.family.has("toy") => out.push("S32-toy".into()),
            ("dark", _, _) => out.push("S01".into()),
            (_, "silent", _) if !pedals => out.push("S02".into()),
            (_, "silent", "dead") => out.push("S02".into()),
            (_, "silent", _) => out.push("S03".into()),
            (_, "buzzes", _) => out.push("S05".into()),
            (_, "rough", _) => out.push("S06".into()),
            (_, _, "dead") if pedals => out.push("S04".into()),
            _ => {}
        }
    }
    for (sign, value, symptom) in HEARD {
        if see(sign) == value && !out.iter().any(|s| s == symptom) {
            out.push(symptom.into());
        }
    }
    // of what comes and goes nobody says what else is wrong at that moment
    if !intermittent {
        out.extend(steady(&see, &display, &motor));
    }
    if out.is_empty() {
        out.extend(power_complaint(scene, circuit, z));
    }
    out.truncate(2);
    out
}

/// What is told of a fault that stays, besides whether it drives.
fn steady(see: &impl Fn(&str) -> String, display: &str, motor: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    let usual = |sign: &str, value: &str| see(sign) != value && !see(sign).is_empty();
    for (sign, symptom) in [("sides", "S41"), ("directions", "S40"), ("ranges", "S42")] {
        if see(sign) == "one" {
            out.push(symptom.into());
        }
    }
    // told only when all else is as it was
    let drives = display == "lit" && motor == "smooth";
    if usual("aux", "lit") && drives {
        out.push("S32".into());
    }
    if usual("lamp", "lit") && drives {
        out.push("S31".into());
    }
    if usual("speed_shown", "right") && display == "lit" {
        out.push("S35".into());
    }
    if see("brake_sign") == "on" {
        out.push("S33".into());
    }
    if see("drag_in") == "notchy" {
        out.push("S15".into());
    }
    if !see("code").is_empty() && see("code") != "none" {
        out.push("S29".into());
    }
    out
}

/// Share of its volts by which a pack sags on full throttle when somebody speaks of it.
const SAG: f64 = 0.08;

/// What only shows in use: the pack sags, the charge does not start, the frame tingles.
fn power_complaint(scene: &Scene<'_>, circuit: &Circuit, z: &[f64]) -> Option<String> {
    let volts = |state: &VehicleState| {
        let s = circuit.solve(state, 0, z, &[]);
        let (a, b) = (scene.net.find("VB+")?, scene.net.find("GND")?);
        Some(s.volts[a] - s.volts[b])
    };
    let on = VehicleState {
        battery: Battery::In,
        key: Key::On,
        ..VehicleState::default()
    };
    let loaded = VehicleState {
        load: Load::Feed,
        ..on.clone()
    };
    if volts(&on)? - volts(&loaded)? > SAG * volts(&on)? {
        return Some("S26".into());
    }
    let charging = VehicleState {
        charger: Charger::Plugged,
        ..VehicleState::default()
    };
    let s = circuit.solve(&charging, 0, z, &[]);
    let amps = scene
        .net
        .element("charge-port-plus")
        .map(|e| circuit.amps(&s, e).abs())?;
    (amps < 0.3).then(|| "S22".into())
}
