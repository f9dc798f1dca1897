// A clip that is drawn over its neighbour overlaps it, and is blended with it there.

import type { Placed } from "../model/scene.ts";
import type { Style } from "../wire/scene.ts";

/** How clips overlap: by which blend, and whether all that follows goes along. */
export interface Overlapping {
  style: Style;
  close: boolean;
}

export interface Overlap {
  from: number;
  to: number;
  left: string;
  right: string;
  with: string; // the name of the other clip
  edit: Record<string, unknown>;
}

/** The edit that lays two neighbours over one another. */
export const overlapEdit = (left: string, right: string, length: number, { style, close }: Overlapping) => ({
  edit: "overlap",
  left,
  right,
  length,
  law: style.law,
  ...(style.curve_out ? { curve_out: style.curve_out } : {}),
  ...(style.curve_in ? { curve_in: style.curve_in } : {}),
  ...(close ? { close } : {}),
});

/** The overlap of a sound with a neighbour once it is moved; none where it lies free, or over more than one end. */
export function overlapOf({ track, clip, index }: Placed, delta: number, how: Overlapping): Overlap | undefined {
  if (track.kind !== "sound" || !delta) return undefined;
  const [from, to] = [clip.from + delta, clip.to + delta],
    before = track.clips[index - 1],
    after = track.clips[index + 1];
  if (delta < 0 && before && from < before.to) {
    if (from <= before.from || to <= before.to) return undefined;
    const span = { from, to: before.to };
    return {
      ...span,
      left: before.id,
      right: clip.id,
      with: before.name,
      edit: overlapEdit(before.id, clip.id, span.to - span.from, how),
    };
  }
  if (delta > 0 && after && to > after.from) {
    if (to >= after.to || from >= after.from) return undefined;
    const span = { from: after.from, to },
      edit = overlapEdit(clip.id, after.id, span.to - span.from, { ...how, close: false });
    return { ...span, left: clip.id, right: after.id, with: after.name, edit: { ...edit, moves_left: true } };
  }
  return undefined;
}
