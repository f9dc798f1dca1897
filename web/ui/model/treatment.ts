// Filters and balance as they are typed. Pure functions.
import type { Filters } from "../wire/eq.ts";
import { numberOf } from "./typed.ts";

const nothing = /^\s*(none|off|0)?\s*$/i;

/** A shelf or a bell as it is typed: "300 Hz -6 dB", "1,2 kHz +3 q 2". */
export function banded(text: string): { hz: number; db: number; q: number } | undefined {
  const m = /^\s*([\d.,]+)\s*(k?)(?:hz)?[\s/]+([+\-−]?\s*[\d.,]+)\s*(?:db)?(?:[\s/]+q?\s*=?\s*([\d.,]+))?\s*$/i.exec(
    text,
  );
  if (!m) return undefined;
  const hz = numberOf(m[1]),
    db = numberOf(m[3]),
    q = m[4] ? numberOf(m[4]) : 1;
  if (hz === undefined || db === undefined || q === undefined) return undefined;
  return { hz: hz * (m[2] ? 1000 : 1), db, q };
}

/** A frequency as it is typed: "80", "80 Hz", "1.2 kHz". */
export function frequency(text: string): number | undefined {
  const kilo = numberOf(text, "kHz");
  if (/k/i.test(text)) return kilo === undefined ? undefined : kilo * 1000;
  return numberOf(text, "Hz");
}

/** Filters with one of them set to what was typed; a text where it cannot be. */
export function filtersWith(was: Filters | undefined, id: string, text: string): Filters | string {
  const f: Filters = { ...was, bells: [...(was?.bells ?? [])] },
    off = nothing.test(text),
    which = id.replace("filter_", "");
  if (which.endsWith("_cut")) {
    const v = off ? 0 : frequency(text);
    if (v === undefined || Number.isNaN(v)) return `"${text}" is no frequency, such as 80 Hz or 5 kHz, or none.`;
    f[`${which}_hz` as "low_cut_hz" | "high_cut_hz"] = v || undefined;
    return f;
  }
  const band = off ? undefined : banded(text);
  if (!off && !band) return `"${text}" is no frequency with its level, such as 300 Hz -6 dB, or none.`;
  if (which.startsWith("bell_")) {
    const i = Number(which.slice(5));
    if (band) f.bells!.splice(i, i < f.bells!.length ? 1 : 0, band);
    else f.bells!.splice(i, 1);
  } else f[which as "low_shelf" | "high_shelf"] = band && { hz: band.hz, db: band.db };
  return f;
}

/** Whether anything is left of filters. */
export const some = (f: Filters) => !!(f.low_cut_hz || f.high_cut_hz || f.low_shelf || f.high_shelf || f.bells?.length);

/** A balance as it is typed: "30 left", "R 50 %", "middle"; -1 to 1. */
export function balanceOf(text: string): number | undefined {
  if (/^\s*(middle|centre|0)?\s*$/i.test(text)) return 0;
  const m = /^\s*(l|r)?[a-z]*\s*([\d.,]+)\s*%?\s*(l|r)?[a-z]*\s*$/i.exec(text),
    side = (m?.[1] ?? m?.[3])?.toLowerCase(),
    n = m && numberOf(m[2]);
  if (!m || !side || n === undefined || n === null || n > 100) return undefined;
  return ((side === "l" ? -1 : 1) * n) / 100;
}
