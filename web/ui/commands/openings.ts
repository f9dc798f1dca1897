// Where words could lie over music and effects: shown under the clip, and stepped through.

import { get } from "../model/api.ts";
import { type Clip, clipAt, type Track } from "../model/scene.ts";
import { say } from "../panels/toast.ts";
import type { OpeningView } from "../wire/web.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";
import { work } from "./work.ts";

export function openings(s: Stage): Record<string, () => void> {
  let last: { track: string; revision: number; list: OpeningView[]; at: number } | undefined;

  const bears = (t: Track) => t.purpose === "music" || t.purpose === "effects";
  /** The clip that is meant: one in hand, or what plays at the playhead. */
  const meant = (): { track: Track; clip: Clip } | undefined => {
    const held = clipsInHand(s).find((p) => bears(p.track));
    if (held) return held;
    const on = s.scene.tracks.filter(bears).find((t) => clipAt(t, s.playhead)),
      clip = on && clipAt(on, s.playhead);
    return clip && { track: on, clip };
  };

  const step = (by: number) => async () => {
    const going = last && s.selection.kind === "range" && s.scene.revision === last.revision;
    if (!last || !going) {
      const p = meant();
      if (!p) return say("No clip of music or effects is in hand or under the playhead. Words lie over those.");
      const list = await work(s, `Looking where words could lie over ${p.clip.name}`, (signal) =>
        get<OpeningView[]>(`/scenes/${s.id}/clips/${encodeURIComponent(p.clip.id)}/openings`, signal),
      );
      if (!list) return;
      if (!list.length) return say(`${p.clip.name} is neither quiet anywhere nor without a voice, nor does it rise.`);
      const { revision } = s.scene;
      const next = list.findIndex((o) => o.from >= s.playhead);
      last = { track: p.track.id, revision, list, at: (by > 0 ? Math.max(0, next) : next - 1) - by };
      s.timeline.openings = { clip: p.clip.id, list };
    }
    const n = last.list.length;
    last.at = (last.at + by + n) % n;
    const { from, to, words } = last.list[last.at];
    s.select({ kind: "range", from, to, tracks: [last.track] });
    s.timeline.reveal(from);
    s.note(`Words could lie here, ${last.at + 1} of ${n}: ${words}`);
    s.show();
  };

  return { next_opening: () => void step(1)(), previous_opening: () => void step(-1)() };
}
