// Taking stretches of a recording out to a track.
import { get, post } from "../model/api.ts";
import type { Track } from "../model/scene.ts";

/** Takes stretches out, and gives the track that was made for them, if it was. */
export async function takenOut(
  scene: string,
  source: string,
  kind: string,
  track: string,
  what: object,
): Promise<{ words: string; on?: { id: string; name: string } }> {
  const { words } = await post<{ words: string }>(`/scenes/${scene}/sources/${source}/take`, { track, ...what });
  if (track) return { words };
  const now = await get<{ tracks: Track[] }>(`/scenes/${scene}/state`);
  return { words, on: now.tracks.find((t) => t.kind === kind && t.clips.some((c) => c.source === source)) };
}

/** The edit that fills the scene's range from a recording: from a stretch's start, to its end, or around a moment. */
export function fillEdit(
  scene: { playhead: number; range?: { from: number; to: number } },
  fit: "start" | "end" | "moment",
  stretch: { from: number; to: number } | undefined,
  at: number,
): Record<string, unknown> | string {
  const { playhead, range } = scene;
  if (!range) return "The scene has no range to fill. Make one there first.";
  if (fit === "moment" && (playhead < range.from || playhead > range.to))
    return "The scene's playhead lies outside the range; move it to where this moment shall be.";
  const moment = fit === "start" ? (stretch?.from ?? at) : fit === "end" ? (stretch?.to ?? at) : at;
  return { edit: "fill", from: range.from, to: range.to, fit, moment, at: playhead };
}
