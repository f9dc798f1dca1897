// The card: the figures of whatever is selected, its settings, and what can be done with it. Pure functions from the
// scene to words.
import { clock } from "../model/clock.ts";
import type { Measure } from "../wire/audit.ts";

export type { Measure };

import type { Placed, Scene } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import type { Selection } from "../model/selection.ts";
import { frames, type Rate } from "../model/time.ts";
import type { Shown } from "../timeline/rows.ts";
import { markerCard, rangeCard, sceneCard, trackCard } from "./scene-cards.ts";
import type { Advice } from "./seam-card.ts";
import { seamCard } from "./seam-card.ts";
import { clipCard, clipsCard, edgesCard } from "./selection-cards.ts";

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

/** The card of what is selected. */
export function cardOf(a: About, sel: Selection, hand: InHand): Card {
  const { scene } = a;
  switch (sel.kind) {
    case "clips":
      return hand.clips.length === 1 ? clipCard(a, hand.clips[0], sel.edge, hand) : clipsCard(a, hand.clips);
    case "edges":
      return edgesCard(a, sel.edges);
    case "range":
      return rangeCard(a, sel, hand.copied, hand.marked);
    case "track":
      return trackCard(a, scene.tracks.find((t) => t.id === sel.id)!);
    case "marker":
      return markerCard(a, scene.markers!.find((m) => m.id === sel.id)!);
    case "seam":
      if (hand.seam) return seamCard(a, hand.seam.seam, hand.seam.number, hand.seam.advice);
  }
  return sceneCard(a);
}
