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
