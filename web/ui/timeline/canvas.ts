// What the timeline is drawn on, and what of it is drawn.
import type { Colours } from "../drawing/paint.ts";
import type { Pictures } from "../drawing/pictures.ts";
import type { Scene, Track } from "../model/scene.ts";
import type { Rate, View } from "../model/time.ts";
import type { LevelPoint } from "../wire/scene.ts";
import type { Outcome, Outline, Pull } from "./drag.ts";

/** What is drawn, and how. */
export interface Canvas {
  c: CanvasRenderingContext2D;
  view: View;
  width: number;
  height: number;
  col: Colours;
  scene: Scene;
  rate: Rate;
  pictures: Pictures;
  wave: number; // how much taller waveforms are drawn
  band: boolean; // for the peaks of speech, drawn on tracks of dialogue
  selected: Set<string>;
  offsets: Record<string, number>; // clips out of sync, samples
  ducks: Record<string, LevelPoint[]>; // how tracks make way for words, over the scene's time
  drag?: { pull: Pull; out: Outcome; outline: Outline };
  passing(t: Track): boolean; // drawn so for a moment, until the server has answered
}

/** What a clip wears that has slipped out of sync. */
export function offsetWords(samples: number, rate: Rate, sampleRate: number): string {
  const n = Math.abs(samples * rate.num) / (rate.den * sampleRate),
    text = Math.abs(n - Math.round(n)) < 0.05 ? String(Math.round(n)) : n.toFixed(1);
  return `${text} f ${samples < 0 ? "early" : "late"}`;
}
