//! Piecewise-linear devices: the states they can be in, what each conducts in a state, and the state that the volts of a solution
//! ask for.

use super::{Circuit, Draw, Moment};
use crate::netlist::{NodeId, Part};

/// Linear stand-in of an element in its present device state: current a→b is
/// `g·(va − vb) + source_amps`.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) struct Linear {
    pub(crate) g: f64,
    pub(crate) amps: f64,
    pub(crate) kind: LinearKind,
}

#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(crate) enum LinearKind {
    /// Nothing passes.
    #[default]
    Off,
    TwoPole,
    /// i(a→b) = g·(volts − (vb − vc)), amps = g·volts
    Regulate,
    /// constant current a→b
    Constant,
    /// i(b→c) = g·(vb − vc − ratio·(va − vc)); ratio in `amps`
    Ratio,
    /// i(b→c) = g·(vb − vc)
    Pull,
}

impl Linear {
    pub(crate) fn on(self) -> bool {
        self.kind != LinearKind::Off
    }
}

/// State of a device.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Device {
    Passive,
    Off,
    On,
    Regulate,
    Limit,
    Dropout,
}

impl Device {
    /// As a vehicle begins: switched off.
    pub fn at_first(part: &Part) -> Self {
        match part {
            Part::Resistor { .. } | Part::Source { .. } | Part::Switch { .. } => Self::Passive,
            _ => Self::Off,
        }
    }
}

/// What a device sees of a solution.
pub(super) struct Sees<'a, V> {
    /// Volts of a point.
    pub volts: V,
    /// Island of each point.
    pub island: &'a [usize],
}

impl<V: Fn(NodeId) -> f64> Sees<'_, V> {
    fn same(&self, a: NodeId, b: NodeId) -> bool {
        self.island[a] == self.island[b]
    }

    fn across(&self, a: NodeId, b: NodeId) -> f64 {
        (self.volts)(a) - (self.volts)(b)
    }
}

impl Circuit {
    /// What an element conducts in a device state.
    pub(super) fn linear(&self, k: usize, device: Device, moment: &Moment, z: &Draw) -> Linear {
        let element = &self.elements[k];
        let fix = &self.fixes[k];
        let off = Linear::default();
        if fix.open || !moment.joined(k) {
            return off;
        }
        let two = |g: f64, amps: f64| Linear {
            g,
            amps,
            kind: LinearKind::TwoPole,
        };
        match &element.part {
            Part::Resistor { ohms } => two(
                1.0 / (ohms * fix.scale * z.values[k] + fix.series_ohms * z.series),
                0.0,
            ),
            Part::Source { volts, ohms, .. } => {
                if !moment.holds[k] {
                    return off;
                }
                let g = 1.0 / (ohms + fix.series_ohms * z.series);
                two(g, -g * volts * fix.scale * z.values[k])
            }
            Part::Switch {
                ohms,
                leak_ohms,
                inverted,
                ..
            } => {
                let closed = fix.forced.unwrap_or(moment.holds[k] != *inverted);
                if closed {
                    two(
                        1.0 / (ohms * fix.scale * z.values[k] + fix.series_ohms * z.series),
                        0.0,
                    )
                } else if leak_ohms.is_finite() {
                    two(1.0 / (leak_ohms * z.values[k]), 0.0)
                } else {
                    off
                }
            }
            Part::Relay { ohms, .. } => match device {
                Device::On => two(
                    1.0 / (ohms * fix.scale * z.values[k] + fix.series_ohms * z.series),
                    0.0,
                ),
                _ => off,
            },
            Part::Diode { volts, ohms } => match device {
                Device::On => {
                    let g = 1.0 / (ohms + fix.series_ohms * z.series);
                    two(g, -g * volts * z.values[k])
                }
                _ => off,
            },
            Part::Regulator {
                volts,
                limit_amps,
                dropout_volts,
                ..
            } => {
                let g = 20.0;
                match device {
                    Device::Regulate => Linear {
                        g,
                        amps: g * volts * fix.scale * z.values[k],
                        kind: LinearKind::Regulate,
                    },
                    Device::Limit => Linear {
                        g: 0.0,
                        amps: *limit_amps,
                        kind: LinearKind::Constant,
                    },
                    Device::Dropout => two(g, -g * dropout_volts),
                    _ => off,
                }
            }
            Part::Ratio {
                idle, full, ohms, ..
            } => {
                let open = moment.holds[k];
                let ratio = fix.stuck_ratio.unwrap_or(if open { *full } else { *idle });
                let ratio = ratio * fix.scale * z.values[k];
                Linear {
                    g: 1.0 / (ohms + fix.series_ohms * z.series),
                    amps: if device == Device::On { ratio } else { 0.0 },
                    kind: LinearKind::Ratio,
                }
            }
            Part::OpenCollector { ohms, .. } => match device {
                Device::On => Linear {
                    g: 1.0 / (ohms * z.values[k]),
                    amps: 0.0,
                    kind: LinearKind::Pull,
                },
                _ => off,
            },
        }
    }

