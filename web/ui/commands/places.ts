// Commands that go to places and take things in hand.

import { clock, switchClock, typedMoment } from "../model/clock.ts";
import { endOf, gaps } from "../model/scene.ts";
import { clipsOf, pickAt, spanOf, toTheRight } from "../model/selection.ts";
import { frameOf, sampleOf } from "../model/time.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";

export function places(s: Stage): Record<string, () => void> {
  const { rate, sr } = s;
  const shown = () => s.scene.tracks.filter((t) => !s.shown.hidden.includes(t.id));
  const toFrame = (n: number) => s.seek(sampleOf(Math.max(0, n), rate, sr));
  const step = (n: number) => () => toFrame(frameOf(s.playhead, rate, sr) + n);
  const go = (at: number | undefined, none: string) => {
    if (at === undefined) return say(none);
    s.seek(at);
    s.timeline.reveal(at);
  };
  const beyond = (list: number[], by: 1 | -1) => {
    const sorted = [...new Set(list)].sort((a, b) => by * (a - b));
    return sorted.find((at) => by * (at - s.playhead) > 0);
  };
  const edge = (by: 1 | -1) => () =>
    go(
      beyond(
        shown().flatMap((t) => t.clips.flatMap((c) => [c.from, c.to])),
        by,
      ),
      `No head or tail lies ${by > 0 ? "after" : "before"} the playhead.`,
    );
  const marker = (by: 1 | -1) => () => {
    const at = beyond(
        (s.scene.markers ?? []).map((m) => m.at),
        by,
      ),
      m = s.scene.markers?.find((x) => x.at === at);
    go(at, `No marker lies ${by > 0 ? "after" : "before"} the playhead. H sets one.`);
    if (m) s.select({ kind: "marker", id: m.id });
  };
  const gap = (by: 1 | -1) => () => {
    const all = shown()
      .filter((t) => t.clips.length)
      .flatMap((t) => gaps(t).map((x) => ({ ...x, track: t.id })));
    const next = all.filter((x) => by * (x.from - s.playhead) > 0).sort((a, b) => by * (a.from - b.from))[0];
    go(next?.from, `No gap begins ${by > 0 ? "after" : "before"} the playhead.`);
    if (next) s.select({ kind: "range", from: next.from, to: next.to, tracks: [next.track], gap: true });
  };
  const seam = (n: number) => () => {
    const next = s.list.step(n, s.playhead);
    if (!next) return say("The scene has no seam yet.");
    s.list.choose(next);
  };
  const goTo = async () => {
    const got = await s.ask({
      title: "Go to a time",
      label: "Time",
      value: clock(s.scene, rate, s.playhead),
      hint: "Timecode, or a time from the scene's start: 5 or 5.5 are seconds, 05:00 is 5 seconds.",
      done: "Go there",
    });
    const at = got && typedMoment(got.value, s.scene, rate, endOf(s.scene));
    if (got && at === undefined)
      return say(`"${got.value}" is not a time in the scene. Write it as ${clock(s.scene, rate, 0)}, or in seconds.`);
    if (at !== undefined) go(at, "");
  };
  const switched = () => {
    const zero = switchClock();
    s.list.sort();
    s.place(s.playhead);
    s.show();
    s.note(zero ? "Times are from the scene's start" : "Times are the scene's timecode");
  };
  const rangeEnd = (end: "from" | "to") => () => {
    const old = s.selection.kind === "range" ? s.selection : undefined,
      at = s.playhead,
      length = Math.max(endOf(s.scene), at + s.frame);
    const from = end === "from" ? at : old && old.from < at ? old.from : 0,
      to = end === "to" ? at : old && old.to > at ? old.to : length;
    if (to <= from) return say("A range cannot end where the scene begins. Move the playhead first.");
    s.select({
      kind: "range",
      from,
      to,
      tracks: old?.gap ? [] : (old?.tracks ?? (s.selection.kind === "track" ? [s.selection.id] : [])),
    });
  };

  return {
    go_to: () => void goTo(),
    clock: switched,
    frame_earlier: step(-1),
    frame_later: step(1),
    second_earlier: step(-rate.nominal),
    second_later: step(rate.nominal),
    to_start: () => s.seek(0),
    to_end: () => s.seek(endOf(s.scene)),
    next_edge: edge(1),
    previous_edge: edge(-1),
    next_marker: marker(1),
    previous_marker: marker(-1),
    next_gap: gap(1),
    previous_gap: gap(-1),
    next_seam: seam(1),
    previous_seam: seam(-1),
    pick: () => {
      const c = pickAt(
        s.scene,
        s.playhead,
        (t) => !s.shown.hidden.includes(t.id),
        s.selection.kind === "clips" ? s.selection.ids[0] : undefined,
      );
      if (!c) return say("No clip lies under the playhead.");
      s.select({ kind: "clips", ids: [c.id] });
    },
    edge: () => {
      const first = clipsInHand(s)[0],
        was = s.selection.kind === "clips" ? s.selection.edge : undefined;
      if (!first) return say("No clip is in hand. Click one, or press P for the one at the playhead.");
      s.select({
        kind: "clips",
        ids: [first.clip.id],
        ...(was === "tail" ? {} : { edge: was === "head" ? "tail" : "head" }),
      });
    },
    select_right: () => {
      const ids = toTheRight(s.scene, s.playhead, s.selection.kind === "track" ? [s.selection.id] : []);
      if (!ids.length) return say("No clip begins at the playhead or after it.");
      s.select({ kind: "clips", ids });
    },
    select_track: () => {
      const id = s.selection.kind === "track" ? s.selection.id : (clipsInHand(s)[0]?.track.id ?? s.list.current?.track),
        t = s.scene.tracks.find((x) => x.id === id);
      if (!t) return say("No track is chosen. Click the name of one.");
      s.select(t.clips.length ? { kind: "clips", ids: t.clips.map((c) => c.id) } : { kind: "track", id: t.id });
    },
    select_all: () => s.select({ kind: "clips", ids: s.scene.tracks.flatMap((t) => t.clips.map((c) => c.id)) }),
    select_none: () => {
      if (s.selection.kind === "none" && s.list.current) {
        s.list.select("");
        s.bench.show(undefined);
      }
      s.select({ kind: "none" });
    },
    range_from: rangeEnd("from"),
    range_to: rangeEnd("to"),
    range_tracks: () => {
      const { selection: sel } = s;
      if (sel.kind !== "range") return say("There is no range. R and Shift+R begin and end one at the playhead.");
      const order = [...shown().filter((t) => t.kind === "sound"), ...shown().filter((t) => t.kind !== "sound")].filter(
        (t) => t.clips.some((c) => c.from < sel.to && c.to > sel.from),
      );
      // after the last one, all
      const next = order[sel.tracks.length ? order.findIndex((t) => t.id === sel.tracks[0]) + 1 : 0];
      s.select({ ...sel, gap: false, tracks: next ? [next.id] : [] });
    },
    range_clip: () => {
      const r = spanOf(clipsOf(s.scene, s.selection)),
        m = s.list.current;
      if (r) return s.select({ kind: "range", ...r });
      if (s.selection.kind === "seam" && m)
        return s.select({ kind: "range", from: Math.max(0, m.from - sr), to: m.to + sr, tracks: [m.track] });
      say("Nothing is in hand. Click clips first.");
    },
    closer: () => s.timeline.zoom(1 / 1.6),
    wider: () => s.timeline.zoom(1.6),
    whole: () => s.timeline.whole(),
    zoom_selection: () => {
      const r = s.selection.kind === "range" ? s.selection : spanOf(clipsOf(s.scene, s.selection));
      if (!r) return say("Nothing is selected to zoom to.");
      s.timeline.showSpan(r.from, r.to);
    },
    zoom_seam: () => {
      const m = s.list.current;
      if (!m) return say("No seam is in hand to zoom to.");
      s.timeline.showSpan(m.from - 1.2 * sr, m.to + 1.2 * sr);
    },
  };
}
