// The card: the figures of whatever is selected, its settings, and what can be done with it. Pure functions from the
// scene to words.
import type { Seam } from "../bench/bench.ts";
import type { Place, Proposal } from "../commands/mending.ts";
import {
  type Edge,
  edgeAt,
  endOf,
  findClip,
  handles,
  type Lull,
  type Marker,
  type Placed,
  type Scene,
  type Track,
} from "../model/scene.ts";
import type { Range } from "../model/selection.ts";
import { frameOf, frames, type Rate, timecode } from "../model/time.ts";
import { offsetWords } from "../timeline/draw.ts";
import type { Shown } from "../timeline/rows.ts";
import { leadOf, name } from "./seams.ts";

export interface Action {
  command: string;
  words: string;
  key?: string;
  tone: string;
}
/** A figure that can be typed, with commands to make it less and more. */
export interface Field {
  id: string;
  name: string;
  value: string;
  less?: string;
  more?: string;
  lessWords?: string;
  moreWords?: string;
  steps: boolean;
  tone: string;
}
export interface Choice {
  id: string;
  name: string;
  value: string;
  options: { value: string; words: string }[];
}
export interface Card {
  over: string;
  title: string;
  verdict: string;
  mark: string;
  verdictWord: string;
  why: string;
  groups: { name: string; rows: { name: string; value: string; about?: string; tone?: string }[] }[];
  fields: Field[];
  choices: Choice[];
  hint: string;
  actions: Action[];
  first: Action; // what should be done first, above the figures
  notes: { name: string; lines: string[] }[]; // in words
  picksAbout: string;
  picks: { index: number; words: string; tone: string; pressed: string }[]; // places for the cut
}

const MARKS: Record<string, string> = { clean: "●", audible: "◆", rough: "▲" };
const KINDS: Record<string, string> = {
  cut: "cut",
  gap_start: "gap begins",
  gap_end: "gap ends",
  fade: "fade",
  head: "track begins",
  tail: "track ends",
  lull: "lull",
};

const blank: Card = {
  over: "",
  title: "",
  verdict: "",
  mark: "",
  verdictWord: "",
  why: "",
  groups: [],
  fields: [],
  choices: [],
  hint: "",
  actions: [],
  first: { command: "", words: "", tone: "" },
  notes: [],
  picksAbout: "",
  picks: [],
};

const full = (v: number | null | undefined) => (v == null ? "–" : v <= -119 ? "silence" : `${v.toFixed(1)} dBFS`);
const signed = (v: number) => `${v >= 0 ? "+" : ""}${v.toFixed(1)} dB`;

/** One kind of figure, as the table of measures in core has it. */
export interface Measure {
  key: string;
  name: string;
  unit: string;
  about: string;
  cause?: string;
  audible?: number;
  rough?: number;
}

/** What cards need of the page. */
export interface About {
  scene: Scene;
  rate: Rate;
  key(command: string): string;
  closing: boolean;
  offsets: Record<string, number>;
  shown: Shown;
  hues: string[];
  measures: Measure[];
}

const short = (a: About, n: number) => frames(n, a.rate, a.scene.sample_rate).replace(/ frames?/, " f");
const tc = (a: About, n: number) => timecode(a.scene.start_frame + frameOf(n, a.rate, a.scene.sample_rate), a.rate);
const action = (a: About, command: string, words: string, tone = ""): Action => ({
  command,
  words,
  key: a.key(command),
  tone,
});
const field = (id: string, name: string, value: string, less?: [string, string], more?: [string, string]): Field => ({
  id,
  name,
  value,
  less: less?.[0],
  lessWords: less?.[1],
  more: more?.[0],
  moreWords: more?.[1],
  steps: !!less,
  tone: less ? "stepped" : "",
});

const leadField = (frames: number) =>
  field("lead", "Sound leads", `${frames} f`, ["trail", "One frame later"], ["lead", "One frame earlier"]);

/** What the server says of a seam beside its measures. */
export interface Advice {
  lull?: Lull;
  proposal?: Proposal;
  places?: { list: Place[]; why: string; chosen: number };
  covers: string[];
}

