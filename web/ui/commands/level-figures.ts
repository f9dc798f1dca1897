// Figures of levels that are typed on cards: points, filters, balance, and how a track makes way for words.
import { chainWith } from "../model/chain.ts";
import { typedMoment } from "../model/clock.ts";
import { endOf } from "../model/scene.ts";
import { inSamples, lengthOf } from "../model/time.ts";
import { balanceOf, filtersWith, some } from "../model/treatment.ts";
import { decibels } from "../model/typed.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";

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
  if (id.startsWith("treat_")) {
    const was = track ? track.treatments : clips[0]?.clip.treatments,
      now = chainWith(was ?? {}, id, text, Object.values(scene.sources));
    if (typeof now === "string") return now;
    const on = track ? { tracks: [track.id] } : { clips: clips.map((p) => p.clip.id) };
    return edit({ edit: "set_treatments", ...on, treatments: now ?? null });
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
