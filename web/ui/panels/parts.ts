// What cards are made of: their figures, fields and actions, and what they need to know. Pure functions.
import { clock } from "../model/clock.ts";
import type { Lull, Placed, Scene } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { frames, type Rate } from "../model/time.ts";
import type { Shown } from "../timeline/rows.ts";
import type { Measure } from "../wire/audit.ts";
import type * as wire from "../wire/mend.ts";

export type { Measure };

/** What would mend a seam; the edit does it. */
export interface Proposal extends wire.Proposal {
  edit?: unknown;
}

/** What the server says of a seam beside its measures. */
export interface Advice {
  lull?: Lull;
  proposal?: Proposal;
  places?: { list: wire.Place[]; why: string; chosen: number };
  covers: string[];
  equal?: string; // why one law sounds as the other
}

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

export const MARKS: Record<string, string> = { clean: "●", audible: "◆", rough: "▲", unknown: "□" };
export const KINDS: Record<string, string> = {
  cut: "cut",
  gap_start: "gap begins",
  gap_end: "gap ends",
  fade: "fade",
  head: "track begins",
  tail: "track ends",
  lull: "lull",
};

export const blank: Card = {
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

export const full = (v: number | null | undefined) =>
  v == null ? "–" : v <= -119 ? "silence" : `${v.toFixed(1)} dBFS`;
export const signed = (v: number) => `${v >= 0 ? "+" : ""}${v.toFixed(1)} dB`;

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

export const short = (a: About, n: number) => frames(n, a.rate, a.scene.sample_rate).replace(/ frames?/, " f");
/** Whether a room is behind what a track holds: tone is no way to fill what is missing of music or effects. */
export const roomBehind = (a: About, track: string): boolean =>
  !["music", "effects"].includes(a.scene.tracks.find((t) => t.id === track)?.purpose ?? "");
export const tc = (a: About, n: number) => clock(a.scene, a.rate, n);
export const action = (a: About, command: string, words: string, tone = ""): Action => ({
  command,
  words,
  key: a.key(command),
  tone,
});
export const field = (
  id: string,
  name: string,
  value: string,
  less?: [string, string],
  more?: [string, string],
): Field => ({
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

export const leadField = (frames: number) =>
  field("lead", "Sound leads", `${frames} f`, ["trail", "One frame later"], ["lead", "One frame earlier"]);

/** What is in hand beside the selection, as the commands know it. */
export interface InHand {
  clips: Placed[];
  closes: string; // what closing up the clip would leave behind
  copied: boolean;
  marked: string; // the recording of which a stretch is marked
  room: { name: string; value: string }[]; // of the one clip, in words
  voice: { name: string; value: string }[]; // likewise
  heard: { name: string; value: string }[]; // likewise, what is heard in it
  seam?: { seam: Seam; number: number; advice: Advice };
}