    /// The device state that the present solution asks for.
    pub(super) fn next(
        &self,
        k: usize,
        (device, linear): (Device, Linear),
        s: &Sees<'_, impl Fn(NodeId) -> f64>,
        moment: &Moment,
        z: &Draw,
    ) -> Device {
        let e = &self.elements[k];
        let fix = &self.fixes[k];
        if fix.open {
            return Device::Off;
        }
        match &e.part {
            Part::Diode { volts, .. } => {
                if device == Device::On {
                    let amps = linear.g * s.across(e.a, e.b) + linear.amps;
                    if amps < -1e-12 {
                        Device::Off
                    } else {
                        Device::On
                    }
                } else if s.same(e.a, e.b) && s.across(e.a, e.b) > volts * z.values[k] + 1e-9 {
                    Device::On
                } else {
                    Device::Off
                }
            }
            Part::Regulator {
                volts,
                limit_amps,
                dropout_volts,
                on_volts,
                off_volts,
                ..
            } => {
                if fix.forced == Some(false) || !s.same(e.a, e.c) {
                    return Device::Off;
                }
                let input = s.across(e.a, e.c);
                let set = volts * fix.scale * z.values[k];
                if device == Device::Off {
                    return if input > *on_volts {
                        Device::Regulate
                    } else {
                        Device::Off
                    };
                }
                if input < *off_volts {
                    return Device::Off;
                }
                let output = s.across(e.b, e.c);
                match device {
                    Device::Regulate => {
                        if linear.amps - linear.g * output > *limit_amps {
                            Device::Limit
                        } else if input - output < *dropout_volts {
                            Device::Dropout
                        } else {
                            Device::Regulate
                        }
                    }
                    Device::Limit if output > set => Device::Regulate,
                    Device::Dropout => {
                        let amps = linear.g * s.across(e.a, e.b) + linear.amps;
                        if output > set + 1e-9 {
                            Device::Regulate
                        } else if amps > *limit_amps {
                            Device::Limit
                        } else {
                            Device::Dropout
                        }
                    }
                    other => other,
                }
            }
            Part::Relay { closes, .. } => {
                let closed = fix.forced.unwrap_or_else(|| {
                    moment.holds[k]
                        && closes.iter().all(|l| {
                            let volts = if s.same(l.plus, l.minus) {
                                s.across(l.plus, l.minus)
                            } else {
                                0.0
                            };
                            (volts > l.volts) == l.above
                        })
                });
                if closed { Device::On } else { Device::Off }
            }
            Part::Ratio { min_volts, .. } => {
                let powered = s.same(e.a, e.c) && s.across(e.a, e.c) >= *min_volts;
                if powered { Device::On } else { Device::Off }
            }
            Part::OpenCollector { min_volts, .. } => {
                let low = fix.forced.unwrap_or(moment.holds[k]);
                let powered = fix.forced == Some(true)
                    || (s.same(e.a, e.c) && s.across(e.a, e.c) >= *min_volts);
                if low && powered {
                    Device::On
                } else {
                    Device::Off
                }
            }
            _ => Device::Passive,
        }
    }
}
