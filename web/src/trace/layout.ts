// Where everything on the trace map stands. Plain geometry from the map's data and the width: the same
// data at the same width gives the same drawing. Nothing is scaled as a picture.

import type { MapStrand, SegmentShare, TraceMapData } from "../api/client";

export interface Rect {
  x: number;
  y: number;
  w: number;
  h: number;
}
export interface PlacedBox extends Rect {
  id: string;
  title: string;
  sub?: string;
  share: number;
  inside?: string;
  round?: boolean;
  /** Size of its title where the usual one does not fit. */
  font?: number;
}
export interface Wire {
  key: string;
  code: string;
  thick: number;
  points: [number, number][];
}
export interface Halo {
  key: string;
  points: [number, number][];
  thick: number;
  share: number;
}
export interface Plug extends Rect {
  id: string;
  strand: string;
  name: string;
  apart: boolean;
  vertical: boolean;
  next: boolean;
}
export interface Flag extends Rect {
  strand: string;
  text: string;
  kind: "expected" | "ok" | "off";
  stem?: [number, number, number];
}
export interface Tag extends Rect {
  rank: number;
  percent: number;
  disc: boolean;
  /** Box it stands in. */
  inside?: string;
  leader?: [number, number, number, number];
}
export interface StripBar extends Rect {
  segment: SegmentShare;
}
export interface Label {
  x: number;
  y: number;
  text: string;
}
export interface Layout {
  width: number;
  height: number;
  boxes: PlacedBox[];
  wires: Wire[];
  halos: Halo[];
  plugs: Plug[];
  flags: Flag[];
  tags: Tag[];
  strip: StripBar[];
  labels: Label[];
  strands: Rect;
  next?: Rect;
}

export const HEIGHT = 306;
const PLUS = 194;
const MINUS = 214;
const PHASE_Y = [178, 200, 222];
const CTRL = { y: 152, h: 96 };
/** Longest line from a tag to what it speaks of. */
const LEADER = 84;

/** Width of a text at a size: the face is close to half an em on average; a little more to be safe. */
export const textWidth = (text: string, size: number): number => text.length * size * 0.56;

const meets = (a: Rect, b: Rect, gap = 2): boolean =>
  a.x < b.x + b.w + gap && b.x < a.x + a.w + gap && a.y < b.y + b.h + gap && b.y < a.y + a.h + gap;

