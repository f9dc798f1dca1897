// Commands that move cuts: trims, rolls, slips, slides, leads, sync.

import { type Clip, clipAt, type Edge, findClip, type Placed } from "../model/scene.ts";
import { edgesInHand } from "../model/selection.ts";
import { lengthOf, noLength } from "../model/time.ts";
import { say } from "../panels/toast.ts";
import type { Pull } from "../timeline/drag.ts";
import type { Gesture } from "../timeline/gesture.ts";
import { heldBy } from "../timeline/reaches.ts";
import type { Stage } from "./stage.ts";

/** The clips that a command is about: those selected; else, with the playhead, what lies under it. */
export function clipsInHand(s: Stage): Placed[] {
  const { selection: sel } = s;
  return sel.kind === "clips" ? sel.ids.map((id) => findClip(s.scene, id)).filter((x): x is Placed => !!x) : [];
}

/** The clip to work on at the playhead: the one in hand if it is over it, else that of the seam's track, else any. */
export function clipUnder(s: Stage): Placed | undefined {
  const first = clipsInHand(s)[0];
  if (first && first.clip.from <= s.playhead && s.playhead <= first.clip.to) return first;
  const seam =
    s.selection.kind === "seam" && s.list.current
      ? s.scene.tracks.find((t) => t.id === s.list.current!.track)
      : undefined;
  for (const track of [
    ...(seam ? [seam] : []),
    ...s.scene.tracks.filter((x) => x.kind === "sound"),
    ...s.scene.tracks,
  ]) {
    const clip = clipAt(track, s.playhead);
    if (clip) return { track, clip, index: track.clips.indexOf(clip) };
  }
  return undefined;
}

export const edges = (s: Stage): Edge[] => edgesInHand(s.selection, s.list.current);

