// The cards of clips and of edges.

import type { Edge, Placed } from "../model/scene.ts";
import { edgeAt, findClip, handles } from "../model/scene.ts";
import { speedWords } from "../model/speeds.ts";
import { offsetWords } from "../timeline/canvas.ts";
import type { Room } from "../wire/recipe.ts";
import type { Joined, Takes } from "../wire/scene.ts";
import type { Fit, Part } from "../wire/timing.ts";
import {
  colourGroup,
  filterActions,
  filterFields,
  levelActions,
  madeWayActions,
  madeWayRows,
  pointFields,
  treatFields,
} from "./level-cards.ts";
import type { About, Card, Field, InHand } from "./parts.ts";
import { action, blank, field, short, signed, tc } from "./parts.ts";

export function clipCard(
  a: About,
  p: Placed,
  edge: "head" | "tail" | undefined,
  { closes, room, voice, heard }: Pick<InHand, "closes" | "room" | "voice" | "heard">,
): Card {
  const { track: t, clip: c } = p,
    { scene, rate } = a,
    sr = scene.sample_rate,
    src = scene.sources[c.source],
    h = handles(scene, rate, p);
  const rows = [
    { name: "Ends", value: tc(a, c.to) },
    { name: "Handles", value: `${short(a, h.head)} · ${h.tail > 1e12 ? "any" : short(a, h.tail)}` },
    { name: "Source", value: src?.name ?? "–", tone: "long" },
  ];
  rows.push({ name: "Linked", value: c.link ? "yes" : "no" }, ...madeWayRows(a, p));
  if (src?.fit) rows.push(...fitRows(src.fit));
  if (c.takes) rows.push(...takeRows(c.takes));
  if (src?.joined) rows.push({ name: "Joined from", value: joinedWords(src.joined), tone: "long" });
  const offset = a.offsets[c.id],
    loud = (c.gain_db ?? 0) > 6;
  const laid = c.room ? roomRows(c.room) : [],
    rooms = [
      ...(heard.length ? [{ name: "Heard in it", rows: heard }] : []),
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
  if (t.kind === "sound")
    fields.push(
      ...soundFields(a, [p]),
      ...pointFields(a, p),
      ...filterFields(c.filters),
      ...treatFields(a, c.treatments),
    );
  const actions = [
    action(a, "divide", "Divide"),
    action(a, "link", c.link ? "Unlink" : "Link"),
    action(a, "open_here", "Trim start"),
    action(a, "close_here", "Trim end"),
    action(a, "slip_earlier", "Slip earlier"),
    action(a, "slip_later", "Slip later"),
    action(a, "duplicate", "Duplicate"),
    action(a, "range_clip", "Range over it"),
    action(a, "came_from", "Its source"),
    action(a, "remove", "Leave gap"),
    action(a, "remove_close", "Close up"),
  ];
  if (t.kind === "sound") actions.push(...levelActions(a, p), action(a, "near", "As near as …"));
  if (c.like) actions.push(action(a, "near_off", "As recorded"));
  if (t.kind === "sound") actions.push(...filterActions(a, c.filters, c.treatments));
  if (t.kind === "sound" && !src?.tone) actions.push(action(a, "fit", "Fit into a length …", "wide"));
  if (!src?.tone) actions.push(action(a, "speed", "Speed …"));
  if (src?.fit && speedWords(src.fit)) actions.push(action(a, "speed_off", "Its own speed"));
  else if (src?.fit) actions.push(action(a, "fit_off", "Its own length again", "wide"));
  if (src?.joined) actions.push(action(a, "reopen", "Open again", "wide"));
  if (t.kind === "sound" && !src?.tone) actions.push(action(a, "take_find", "Find other takes …", "wide"));
  if (c.takes)
    actions.push(
      action(a, "take_next", "Next take"),
      action(a, "take_before", "Take before"),
      action(a, "takes", "Hear all takes …", "wide"),
    );
  actions.push(...madeWayActions(a, [p]));
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

/** How a recording is fitted, and at which speed it runs. */
function fitRows(f: Fit): { name: string; value: string; tone?: string }[] {
  const speed = speedWords(f),
    fitted = fitWords((f.parts ?? []).filter((p) => p.kind !== "tape"));
  return [
    ...(fitted ? [{ name: "Fitted", value: fitted }] : []),
    ...(speed ? [{ name: "Runs", value: speed, tone: "long" }] : []),
  ];
}

function fitWords(parts: Part[]): string {
  const words = parts.filter((p) => p.kind !== "pause"),
    sum = (of: (p: Part) => number) => words.reduce((n, p) => n + of(p), 0),
    speed =
      sum((p) => p.to - p.from) /
      Math.max(
        1,
        sum((p) => p.length),
      ),
    pauses = parts.length - words.length;
  const said = words.length ? [`words ${(100 * speed).toFixed(0)} %`] : [];
  return [...said, ...(pauses ? [`${pauses} pauses`] : [])].join(", ");
}

/** Which take sounds, and what lies under it. */
function takeRows({ number, others }: Takes): { name: string; value: string; tone?: string }[] {
  return [
    { name: "Take", value: `${number} of ${others.length + 1}` },
    { name: "Under it", tone: "long", value: others.map((o) => `${o.number} ${o.name}`).join(" · ") },
  ];
}

/** What a recording was joined from. */
function joinedWords(j: Joined): string {
  const names = [...new Set(j.tracks.flatMap((t) => t.clips.map((c) => c.name)))];
  return names.length > 3 ? `${names.slice(0, 2).join(" · ")} and ${names.length - 2} more` : names.join(" · ");
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
    ...(sound.length > 1 ? [action(a, "join", "Join into one …", "wide")] : []),
    ...madeWayActions(a, list),
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
