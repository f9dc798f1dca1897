// Playing: the scene from the playhead, and the seam in hand as it is, without its blend, by its sides, as it might be.

import { endOf } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { name } from "../panels/seams.ts";
import { say } from "../panels/toast.ts";
import type { Lulls } from "./lulls.ts";
import type { Mending } from "./mending.ts";
import type { Stage } from "./stage.ts";

/** What the page shows of it. */
export interface Hearing {
  playMark: string;
  playWords: string;
  hearing: string;
  modePlain: string;
  modeBlended: string;
  modeOutgoing: string;
  modeIncoming: string;
  modeDifference: string;
  loopClass: string;
  loopPressed: string;
  slowClass: string;
  slowPressed: string;
}

const ROLL = 1.5; // seconds of pre-roll and post-roll
const BUTTONS = [
  ["modePlain", "plain"],
  ["modeBlended", "blended"],
  ["modeOutgoing", "outgoing"],
  ["modeIncoming", "incoming"],
  ["modeDifference", "difference"],
] as const;
const HEARD: Record<string, [cut: string, lull: string]> = {
  plain: ["the plain cut", "it without the lull"],
  blended: ["it blended", "it lulled"],
  outgoing: ["the outgoing clip alone", "the clip alone"],
  incoming: ["the incoming clip alone", "the patch alone"],
  difference: ["the difference alone", "the difference alone"],
  mended: ["it as it would be mended", "it as it would be mended"],
  placed: ["it with the cut at this place", "it with the cut at this place"],
};

export class Auditions {
  private stage: Stage;
  private mending: Mending;
  private lulls: Lulls;
  private panel: () => Hearing;
  private mode = "blended"; // what the last audition was
  private heard = ""; // the seam, and the state of the scene, that an audition plays

  constructor(stage: Stage, mending: Mending, lulls: Lulls, panel: () => Hearing) {
    [this.stage, this.mending, this.lulls, this.panel] = [stage, mending, lulls, panel];
  }

  /** Plays the scene. */
  async play(from = this.stage.playhead): Promise<void> {
    const end = endOf(this.stage.scene);
    if (end === 0)
      return say("Nothing is laid out yet, so there is nothing to hear. Bring recordings in on the page of sources.");
    await this.stage.player.play(from >= end ? 0 : from, end).catch(say);
  }

  /** Plays a stretch with pre-roll and post-roll: the scene, or the scene as it would be. */
  async part(from: number, to: number, part: string): Promise<void> {
    this.heard = "";
    await this.stage.player.play(...this.around(from, to), part, ["scene"]).catch(say);
  }

  private around(from: number, to: number): [from: number, to: number] {
    const roll = ROLL * this.stage.sr;
    return [Math.max(0, Math.floor(from - roll)), Math.ceil(to + roll)];
  }

  /** What of the scene each audition lets be heard. */
  private partOf(s: Seam, what: string): string {
    if (what === "outgoing" || what === "incoming") return what === "outgoing" ? s.left : s.right;
    if (what === "plain" && s.kind === "lull") return this.lulls.without(s);
    if (what === "mended" || what === "placed") return this.mending.would(s)[what] ?? "";
    return what === "blended" ? "scene" : what;
  }

  private impossible(s: Seam, what: string): string {
    if ((what === "outgoing" && !s.left) || (what === "incoming" && !s.right))
      return `There is no ${what} clip at this seam: ${name(s)}.`;
    if (what === "mended" && !this.partOf(s, what))
      return "Nothing is proposed for this seam, so there is nothing to hear beforehand.";
    if (what === "placed" && !this.partOf(s, what))
      return "No places have been searched for at this cut. Search for the best ones first.";
    if (what === "difference" && s.kind === "lull")
      return "A lull has no difference to hear by itself. Hear it plain, without the lull, or the patch alone.";
    return "";
  }

  /** Plays the seam with pre-roll and post-roll. While it plays, another audition takes over at the same moment. */
  async audition(what: string): Promise<void> {
    const { player, scene } = this.stage;
    const s = this.stage.list.current;
    if (!s) return say("No seam is chosen. Choose one in the list, or press Down for the next.");
    const impossible = this.impossible(s, what);
    if (impossible) return say(impossible);
    this.mode = what;
    this.showMode();
    const of = `${s.id} ${scene.revision}`;
    const part = this.partOf(s, what);
    if (player.playing && this.heard === of && player.hear(part)) return;
    this.heard = of;
    const more = [s.kind === "lull" ? "" : "difference", s.left, s.right, this.mending.would(s).mended ?? ""];
    const beside = ["scene", this.partOf(s, "plain"), ...more].filter(Boolean);
    try {
      await player.play(...this.around(s.from, s.to), part, beside);
      if (!player.playing) this.stage.place(s.at);
    } catch (e) {
      say(e);
    }
  }

  /** Takes up again what plays, as it is to be played now. */
  private replay(): void {
    const { player } = this.stage;
    const panel = this.panel();
    this.show();
    [panel.loopClass, panel.loopPressed] = [player.looped ? "on" : "", String(player.looped)];
    [panel.slowClass, panel.slowPressed] = [player.speed < 1 ? "on" : "", String(player.speed < 1)];
    if (player.parts.length < 2) return;
    this.heard = "";
    void this.audition(this.mode);
  }

  private showMode(): void {
    for (const [key, mode] of BUTTONS) this.panel()[key] = mode === this.mode ? "on" : "";
  }

  /** Shows what is heard, if anything is. */
  show(): void {
    const { player } = this.stage;
    const panel = this.panel();
    panel.playMark = player.playing ? "■" : "▶";
    panel.playWords = player.playing ? "Stop" : "Play";
    const words = HEARD[this.mode][this.stage.list.current?.kind === "lull" ? 1 : 0];
    const how = (player.looped ? ", in a loop" : "") + (player.speed < 1 ? ", at half speed" : "");
    panel.hearing = player.parts.length > 1 ? `You hear ${words}${how}` : "";
  }

  commands(): Record<string, () => void> {
    const { player } = this.stage;
    const hear = (what: string) => () => void this.audition(what);
    return {
      play: () => (player.playing ? player.stop() : void this.play()),
      audition: () => (player.playing && player.what !== "scene" ? player.stop() : void this.audition(this.mode)),
      hear_plain: hear("plain"),
      hear_blended: hear("blended"),
      hear_outgoing: hear("outgoing"),
      hear_incoming: hear("incoming"),
      hear_difference: hear("difference"),
      hear_mended: hear("mended"),
      hear_place: hear("placed"),
      loop: () => {
        player.looped = !player.looped;
        this.replay();
      },
      slower: () => {
        player.speed = player.speed < 1 ? 1 : 0.5;
        this.replay();
      },
    };
  }
}
