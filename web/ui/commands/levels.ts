// Commands that make sound louder or softer: the clips in hand as a whole, or a range on the level lines of its clips.
import type { Range } from "../model/selection.ts";
import { decibels } from "../model/typed.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";

const SLOPE_MS = 80, // beside a range, where no other is asked for
  SLOPES_MS = [20, 40, 80, 160, 320, 640, 1280];

export function levels(s: Stage): Record<string, () => void> {
  const edit = (e: unknown) => s.edits.edit(e);
  const none = "No clip of sound is in hand. Click one in the timeline";

  const raise = (range: Range, db: number, slopeMS = SLOPE_MS) => {
    const slope = Math.round((slopeMS * s.sr) / 1000),
      { tracks, from, to } = range;
    return edit({
      edit: "raise",
      ...(tracks.length ? { tracks } : {}),
      from,
      to,
      db,
      in: slope,
      out: slope,
      pauses: true,
    });
  };

  const turn = (by: number) => () => {
    const sel = s.selection;
    if (sel.kind === "range") return void raise(sel, by);
    const list = clipsInHand(s).filter((p) => p.track.kind === "sound");
    if (!list.length) return say(`${none} to turn it up or down, or drag over the ruler to make a range.`);
    void s.edits.edit(() => {
      const now = list
        .map((p) => s.scene.tracks.flatMap((t) => t.clips).find((c) => c.id === p.clip.id))
        .filter((c) => !!c);
      const gains = now.map((c) => ({
        edit: "gain",
        clips: [c.id],
        db: Math.round(10 * ((c.gain_db ?? 0) + by)) / 10,
      }));
      return together(gains, `${gains.length} clips ${Math.abs(by)} dB ${by < 0 ? "down" : "up"}`);
    });
  };

  const raiseBy = async () => {
    const sel = s.selection;
    if (sel.kind !== "range")
      return say("No range is in hand. Drag over the ruler, or press R and Shift+R, to make one.");
    const got = await s.ask({
      title: "Turn the range up or down",
      label: "By how many dB; less than 0 is softer",
      value: "-6",
      choices: {
        label: "Slopes before and after it",
        list: SLOPES_MS.map((ms) => ({ value: String(ms), words: `${ms} ms` })),
        value: String(SLOPE_MS),
      },
      hint: "It changes the level lines of what lies there, on the tracks in hand or on all; the slopes lie outside.",
      done: "Turn it",
    });
    const db = got && decibels(got.value);
    if (got && db === undefined) return say(`"${got.value}" is not a number of decibels, such as -6 or 2.5.`);
    if (got && db !== undefined) void raise(sel, db, Number(got.choice));
  };

  return {
    gain_down: turn(-1),
    gain_up: turn(1),
    raise_by: () => void raiseBy(),
    level_off: () => {
      const list = clipsInHand(s).filter((p) => p.track.kind === "sound"),
        lines = list
          .filter((p) => p.clip.level?.length)
          .map((p) => ({ edit: "set_level", clip: p.clip.id, points: [] }));
      if (!list.length) return say(`${none} to take its level line off.`);
      if (!lines.length) return say("The clips in hand have no level line.");
      void edit(together(lines, `level lines of ${lines.length} clips taken off`));
    },
  };
}
