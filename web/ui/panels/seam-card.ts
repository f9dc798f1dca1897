// The card of a seam: its verdict, what would mend it, its measures and its blend.

import { figureOf, type Seam } from "../model/seam.ts";
import { capital } from "../model/words.ts";
import type { About, Action, Advice, Card, Field, Measure, Proposal } from "./parts.ts";
import { action, blank, field, full, KINDS, leadField, MARKS, roomBehind, short } from "./parts.ts";
import { leadOf, name } from "./seams.ts";
export function seamCard(a: About, s: Seam, number: number, advice: Advice = { covers: [] }): Card {
  const m = s.measures,
    { scene, rate } = a,
    sr = scene.sample_rate;
  const f = (n: number | null | undefined) =>
    n == null ? "–" : n > 1e12 ? "any" : `${Math.floor((n * rate.num) / (rate.den * sr) + 1e-6)} f`;
  const rows: Card["groups"][0]["rows"] = a.measures
    .filter((x) => figureOf(m, x.key) != null && !x.key.endsWith("left_db") && !x.key.endsWith("right_db"))
    .map((x) => ({
      name: x.name,
      value: figure(x, figureOf(m, x.key)!),
      about: x.about,
      tone: x.key === causeKey(a, s) ? s.verdict : "",
    }));
  if (m.background_left_db != null || m.background_right_db != null)
    rows.push({
      name: "Backgrounds",
      value: `${full(m.background_left_db).replace(" dBFS", "")} · ${full(m.background_right_db).replace(" dBFS", "")}`,
    });
  if (s.kind === "cut") rows.push({ name: "Handles", value: `${f(m.handle_after)} · ${f(m.handle_before)}` });
  const groups: Card["groups"] = [],
    actions: Action[] = [],
    notes: Card["notes"] = [],
    picks: Card["picks"] = [];
  const p = advice.proposal;
  let first = blank.first,
    picksAbout = "";
  if (p?.edit && p.after) {
    notes.push({
      name: s.verdict === "clean" ? "Could be better still" : "What would mend it",
      lines: [
        `${capital(p.did!)}: ${(p.reasons ?? []).join("; ")}.`,
        `Then ${p.after.verdict}${p.after.verdict === "clean" ? "" : `: ${p.after.why}`}${expected(a.measures, p)}.`,
      ],
    });
    first = action(a, "mend", "Mend this seam");
    actions.push(action(a, "hear_mended", "Hear it mended first", "wide"));
  } else if (p?.left) {
    notes.push({ name: "Nothing mends it by itself", lines: [`${capital(p.left)}.`] });
    if (/^(background|colour)_step$/.test(s.cause)) first = action(a, "bed", "Lay a bed under all");
  }
  if (advice.covers.length) notes.push({ name: "Words", lines: advice.covers });
  if (advice.equal) notes.push({ name: "Law", lines: [advice.equal] });
  if (s.accepted !== undefined) notes.push({ name: "Accepted as it is", lines: [s.accepted || "Without a note."] });
  groups.push({ name: "Measured", rows });
  if (advice.places) {
    picksAbout = advice.places.why;
    advice.places.list.forEach((x, i) => {
      const ms = ((x.at - s.at) * 1000) / sr,
        chosen = i === advice.places!.chosen;
      picks.push({
        index: i,
        words:
          `${ms < 0 ? "−" : "+"}${Math.abs(ms).toFixed(0)} ms: ` +
          `${x.reasons.slice(0, 2).join("; ")}${x.slip ? `; ${x.reasons.at(-1)}` : ""}`,
        tone: chosen ? "on" : "",
        pressed: String(chosen),
      });
    });
    if (picks.length) actions.push(action(a, "hear_place", "Hear it"), action(a, "place_take", "Take it"));
  }
  let hint = "";
  if (s.kind === "cut" || s.pair) {
    if (s.blend || s.pair) {
      groups.push({
        name: "Blend",
        rows: [
          { name: "Length", value: `${short(a, s.to - s.from)} · ${Math.round((1000 * (s.to - s.from)) / sr)} ms` },
          { name: "Before · after", value: `${short(a, s.at - s.from)} · ${short(a, s.to - s.at)}` },
          { name: "Scene", value: "length kept" },
        ],
      });
      actions.push(action(a, "blend_off", "Take the blend off", "wide"));
    } else actions.push(action(a, "blend", "Blend this cut", p?.edit ? "wide" : "wide on"));
    if (!advice.places && !s.pair) actions.push(action(a, "places", "Best place"));
  } else if (s.kind === "lull") {
    if (advice.lull?.off)
      notes.push({
        name: "Switched off",
        lines: ["The clip sounds as it was recorded. L switches the lull on again."],
      });
    groups.push({
      name: "Lull",
      rows: [
        { name: "Length", value: `${short(a, s.to - s.from)} · ${Math.round((1000 * (s.to - s.from)) / sr)} ms` },
        { name: "Patch", value: s.right ? s.right_name : "none yet" },
      ],
    });
    if (roomBehind(a, s.track))
      actions.push(
        action(a, "fill", s.right ? "Another patch" : "Fill with tone", s.right ? "" : "on"),
        action(a, "fill_choose", "Which tone …"),
      );
    actions.push(
      action(a, "lull", advice.lull?.off ? "Switch on" : "Switch off"),
      action(a, "lull_away", "Take it off"),
    );
  } else if (s.kind === "gap_start" || s.kind === "gap_end") {
    const filled = roomBehind(a, s.track);
    const fill = filled ? "Fill it with tone, pull" : "Pull";
    hint = `Nothing lies here on this track. ${fill} the edge in or out, or click the gap to close it up.`;
    if (filled) actions.push(action(a, "fill", "Fill with tone"), action(a, "fill_choose", "Which tone …"));
  } else if (s.kind === "head" || s.kind === "tail") hint = "Drag the dot in the clip's top corner to fade this edge.";
  const fields: Field[] = [];
  if (advice.lull)
    fields.push(
      field("lull_depth", "Turned down", advice.lull.depth_db ? `${advice.lull.depth_db.toFixed(1)} dB` : "silence"),
      field("lull_in", "Fade down", short(a, advice.lull.fade_in)),
      field("lull_out", "Fade up", short(a, advice.lull.fade_out)),
    );
  if (s.lead !== undefined) {
    fields.push(leadField(Math.round((s.lead * rate.num) / (rate.den * sr))));
    if (leadOf(s, rate, sr)) actions.push(action(a, "straight", "Straight cut again", "wide"));
  }
  if (s.kind !== "lull" && s.verdict && (s.verdict !== "clean" || s.accepted !== undefined))
    actions.push(action(a, "accept", s.accepted === undefined ? "Accept" : "Not accepted"));
  actions.push(
    action(a, "audition", "Audition"),
    action(a, "next_seam", "Next seam"),
    ...(s.kind === "lull"
      ? [
          action(a, "edge_earlier", "Edge earlier"),
          action(a, "edge_later", "Edge later"),
          action(a, "edge", "Other edge", "wide"),
        ]
      : [action(a, "edge_earlier", "Cut earlier"), action(a, "edge_later", "Cut later")]),
  );
  return {
    ...blank,
    over: `Seam ${number} · ${KINDS[s.kind] ?? s.kind}, ${s.track_name}`,
    title: name(s),
    verdict: s.verdict,
    mark: MARKS[s.verdict] ?? "",
    verdictWord: verdictWord(s),
    why: s.why ? `${capital(s.why)}.` : "",
    groups: groups.filter((g) => g.rows.length),
    fields,
    hint,
    actions,
    first,
    notes,
    picks,
    picksAbout,
  };
}

const causeKey = (a: About, s: Seam): string => a.measures.find((x) => x.cause && x.cause === s.cause)?.key ?? "";

/** A figure with its unit; what does not exist at a seam is "none". */
function figure(x: Measure, v: number): string {
  if (x.none && v < x.none) return "none";
  const sign = v < 0 ? "-" : x.sided ? "+" : "";
  return `${sign}${Math.abs(v).toFixed(x.unit === "" ? 2 : x.unit === "ms" ? 0 : 1)}${x.unit ? ` ${x.unit}` : ""}`;
}

/** How the chief figure of a seam changes. */
function expected(measures: Measure[], p: Proposal): string {
  const x = measures.find((m) => m.cause && m.cause === p.before.cause),
    was = x && figureOf(p.before.measures, x.key),
    is = x && figureOf(p.after!.measures, x.key);
  return !x || was == null || is == null
    ? ""
    : `; ${x.name.toLowerCase()} ${figure(x, was)} before, ${figure(x, is)} after`;
}

/** A verdict as the first word of a sentence. */
function verdictWord(s: Seam): string {
  if (s.verdict === "unknown") return "Cannot be judged";
  return s.verdict ? capital(s.verdict) : s.why ? "Not measured" : "";
}
