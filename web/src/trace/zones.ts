// How the width is shared out: pack, protection, leads, controller, phases, motor, wheel from left to right.

import type { MapStrand, TraceMapData } from "../api/client";
import { textWidth } from "./shapes";

/** What hangs on the controller from above, with its strands. */
export interface Device {
  id: string;
  title: string;
  strands: MapStrand[];
  share: number;
}

/** Names that leave room on the drawing. */
const SHORT: Record<string, string> = {
  brakes: "Brakes",
  pedal: "Pedals",
  lamp: "Lamp",
  ignition: "Key",
  coil: "Coil",
  stand: "Stand",
  converter: "12 V",
  power: "Switch",
  foot: "Foot",
  direction: "Direction",
  range: "Range",
  board: "Sound",
  "halls-2": "Halls 2",
};

function devices(map: TraceMapData): Device[] {
  const out: Device[] = [];
  for (const s of map.strands) {
    if (s.role !== "device") continue;
    const group = s.id.startsWith("brake") ? "brakes" : s.id;
    const title = SHORT[group] ?? s.name;
    const found = out.find((d) => d.id === group);
    if (found) {
      found.strands.push(s);
      found.share += s.device_share;
    } else out.push({ id: group, title, strands: [s], share: s.device_share });
  }
  return out;
}

/** Places and widths along the drawing. */
export interface Zones {
  /** Width of the whole. */
  W: number;
  /** Everything that is only room is gone. */
  tight: boolean;
  /** More devices than a tablet upright has room for. */
  crowded: boolean;
  /** Distance between the wires of a strand, and their thickness. */
  pitch: number;
  core: number;
  /** Space between two devices. */
  between: number;
  devices: (Device & { width: number })[];
  /** Strand of the motor's sensors. */
  halls: MapStrand | undefined;
  pack: { x: number; w: number };
  protection: { x: number; w: number };
  /** Length of the leads into the controller. */
  leads: number;
  controller: { x: number; w: number };
  /** Length of the phases. */
  phases: number;
  motor: { x: number; r: number };
  wheel: { x: number; r: number };
}

/** Share out a width. */
export function zonesOf(map: TraceMapData, W: number, tight: boolean): Zones {
  const devs = devices(map);
  // ---- zones; a narrow page takes a little from the ends
  const narrow = W < 1120;
  const packW = tight ? 54 : narrow ? 64 : 72;
  const protW = tight ? 50 : narrow ? 68 : 78;
  const wheelR = tight ? 26 : narrow ? 41 : 46;
  const motorR = tight ? 50 : 58;
  const edge = tight ? 7 : narrow ? 12 : 16;
  const gapP = tight ? 12 : 18;
  const between = tight ? 3 : 7;
  // more devices than a tablet upright has room for: smaller titles, shorter leads and phases
  let crowded = false;
  const widthAt = (d: Device, pitch: number): number => {
    const wires = d.strands.reduce((n, s) => n + s.wires.length, 0);
    const bundle = wires * pitch + (d.strands.length - 1) * 10;
    if (crowded) return Math.max(textWidth(d.title, 13) + 3, bundle + 4, 38);
    return tight
      ? Math.max(textWidth(d.title, 15) + 6, bundle + 6, 48)
      : Math.max(textWidth(d.title, 15) + 16, bundle + 14, 56);
  };
  const halls = map.strands.find((s) => s.role === "sensors");
  const lanes = halls ? halls.wires.length : 0;
  const devicesAt = (pitch: number): number =>
    devs.reduce((n, d) => n + widthAt(d, pitch) + between, 0) - between;
  const ctrlAt = (pitch: number): number =>
    Math.max(tight ? 300 : 392, devicesAt(pitch) + lanes * pitch + (tight ? 20 : narrow ? 26 : 34));
  const ends = 16 + packW + gapP + protW + 2 * motorR + edge + 2 * wheelR + edge;
  // more wires than there is room for: they move together before the drawing grows over the page
  crowded = tight && ends + 42 + 96 + ctrlAt(7) > W;
  const [leadsLeast, phasesLeast] = crowded ? [32, 74] : tight ? [42, 96] : [50, 104];
  const least = ends + leadsLeast + phasesLeast;
  // a dozen devices at a narrow page: their wires move together once more
  const pitches = tight ? [9, 8, 7, 6, 5] : [9, 8, 7];
  const pitch = pitches.find((x) => least + ctrlAt(x) <= W) ?? pitches[pitches.length - 1] ?? 7;
  const core = pitch === 9 ? 6 : pitch > 6 ? 5 : pitch - 2;
  const ctrlMin = ctrlAt(pitch);
  const spare = Math.max(0, W - (ends + 50 + ctrlMin + 158));
  const leads = leadsLeast + Math.min(54, spare * 0.14);
  const ctrlW = ctrlMin + Math.min(110, spare * 0.3);
  const phases = Math.max(phasesLeast, W - (ends + leads + ctrlW));
  const packX = 16;
  const protX = packX + packW + gapP;
  const cx = protX + protW + leads;
  const mx = cx + ctrlW + phases + motorR;
  return {
    W,
    tight,
    crowded,
    pitch,
    core,
    between,
    devices: devs.map((d) => ({ ...d, width: widthAt(d, pitch) })),
    halls,
    pack: { x: packX, w: packW },
    protection: { x: protX, w: protW },
    leads,
    controller: { x: cx, w: ctrlW },
    phases,
    motor: { x: mx, r: motorR },
    wheel: { x: mx + motorR + edge + wheelR, r: wheelR },
  };
}
