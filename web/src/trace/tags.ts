// Tags of the suspects: next to what they speak of, never over anything else.

import type { TraceMapData } from "../api/client";
import type { Drawing } from "./drawing";
import { meets, textWidth, type Rect, type Tag } from "./shapes";

/** Longest line from a tag to what it speaks of. */
const LEADER = 84;

/** Place the tags. `frame` stands around the plug that is next, `mx` is the middle of the motor. */
export function placeTags(
  map: TraceMapData,
  drawn: Drawing,
  frame: Rect | undefined,
  W: number,
  mx: number,
): Tag[] {
  const { boxes, plugs, flags, labels, anchors, first, within } = drawn;
  const tags: Tag[] = [];
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
    const beside: [number, number][] =
      /^(hall-|winding|gears|rotor)/.test(t.place) && !t.place.endsWith("-2")
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
      const own = home && { x: home.x + home.w - w - 5, y: home.y + (home.h - 28) / 2, w, h: 28 };
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
  return tags;
}
