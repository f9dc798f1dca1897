// Figures that are typed on the card of what is selected.

import { clock, typedMoment } from "../model/clock.ts";
import { usualFade } from "../model/curves.ts";
import { endOf, type Placed } from "../model/scene.ts";
import { frameOf, inSamples, lengthOf, noLength, type Rate, sampleOf } from "../model/time.ts";
import { decibels } from "../model/typed.ts";
import { typedLevel } from "./level-figures.ts";
import type { Lulls } from "./lulls.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";

const noGain = "A gain is a number of dB, such as -3.5.";

/** Takes a figure that was typed on the card; what was wrong with it, if it is. */
export function typed(stage: Stage, lulls: Lulls, id: string, text: string): string | undefined {
  const { scene, rate, sr } = stage;
  const edit = (e: unknown) => void stage.edits.edit(e);
  const clips = clipsInHand(stage),
    sound = clips.filter((p) => p.track.kind === "sound"),
    c = clips[0];
  const sel = stage.selection;
  const s = stage.list.current;
  if (s && id.startsWith("lull_")) return lulls.typed(s, id, text);
  if (/^(level|filter|duck|treat)_|^balance$/.test(id)) return typedLevel(stage, id, text);
  const db = decibels(text);
  const moment = typedMoment(text, scene, rate, endOf(scene));
  const noMoment = noTimecode(text, clock(scene, rate, 0));
  switch (id) {
    case "gain":
      return db === undefined ? noGain : edit({ edit: "gain", clips: sound.map((p) => p.clip.id), db });
    case "track_gain":
      return db === undefined || sel.kind !== "track"
        ? noGain
        : edit({ edit: "set_track", track: sel.id, gain_db: db });
    case "lead": {
      const n = lengthOf(text, rate, sr)?.frames;
      if (n === undefined || !s)
        return `"${text}" is not a number of frames. 8 leads by 8 frames, -5 trails by 5, 0 is a straight cut.`;
      return edit({
        edit: "lead",
        ...(s.left ? { left: s.left } : {}),
        ...(s.right ? { right: s.right } : {}),
        frames: n,
      });
    }
    case "begins":
      return moment === undefined ? noMoment : edit({ edit: "move", clip: c.clip.id, to: moment });
    case "length": {
      const at = tailAt(text, c.clip.from, rate, sr);
      if (at === undefined) return noLength(text, "frames (96), seconds (4.2 s) or milliseconds (320 ms)");
      return edit({ edit: "trim", clip: c.clip.id, edge: "tail", to: at, close: stage.closing });
    }
    case "clip_name":
      if (!text.trim()) return "A clip needs a name.";
      return edit(
        ofEach(clips, `named ${text.trim()}`, (p) => ({ edit: "set_clip", clip: p.clip.id, name: text.trim() })),
      );
    case "fade_in":
    case "fade_out": {
      const n = /^\s*(no fade|none|0)?\s*$/i.test(text) ? { samples: 0 } : lengthOf(text, rate, sr);
      if (!n) return noLength(text, "frames (4), seconds (0.2 s) or milliseconds (160 ms), or none");
      const length = inSamples(n, rate, sr);
      const side = id === "fade_in" ? "in" : "out";
      return edit(
        ofEach(sound, `fade ${side} of ${text.trim() || "none"}`, (p) => ({
          edit: "fade",
          clip: p.clip.id,
          edge: id === "fade_in" ? "head" : "tail",
          length,
          curve: (p.clip[id]?.length ? p.clip[id]?.curve : undefined) ?? usualFade,
        })),
      );
    }
    case "name":
      return sel.kind === "track" ? edit({ edit: "set_track", track: sel.id, name: text }) : undefined;
    case "marker_name":
      return sel.kind === "marker" ? edit({ edit: "set_marker", marker: sel.id, name: text }) : undefined;
    case "marker_at":
      if (moment === undefined || sel.kind !== "marker") return noMoment;
      return edit({ edit: "set_marker", marker: sel.id, at: moment });
    case "marker_to": {
      const m = sel.kind === "marker" ? scene.markers?.find((x) => x.id === sel.id) : undefined;
      if (moment === undefined || !m) return noMoment;
      if (moment <= m.at) return "A range begins before it ends.";
      return edit({ edit: "set_marker", marker: m.id, length: moment - m.at });
    }
  }
  if (sel.kind !== "range" || moment === undefined) return noMoment;
  const now = { ...sel, gap: false, [id]: moment };
  if (now.from >= now.to || now.from < 0) return "A range begins in the scene, before it ends.";
  stage.select(now);
  return undefined;
}

/** One edit for one clip, a batch for several. */
export function ofEach(list: Placed[], words: string, one: (p: Placed) => unknown): unknown {
  return together(list.map(one), `${list.length} clips: ${words}`);
}

const noTimecode = (text: string, such: string) =>
  `"${text}" is not a time in the scene. Write hours, minutes, seconds and frames, such as ${such}, or seconds.`;

/** Where a clip ends that gets a length; lengths in frames end on a frame. */
function tailAt(text: string, from: number, rate: Rate, sr: number): number | undefined {
  const n = lengthOf(text, rate, sr);
  if (n?.frames !== undefined) return sampleOf(frameOf(from, rate, sr) + n.frames, rate, sr);
  return n && from + n.samples!;
}
