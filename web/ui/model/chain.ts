// Treatments as they are shown and typed: gate, compressor, echoes, reverberation. Pure functions.
import type { Chain } from "../wire/effects.ts";
import { numberOf } from "./typed.ts";

/** The treatments of a chain, in the order in which they are applied. */
export type Kind = "gate" | "compressor" | "echo" | "reverb";

/** What a treatment begins with. */
export const usual: Required<Pick<Chain, Kind>> = {
  gate: { threshold_db: -50, ratio: 4, range_db: 20, attack_ms: 2, hold_ms: 100, release_ms: 200 },
  compressor: { threshold_db: -24, ratio: 3, knee_db: 6, attack_ms: 10, release_ms: 150 },
  echo: { delay_ms: 250, down_db: 6, times: 5 },
  reverb: { room: "living room", level_db: -10 },
};

interface Figure {
  of: Kind;
  key: string;
  name: string;
  unit: string;
}

const figure = (of: Kind, key: string, name: string, unit = ""): Figure => ({ of, key, name, unit });

const figures = [
  figure("gate", "threshold_db", "Gate below", "dB"),
  figure("gate", "ratio", "Gate ratio", ": 1"),
  figure("gate", "range_db", "Gate by at most", "dB"),
  figure("gate", "attack_ms", "Gate attack", "ms"),
  figure("gate", "hold_ms", "Gate hold", "ms"),
  figure("gate", "release_ms", "Gate release", "ms"),
  figure("compressor", "threshold_db", "Compress above", "dB"),
  figure("compressor", "ratio", "Compress ratio", ": 1"),
  figure("compressor", "knee_db", "Compress knee", "dB"),
  figure("compressor", "attack_ms", "Compress attack", "ms"),
  figure("compressor", "release_ms", "Compress release", "ms"),
  figure("compressor", "make_up_db", "Make-up gain", "dB"),
  figure("echo", "delay_ms", "Echo after", "ms"),
  figure("echo", "down_db", "Each echo lower by", "dB"),
  figure("echo", "times", "Echoes"),
  figure("reverb", "room", "Reverberation of"),
  figure("reverb", "level_db", "Its level", "dB"),
  figure("reverb", "delay_ms", "Its delay", "ms"),
  figure("reverb", "alone", "Sound itself"),
];

type Values = Record<string, number | string | boolean | undefined>;

const idOf = (f: Figure) => `treat_${f.of}_${f.key}`;

/** Fields for the treatments that a chain has; nameOf gives the name of a recording. */
export function chainFields(
  c: Chain | undefined,
  nameOf: (source: string) => string,
): { id: string; name: string; value: string }[] {
  return figures
    .filter((f) => c?.[f.of])
    .map((f) => {
      const of = c![f.of] as unknown as Values;
      let value = `${of[f.key] ?? 0} ${f.unit}`.trim();
      if (f.key === "room") value = of.source ? nameOf(of.source as string) : (of.room as string);
      if (f.key === "alone") value = of.alone ? "left out" : "kept";
      return { id: idOf(f), name: f.name, value };
    });
}

/**
 * A chain with one figure set to what was typed; undefined where nothing is left of it, a text where it cannot be.
 * "none" takes the whole treatment off. The sources are the recordings that may be an impulse.
 */
export function chainWith(
  was: Chain,
  id: string,
  text: string,
  sources: { id: string; name: string }[],
): Chain | undefined | string {
  const f = figures.find((x) => idOf(x) === id);
  if (!f || !was[f.of]) return was;
  if (/^\s*(none|off)?\s*$/i.test(text)) return without(was, f.of);
  const now = { ...was[f.of] } as unknown as Values;
  if (f.key === "room") {
    const name = text.trim().toLowerCase(),
      from = sources.find((s) => s.name.toLowerCase() === name);
    delete now.room;
    delete now.source;
    if (from) now.source = from.id;
    else now.room = name;
  } else if (f.key === "alone") {
    if (!/^\s*(kept|keep|yes|left out|leave out|no)\s*$/i.test(text))
      return `"${text}" is neither "kept" nor "left out".`;
    now.alone = /left|leave|no/i.test(text);
  } else {
    const n = numberOf(text.replace(/:\s*1\s*$/, ""), f.unit.replace(": 1", ""));
    if (n === undefined) return `"${text}" is not a number${f.unit ? `, such as ${example(f)}` : ""}.`;
    now[f.key] = f.unit === "dB" && (f.key === "range_db" || f.key === "down_db") ? Math.abs(n) : n;
  }
  return { ...was, [f.of]: now };
}

const example = (f: Figure) => `${(usual[f.of] as unknown as Values)[f.key] ?? 3} ${f.unit}`;

/** A chain without one of its treatments; undefined where none is left. */
function without(was: Chain, of: Kind): Chain | undefined {
  const now = { ...was };
  delete now[of];
  return now.gate || now.compressor || now.echo || now.reverb ? now : undefined;
}
