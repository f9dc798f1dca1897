// The cards of ranges, tracks, markers, and of the scene when nothing is in hand.

import type { Marker, Track } from "../model/scene.ts";
import { endOf } from "../model/scene.ts";
import type { Range } from "../model/selection.ts";
import { frameOf, frames, timecode } from "../model/time.ts";
import { capital, namesIn } from "../model/words.ts";
import { balanceWords, duckActions, duckFields, filterActions, filterFields, treatFields } from "./level-cards.ts";
import type { About, Card, Choice } from "./parts.ts";
import { action, blank, field, roomBehind, short, signed, tc } from "./parts.ts";

/** The colours of tracks by the words for them; scene files have the names of their dyes. */
const colourWords: Record<string, string> = { indigo: "blue", weld: "gold", walnut: "brown" };

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
        ...(roomBehind(a, r.tracks[0])
          ? [action(a, "fill", "Fill it with tone", "wide on"), action(a, "fill_choose", "Which tone …")]
          : []),
        action(a, "remove_close", "Close the gap up", "wide"),
      ]
    : [
        action(a, "lull", "Lull"),
        action(a, "fill", "Fill with tone"),
        action(a, "bed", "Bed under it …"),
        action(a, "keep_words", "Keep words …"),
        action(a, "findings", "Find strays …"),
        action(a, "keep_tone", "Keep as tone …"),
        action(a, "raise_by", "Louder, softer …"),
        action(a, "treat", "Treat it …"),
        action(a, "filter", "Filter it …"),
        action(a, "near", "As near as …"),
        action(a, "speed", "Speed …"),
        action(a, "level_points_off", "Points off"),
        action(a, "duck_except", "Make no way here"),
        action(a, "fit", "Fit a length …"),
        action(a, "marker", "Name it …"),
        action(a, "take_next", "Next take"),
        action(a, "join", "Join into one …"),
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
    title: r.gap ? `Nothing for ${short(a, r.to - r.from)}` : `${tc(a, r.from)} to ${tc(a, r.to)}`,
    groups: [{ name: r.gap ? "Gap" : "Range", rows }],
    fields: [field("from", "From", tc(a, r.from)), field("to", "To", tc(a, r.to))],
    hint: r.gap
      ? ""
      : `${takesOut(a, r)}Commands act on this range. Click a track's name, with Shift several, to choose ` +
        `its tracks; ` +
        `${a.key("range_tracks")} goes through them.`,
    actions,
  };
}

/** What deleting a range takes out, and what of it stays: of tracks with something in it. */
function takesOut(a: About, r: Range): string {
  const over = a.scene.tracks.filter((t) => t.clips.some((c) => c.from < r.to && c.to > r.from)),
    goes = (t: Track) => (r.tracks.length ? r.tracks.includes(t.id) : !t.locked && !t.stays),
    [taken, left] = [over.filter(goes), over.filter((t) => !goes(t))].map((list) => list.map((t) => t.name));
  if (!taken.length) return "Nothing lies in it that Delete would take out. ";
  const rest = left.length ? `; ${namesIn(left)} ${left.length === 1 ? "stays" : "stay"}` : "";
  return `Delete takes ${frames(r.to - r.from, a.rate, a.scene.sample_rate)} out of ${namesIn(taken)}${rest}. `;
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
    name: "Colour",
    value: t.hue ?? "",
    options: [
      { value: "", words: "of its purpose" },
      ...a.hues.map((value) => ({ value, words: colourWords[value] ?? value })),
    ],
  });
  const fields = [field("name", "Name", t.name)];
  if (t.kind === "sound")
    fields.push(
      field("track_gain", "Gain", signed(t.gain_db ?? 0)),
      field("balance", "Balance", balanceWords(t.balance)),
      ...duckFields(a, t),
      ...filterFields(t.filters),
      ...treatFields(a, t.treatments),
    );
  const yes = (is: boolean | undefined, words: string) => (is ? words : "");
  const state = [
    yes(t.mute, "muted"),
    yes(t.solo, "solo"),
    yes(t.locked, "locked"),
    t.stays ? "stays when others close up" : "follows when others close up",
  ]
    .filter(Boolean)
    .join(", ");
  const actions = [
    ...(t.kind === "sound"
      ? [action(a, "track_mute", t.mute ? "Unmute" : "Mute"), action(a, "track_solo", t.solo ? "Solo off" : "Solo")]
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
  if (t.kind === "sound") actions.push(...duckActions(a, t), ...filterActions(a, t.filters, t.treatments));
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
    hint: `${capital(state)}.`,
    actions,
  };
}

export function markerCard(a: About, m: Marker): Card {
  return {
    ...blank,
    over: m.length ? "Named range" : "Marker",
    title: m.name,
    fields: [
      field("marker_name", "Name", m.name),
      field("marker_at", m.length ? "From" : "At", tc(a, m.at)),
      ...(m.length ? [field("marker_to", "To", tc(a, m.at + m.length))] : []),
    ],
    hint: "Drag it in the ruler to move it.",
    actions: [
      ...(m.length ? [action(a, "marker_range", "Take it as the range", "wide on")] : []),
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
