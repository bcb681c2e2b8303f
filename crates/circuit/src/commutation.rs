//! Six-step commutation of a three-phase motor with three hall sensors 120° apart.

/// Hall codes (A B C, high = 1) of the six steps in driving order.
pub const HALL_CODES: [u8; 6] = [0b101, 0b100, 0b110, 0b010, 0b011, 0b001];

/// Phase driven high and phase driven low (0 U, 1 V, 2 W) for each valid code, in the same order:
/// the pair that gives most torque while the rotor is in that step.
const PAIRS: [(u8, u8); 6] = [(0, 1), (0, 2), (1, 2), (1, 0), (2, 0), (2, 1)];

/// Back-EMF shape of a phase at a step, −1, 0 or 1 (ideal trapezoid at mid-step).
fn emf(phase: u8, step: usize) -> f64 {
    let (high, low) = PAIRS[step % 6];
    if phase == high {
        1.0
    } else if phase == low {
        -1.0
    } else {
        0.0
    }
}

/// What the motor does over one electrical turn.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Turn {
    /// Mean torque, 1 = healthy, negative = backwards.
    pub torque: f64,
    /// Share of steps without forward torque.
    pub dead: f64,
}

/// Torque over a turn for the hall code the controller reads at each of the six true steps and the
/// phases that are connected. Ideal six-step, so a code that is not valid gives no torque.
pub fn turn(codes: [u8; 6], phase_connected: [bool; 3]) -> Turn {
    let mut torque = 0.0;
    let mut dead = 0.0;
    for (step, code) in codes.iter().enumerate() {
        let t = HALL_CODES
            .iter()
            .position(|c| c == code)
            .map_or(0.0, |driven| {
                let (high, low) = PAIRS[driven];
                if phase_connected[high as usize] && phase_connected[low as usize] {
                    (emf(high, step) - emf(low, step)) / 2.0
                } else {
                    0.0
                }
            });
        torque += t / 6.0;
        if t < 0.25 {
            dead += 1.0 / 6.0;
        }
    }
    Turn { torque, dead }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn close(a: f64, b: f64) -> bool {
        (a - b).abs() < 1e-9
    }

    #[test]
    fn healthy_motor_turns_smoothly() {
        let t = turn(HALL_CODES, [true; 3]);
        assert!(close(t.torque, 1.0) && close(t.dead, 0.0));
    }

    #[test]
    fn one_hall_stuck_costs_a_third_of_the_torque() {
        let stuck = HALL_CODES.map(|c| c | 0b100);
        let t = turn(stuck, [true; 3]);
        assert!(close(t.torque, 2.0 / 3.0), "{t:?}");
    }

    #[test]
    fn an_open_phase_leaves_a_third() {
        let t = turn(HALL_CODES, [true, true, false]);
        assert!(
            close(t.torque, 1.0 / 3.0) && close(t.dead, 2.0 / 3.0),
            "{t:?}"
        );
    }

    #[test]
    fn dead_feed_reads_all_high_and_gives_nothing() {
        assert!(close(turn([7; 6], [true; 3]).dead, 1.0));
    }
}
