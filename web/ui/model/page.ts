// What the server gives a page with it.
import type { Style } from "../commands/blend-all.ts";
import type { Command } from "../commands/keys.ts";
import type { Sheets } from "../drawing/pictures.ts";
import type { Measure } from "../panels/card.ts";
import type { Law, Shape } from "./curves.ts";
import type { Scene, Source } from "./scene.ts";
import type { Rate } from "./time.ts";

export interface ScenePage {
  id: string;
  state: Scene;
  rate: Rate;
  commands: Command[];
  hues: string[];
  laws: Law[];
  shapes: Shape[];
  blends: Style[];
  measures: Measure[];
  media: Sheets & { peak_steps: number[]; tile_bins: number };
  formats: { name: string; ending: string; lacks: string[] }[];
}

export interface Use {
  clip: string;
  name: string;
  track: string;
  tc: string;
  in: number;
  out: number;
}

export interface SourceState {
  revision: number;
  source: Source;
  uses: Use[];
}

export interface SourcePage {
  id: string;
  rate: Rate;
  sample_rate: number;
  start_frame: number;
  state: SourceState;
  tracks: { id: string; name: string }[];
  picture: string;
  commands: Command[];
  media: Sheets & { peak_steps: number[]; tile_bins: number };
}
