// What the timeline asks of its page, and what a hand has hold of.
import type { Pictures } from "../drawing/pictures.ts";
import type { Edge, Scene } from "../model/scene.ts";
import type { Selection } from "../model/selection.ts";
import type { Rate } from "../model/time.ts";
import type { LevelPoint } from "../wire/scene.ts";
import type { HeardView } from "../wire/web.ts";
import type { Outcome, Outline, Pull } from "./drag.ts";
import type { HeaderDesk } from "./headers.ts";
import type { Overlapping } from "./overlap.ts";
import type { Hit, Shown } from "./rows.ts";
import type { Still } from "./stills.ts";

export interface Desk extends HeaderDesk {
  id: string; // of the scene
  scene(): Scene;
  rate: Rate;
  pictures: Pictures;
  shown(): Shown;
  leastSlope: number; // samples that points of level lines stay apart
  playhead(): number;
  seek(sample: number): void;
  selection(): Selection;
  selectedSeam(): { track: string; at: number } | undefined;
  edgesInHand(): Edge[];
  leads(): { track: string; at: number; lead: number }[];
  off(): { at: number; tone: string }[]; // seams that are audible or rough, and not accepted
  remarked(): { notes: { at: number; length: number; words: string }[]; others: { at: number; who: string }[] };
  offsets(): Record<string, number>;
  ducks(): Record<string, LevelPoint[]>;
  heard(source: string): HeardView | undefined;
  select(s: Selection): void;
  clicked(): {
    clip(id: string, more: boolean, edge?: "head" | "tail"): void;
    cut(left: string, right: string, more: boolean): void;
    lull(clip: string, lull: string): void;
    track(id: string, more: boolean): void;
  };
  overlaps(): Overlapping; // how a clip is blended with a neighbour that it is drawn over
  try(e: Record<string, unknown>): Promise<{ words: string; refused: boolean } | undefined>;
  dragging(stills: Still[] | undefined): void;
}

/** What the hand has hold of. */
export type Hold =
  | { what: "clip"; hit: Hit; alt: { altKey: boolean; ctrlKey: boolean; metaKey: boolean } }
  | { what: "playhead" }
  | { what: "ruler" }
  | { what: "cloth" }
  | { what: "range"; end: "from" | "to" }
  | { what: "marker"; id: string };

export interface Drag {
  hold: Hold;
  startX: number;
  startY: number;
  x: number; // slowed
  lastX: number;
  y: number;
  down: number; // pixels, slowed
  lastY: number;
  only?: "time" | "level"; // of a point of a level line
  more: boolean; // Shift was held as it began
  moved: boolean;
  pull?: Pull;
  out?: Outcome;
  outline?: Outline;
  but?: Set<string>; // clips that move, to which nothing snaps
  marker?: number; // where it would go
  asked?: string; // the edit that the server was asked about last
  told?: { words: string; refused: boolean };
}
