// The card: the figures of whatever is selected, and what can be done with it. Pure functions from the scene to words.
import type { Seam } from "./bench.ts";
import { type Clip, type Scene, type Track, endOf } from "./model.ts";
import { name } from "./seams.ts";
import { type Rate, frameOf, frames, sampleOf, timecode } from "./time.ts";

export interface Action { command: string; words: string; key?: string; tone: string }
export interface Card {
  over: string; title: string; verdict: string; mark: string; verdictWord: string; why: string;
  groups: { name: string; rows: { name: string; value: string }[] }[]; gain: boolean; gainText: string; hint: string; actions: Action[];
}

const MARKS: Record<string, string> = { clean: "●", audible: "◆", rough: "▲" };
const KINDS: Record<string, string> = { cut: "cut", gap_start: "gap begins", gap_end: "gap ends", fade: "fade", head: "track begins", tail: "track ends" };

const blank: Card = { over: "", title: "", verdict: "", mark: "", verdictWord: "", why: "", groups: [], gain: false, gainText: "", hint: "", actions: [] };

const dB = (v: number | null | undefined, digits = 1) => (v == null ? "–" : `${v < -0.05 ? "-" : "+"}${Math.abs(v).toFixed(digits)} dB`);
const full = (v: number | null | undefined) => (v == null ? "–" : v <= -119 ? "silence" : `${v.toFixed(1)} dBFS`);

export function seamCard(s: Seam, number: number, scene: Scene, rate: Rate): Card {
  const m = s.measures, f = (n: number | null) => (n == null ? "–" : n > 1e12 ? "any" : `${Math.floor((n * rate.num) / (rate.den * scene.sample_rate) + 1e-6)} f`);
  const rows = [{ name: "Background step", value: dB(m.background_step_db) }, { name: "Backgrounds", value: `${full(m.background_left_db).replace(" dBFS", "")} · ${full(m.background_right_db).replace(" dBFS", "")}` }];
  rows.push({ name: "Click", value: m.click_db == null ? "–" : m.click_db < 0.5 ? "none" : `${m.click_db.toFixed(0)} dB` });
  if (s.kind === "cut") rows.push({ name: "Level of the voices", value: m.level_step_lu == null ? "–" : `${m.level_step_lu >= 0 ? "+" : "-"}${Math.abs(m.level_step_lu).toFixed(1)} LU` }, { name: "Likeness", value: m.correlation == null ? "–" : m.correlation.toFixed(2) });
  rows.push({ name: "Dead silence", value: !m.dead_silence_ms ? "none" : `${m.dead_silence_ms.toFixed(0)} ms` });
  if (s.kind === "cut") rows.push({ name: "Handles", value: `${f(m.handle_after)} · ${f(m.handle_before)}` });
  if (m.drop_db != null) rows.push({ name: "Fall at the end", value: `${m.drop_db.toFixed(0)} dB` });
  const groups = [{ name: "Measured", rows }];
  const actions: Action[] = [];
  let hint = "";
  if (s.kind === "cut") {
    if (s.blend) {
      groups.push({ name: "Blend", rows: [
        { name: "Length", value: `${frames(s.to - s.from, rate, scene.sample_rate).replace(/ frames?/, " f")} · ${Math.round((1000 * (s.to - s.from)) / scene.sample_rate)} ms` },
        { name: "Before · after", value: `${frames(s.at - s.from, rate, scene.sample_rate).replace(/ frames?/, " f")} · ${frames(s.to - s.at, rate, scene.sample_rate).replace(/ frames?/, " f")}` },
        { name: "Scene", value: "length kept" }] });
      actions.push({ command: "blend_off", words: "Take the blend off", tone: "wide" });
    } else actions.push({ command: "blend", words: "Blend this cut", key: "B", tone: "wide on" });
  } else if (s.kind === "gap_start" || s.kind === "gap_end") hint = "Nothing lies here on this track. Pull the edge in or out, or move a clip up, to close the gap.";
  else if (s.kind === "head" || s.kind === "tail") hint = "Drag the dot in the clip's top corner to fade this edge.";
  actions.push({ command: "audition", words: "Audition", key: "Enter", tone: "" }, { command: "next_seam", words: "Next seam", key: "Down", tone: "" });
  return { ...blank, over: `Seam ${number} · ${KINDS[s.kind] ?? s.kind}, ${s.track_name}`, title: name(s), verdict: s.verdict, mark: MARKS[s.verdict] ?? "", verdictWord: s.verdict ? s.verdict[0].toUpperCase() + s.verdict.slice(1) : "",
    why: s.why ? s.why[0].toUpperCase() + s.why.slice(1) + "." : "", groups, hint, actions };
}