export function moves(s: Stage): Record<string, () => void> {
  const { edit } = s.edits;

  const trimHere = (edge: "head" | "tail", close: boolean) => () => {
    const hit = clipUnder(s);
    if (!hit) return say("No clip lies under the playhead. Move it over the clip to trim.");
    void edit({ edit: "trim", clip: hit.clip.id, edge, to: s.playhead, close });
  };

  /** What moving an edge does, as a drag of it would. */
  const edgePull = (e: Edge, trims: Gesture, raw: number): Pull | undefined => {
    const { clip, edge, doing } = heldBy(e, trims),
      at = findClip(s.scene, clip);
    return at && { doing, at, edge, raw, drawn: (x) => x, whole: (n) => n, also: [] };
  };
  /** Shows at once what an edit under way will do. */
  const foreseen = async (p: Pull | undefined, under: Promise<unknown>) => {
    const done = p && s.timeline.foreseen.pull(p);
    await under;
    done?.();
  };

  const nudge = (by: { frames?: number; samples?: number }) => {
    const list = edges(s);
    if (!list.length)
      return say(
        "No edge is in hand. Click a clip's head or tail, choose a seam, or press E for an edge of the clip in hand.",
      );
    void foreseen(
      list.length === 1
        ? edgePull(list[0], s.closing ? "trim_close" : "trim_gap", by.samples ?? by.frames! * s.frame)
        : undefined,
      edit({ edit: "nudge", edges: list, close: s.closing, ...by }),
    );
  };

  const slip = (frames: number) => () => {
    const first = clipsInHand(s)[0];
    if (!first) return say("No clip is in hand to slip. Click one, or press P for the one at the playhead.");
    void foreseen(
      { doing: "slip", at: first, raw: -frames * s.frame, drawn: (x) => x, whole: (n) => n, also: [] },
      edit({ edit: "slip", clip: first.clip.id, by: frames * s.frame }),
    );
  };
  const slide = (frames: number) => () => {
    const first = clipsInHand(s)[0];
    if (!first) return say("No clip is in hand to slide. Click one, or press P for the one at the playhead.");
    void foreseen(
      { doing: "slide", at: first, raw: frames * s.frame, drawn: (x) => x, whole: (n) => n, also: [] },
      edit({ edit: "slide", clip: first.clip.id, by: frames * s.frame }),
    );
  };

  /** The edge of sound whose lead is meant. */
  const leadEdge = (): Edge | undefined => {
    const list = edges(s).filter((e) => findClip(s.scene, e.right ?? e.left ?? "")?.track.kind === "sound");
    if (list.length) return list[0];
    say(
      "No cut of sound is in hand. Choose a cut in the seam list or in the timeline; then its sound can lead or trail.",
    );
    return undefined;
  };
  const lead = (frames: number, more: boolean) => {
    const e = leadEdge();
    const p = e && more ? edgePull(e, "trim_gap", -frames * s.frame) : undefined;
    if (e)
      void foreseen(
        p && { ...p, doing: p.doing === "roll" ? "split" : p.doing },
        edit({ edit: "lead", ...e, frames, more }),
      );
  };
  const leadBy = async () => {
    const e = leadEdge();
    if (!e) return;
    const got = await s.ask({
      title: "Sound leads or trails",
      label: "Frames by which the sound leads; less than 0 trails",
      value: "0",
      hint: "8: heard 8 frames before it is seen. -5: the sound before it goes on for 5 frames. 0: a straight cut.",
      done: "Set",
    });
    const n = got && lengthOf(got.value, s.rate, s.sr);
    if (n?.frames === undefined) return got && say(`"${got.value}" is not a number of frames.`);
    lead(n.frames, false);
  };
  const leadAll = async () => {
    const { selection: sel } = s,
      range = sel.kind === "range" ? { from: sel.from, to: sel.to } : undefined;
    const got = await s.ask({
      title: `All cuts of the ${range ? "range" : "scene"} lead or trail`,
      label: "Frames by which the sound leads; less than 0 trails",
      value: "6",
      hint: "Cuts whose clips lack the handle stay as they are, and are named.",
      done: "Set all",
    });
    const n = got && lengthOf(got.value, s.rate, s.sr);
    if (n?.frames === undefined) return got && say(`"${got.value}" is not a number of frames.`);
    void edit({ edit: "lead_all", from: range?.from ?? 0, to: range?.to ?? 2 ** 45, frames: n.frames });
  };
  const edgeBy = async () => {
    if (!edges(s).length) return nudge({ frames: 1 });
    const got = await s.ask({
      title: "Move the edge in hand",
      label: "By how much; less than 0 is earlier",
      value: "1",
      hint: "6 (frames), -12 ms, 1 sample. Milliseconds and samples move sound alone.",
      done: "Move",
    });
    const n = got && lengthOf(got.value, s.rate, s.sr);
    if (got && !n) return say(noLength(got.value, "frames (6), milliseconds (-12 ms) or samples (1 sample)"));
    if (n) nudge(n);
  };

  const link = () => {
    const list = clipsInHand(s),
      first = list[0];
    if (!first) return say("No clip is in hand. Click one in the timeline, or press P, to link or unlink it.");
    if (list.some((p) => p.clip.link)) {
      const links = new Set(list.map((p) => p.clip.link).filter(Boolean));
      return void edit({
        edit: "unlink",
        clips: s.scene.tracks
          .flatMap((t) => t.clips)
          .filter((x) => links.has(x.link))
          .map((x) => x.id),
      });
    }
    if (list.length > 1) return void edit({ edit: "link", clips: list.map((p) => p.clip.id) });
    const mid = (first.clip.from + first.clip.to) / 2;
    const others = s.scene.tracks
      .filter((t) => t.kind !== first.track.kind)
      .map((t) => clipAt(t, mid))
      .filter((x): x is Clip => !!x && !x.link);
    if (!others.length)
      return say(
        `No unlinked clip of ${first.track.kind === "sound" ? "picture" : "sound"} lies with ${first.clip.name}, ` +
          `so there is nothing to link it to. Shift-click two clips to link them.`,
      );
    void edit({ edit: "link", clips: [first.clip.id, others[0].id] });
  };
  const sync = (by: "move" | "slip") => () => {
    const first = clipsInHand(s)[0] ?? clipUnder(s);
    if (!first) return say("No clip is in hand to bring back into sync.");
    void edit({ edit: "resync", clip: first.clip.id, by });
  };

  return {
    open_here: trimHere("head", true),
    open_here_gap: trimHere("head", false),
    close_here: trimHere("tail", true),
    close_here_gap: trimHere("tail", false),
    edge_earlier: () => nudge({ frames: -1 }),
    edge_later: () => nudge({ frames: 1 }),
    edge_earlier_5: () => nudge({ frames: -5 }),
    edge_later_5: () => nudge({ frames: 5 }),
    sample_earlier: () => nudge({ samples: -1 }),
    sample_later: () => nudge({ samples: 1 }),
    ms_earlier: () => nudge({ samples: -Math.round(s.sr / 1000) }),
    ms_later: () => nudge({ samples: Math.round(s.sr / 1000) }),
    edge_by: () => void edgeBy(),
    edge_closes: () => {
      s.closing = !s.closing;
      s.note(s.closing ? "Edges in hand close up from now on" : "Edges in hand leave a gap from now on");
      s.show();
    },
    slip_earlier: slip(-1),
    slip_later: slip(1),
    slip_earlier_5: slip(-5),
    slip_later_5: slip(5),
    slide_earlier: slide(-1),
    slide_later: slide(1),
    lead: () => lead(1, true),
    trail: () => lead(-1, true),
    lead_5: () => lead(5, true),
    trail_5: () => lead(-5, true),
    straight: () => lead(0, false),
    lead_by: () => void leadBy(),
    lead_all: () => void leadAll(),
    link,
    sync_move: sync("move"),
    sync_slip: sync("slip"),
  };
}
