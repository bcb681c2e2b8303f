// What is drawn so far: the strands and boxes put their parts here, and say where tags may stand.

import type { MapStrand } from "../api/client";
import { textWidth, type Flag, type Halo, type Label, type PlacedBox, type Plug, type Wire } from "./shapes";

type Point = [number, number];

export interface Drawing {
  boxes: PlacedBox[];
  wires: Wire[];
  halos: Halo[];
  plugs: Plug[];
  flags: Flag[];
  labels: Label[];
  /** What a tag can speak of, and where that is. */
  anchors: Map<string, Point>;
  /** Places a tag may stand first, before the usual ones around its anchor. */
  first: Map<string, Point[]>;
  /** Boxes that have room for their own tag. */
  within: Map<string, PlacedBox>;
}

export const blank = (): Drawing => ({
  boxes: [],
  wires: [],
  halos: [],
  plugs: [],
  flags: [],
  labels: [],
  anchors: new Map(),
  first: new Map(),
  within: new Map(),
});

/** The figure of a strand, hung up at a place. */
export const flagOf = (s: MapStrand, x: number, y: number, most: number): Flag | undefined => {
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
