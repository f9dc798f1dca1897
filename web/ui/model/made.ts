// Scenes and clips made for tests.
import { type Clip, prepare, type Scene, type Track } from "./scene.ts";
import type { Rate } from "./time.ts";

export const rate: Rate = { num: 25, den: 1, drop: false, nominal: 25 };

/** A clip in its track's unit; where it lies in samples is found when its scene is made. */
export const madeClip = (id: string, start: number, length: number, more: Partial<Clip> = {}): Clip => ({
  id,
  source: "s",
  name: id,
  in: 0,
  start,
  length,
  from: 0,
  to: 0,
  ...more,
});

/** A scene at 25 frames and 48 kHz of tracks of dialogue, unless they say otherwise, with one recording of a length. */
export function made(tracks: Partial<Track>[], samples: number, frames: number): Scene {
  return prepare(
    {
      name: "s",
      sample_rate: 48000,
      channels: 2,
      start_frame: 90000,
      revision: 0,
      rate: { num: 25, den: 1, drop: false },
      last_id: 0,
      undo: "",
      redo: "",
      sources: { s: { id: "s", name: "s", samples, frames } },
      tracks: tracks.map(
        (t, i) => ({ id: `t${i}`, kind: "sound", purpose: "dialogue", name: `t${i}`, clips: [], ...t }) as Track,
      ),
    },
    rate,
  );
}