export function seamCard(a: About, s: Seam, number: number, advice: Advice = { covers: [] }): Card {
  const m = s.measures,
    { scene, rate } = a,
    sr = scene.sample_rate;
  const f = (n: number | null) =>
    n == null ? "–" : n > 1e12 ? "any" : `${Math.floor((n * rate.num) / (rate.den * sr) + 1e-6)} f`;
  const rows: Card["groups"][0]["rows"] = a.measures
    .filter((x) => m[x.key] != null && !x.key.endsWith("left_db") && !x.key.endsWith("right_db"))
    .map((x) => ({
      name: x.name,
      value: figure(x, m[x.key]!),
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
        `${p.did![0].toUpperCase()}${p.did!.slice(1)}: ${(p.reasons ?? []).join("; ")}.`,
        `Then ${p.after.verdict}${p.after.verdict === "clean" ? "" : `: ${p.after.why}`}${expected(a.measures, p)}.`,
      ],
    });
    first = action(a, "mend", "Mend this seam");
    actions.push(action(a, "hear_mended", "Hear it mended first", "wide"));
  } else if (p?.left)
    notes.push({ name: "Nothing mends it by itself", lines: [`${p.left[0].toUpperCase()}${p.left.slice(1)}.`] });
  if (advice.covers.length) notes.push({ name: "Words", lines: advice.covers });
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
    actions.push(
      action(a, "fill", s.right ? "Another patch" : "Fill with tone", s.right ? "" : "on"),
      action(a, "fill_choose", "Which tone …"),
      action(a, "lull", advice.lull?.off ? "Switch on" : "Switch off"),
      action(a, "lull_away", "Take it off"),
    );
  } else if (s.kind === "gap_start" || s.kind === "gap_end") {
    hint =
      "Nothing lies here on this track. Fill it with tone, pull the edge in or out, or click the gap to close it up.";
    actions.push(action(a, "fill", "Fill with tone"), action(a, "fill_choose", "Which tone …"));
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
    verdictWord: s.verdict ? s.verdict[0].toUpperCase() + s.verdict.slice(1) : s.why ? "Not measured" : "",
    why: s.why ? s.why[0].toUpperCase() + s.why.slice(1) + "." : "",
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
  if (["click_db", "dead_silence_ms", "word_cut_ms"].includes(x.key) && v < 0.5) return "none";
  const sign =
    x.unit !== "ms" && /step_db|step_lu|blend_level/.test(x.key) && x.key !== "colour_step_db"
      ? v < 0
        ? "-"
        : "+"
      : v < 0
        ? "-"
        : "";
  return `${sign}${Math.abs(v).toFixed(x.unit === "" ? 2 : x.unit === "ms" ? 0 : 1)}${x.unit ? ` ${x.unit}` : ""}`;
}

/** How the chief figure of a seam changes. */
function expected(measures: Measure[], p: Proposal): string {
  const x = measures.find((m) => m.cause && m.cause === p.before.cause),
    was = x && p.before.measures[x.key],
    is = x && p.after!.measures[x.key];
  return !x || was == null || is == null
    ? ""
    : `; ${x.name.toLowerCase()} ${figure(x, was)} before, ${figure(x, is)} after`;
}

export function clipCard(a: About, p: Placed, edge: "head" | "tail" | undefined, closes: string): Card {
  const { track: t, clip: c } = p,
    { scene, rate } = a,
    sr = scene.sample_rate,
    src = scene.sources[c.source],
    h = handles(scene, rate, p);
  const rows = [
    { name: "Ends", value: tc(a, c.to) },
    { name: "Handles", value: `${short(a, h.head)} · ${h.tail > 1e12 ? "any" : short(a, h.tail)}` },
    { name: "Source", value: src?.name ?? "–" },
  ];
  if (t.kind === "sound")
    rows.push({
      name: "Fades",
      value:
        `${c.fade_in?.length ? short(a, c.fade_in.length) : "none"} · ` +
        `${c.fade_out?.length ? short(a, c.fade_out.length) : "none"}`,
    });
  rows.push({ name: "Linked", value: c.link ? "yes" : "no" });
  const offset = a.offsets[c.id],
    loud = (c.gain_db ?? 0) > 6;
  if (offset !== undefined) rows.push({ name: "Out of sync", value: offsetWords(offset, rate, sr) });
  const fields = [field("begins", "Begins", tc(a, c.from)), field("length", "Length", short(a, c.to - c.from))];
  if (t.kind === "sound")
    fields.push(field("gain", "Gain", signed(c.gain_db ?? 0), ["gain_down", "One dB down"], ["gain_up", "One dB up"]));
  const actions = [
    action(a, "divide", "Divide"),
    action(a, "link", c.link ? "Unlink" : "Link"),
    action(a, "open_here", "Open here"),
    action(a, "close_here", "Close here"),
    action(a, "slip_earlier", "Slip earlier"),
    action(a, "slip_later", "Slip later"),
    action(a, "duplicate", "Duplicate"),
    action(a, "came_from", "Its source"),
    action(a, "remove", "Leave gap"),
    action(a, "remove_close", "Close up"),
  ];
  if (offset !== undefined)
    actions.unshift(action(a, "sync_move", "Move into sync"), action(a, "sync_slip", "Slip into sync"));
  const hint = loud
    ? "More than 6 dB up: a clip raised so far often starts to sound wrong. Listen to its background."
    : edge
      ? `Edge in hand: the ${edge}. ${a.key("edge_earlier")} and ${a.key("edge_later")} move it one frame, with ` +
        `Shift five, and ${a.closing ? "close up" : "leave a gap"}.`
      : closes;
  return { ...blank, over: `Clip · ${t.name}`, title: c.name, groups: [{ name: "Clip", rows }], fields, hint, actions };
}