export function clipCard(t: Track, c: Clip, scene: Scene, rate: Rate, edge?: string): Card {
  const sr = scene.sample_rate, src = scene.sources[c.source], tc = (n: number) => timecode(scene.start_frame + frameOf(n, rate, sr), rate);
  const unit = (n: number) => (t.kind === "picture" ? sampleOf(n, rate, sr) : n);
  const f = (n: number) => frames(n, rate, sr).replace(/ frames?/, " f"), whole = t.kind === "picture" ? src?.frames ?? 0 : src?.samples ?? 0;
  const rows = [{ name: "Begins", value: tc(c.from) }, { name: "Ends", value: tc(c.to) }, { name: "Length", value: `${f(c.to - c.from)} · ${((c.to - c.from) / sr).toFixed(2)} s` },
    { name: "Handles", value: `${f(unit(c.in))} · ${f(unit(whole) - unit(c.in + c.length))}` }, { name: "Source", value: src?.name ?? "–" }];
  if (t.kind === "sound") rows.push({ name: "Fades", value: `${c.fade_in?.length ? f(c.fade_in.length) : "none"} · ${c.fade_out?.length ? f(c.fade_out.length) : "none"}` });
  rows.push({ name: "Linked", value: c.link ? "yes" : "no" });
  const loud = (c.gain_db ?? 0) > 6;
  return { ...blank, over: `Clip · ${t.name}`, title: c.name, groups: [{ name: "Clip", rows }], gain: t.kind === "sound", gainText: `${(c.gain_db ?? 0) >= 0 ? "+" : ""}${(c.gain_db ?? 0).toFixed(1)} dB`,
    hint: loud ? "More than 6 dB up: a clip raised so far often starts to sound wrong. Listen to its background." : edge ? `Edge in hand: the ${edge}. Comma and full stop move it one frame, with Shift five.` : "",
    actions: [{ command: "divide", words: "Divide", key: "D", tone: "" }, { command: "link", words: c.link ? "Unlink" : "Link", key: "Y", tone: "" },
      { command: "open_here", words: "Open here", key: "O", tone: "" }, { command: "close_here", words: "Close here", key: "C", tone: "" },
      { command: "remove", words: "Remove, leave gap", tone: "" }, { command: "remove_close", words: "Remove, close up", tone: "" }] };
}

export function sceneCard(scene: Scene, rate: Rate): Card {
  const clips = scene.tracks.reduce((n, t) => n + t.clips.length, 0), n = frameOf(endOf(scene), rate, scene.sample_rate);
  return { ...blank, over: "Scene", title: scene.name, groups: [{ name: "Scene", rows: [
    { name: "Length", value: timecode(n, rate) }, { name: "Clips", value: String(clips) }, { name: "Tracks", value: String(scene.tracks.length) },
    { name: "Sound", value: `${scene.sample_rate} Hz, ${scene.channels === 1 ? "mono" : "stereo"}` }] }],
    hint: clips ? "Choose a seam in the list, or a clip in the timeline." : "Nothing is laid out yet. Bring recordings in on the page of sources and lay them out.", actions: clips ? [{ command: "next_seam", words: "First seam", key: "Down", tone: "wide on" }] : [{ command: "sources", words: "Go to the sources", tone: "wide on" }] };
}

export const emptyCard = blank;
