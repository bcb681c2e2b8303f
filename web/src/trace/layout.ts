// Where everything on the trace map stands. Plain geometry from the map's data and the width: the same
// data at the same width gives the same drawing. Nothing is scaled as a picture.

import type { SegmentShare, TraceMapData } from "../api/client";
import { drawBoxes } from "./boxes";
import { blank } from "./drawing";
import { HEIGHT, type Layout, type Rect } from "./shapes";
import { drawDevices, drawLink, drawMotor, drawPower } from "./strands";
import { placeTags } from "./tags";
import { zonesOf, type Zones } from "./zones";

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
  const z = zonesOf(map, W, tight);
  const drawn = blank();
  drawBoxes(drawn, map, z);
  drawPower(drawn, map, z);
  drawMotor(drawn, map, z);
  drawDevices(drawn, map, z);
  drawLink(drawn, map, z);
  const next = drawn.plugs.find((p) => p.next);
  const frame: Rect | undefined = next && { x: next.x - 14, y: next.y - 6, w: next.w + 28, h: next.h + 12 };
  const { boxes, wires, halos, plugs, flags, labels } = drawn;
  return {
    width: W,
    height: HEIGHT,
    boxes,
    wires,
    halos,
    plugs,
    flags,
    tags: placeTags(map, drawn, frame, W, z.motor.x),
    strip: stripOf(segments, z),
    labels,
    strands: { x: 16, y: 60, w: Math.min(z.controller.x - (tight ? 26 : 40), 190), h: 40 },
    next: frame,
  };
}

/** The bars of the segments' shares under the drawing; that of the strands stands above. */
function stripOf(segments: SegmentShare[], z: Zones): Layout["strip"] {
  const { pack, protection, leads, controller, phases, motor, wheel } = z;
  const zones: Record<string, [number, number]> = {
    pack: [pack.x, pack.w],
    protection: [protection.x, protection.w],
    leads: [protection.x + protection.w + 4, leads - 6],
    controller: [controller.x, controller.w],
    phases: [controller.x + controller.w + 10, phases - 20],
    motor: [motor.x - motor.r, 2 * motor.r],
    wheel: [wheel.x - wheel.r, 2 * wheel.r],
  };
  return segments
    .filter((s) => s.id !== "strands")
    .map((segment) => {
      const [x, w] = zones[segment.id] ?? [0, 0];
      return { segment, x, y: 269, w, h: 14 };
    });
}