export function clipsCard(a: About, list: Placed[]): Card {
  const from = Math.min(...list.map((p) => p.clip.from)),
    to = Math.max(...list.map((p) => p.clip.to)),
    tracks = new Set(list.map((p) => p.track.id)).size;
  const actions = [
    action(a, "gain_down", "1 dB down"),
    action(a, "gain_up", "1 dB up"),
    action(a, "link", list.some((p) => p.clip.link) ? "Unlink" : "Link"),
    action(a, "duplicate", "Duplicate"),
    action(a, "pair", "One over into the other", "wide"),
    action(a, "copy", "Copy"),
    action(a, "range_clip", "Range over them"),
    action(a, "remove", "Leave gaps"),
    action(a, "remove_close", "Close up"),
  ];
  return {
    ...blank,
    over: "Clips",
    title: `${list.length} clips in hand`,
    groups: [
      {
        name: "Clips",
        rows: [
          { name: "From", value: tc(a, from) },
          { name: "To", value: tc(a, to) },
          { name: "On", value: `${tracks} ${tracks === 1 ? "track" : "tracks"}` },
        ],
      },
    ],
    hint: "Drag one of them, and all move. Shift-click adds a clip or takes it out.",
    actions,
  };
}

export function edgesCard(a: About, edges: Edge[]): Card {
  const rows = edges.slice(0, 8).map((e) => {
    const at = edgeAt(a.scene, e) ?? 0,
      side = (id?: string) => (id ? (findClip(a.scene, id)?.clip.name ?? "") : "");
    return {
      name:
        e.left && e.right
          ? `${side(e.left)} → ${side(e.right)}`
          : e.left
            ? `tail of ${side(e.left)}`
            : `head of ${side(e.right)}`,
      value: tc(a, at).slice(3),
    };
  });
  return {
    ...blank,
    over: "Edges",
    title: `${edges.length} ${edges.length === 1 ? "edge" : "edges"} in hand`,
    groups: [{ name: "Trimmed together", rows }],
    hint:
      `Cuts roll; heads and tails ${a.closing ? "close up" : "leave a gap"} (${a.key("edge_closes")} changes ` +
      `that).`,
    actions: [
      action(a, "edge_earlier", "Earlier"),
      action(a, "edge_later", "Later"),
      action(a, "edge_by", "By a figure …", "wide"),
      action(a, "select_none", "None", "wide"),
    ],
  };
}

export function rangeCard(a: About, r: Range & { gap?: boolean }, copied: boolean, source: string): Card {
  const names = r.tracks.map((id) => a.scene.tracks.find((t) => t.id === id)?.name ?? "");
  const over = r.gap ? `Gap · ${names[0]}` : "Range",
    length = `${short(a, r.to - r.from)} · ${((r.to - r.from) / a.scene.sample_rate).toFixed(2)} s`;
  const rows = [
    { name: "Length", value: length },
    { name: "Tracks", value: names.length ? (names.length > 2 ? `${names.length} tracks` : names.join(", ")) : "all" },
  ];
  const actions = r.gap
    ? [
        action(a, "fill", "Fill it with tone", "wide on"),
        action(a, "fill_choose", "Which tone …"),
        action(a, "remove_close", "Close the gap up", "wide"),
      ]
    : [
        action(a, "lull", "Lull"),
        action(a, "fill", "Fill with tone"),
        action(a, "bed", "Bed under it …"),
        action(a, "keep_words", "Keep words …"),
        action(a, "findings", "Find strays …"),
        action(a, "keep_tone", "Keep as tone …"),
        action(a, "remove", "Leave gap"),
        action(a, "remove_close", "Close up"),
        action(a, "copy", "Copy"),
        action(a, "cut", "Cut"),
        action(a, "lead_all", "All cuts lead …"),
        action(a, "blend_all", "Blend its cuts …"),
      ];
  if (copied) actions.push(action(a, "paste", "Paste over"), action(a, "paste_insert", "Paste and push"));
  if (source) actions.push(action(a, "fill_range", `Fill from ${source}`, "wide"));
  actions.push(action(a, "zoom_selection", "Zoom to it", "wide"));
  return {
    ...blank,
    over,
    title: r.gap ? `Nothing for ${short(a, r.to - r.from)}` : `${tc(a, r.from).slice(3)} to ${tc(a, r.to).slice(3)}`,
    groups: [{ name: r.gap ? "Gap" : "Range", rows }],
    fields: [field("from", "From", tc(a, r.from)), field("to", "To", tc(a, r.to))],
    hint: r.gap
      ? ""
      : `Commands act on this range. Click a track's name, with Shift several, to choose its tracks; ` +
        `${a.key("range_tracks")} goes through them.`,
    actions,
  };
}

