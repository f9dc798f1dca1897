// What the server gives a page with it.
import type { Command } from "../wire/commands.ts";
import type { KindView, MediaView, SourceState, TrackView } from "../wire/web.ts";
import type { Rate } from "./time.ts";

export type { ScenePage, SourceState, UseView as Use } from "../wire/web.ts";

export interface SourcePage {
  id: string;
  rate: Rate;
  sample_rate: number;
  start_frame: number;
  state: SourceState;
  tracks: TrackView[];
  offered: string; // the track for what the recording is; "" if it has to be made
  kind: "picture" | "sound";
  picture: string;
  commands: Command[];
  media: MediaView;
  kinds: KindView[]; // of files
}
