//! What a technician adds without a line of Rust: a family of two packs behind a combiner, and a mid motor behind its
//! reduction, written as text here and read like the files that ship.

use spannung_circuit::behaviour::Scene;
use spannung_circuit::*;

/// Two packs of 13 groups: one is the family's cells, the other a source behind its own switch; diodes join them.
const TWO_PACKS: &str = r#"
id = "two-packs"
name = "E-bike with two packs"
volts_class = 48
drive = "brushed-test"
group = "EB"
turn = "forwards"
traits = ["lithium", "brushed"]
segments = [{ id = "pack", name = "Packs" }, { id = "motor", name = "Motor" }]
plug = [{ id = "dock", name = "Dock A", pins = 2, face = "flat", access = "a0", segment = "pack" }]
part = [
  { id = "pack-a-lead", kind = "resistor", a = "C13", b = "P+", ohms = 0.002 },
  { id = "pack-a-minus", kind = "resistor", a = "P-", b = "C0", ohms = 0.002 },
  { id = "pack-b", kind = "source", a = "B+", b = "GND", volts = 49.0, ohms = 0.145 },
  { id = "combiner-a", kind = "diode", a = "VA+", b = "VB+", volts = 0.4, ohms = 0.01 },
  { id = "combiner-b", kind = "diode", a = "B+", b = "VB+", volts = 0.4, ohms = 0.01 },
  { id = "main-switch", kind = "switch", a = "VB+", b = "M+", ohms = 0.005, when = "key=on" },
  { id = "armature", kind = "resistor", a = "M+", b = "GND", ohms = 10.0 },
]

[motor]
kind = "brushed"
armatures = [{ element = "armature", plus = "M+", minus = "GND" }]
start_amps = 1.0
full_volts = 40.0

[cells]
groups = 13
chemistry = "nmc"
rest_volts = 3.85
full_volts = 4.2
floor_volts = 2.5
ohms = 0.010

[access]
a0 = { name = "Outside", minutes = 0.0 }

[[strand]]
id = "dock"
name = "Dock A"
carries = "feed"
plug = "dock"
segment = "pack"
reference = 2
run_ohms = 0.002
pin_ohms = 0.001
lead_ohms = 0.001
wires = [
  { pin = 1, code = "RD", function = "pack plus", from = "VA+", to = "P+" },
  { pin = 2, code = "BK", function = "pack minus", from = "GND", to = "P-" },
]
"#;

fn built(text: &str) -> (Profile, Netlist) {
    let profile = Profile::new(&Family::parse("own.toml", text).unwrap(), &[]).unwrap();
    let net = profile.netlist().unwrap();
    (profile, net)
}

fn on() -> VehicleState {
    VehicleState {
        battery: state::Battery::In,
        key: state::Key::On,
        ..VehicleState::default()
    }
}

#[test]
fn the_fuller_pack_carries_the_load_behind_a_diode_combiner() {
    let (_, net) = built(TWO_PACKS);
    let amps = |effects: &[Effect]| {
        let circuit = Circuit::compile(&net, effects, &[]);
        let s = circuit.solve(&on(), 0, &[], &[]);
        let through = |id: &str| circuit.amps(&s, net.element(id).unwrap());
        (through("combiner-a"), through("combiner-b"))
    };
    // pack A: 50.05 V, pack B: 49.0 V; about 5 A through A's 0.13 Ω leave 49 V: B stays behind its diode
    let (a, b) = amps(&[]);
    assert!((4.8..5.0).contains(&a) && b.abs() < 1e-9, "{a} A and {b} A");
    // A off: B takes over at once
    let lead = net.element("pack-a-lead").unwrap();
    let (a, b) = amps(&[Effect::Open(lead)]);
    assert!(a.abs() < 1e-9 && (4.7..4.9).contains(&b), "{a} A and {b} A");
    // B's diode shorted, nothing switched on: A charges B, what the combiner is there to forbid:
    // (50.05 − 0.4 − 49.0) V over about 0.13 + 0.01 + 0.145 + 0.02 Ω
    let (joint, from) = (net.find("VB+").unwrap(), net.find("B+").unwrap());
    let circuit = Circuit::compile(&net, &[Effect::Bridge(joint, from, 0.005)], &[]);
    let rest = VehicleState {
        key: state::Key::Off,
        ..on()
    };
    let s = circuit.solve(&rest, 0, &[], &[]);
    let through = circuit.amps(&s, net.element("pack-b").unwrap());
    assert!((1.8..2.5).contains(&through), "{through} A into pack B");
}

/// A mid motor: its reduction is no circuit, so a stripped gear shows by its signs while every reading stays healthy.
#[test]
fn a_mid_drive_reduction_shows_by_what_it_does() {
    let (profile, net) = built(TWO_PACKS);
    let signs = "[[sign]]\nid = \"motor\"\nvalues = [\"smooth\", \"slow\", \"rough\", \"buzzes\", \"silent\", \"backwards\", \"runs-away\"]\ncomputed = true\n[[sign]]\nid = \"push\"\nvalues = [\"firm\", \"slips\"]\n";
    let faults = "[[fault]]\nid = \"mid-gear\"\nname = \"Reduction stripped\"\nfits = [\"mid-motor\"]\nat = [\"gears\"]\nsegment = \"motor\"\nsigns = { push = \"slips\" }\n";
    let book = FaultBook::parse("f.toml", faults, "s.toml", signs).unwrap();
    assert!(
        book.cases(&profile, &net).unwrap().is_empty(),
        "no mid motor, no such fault"
    );
    let text = TWO_PACKS.replace("\"brushed\"]", "\"brushed\", \"mid-motor\"]");
    let (profile, net) = built(&text);
    let cases = book.cases(&profile, &net).unwrap();
    let circuit = Circuit::compile(&net, &cases[0].effects, &[]);
    let scene = Scene::of(&profile, &net, &circuit, Some(&cases[0]));
    assert_eq!(scene.observe("push", &on()).as_deref(), Some("slips"));
    assert_ne!(scene.observe("motor", &on()).as_deref(), Some("silent"));
}

#[test]
fn slips_of_the_pen_name_file_and_line() {
    let error = |from: &str, to: &str| {
        let text = TWO_PACKS.replacen(from, to, 1);
        assert_ne!(text, TWO_PACKS, "{from} is in the text");
        Family::parse("own.toml", &text).unwrap_err().to_string()
    };
    for (from, to, part) in [
        ("b = \"M+\"", "b = \"M*\"", "hangs on one element"),
        ("\"brushed\"]", "\"brushd\"]", "there is no trait"),
        ("access = \"a0\"", "access = \"a9\"", "no access code"),
        (
            "id = \"dock\", name",
            "id = \"deck\", name",
            "no plug “dock”",
        ),
    ] {
        let sentence = error(from, to);
        assert!(sentence.starts_with("own.toml, line "), "{sentence}");
        assert!(sentence.contains(part), "{sentence}");
    }
}
