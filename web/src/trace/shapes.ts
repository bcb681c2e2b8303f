// What the trace map is drawn of: rectangles, wires, plugs, figures and tags, with where each stands.

import type { SegmentShare } from "../api/client";

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
  /** Its title stands at the left, what it holds beside it. */
  left?: boolean;
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

/** Height of the drawing. */
export const HEIGHT = 306;
/** Where the controller stands, from above. */
export const CTRL = { y: 152, h: 96 };
/** Two controllers stand above each other in the same room, with the link of a few wires between them. */
export const PAIR = [
  { y: CTRL.y, h: 39 },
  { y: CTRL.y + 57, h: 39 },
] as const;

/** Width of a text at a size: the face is close to half an em on average; a little more to be safe. */
export const textWidth = (text: string, size: number): number => text.length * size * 0.56;

/** Do two rectangles meet, or come nearer than a gap? */
export const meets = (a: Rect, b: Rect, gap = 2): boolean =>
  a.x < b.x + b.w + gap && b.x < a.x + a.w + gap && a.y < b.y + b.h + gap && b.y < a.y + a.h + gap;

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
