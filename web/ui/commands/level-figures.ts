// Figures of levels that are typed on cards: points, filters, balance, and how a track makes way for words.
import { typedMoment } from "../model/clock.ts";
import { endOf } from "../model/scene.ts";
import { inSamples, lengthOf } from "../model/time.ts";
import { decibels, numberOf } from "../model/typed.ts";
import type { Filters } from "../wire/curve.ts";
import { clipsInHand } from "./moves.ts";
import { batch, type Stage } from "./stage.ts";

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
const some = (f: Filters) => !!(f.low_cut_hz || f.high_cut_hz || f.low_shelf || f.high_shelf || f.bells?.length);

/** A balance as it is typed: "30 left", "R 50 %", "middle"; -1 to 1. */
export function balanceOf(text: string): number | undefined {
  if (/^\s*(middle|centre|0)?\s*$/i.test(text)) return 0;
  const m = /^\s*(l|r)?[a-z]*\s*([\d.,]+)\s*%?\s*(l|r)?[a-z]*\s*$/i.exec(text),
    side = (m?.[1] ?? m?.[3])?.toLowerCase(),
    n = m && numberOf(m[2]);
  if (!m || !side || n === undefined || n === null || n > 100) return undefined;
  return ((side === "l" ? -1 : 1) * n) / 100;
}

/** Takes a figure of levels; what was wrong with it, if it is. */
export function typedLevel(stage: Stage, id: string, text: string): string | undefined {
  const { scene, rate, sr, selection: sel } = stage,
    edit = (e: unknown) => void stage.edits.edit(e),
    track = sel.kind === "track" ? scene.tracks.find((t) => t.id === sel.id) : undefined,
    clips = clipsInHand(stage).filter((p) => p.track.kind === "sound"),
    n = Number(/\d+$/.exec(id)?.[0]);
  if (id === "balance") {
    const b = balanceOf(text);
    if (b === undefined) return "A balance is a share of one side, such as 30 % left, or middle.";
    return track && edit({ edit: "set_track", track: track.id, balance: b });
  }
  if (id.startsWith("filter_")) {
    const was = track ? track.filters : clips[0]?.clip.filters,
      now = filtersWith(was, id, text);
    if (typeof now === "string") return now;
    const on = track ? { tracks: [track.id] } : { clips: clips.map((p) => p.clip.id) };
    return edit({ edit: "set_filters", ...on, filters: some(now) ? now : null });
  }
  if (id.startsWith("duck_") && track?.ducks) {
    const key = id.slice(5).replace(/_\d+$/, "") as "db" | "down" | "up" | "before" | "after" | "hold",
      length = key === "db" ? undefined : lengthOf(/^\s*\d+\s*$/.test(text) ? `${text} ms` : text, rate, sr),
      v = key === "db" ? decibels(text) : length && inSamples(length, rate, sr);
    if (v === undefined) return `"${text}" is not ${key === "db" ? "a number of dB" : "a length, such as 300 ms"}.`;
    return edit({
      edit: "set_ducks",
      track: track.id,
      ducks: track.ducks.map((d, i) => (i === n ? { ...d, [key]: Math.abs(v) } : d)),
    });
  }
  const c = clips[0]?.clip;
  if (!c?.level?.[n]) return undefined;
  const points = c.level.map((p) => ({ ...p }));
  if (id.startsWith("level_at_")) {
    const at = typedMoment(text, scene, rate, endOf(scene));
    if (at === undefined) return `"${text}" is not a time in the scene.`;
    points[n].at = Math.round(at - c.start + c.in);
    points.sort((a, b) => a.at - b.at);
  } else if (/^\s*(none|off)?\s*$/i.test(text)) points.splice(n, 1);
  else {
    const db = decibels(text);
    if (db === undefined) return `"${text}" is not a number of dB; none takes the point off.`;
    points[n].db = db;
  }
  return edit({ edit: "set_level", clip: c.id, points });
}

/** The same edit of several clips, as one. */
export const ofEach = (ids: string[], words: string, one: (id: string) => unknown): unknown =>
  ids.length === 1 ? one(ids[0]) : batch(ids.map(one), `${ids.length} clips: ${words}`);
