// The strands on the map: power from the left, the motor's to the right, the devices' down into the controller.

import type { MapStrand, TraceMapData } from "../api/client";
import { flagOf, type Drawing } from "./drawing";
import { MARK } from "./boxes";
import { CTRL, meets, PAIR, type PlacedBox } from "./shapes";
import type { Zones } from "./zones";

/** Heights of the two rails, and of those into each of two controllers: one on its middle, the other towards the other pair, so
 * that all four leave the box before them. */
const RAILS = [194, 214] as const;
const MIDDLE = PAIR.map((c) => Math.floor(c.y + c.h / 2)) as [number, number];
const RAILS_OF = [
  [MIDDLE[0], MIDDLE[0] + 12],
  [MIDDLE[1] - 12, MIDDLE[1]],
] as const;
const PHASE_Y = [178, 200, 222];

/** Pack → protection → controller. */
export function drawPower(into: Drawing, map: TraceMapData, z: Zones): void {
  const { plugs, flags } = into;
  const { tight, pack, protection: prot, leads } = z;
  const cx = z.controller.x;
  const strand = (id: string): MapStrand | undefined => map.strands.find((s) => s.id === id);
  const feeds = map.strands.filter((s) => s.role === "feed");
  const second = feeds.find((s) => s.id.endsWith(MARK));
  const main = feeds.find((s) => s !== second);
  const dock = strand("dock");
  const toProtection = [pack.x + pack.w, prot.x] as const;
  const toController = [prot.x + prot.w, cx] as const;
  drawRails(into, dock, "dock", RAILS, toProtection);
  const [upper, lower] = RAILS_OF;
  const own = second ? upper : RAILS;
  drawRails(into, main ?? dock, "main", own, toController, main !== undefined);
  if (second) drawRails(into, second, second.id, lower, toController);
  const mainX = prot.x + prot.w + leads / 2;
  for (const s of [main, second]) {
    if (!s) continue;
    const rails = s === second ? lower : own;
    const h = second ? 32 : 48;
    plugs.push({
      ...plugOf(s, map),
      vertical: true,
      x: mainX - (tight ? 7 : 9),
      y: (rails[0] + rails[1]) / 2 - h / 2,
      w: tight ? 14 : 18,
      h,
    });
  }
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
    const f = flagOf(dock, pack.x + pack.w / 2, 128, 84);
    if (f) flags.push({ ...f, x: Math.max(10, f.x), stem: [pack.x + pack.w / 2, 150, 164] });
  }
  if (main) {
    const f = flagOf(main, mainX, 128, 88);
    if (f) flags.push({ ...f, x: Math.min(f.x, cx - f.w - 2), stem: [mainX, 150, second ? 156 : 180] });
  }
}

/** Two rails from one box to the next, with what their strand is suspected of. */
function drawRails(
  into: Drawing,
  s: MapStrand | undefined,
  key: string,
  rails: readonly [number, number],
  [x0, x1]: readonly [number, number],
  named = true,
): void {
  rails.forEach((y, k) => {
    const w = s?.wires[k];
    into.wires.push({
      key: `${key}${String(k)}`,
      code: w?.code ?? (k === 0 ? "RD" : "BK"),
      thick: 9,
      points: [
        [x0 - 20, y],
        [x1 + 20, y],
      ],
    });
    if (!s || !w || !named) return;
    into.halos.push({
      key: `${s.id}${String(k)}`,
      thick: 9,
      share: w.run_share + w.pin_share + w.lead_share,
      points: [
        [x0, y],
        [x1, y],
      ],
    });
    for (const part of ["run", "pin", "lead"])
      into.anchors.set(`${s.id}.${String(w.pin)}.${part}`, [(x0 + x1) / 2, y]);
  });
}

/** What is drawn of a plug wherever it stands. */
const plugOf = (s: MapStrand, map: TraceMapData) => ({
  id: s.plug,
  strand: s.id,
  name: s.plug_name,
  apart: s.apart,
  next: map.next_plug === s.plug,
});

