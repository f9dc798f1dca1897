// The cards of clips, edges, ranges, tracks, markers, and of the scene when nothing is in hand.

import type { Edge, Marker, Placed, Track } from "../model/scene.ts";
import { edgeAt, endOf, findClip, handles } from "../model/scene.ts";
import type { Range } from "../model/selection.ts";
import { frameOf, timecode } from "../model/time.ts";
import { offsetWords } from "../timeline/draw.ts";
import type { Room } from "../wire/recipe.ts";
import type { About, Card, Choice, Field, InHand } from "./card.ts";
import { action, blank, field, roomBehind, short, signed, tc } from "./card.ts";
import {
  balanceWords,
  colourGroup,
  duckActions,
  duckFields,
  filterActions,
  filterFields,
  levelActions,
  pointFields,
} from "./level-cards.ts";

/** The colours of tracks by the words for them; scene files have the names of their dyes. */
const colourWords: Record<string, string> = { indigo: "blue", weld: "gold", walnut: "brown" };

export function clipCard(
  a: About,
  p: Placed,
  edge: "head" | "tail" | undefined,
  { closes, room, voice }: Pick<InHand, "closes" | "room" | "voice">,
): Card {
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
  rows.push({ name: "Linked", value: c.link ? "yes" : "no" });
  const offset = a.offsets[c.id],
    loud = (c.gain_db ?? 0) > 6;
  const laid = c.room ? roomRows(c.room) : [],
    rooms = [
      ...(voice.length ? [{ name: "Its voice", rows: voice }] : []),
      ...(room.length + laid.length ? [{ name: "Behind its words", rows: [...room, ...laid] }] : []),
      ...colourGroup(c),
    ];
  if (offset !== undefined) rows.push({ name: "Out of sync", value: offsetWords(offset, rate, sr) });
  const fields = [
    field("clip_name", "Name", c.name),
    field("begins", "Begins", tc(a, c.from)),
    field("length", "Length", short(a, c.to - c.from)),
  ];
  if (t.kind === "sound") fields.push(...soundFields(a, [p]), ...pointFields(a, p), ...filterFields(c.filters));
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
  if (t.kind === "sound") actions.push(...levelActions(a, p), action(a, "near", "As near as …"));
  if (c.like) actions.push(action(a, "near_off", "As recorded"));
  if (t.kind === "sound") actions.push(...filterActions(a, c.filters));
  if (voice.length) actions.push(action(a, "voices", "Voices alike", "wide"));
  if (room.length) actions.push(action(a, "rooms", "Rooms of all takes", "wide"));
  if (c.room) actions.push(action(a, "even_off", "Its own room again", "wide"));
  if (offset !== undefined)
    actions.unshift(action(a, "sync_move", "Move into sync"), action(a, "sync_slip", "Slip into sync"));
  const hint = loud
    ? "More than 6 dB up: a clip raised so far often starts to sound wrong. Listen to its background."
    : edge
      ? `Edge in hand: the ${edge}. ${a.key("edge_earlier")} and ${a.key("edge_later")} move it one frame, with ` +
        `Shift five, and ${a.closing ? "close up" : "leave a gap"}.`
      : closes;
  return {
    ...blank,
    over: `Clip · ${t.name}`,
    title: c.name,
    groups: [{ name: "Clip", rows }, ...rooms],
    fields,
    hint,
    actions,
  };
}

/** What is done to a clip's background. */
function roomRows({ fill_db, hum, hush }: Room): { name: string; value: string }[] {
  const power = [...(fill_db ?? []), ...(hum ?? []).map((h) => h.level_db)].reduce(
    (sum, db) => sum + 10 ** (db / 10),
    0,
  );
  const rows = [];
  if (power > 1e-14) rows.push({ name: "Room laid under", value: `${(10 * Math.log10(power)).toFixed(1)} dBFS` });
  if (hush) rows.push({ name: "Hushed by up to", value: `${Math.abs(Math.min(...hush.gain_db)).toFixed(1)} dB` });
  return rows.length ? rows : [{ name: "Room", value: "that of all" }];
}

/** What all of some clips have, or that they differ. */
function shared<T>(list: T[], words: (of: T) => string): string {
  const all = new Set(list.map(words));
  return all.size === 1 ? [...all][0] : "various";
}

/** Gain and fades of clips of sound, as one. */
function soundFields(a: About, list: Placed[]): Field[] {
  const fade = (n = 0) => (n ? short(a, n) : "none");
  return [
    field(
      "gain",
      "Gain",
      shared(list, (p) => signed(p.clip.gain_db ?? 0)),
      ["gain_down", "One dB down"],
      ["gain_up", "One dB up"],
    ),
    field(
      "fade_in",
      "Fade in",
      shared(list, (p) => fade(p.clip.fade_in?.length)),
    ),
    field(
      "fade_out",
      "Fade out",
      shared(list, (p) => fade(p.clip.fade_out?.length)),
    ),
  ];
}

export function clipsCard(a: About, list: Placed[]): Card {
  const sound = list.filter((p) => p.track.kind === "sound");
  const from = Math.min(...list.map((p) => p.clip.from)),
    to = Math.max(...list.map((p) => p.clip.to)),
    tracks = new Set(list.map((p) => p.track.id)).size;
  const actions = [
    action(a, "link", list.some((p) => p.clip.link) ? "Unlink" : "Link"),
    action(a, "duplicate", "Duplicate"),
    action(a, "pair", "One over into the other", "wide"),
    action(a, "copy", "Copy"),
    action(a, "range_clip", "Range over them"),
    action(a, "remove", "Leave gaps"),
    action(a, "remove_close", "Close up"),
    ...(sound.length ? [action(a, "near", "As near as …"), action(a, "near_copy", "Treat all alike")] : []),
    ...(sound.length ? [action(a, "level_copy", "Copy its line"), action(a, "level_paste", "Paste a line")] : []),
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
    fields: [
      field(
        "clip_name",
        "Name",
        shared(list, (p) => p.clip.name),
      ),
      ...(sound.length ? soundFields(a, sound) : []),
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
      value: tc(a, at),
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
        action(a, "level_points_off", "Points off"),
        action(a, "duck_except", "Make no way here"),
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
  if (t.kind === "sound") actions.push(...duckActions(a, t), ...filterActions(a, t.filters));
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