export function trackCard(a: About, t: Track): Card {
  const choices: Choice[] = [];
  if (t.kind === "sound")
    choices.push({
      id: "purpose",
      name: "Purpose",
      value: t.purpose,
      options: ["dialogue", "tone", "music", "effects"].map((value) => ({ value, words: value })),
    });
  choices.push({
    id: "hue",
    name: "Thread",
    value: t.hue ?? "",
    options: [{ value: "", words: "of its purpose" }, ...a.hues.map((value) => ({ value, words: value }))],
  });
  const fields = [field("name", "Name", t.name)];
  if (t.kind === "sound") fields.push(field("track_gain", "Gain", signed(t.gain_db ?? 0)));
  const yes = (is: boolean | undefined, words: string) => (is ? words : "");
  const state = [
    yes(t.mute, "muted"),
    yes(t.solo, "alone"),
    yes(t.locked, "locked"),
    t.stays ? "stays when others close up" : "follows when others close up",
  ]
    .filter(Boolean)
    .join(", ");
  const actions = [
    ...(t.kind === "sound"
      ? [action(a, "track_mute", t.mute ? "Unmute" : "Mute"), action(a, "track_solo", t.solo ? "Not alone" : "Alone")]
      : []),
    action(a, "track_lock", t.locked ? "Unlock" : "Lock"),
    action(a, "track_follow", t.stays ? "Let it follow" : "Let it stay"),
    action(a, "track_up", "Up"),
    action(a, "track_down", "Down"),
    action(a, "track_fold", a.shown.folded.includes(t.id) ? "Unfold" : "Fold"),
    action(a, "track_hide", "Hide"),
    action(a, "select_track", "Select its clips"),
    action(a, "track_add", "Add a track"),
  ];
  if (!t.clips.length) actions.push(action(a, "track_remove", "Remove the track", "wide"));
  return {
    ...blank,
    over: "Track",
    title: t.name,
    groups: [
      {
        name: "Track",
        rows: [
          { name: "Clips", value: String(t.clips.length) },
          { name: "Holds", value: t.kind },
        ],
      },
    ],
    fields,
    choices,
    hint: state[0].toUpperCase() + state.slice(1) + ".",
    actions,
  };
}

export function markerCard(a: About, m: Marker): Card {
  return {
    ...blank,
    over: "Marker",
    title: m.name,
    fields: [field("marker_name", "Name", m.name), field("marker_at", "At", tc(a, m.at))],
    hint: "Drag it in the ruler to move it.",
    actions: [
      action(a, "previous_marker", "Before"),
      action(a, "next_marker", "Next"),
      action(a, "remove", "Remove it", "wide"),
    ],
  };
}

export function sceneCard(a: About): Card {
  const { scene, rate } = a,
    clips = scene.tracks.reduce((n, t) => n + t.clips.length, 0),
    n = frameOf(endOf(scene), rate, scene.sample_rate);
  const actions = clips
    ? [
        action(a, "next_seam", "First seam", "wide on"),
        action(a, "track_add", "Add a track"),
        action(a, "marker", "Set a marker"),
        action(a, "lead_all", "All cuts lead …"),
        action(a, "mend_all", "Mend all …"),
        action(a, "blend_all", "Blend all …"),
        action(a, "history", "Past and versions", "wide"),
      ]
    : [action(a, "sources", "Go to the sources", "wide on"), action(a, "track_add", "Add a track", "wide")];
  if (a.shown.hidden.length) actions.push(action(a, "tracks_show", `Show ${a.shown.hidden.length} hidden`, "wide"));
  return {
    ...blank,
    over: "Scene",
    title: scene.name,
    groups: [
      {
        name: "Scene",
        rows: [
          { name: "Length", value: timecode(n, rate) },
          { name: "Clips", value: String(clips) },
          { name: "Tracks", value: String(scene.tracks.length) },
          { name: "Sound", value: `${scene.sample_rate} Hz, ${scene.channels === 1 ? "mono" : "stereo"}` },
        ],
      },
    ],
    hint: clips
      ? "Choose a seam in the list, or a clip in the timeline."
      : "Nothing is laid out yet. Bring recordings in on the page of sources and lay them out.",
    actions,
  };
}

export const emptyCard = blank;
