// The gains of laws and shapes. They are read from samples that the server sends: the formulas stand there alone.
import type { LawView as Law, ShapeView as Shape } from "../wire/web.ts";

export type { Law, Shape };

import type { Curve } from "./scene.ts";

export type { Curve };

let laws: Law[] = [],
  shapes: Shape[] = [];

export function setUpCurves(data: { laws: Law[]; shapes: Shape[] }): void {
  ({ laws, shapes } = data);
}

/** What lies at x, 0 to 1, between the samples of a list. */
function read(list: number[], x: number): number {
  const at = Math.max(0, Math.min(1, x)) * (list.length - 1),
    i = Math.min(list.length - 2, Math.floor(at));
  return list[i] + (list[i + 1] - list[i]) * (at - i);
}

const shapeOf = (c: Curve | undefined) => shapes.find((s) => s.shape === c?.shape) ?? shapes[0];

/** The shape of a fade that was given none yet. */
export const usualFade: Curve = { shape: "quarter_sine" };

/** Tells whether a curve has a bend. */
export const bends = (c: Curve | undefined): boolean => !!c && shapeOf(c).bends;

/** A curve bent by so much more than it is: up to 1 it rises earlier, down to -1 later. */
export function bentCurve(c: Curve, by: number): Curve {
  let bend = c.bend ?? 0;
  if (!bends(c)) {
    // the bend that comes nearest to its shape
    const off = (b: number) => Math.abs(rise({ shape: "exponential", bend: b }, 0.5) - rise(c, 0.5));
    for (let b = -1; b <= 1; b += 0.05) if (off(b) < off(bend)) bend = b;
  }
  return { shape: "exponential", bend: Math.round(20 * Math.max(-1, Math.min(1, bend + by))) / 20 };
}

/** How a bent curve rises. */
export const bendWords = ({ bend = 0 }: Curve): string =>
  bend === 0 ? "straight fade" : `fade rises ${bend > 0 ? "early" : "late"}, bend ${bend.toFixed(2)}`;

/** The gain of a rising fade at x, 0 to 1. */
export function rise(c: Curve | undefined, x: number): number {
  const { samples } = shapeOf(c);
  if (samples.length === 1) return read(samples[0], x);
  const at = (((c?.bend ?? 0) + 1) / 2) * (samples.length - 1),
    i = Math.max(0, Math.min(samples.length - 2, Math.floor(at)));
  return read(samples[i], x) + (read(samples[i + 1], x) - read(samples[i], x)) * (at - i);
}

/** The gains of the outgoing and the incoming side of a blend at x, 0 to 1, as of sides that are not alike. */
export function gains(b: { law: string; curve_out?: Curve; curve_in?: Curve }, x: number): [out: number, into: number] {
  const law = laws.find((l) => l.law === b.law) ?? laws[0];
  return [
    b.curve_out ? rise(b.curve_out, 1 - x) : read(law.out, x),
    b.curve_in ? rise(b.curve_in, x) : read(law.in, x),
  ];
}
