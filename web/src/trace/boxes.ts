// The boxes on the map: pack, protection, controller, motor and wheel, with what stands inside them.

import type { TraceMapData } from "../api/client";
import type { Drawing } from "./drawing";
import { CTRL, PAIR, textWidth, type PlacedBox } from "./shapes";
import type { Zones } from "./zones";

/** What belongs to a second drive bears it. */
export const MARK = "-2";

/** A title as it fits, in the smallest letters, or its first four. */
const shortened = (title: string, room: number): string =>
  textWidth(title, 11.5) <= room ? title : `${title.slice(0, 4)}.`;

/** Which of two motors a strand leads to, in a word: left and right are in its name, of two drives the second has its mark. */
function sideOf(s: TraceMapData["strands"][number]): string {
  const word = s.name.split(" ")[0] ?? "";
  if (word !== "Phase") return word;
  return s.id.endsWith(MARK) ? "Second" : "First";
}

/** The controller, or two above each other. */
function controllersOf(map: TraceMapData, x: number, w: number): PlacedBox[] {
  const box = { id: "controller", title: map.middle, x, w, share: 0 };
  if (map.second == null) return [{ ...box, ...CTRL }];
  const [upper, lower] = PAIR;
  return [
    { ...box, ...upper, left: true, font: 15 },
    { ...box, ...lower, left: true, font: 15, id: `controller${MARK}`, title: map.second },
  ];
}

/** Draw the boxes, and say where tags on what they hold may stand. */
export function drawBoxes(into: Drawing, map: TraceMapData, z: Zones): void {
  const { boxes, anchors, within } = into;
  const { halls } = z;
  const packW = z.pack.w;
  const protW = z.protection.w;
  const { x: cx, w: ctrlW } = z.controller;
  const { x: mx, r: motorR } = z.motor;
  const { x: wx, r: wheelR } = z.wheel;
  const share = (id: string): number => map.boxes.find((b) => b.id === id)?.share ?? 0;
  const pack: PlacedBox = {
    id: "pack",
    title: "Pack",
    sub: map.pack.replace(", ", " "),
    x: z.pack.x,
    y: 164,
    w: packW,
    h: 86,
    share: share("cells") + share("bms") + share("charge-port"),
  };
  const prot: PlacedBox = {
    id: "protection",
    title: shortened(map.protection.split(",")[0] ?? "Fuse", protW - 2),
    x: z.protection.x,
    y: 164,
    w: protW,
    h: 86,
    font: textWidth(map.protection, 13) > protW - 4 ? 11.5 : 13,
    share: share("pack-fuse") + share("pack-switch"),
  };
  const controllers = controllersOf(map, cx, ctrlW);
  // each motor turns its own wheel: they stand above each other
  const driven = map.strands.filter((s) => s.role === "motor");
  const many = map.twin ? driven.length : 1;
  const inMotor = (mark: string): number =>
    ["gears", "rotor", "winding-u", "winding-v", "winding-w"].reduce((n, id) => n + share(id + mark), 0);
  const marked = map.second != null;
  const disc = (id: string, k: number, x: number, r: number, title: string, part: number): PlacedBox => {
    const one = many > 1 ? r / many - 1 : r;
    const y = 200 - r + (2 * k + 1) * (r / many);
    return { id, title, x: x - one, y: y - one, w: 2 * one, h: 2 * one, round: true, share: part };
  };
  boxes.push(pack, prot, ...controllers);
  for (let k = 0; k < many; k++) {
    const s = map.twin ? driven[k] : undefined;
    const name = s ? sideOf(s) : map.motor;
    const own = marked ? inMotor(k > 0 ? MARK : "") : inMotor("") / many;
    const part = own + (s?.device_share ?? 0);
    boxes.push({ ...disc(`motor-${String(k)}`, k, mx, motorR, name, part), font: s ? 13 : undefined });
    boxes.push(
      disc(`wheel-${String(k)}`, k, wx, Math.max(wheelR, many > 1 ? motorR : 0), "", share("wheel")),
    );
  }
  // ---- inner boxes of controller and motor
  for (const [side, ctrl] of controllers.entries()) {
    const middle = map.boxes.filter((b) => b.name != null && (!marked || b.id.endsWith(MARK) === side > 0));
    // beside the title of one of two, below that of the only one
    const from = marked ? 100 : 12;
    const inner = (ctrlW - from - middle.length * 12) / Math.max(1, middle.length);
    middle.forEach(({ id, name }, k) => {
      const title = name ?? "";
      const box: PlacedBox = {
        id,
        title,
        x: cx + from + k * (inner + 12),
        y: marked ? ctrl.y + 5 : 198,
        w: inner,
        h: marked ? 30 : 38,
        share: share(id),
        inside: ctrl.id,
        font: marked && textWidth(title, 15) > inner - 6 ? 12.5 : undefined,
      };
      boxes.push(box);
      anchors.set(id, [box.x + box.w - 20, box.y + 2]);
      within.set(id, box);
    });
  }
  // in one of two small circles there is no room for three sensors
  const inside = halls && many === 1 ? (["hall-a", "hall-b", "hall-c"] as const) : [];
  if (many > 1)
    for (const id of ["hall-a", "hall-b", "hall-c"]) {
      anchors.set(id, [mx, 176]);
      anchors.set(id + MARK, [mx, 224]);
    }
  inside.forEach((id, k) => {
    const box: PlacedBox = {
      id,
      title: id.slice(-1).toUpperCase(),
      x: mx - 36 + k * 25,
      y: 160,
      w: 22,
      h: 22,
      share: share(id),
      inside: "motor-0",
    };
    boxes.push(box);
    anchors.set(id, [box.x + 11, box.y + 11]);
  });
  for (const id of ["gears", "rotor", "winding-u", "winding-v", "winding-w"]) {
    anchors.set(id, [mx, marked ? 176 : 228]);
    anchors.set(id + MARK, [mx, 228]);
  }
  for (const id of ["cells", "bms", "charge-port"]) anchors.set(id, [16 + packW / 2, 176]);
  for (const id of ["pack-fuse", "pack-switch"]) anchors.set(id, [prot.x + protW / 2, 176]);
  anchors.set("wheel", [wx, 200]);
}
