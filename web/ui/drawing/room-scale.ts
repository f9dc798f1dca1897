// Where levels and third-octaves of rooms lie in a drawing.

export interface Scale {
  top: number; // dB
  bottom: number;
}

/** The levels that are drawn: all that the takes and the target have, and a little beyond, in steps of 10 dB. */
export function scaleOf(lists: number[][]): Scale {
  const all = lists.flat().filter((v) => v > -140);
  if (!all.length) return { top: -50, bottom: -90 };
  return { top: Math.ceil((Math.max(...all) + 1) / 10) * 10, bottom: Math.floor((Math.min(...all) - 1) / 10) * 10 };
}

/** Where a level lies, from the top of so many pixels. */
export const yOf = (db: number, { top, bottom }: Scale, height: number): number =>
  ((top - Math.max(bottom, Math.min(top, db))) / (top - bottom)) * height;

/** Where a third-octave lies, by its number from the lowest. */
export const xOf = (n: number, count: number, width: number): number => ((n + 0.5) / count) * width;

/** The name of a third-octave's middle (IEC 61260-1). */
export const nominal = (hz: number): number => (hz < 900 ? Math.round(hz / 125) * 125 : Math.round(hz / 1000) * 1000);

/** By how many dB an octave the levels of third-octaves rise: the slope of the line that fits them best. */
export function slopeOf(thirds: number[]): number {
  const n = thirds.length,
    middle = (n - 1) / 2,
    sum = thirds.reduce((s, v, i) => s + v * (i - middle), 0),
    whole = thirds.reduce((s, _, i) => s + (i - middle) ** 2, 0);
  return (3 * sum) / whole;
}