interface Device {
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

/** A title as it fits, in the smallest letters, or its first four. */
const shortened = (title: string, room: number): string =>
  textWidth(title, 11.5) <= room ? title : `${title.slice(0, 4)}.`;

/** Lay the map out for a width. A vehicle with more devices than the width has room for is drawn as on a tablet
 * upright. */
export function layout(map: TraceMapData, segments: SegmentShare[], width: number): Layout {
  const W = Math.max(800, width);
  const drawn = layoutAt(map, segments, W, W < 980);
  const right = Math.max(...drawn.boxes.map((b) => b.x + b.w));
  return right <= W ? drawn : layoutAt(map, segments, W, true);
}

/** Lay it out for a width; tight: everything that is only room goes. */
function layoutAt(map: TraceMapData, segments: SegmentShare[], W: number, tight: boolean): Layout {
  const devs = devices(map);
  const share = (id: string): number => map.boxes.find((b) => b.id === id)?.share ?? 0;
  const strand = (id: string): MapStrand | undefined => map.strands.find((s) => s.id === id);

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
  const pitch = [9, 8, 7].find((x) => least + ctrlAt(x) <= W) ?? 7;
  const core = pitch === 9 ? 6 : 5;
  const devWidth = (d: Device): number => widthAt(d, pitch);
  const devTotal = devicesAt(pitch);
  const ctrlMin = ctrlAt(pitch);
  const spare = Math.max(0, W - (ends + 50 + ctrlMin + 158));
  const leads = leadsLeast + Math.min(54, spare * 0.14);
  const ctrlW = ctrlMin + Math.min(110, spare * 0.3);
  const phases = Math.max(phasesLeast, W - (ends + leads + ctrlW));
  const pack: PlacedBox = {
    id: "pack",
    title: "Pack",
    sub: map.pack.replace(", ", " "),
    x: 16,
    y: 164,
    w: packW,
    h: 86,
    share: share("cells") + share("bms") + share("charge-port"),
  };
  const prot: PlacedBox = {
    id: "protection",
    title: shortened(map.protection.split(",")[0] ?? "Fuse", protW - 2),
    x: 16 + packW + gapP,
    y: 164,
    w: protW,
    h: 86,
    font: textWidth(map.protection, 13) > protW - 4 ? 11.5 : 13,
    share: share("pack-fuse") + share("pack-switch"),
  };
  const cx = prot.x + prot.w + leads;
  const ctrl: PlacedBox = {
    id: "controller",
    title: map.middle,
    x: cx,
    y: CTRL.y,
    w: ctrlW,
    h: CTRL.h,
    share: 0,
  };
  const mx = cx + ctrlW + phases + motorR;
  const motor: PlacedBox = {
    id: "motor",
    title: map.motor,
    x: mx - motorR,
    y: 200 - motorR,
    w: 2 * motorR,
    h: 2 * motorR,
    round: true,
    share: share("gears") + share("rotor") + share("winding-u") + share("winding-v") + share("winding-w"),
  };
  const wx = mx + motorR + edge + wheelR;
  const wheel: PlacedBox = {
    id: "wheel",
    title: "",
    x: wx - wheelR,
    y: 200 - wheelR,
    w: 2 * wheelR,
    h: 2 * wheelR,
    round: true,
    share: share("wheel"),
  };
  const boxes: PlacedBox[] = [pack, prot, ctrl, motor, wheel];
  const wires: Wire[] = [];
  const halos: Halo[] = [];
  const plugs: Plug[] = [];
  const flags: Flag[] = [];
  const labels: Label[] = [];
  const anchors = new Map<string, [number, number]>();
  // places a tag may stand first, before the usual ones around its anchor
  const first = new Map<string, [number, number][]>();
  const within = new Map<string, PlacedBox>();

  // ---- inner boxes of controller and motor
  const middle = map.boxes.filter((b) => b.name != null);
  const inner = (ctrlW - (middle.length + 1) * 12) / Math.max(1, middle.length);
  middle.forEach(({ id, name }, k) => {
    const box: PlacedBox = {
      id,
      title: name ?? "",
      x: cx + 12 + k * (inner + 12),
      y: 198,
      w: inner,
      h: 38,
      share: share(id),
      inside: "controller",
    };
    boxes.push(box);
    anchors.set(id, [box.x + box.w - 20, box.y + 2]);
    within.set(id, box);
  });
  (halls ? (["hall-a", "hall-b", "hall-c"] as const) : []).forEach((id, k) => {
    const box: PlacedBox = {
      id,
      title: id.slice(-1).toUpperCase(),
      x: mx - 36 + k * 25,
      y: 160,
      w: 22,
      h: 22,
      share: share(id),
      inside: "motor",
    };
    boxes.push(box);
    anchors.set(id, [box.x + 11, box.y + 11]);
  });
  for (const id of ["gears", "rotor", "winding-u", "winding-v", "winding-w"]) anchors.set(id, [mx, 228]);
  for (const id of ["cells", "bms", "charge-port"]) anchors.set(id, [16 + packW / 2, 176]);
  for (const id of ["pack-fuse", "pack-switch"]) anchors.set(id, [prot.x + protW / 2, 176]);
  anchors.set("wheel", [wx, 200]);

  const flagOf = (s: MapStrand, x: number, y: number, most: number): Flag | undefined => {
    const w = s.wires[s.flag_wire];
    if (!w) return undefined;
    const text = w.measured ?? w.now;
    const width = Math.min(most, textWidth(text, 15) + 16);
    return {
      strand: s.id,
      text,
      kind: w.measured == null ? "expected" : w.mark === "expected" ? "ok" : "off",
      x: x - width / 2,
      y,
      w: width,
      h: 22,
    };
  };

  // ---- power: pack → protection → controller
  const main = map.strands.find((s) => s.role === "feed");
  const dock = strand("dock");
  const rails: [number, number][] = [
    [PLUS, 0],
    [MINUS, 1],
  ];
  for (const [y, k] of rails) {
    wires.push({
      key: `dock${String(k)}`,
      code: dock?.wires[k]?.code ?? "RD",
      thick: 9,
      points: [
        [pack.x + 40, y],
        [prot.x + 20, y],
      ],
    });
    wires.push({
      key: `main${String(k)}`,
      code: (main ?? dock)?.wires[k]?.code ?? "BK",
      thick: 9,
      points: [
        [prot.x + 40, y],
        [cx + 20, y],
      ],
    });
    for (const s of [dock, main]) {
      const w = s?.wires[k];
      if (!s || !w) continue;
      const [x0, x1] = s.id === "dock" ? [pack.x + pack.w, prot.x] : [prot.x + prot.w, cx];
      halos.push({
        key: `${s.id}${String(k)}`,
        thick: 9,
        share: w.run_share + w.pin_share + w.lead_share,
        points: [
          [x0, y],
          [x1, y],
        ],
      });
      for (const part of ["run", "pin", "lead"])
        anchors.set(`${s.id}.${String(w.pin)}.${part}`, [(x0 + x1) / 2, y]);
    }
  }
  const mainX = prot.x + prot.w + leads / 2;
  if (main)
    plugs.push({
      id: main.plug,
      strand: main.id,
      name: main.plug_name,
      apart: main.apart,
      vertical: true,
      next: map.next_plug === main.plug,
      x: mainX - (tight ? 7 : 9),
      y: 180,
      w: tight ? 14 : 18,
      h: 48,
    });
  if (dock)
    plugs.push({
      id: "dock",
      strand: "dock",
      name: dock.plug_name,
      apart: dock.apart,
      vertical: true,
      next: map.next_plug === "dock",
      x: pack.x + pack.w + (tight ? 2 : 4),
      y: 180,
      w: tight ? 8 : 10,
      h: 48,
    });
  if (dock) {
    const f = flagOf(dock, 16 + packW / 2, 128, 84);
    if (f) flags.push({ ...f, x: Math.max(10, f.x), stem: [16 + packW / 2, 150, 164] });
  }
  if (main) {
    const f = flagOf(main, mainX, 128, 88);
    if (f) flags.push({ ...f, x: Math.min(f.x, cx - f.w - 2), stem: [mainX, 150, 180] });
  }

  // ---- phases and halls share the motor plug: two bars on one x
  const px = cx + ctrlW + Math.max(46, phases * 0.34);
  const motors = map.strands.filter((s) => s.role === "motor");
  const motorWires = motors.flatMap((s) => s.wires.map((w) => ({ s, w })));
  const laneY = (k: number): number =>
    motorWires.length === 3
      ? (PHASE_Y[k] ?? 222)
      : motorWires.length === 2
        ? 189 + k * 22
        : 176 + k * (48 / Math.max(1, motorWires.length - 1));
  motorWires.forEach(({ s, w }, k) => {
    const y = laneY(k);
    wires.push({
      key: `phase${String(k)}`,
      code: w.code,
      thick: motorWires.length > 3 ? 7 : 9,
      points: [
        [cx + ctrlW - 20, y],
        [mx - 30, y],
      ],
    });
    halos.push({
      key: `phase-run${String(k)}`,
      thick: 9,
      share: w.run_share,
      points: [
        [cx + ctrlW, y],
        [px, y],
      ],
    });
    halos.push({
      key: `phase-pin${String(k)}`,
      thick: 9,
      share: w.pin_share,
      points: [
        [px - 22, y],
        [px + 22, y],
      ],
    });
    halos.push({
      key: `phase-lead${String(k)}`,
      thick: 9,
      share: w.lead_share,
      points: [
        [px, y],
        [mx - 52, y],
      ],
    });
    anchors.set(`${s.id}.${String(w.pin)}.run`, [(cx + ctrlW + px) / 2, y]);
    anchors.set(`${s.id}.${String(w.pin)}.pin`, [px + 20, y]);
    anchors.set(`${s.id}.${String(w.pin)}.lead`, [(px + mx - motorR) / 2, y]);
    anchors.set(s.id, [px + 20, y]);
  });
  for (const s of motors) {
    const ys = motorWires.flatMap((l, k) => (l.s === s ? [laneY(k)] : []));
    const pad = motorWires.length > 3 ? 6 : 12;
    plugs.push({
      id: motors.length > 1 || !halls ? s.plug : "phase",
      strand: s.id,
      name: halls ? `${s.plug_name}, phases` : s.plug_name,
      apart: s.apart,
      vertical: true,
      next: map.next_plug === s.plug && map.next_strand === s.id,
      x: px - 11,
      y: Math.min(...ys) - pad,
      w: 22,
      h: Math.max(...ys) - Math.min(...ys) + 2 * pad,
    });
  }
  if (halls) {
    const n = halls.wires.length;
    const gap = Math.min(17, 96 / Math.max(1, n - 1));
    halls.wires.forEach((w, k) => {
      const y = 44 + k * gap;
      const up = cx + ctrlW - 14 - (n - 1 - k) * pitch;
      const down = mx + 38 - k * (76 / Math.max(1, n - 1));
      wires.push({
        key: `hall${String(k)}`,
        code: w.code,
        thick: core,
        points: [
          [up, CTRL.y + 14],
          [up, y],
          [down, y],
          [down, 172],
        ],
      });
      halos.push({
        key: `hall-run${String(k)}`,
        thick: core,
        share: w.run_share,
        points: [
          [up, CTRL.y],
          [up, y],
          [px, y],
        ],
      });
      halos.push({
        key: `hall-pin${String(k)}`,
        thick: core,
        share: w.pin_share,
        points: [
          [px - 20, y],
          [px + 20, y],
        ],
      });
      halos.push({
        key: `hall-lead${String(k)}`,
        thick: core,
        share: w.lead_share,
        points: [
          [px, y],
          [down, y],
          [down, 150],
        ],
      });
      anchors.set(`${halls.id}.${String(w.pin)}.run`, [(up + px) / 2, y]);
      anchors.set(`${halls.id}.${String(w.pin)}.pin`, [px + 20, y]);
      anchors.set(`${halls.id}.${String(w.pin)}.lead`, [(px + down) / 2 + 30, y]);
      const short =
        { "hall supply": "5 V", "hall ground": "0 V", "wheel speed": "speed", "motor temperature": "temp." }[
          w.function
        ] ?? w.function.replace("hall ", "");
      labels.push({ x: px + 19, y: y + 4.5, text: w.measured ? `${short} ${w.measured}` : short });
    });
    plugs.push({
      id: halls.plug,
      strand: halls.id,
      name: `${halls.plug_name}, sensors`,
      apart: halls.apart,
      vertical: true,
      next: map.next_plug === halls.plug && map.next_strand === halls.id,
      x: px - 11,
      y: 36,
      w: 22,
      h: (n - 1) * gap + 16,
    });
  }

  // ---- device strands drop straight down into the controller
  let x = cx + 2;
  const room = ctrlW - lanes * pitch - 30 - devTotal;
  const step = between + Math.max(0, room) / Math.max(1, devs.length);
  for (const d of devs) {
    const w = devWidth(d);
    const box: PlacedBox = {
      id: `device-${d.id}`,
      title: d.title,
      x,
      y: 5,
      w,
      h: 31,
      share: d.share,
      font: crowded ? 13 : undefined,
    };
    boxes.push(box);
    anchors.set(d.id, [x + w / 2, 36]);
    first.set(d.id, [[x + w / 2 - 40, 120]]);
    const count = d.strands.reduce((n, s) => n + s.wires.length, 0);
    const bundle = count * pitch + (d.strands.length - 1) * 10;
    let wx0 = x + w / 2 - bundle / 2 + pitch / 2;
    for (const s of d.strands) {
      anchors.set(s.id, [x + w / 2, 36]);
      const left = wx0 - pitch / 2;
      first.set(s.id, [[x + w / 2 - 40, 120]]);
      for (const wire of s.wires) {
        wires.push({
          key: `${s.id}${String(wire.pin)}`,
          code: wire.code,
          thick: core,
          points: [
            [wx0, 20],
            [wx0, CTRL.y + 14],
          ],
        });
        halos.push({
          key: `${s.id}-lead${String(wire.pin)}`,
          thick: core,
          share: wire.lead_share,
          points: [
            [wx0, 36],
            [wx0, 62],
          ],
        });
        halos.push({
          key: `${s.id}-pin${String(wire.pin)}`,
          thick: core,
          share: wire.pin_share,
          points: [
            [wx0, 50],
            [wx0, 76],
          ],
        });
        halos.push({
          key: `${s.id}-run${String(wire.pin)}`,
          thick: core,
          share: wire.run_share,
          points: [
            [wx0, 62],
            [wx0, CTRL.y],
          ],
        });
        anchors.set(`${s.id}.${String(wire.pin)}.lead`, [wx0, 46]);
        anchors.set(`${s.id}.${String(wire.pin)}.pin`, [wx0, 63]);
        anchors.set(`${s.id}.${String(wire.pin)}.run`, [wx0, 134]);
        for (const part of ["lead", "pin", "run"])
          first.set(`${s.id}.${String(wire.pin)}.${part}`, [[x + w / 2 - 40, 120]]);
        wx0 += pitch;
      }
      plugs.push({
        id: s.plug,
        strand: s.id,
        name: s.plug_name,
        apart: s.apart,
        vertical: false,
        next: map.next_plug === s.plug,
        x: left - 3,
        y: 54,
        w: s.wires.length * pitch + 6,
        h: 17,
      });
      wx0 += 10;
    }
    const shown =
      d.strands.find((s) => s.wires.some((k) => k.measured != null && k.mark !== "expected")) ??
      d.strands.find((s) => s.wires.some((k) => k.measured != null)) ??
      d.strands[0];
    const f = shown && flagOf(shown, x + w / 2, 94, w + step - 6);
    if (f) {
      const clash = flags.some((o) => meets(o, f, 1));
      flags.push(clash ? { ...f, y: 122 } : f);
    }
    x += w + step;
  }

  // ---- tags: next to what they speak of, never over anything else
  const tags: Tag[] = [];
  const next = plugs.find((p) => p.next);
  const frame: Rect | undefined = next && { x: next.x - 14, y: next.y - 6, w: next.w + 28, h: next.h + 12 };
  const blocked: Rect[] = [
    ...boxes,
    ...plugs,
    ...flags,
    ...(frame ? [frame] : []),
    ...labels.map((l) => ({ x: l.x, y: l.y - 12, w: textWidth(l.text, 14), h: 15 })),
    { x: mx - 30, y: 214, w: 60, h: 24 },
    // the bar of the strands at the left, under the two buttons where the page is wide
    W < 900 ? { x: 8, y: 56, w: 150, h: 48 } : { x: 8, y: 0, w: 204, h: 104 },
  ];
  for (const t of map.tags) {
    const at = anchors.get(t.place);
    if (!at) continue;
    const [ax, ay] = at;
    const home = within.get(t.place);
    const near = first.get(t.place) ?? [];
    // what sits in the motor is named beside it, above the wheel
    const beside: [number, number][] = /^(hall-|winding|gears|rotor)/.test(t.place)
      ? [
          [mx + 48, 104],
          [mx + 48, 72],
          [mx + 48, 40],
        ]
      : [];
    const tries: [number, number][] = [
      ...near,
      ...beside,
      [ax + 10, ay - 14],
      [ax - 39, ay - 40],
      [ax + 30, ay - 34],
      [ax - 39, ay + 16],
      [ax - 92, ay - 14],
      [ax + 30, ay + 18],
      [ax - 100, ay - 34],
      [ax - 39, ay - 62],
      [ax + 48, ay - 14],
      [ax - 39, ay + 40],
    ];
    const taken = (r: Rect): boolean => tags.some((b) => meets(r, b, 3));
    const fits = (r: Rect): boolean =>
      r.x >= 4 &&
      r.x + r.w <= W - 4 &&
      r.y >= 2 &&
      r.y + r.h <= 262 &&
      !blocked.some((b) => meets(r, b)) &&
      !taken(r);
    /** Where a line from a tag to what it speaks of ends; none where it stands beside it or too far off. */
    const leader = (r: Rect): [number, number] | undefined => {
      const end: [number, number] = [
        Math.max(r.x, Math.min(ax, r.x + r.w)),
        Math.max(r.y, Math.min(ay, r.y + r.h)),
      ];
      const far = Math.hypot(end[0] - ax, end[1] - ay);
      const beside = near.some(([tx, ty]) => tx === r.x && ty === r.y);
      return far > 6 && far < LEADER && !beside ? end : undefined;
    };
    /** Such a line crosses no figure and no other tag. */
    const clear = (r: Rect): boolean => {
      const end = leader(r);
      if (!end) return true;
      const on = (k: number): Rect => ({
        x: ax + (end[0] - ax) * k,
        y: ay + (end[1] - ay) * k,
        w: 0,
        h: 0,
      });
      const steps = Array.from({ length: 24 }, (_, k) => on((k + 1) / 24));
      return ![...flags, ...tags].some((o) => steps.some((p) => meets(p, o)));
    };
    const place = (w: number): Rect | undefined => {
      // inside its own box, at the right end, when the box leaves room for its name
      const own = home && { x: home.x + home.w - w - 5, y: home.y + 5, w, h: 28 };
      if (own && home.w - w > 26 + textWidth(home.title, 15) && !taken(own)) return own;
      return tries.map(([tx, ty]) => ({ x: tx, y: ty, w, h: 28 })).find((r) => fits(r) && clear(r));
    };
    // where all is full, the nearest gap for the number alone, with a line to what it speaks of
    const gap = (): Rect | undefined => {
      for (let far = 20; far <= LEADER; far += 6)
        for (let turn = 0; turn < 24; turn++) {
          const angle = (turn * Math.PI) / 12;
          const r = { x: ax + far * Math.cos(angle) - 14, y: ay + far * Math.sin(angle) - 14, w: 28, h: 28 };
          if (fits(r) && clear(r)) return r;
        }
      return undefined;
    };
    const pill = place(80);
    const disc = pill ? undefined : (place(28) ?? gap());
    const rect = pill ?? disc;
    if (!rect) continue;
    const end = leader(rect);
    tags.push({
      ...rect,
      rank: t.rank,
      percent: t.percent,
      disc: !pill,
      inside:
        home &&
        rect.x >= home.x &&
        rect.x + rect.w <= home.x + home.w &&
        rect.y > home.y &&
        rect.y < home.y + home.h
          ? home.id
          : undefined,
      leader: end && [ax, ay, ...end],
    });
  }

  // ---- strip
  const zones: Record<string, [number, number]> = {
    pack: [16, packW],
    protection: [prot.x, protW],
    leads: [prot.x + protW + 4, leads - 6],
    controller: [cx, ctrlW],
    phases: [cx + ctrlW + 10, phases - 20],
    motor: [mx - motorR, 2 * motorR],
    wheel: [wx - wheelR, 2 * wheelR],
  };
  const strip = segments
    .filter((s) => s.id !== "strands")
    .map((segment) => {
      const [zx, zw] = zones[segment.id] ?? [0, 0];
      return { segment, x: zx, y: 269, w: zw, h: 14 };
    });
  return {
    width: W,
    height: HEIGHT,
    boxes,
    wires,
    halos,
    plugs,
    flags,
    tags,
    strip,
    labels,
    strands: { x: 16, y: 60, w: Math.min(cx - (tight ? 26 : 40), 190), h: 40 },
    next: frame,
  };
}

/** A polyline with its corners cut 7 back at 45°. */
export function cutPath(points: [number, number][]): string {
  let d = "";
  points.forEach(([x, y], k) => {
    const before = points[k - 1];
    const after = points[k + 1];
    if (!before) {
      d += `M${String(x)} ${String(y)}`;
    } else if (!after) {
      d += `L${String(x)} ${String(y)}`;
    } else {
      const back = (from: [number, number]): [number, number] => {
        const len = Math.hypot(from[0] - x, from[1] - y) || 1;
        const f = Math.min(7, len / 2) / len;
        return [x + (from[0] - x) * f, y + (from[1] - y) * f];
      };
      const [ax, ay] = back(before);
      const [bx, by] = back(after);
      d += `L${String(ax)} ${String(ay)}L${String(bx)} ${String(by)}`;
    }
  });
  return d;
}