/** The few wires from one controller to the other. */
export function drawLink(into: Drawing, map: TraceMapData, z: Zones): void {
  const s = map.strands.find((x) => x.role === "link");
  if (!s) return;
  const { wires, halos, plugs, labels, anchors } = into;
  const [upper, lower] = PAIR;
  const from = upper.y + upper.h + 1;
  const left = z.controller.x + 20;
  s.wires.forEach((w, k) => {
    const x = left + k * z.pitch;
    const points: [number, number][] = [
      [x, from],
      [x, lower.y],
    ];
    wires.push({ key: `${s.id}${String(w.pin)}`, code: w.code, thick: z.core, points });
    halos.push({
      key: `${s.id}-halo${String(w.pin)}`,
      thick: z.core,
      share: w.run_share + w.pin_share + w.lead_share,
      points,
    });
    for (const part of ["run", "pin", "lead"]) anchors.set(`${s.id}.${String(w.pin)}.${part}`, [x, from + 8]);
  });
  const w = s.wires.length * z.pitch + 6;
  anchors.set(s.id, [left + w, from + 8]);
  plugs.push({
    ...plugOf(s, map),
    vertical: false,
    x: left - z.pitch / 2 - 3,
    y: from + 4,
    w,
    h: 8,
  });
  labels.push({ x: left + w + 4, y: from + 12.5, text: s.name.split(",")[0] ?? s.name });
}

/** Phases and halls share the motor plug: two bars on one x. */
export function drawMotor(into: Drawing, map: TraceMapData, z: Zones): void {
  const { wires, halos, plugs, labels, anchors } = into;
  const { halls, pitch, core, phases } = z;
  const { x: cx, w: ctrlW } = z.controller;
  const { x: mx, r: motorR } = z.motor;
  const px = cx + ctrlW + Math.max(46, phases * 0.34);
  const motors = map.strands.filter((s) => s.role === "motor");
  const motorWires = motors.flatMap((s) => s.wires.map((w) => ({ s, w })));
  // of two drives the wires of each go to their own motor
  const perMotor = motorWires.length / Math.max(1, motors.length);
  const laneY = (k: number): number =>
    motors.length > 1 && perMotor === 3
      ? PAIR[0].y + PAIR[0].h / 2 - 9 + (k % 3) * 9 + Math.floor(k / 3) * (PAIR[1].y - PAIR[0].y)
      : motorWires.length === 3
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
    const pad = motorWires.length > 3 ? 5 : 12;
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
    const reach = motors.length > 1 ? motorR * 0.34 : 38;
    halls.wires.forEach((w, k) => {
      const y = 44 + k * gap;
      const up = cx + ctrlW - 14 - (n - 1 - k) * pitch;
      const down = mx + reach - k * ((2 * reach) / Math.max(1, n - 1));
      wires.push({
        key: `hall${String(k)}`,
        code: w.code,
        thick: core,
        points: [
          [up, CTRL.y + 14],
          [up, y],
          [down, y],
          [down, motors.length > 1 ? 150 : 172],
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
}

/** The devices' strands drop straight down into the controller. */
export function drawDevices(into: Drawing, map: TraceMapData, z: Zones): void {
  const { boxes, wires, halos, plugs, flags, anchors, first } = into;
  const { crowded, pitch, core, between } = z;
  const devs = z.devices;
  const { x: cx, w: ctrlW } = z.controller;
  const lanes = z.halls ? z.halls.wires.length : 0;
  const devTotal = devs.reduce((n, d) => n + d.width + between, 0) - between;
  let x = cx + 2;
  const room = ctrlW - lanes * pitch - 30 - devTotal;
  const step = between + Math.max(0, room) / Math.max(1, devs.length);
  for (const d of devs) {
    const w = d.width;
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
      // past the first controller, into its own
      const foot = s.id.endsWith(MARK) && map.second != null ? PAIR[1].y + 6 : CTRL.y + 14;
      first.set(s.id, [[x + w / 2 - 40, 120]]);
      for (const wire of s.wires) {
        wires.push({
          key: `${s.id}${String(wire.pin)}`,
          code: wire.code,
          thick: core,
          points: [
            [wx0, 20],
            [wx0, foot],
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
        ...plugOf(s, map),
        vertical: false,
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
}
