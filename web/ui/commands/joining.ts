// Commands that join clips into one recording, and open it again.

import { type Job, pageName, post } from "../model/api.ts";
import type { Placed } from "../model/scene.ts";
import { say } from "../panels/toast.ts";
import type { JoinResult } from "../wire/app.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";
import { resultOf, work } from "./work.ts";

export function joining(s: Stage): Record<string, () => void> {
  /** The clips of sound that are meant: those in hand, or those that lie in the range, all of them or in part. */
  const meant = (): Placed[] => {
    const { selection: sel } = s;
    if (sel.kind !== "range") return clipsInHand(s).filter((p) => p.track.kind === "sound");
    return s.scene.tracks
      .filter((t) => t.kind === "sound" && (!sel.tracks.length || sel.tracks.includes(t.id)))
      .flatMap((track) => track.clips.map((clip, index) => ({ track, clip, index })))
      .filter((p) => p.clip.from < sel.to && p.clip.to > sel.from);
  };

  /** Divides what reaches over the ends of the range there, the later one first, so that only the range is joined. */
  const cutToRange = async (list: Placed[]): Promise<Placed[]> => {
    const { selection: sel } = s;
    if (sel.kind !== "range") return list;
    const edits = [sel.to, sel.from].flatMap((at) => {
      const over = list.filter((p) => p.clip.from < at && p.clip.to > at).map((p) => p.clip.id);
      return over.length ? [{ edit: "divide", clips: over, at, alone: true }] : [];
    });
    if (edits.length && !(await s.edits.edit(together(edits, "divided at the ends of the range")))) return [];
    return meant().filter((p) => p.clip.from >= sel.from && p.clip.to <= sel.to);
  };

  const join = async () => {
    let list = meant();
    if (!list.length)
      return say("No clip of sound is in hand to be joined. Take some with Shift, or make a range over them.");
    const linked = list.some((p) => p.clip.link),
      tracks = new Set(list.map((p) => p.track.id)).size;
    const got = await s.ask({
      title: list.length === 1 ? `Make a recording of ${list[0].clip.name}` : `Join ${list.length} clips into one`,
      label: "Name of the recording",
      value: `${list[0].clip.name} joined`,
      hint:
        "With their blends, fades, lulls, levels, filters and rooms, as they sound" +
        `${tracks > 1 ? `, of ${tracks} tracks` : ""}; ` +
        `what each track does as a whole goes on${tracks > 1 ? " in it" : ""}. It can be opened again.` +
        (linked ? " They are unlinked from their picture until then." : ""),
      done: "Join",
    });
    if (!got) return;
    await s.edits.after(async () => {});
    list = await cutToRange(list);
    if (!list.length) return;
    const clips = list.map((p) => p.clip.id),
      what = list.length === 1 ? list[0].clip.name : `${list.length} clips`;
    await s.edits.after(async () => {}); // what was done before is part of it
    const made = await work(s, `Joining ${what}`, async (signal) => {
      const job = await post<Job>(`/scenes/${s.id}/joins`, { clips, name: got.value, page: pageName });
      const went = (done: number) => s.note(`Joining ${what}, ${Math.round(100 * done)} % … Escape stops it`);
      const end = await resultOf<JoinResult>(job, signal, went);
      await s.edits.after(() => s.edits.catchUp());
      return end;
    });
    if (!made) return;
    s.select({ kind: "clips", ids: [made.clip] });
    s.note(made.words);
  };

  return {
    join: () => void join(),
    reopen: () => {
      const p = clipsInHand(s).find((x) => s.scene.sources[x.clip.source]?.joined);
      if (!p) return say("No clip in hand was joined from others, so that there is nothing to open again.");
      void s.edits.edit({ edit: "reopen", clip: p.clip.id });
    },
  };
}
