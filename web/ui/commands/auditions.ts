// Playing: the scene from the playhead, and the seam in hand as it is, without its blend, by its sides, as it might be.

import { endOf } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { clipsOf, spanOf } from "../model/selection.ts";
import { type Roll, rollOf } from "../model/typed.ts";
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
  rollWords: string;
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

/** How many seconds are heard before and after what is auditioned. */
const roll = {
  get: (): Roll => JSON.parse(localStorage.getItem("blendseam-roll") ?? "null") ?? { pre: 1.5, post: 1.5 },
  set: (r: Roll): void => localStorage.setItem("blendseam-roll", JSON.stringify(r)),
};
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
  private heard = ""; // what an audition plays, and the state of the scene that it plays
  private words = ""; // what is heard
  private asked?: () => void; // does once more what plays beside the scene
  private stretch?: { from: number; to: number }; // of the scene that plays, where it is not all that follows

  constructor(stage: Stage, mending: Mending, lulls: Lulls, panel: () => Hearing) {
    [this.stage, this.mending, this.lulls, this.panel] = [stage, mending, lulls, panel];
  }

  /** Plays the scene. */
  async play(from = this.stage.playhead): Promise<void> {
    const end = endOf(this.stage.scene);
    this.stretch = undefined;
    if (end === 0)
      return say("Nothing is laid out yet, so there is nothing to hear. Bring recordings in on the page of sources.");
    await this.stage.player.play(from >= end ? 0 : from, end).catch(say);
  }

  /** Goes on with what plays of the scene, as it sounds after an edit. */
  again(at = this.stage.player.position()): void {
    const { player } = this.stage,
      { stretch } = this;
    if (stretch) void player.play(player.looped ? stretch.from : at, stretch.to).catch(say);
    else void this.play(at);
  }

  /** Plays what is in hand: a range or clips, to the sample, or the seam; it stops what plays. */
  private inHand(): void {
    const { player, scene, selection: sel, list } = this.stage;
    if (player.playing) return player.stop();
    const span = sel.kind === "range" ? sel : spanOf(clipsOf(scene, sel));
    if (!span && list.current) return void this.audition(this.mode);
    if (!span) return say("Nothing is in hand to play. Take a range, a clip or a seam in hand; Space plays the scene.");
    this.stretch = { from: span.from, to: span.to };
    void player.play(span.from, span.to).catch(say);
  }

  /** Plays a stretch with pre-roll and post-roll: the scene, or the scene as it would be. */
  async part(from: number, to: number, part: string): Promise<void> {
    this.heard = "";
    this.asked = () => void this.part(from, to, part);
    await this.stage.player.play(...this.around(from, to), part, ["scene"]).catch(say);
  }

  private around(from: number, to: number): [from: number, to: number] {
    const { pre, post } = roll.get();
    return [Math.max(0, Math.floor(from - pre * this.stage.sr)), Math.ceil(to + post * this.stage.sr)];
  }

  private async setRoll(): Promise<void> {
    const { pre, post } = roll.get();
    const got = await this.stage.ask({
      title: "Pre-roll and post-roll",
      label: "Seconds before, and seconds after",
      value: pre === post ? String(pre) : `${pre} ${post}`,
      hint: "1.5: both. 0.5 3: half a second before, three seconds after. None is 0.",
      done: "Set",
    });
    const now = got && rollOf(got.value);
    if (got && !now)
      return say(`"${got.value}" is no pre-roll and post-roll. Write one or two numbers of seconds, up to 20.`);
    if (now) roll.set(now);
    this.show();
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

  /** What a key lets be heard is what the card shows: the seam; or the clip or the range in hand. */
  private hear(what: string): void {
    const { selection: sel, scene } = this.stage;
    const clip = clipsOf(scene, sel)[0]?.clip;
    if (!clip && sel.kind !== "range") return void this.audition(what);
    if (what !== "blended" && !(clip && (what === "plain" || what === "outgoing"))) {
      const is = clip ? `a clip, ${clip.name}` : "a range";
      return say(
        `The card shows ${is}: ${clip ? "1 plays it alone, " : ""}2 plays it as it lies in the scene. ` +
          "For the sides of a seam take the seam in hand.",
      );
    }
    const alone = what !== "blended";
    this.mode = alone ? "plain" : "blended";
    const span = spanOf(clipsOf(scene, sel).slice(0, 1)) ?? (sel as { from: number; to: number });
    const words = clip ? (alone ? `${clip.name} alone` : `${clip.name} in the scene`) : "the range";
    const parts = clip ? ["scene", clip.id] : ["scene"];
    void this.start(clip?.id ?? "range", span, alone ? clip!.id : "scene", parts, words);
  }

  /** Plays the seam with pre-roll and post-roll. While it plays, another audition takes over at the same moment. */
  async audition(what: string): Promise<void> {
    const s = this.stage.list.current;
    if (!s) return say("No seam is chosen. Choose one in the list, or press Down for the next.");
    const impossible = this.impossible(s, what);
    if (impossible) return say(impossible);
    this.mode = what;
    const more = [s.kind === "lull" ? "" : "difference", s.left, s.right, this.mending.would(s).mended ?? ""];
    const beside = ["scene", this.partOf(s, "plain"), ...more].filter(Boolean);
    await this.start(s.id, s, this.partOf(s, what), beside, HEARD[what][s.kind === "lull" ? 1 : 0]);
    if (this.stage.list.current === s && !this.stage.player.playing) this.stage.place(s.at);
  }

  /** Plays something with pre-roll and post-roll; if it plays already, another part of it takes over. */
  private async start(
    what: string,
    at: { from: number; to: number },
    part: string,
    parts: string[],
    words: string,
  ): Promise<void> {
    const { player, scene } = this.stage;
    const of = `${what} ${scene.revision}`;
    this.words = words;
    this.asked = () => void this.start(what, at, part, parts, words);
    this.showMode();
    if (player.playing && this.heard === of && player.hear(part)) return;
    this.heard = of;
    this.stretch = undefined;
    await player.play(...this.around(at.from, at.to), part, parts).catch(say);
  }

  /** Takes up again what plays, as it is to be played now. */
  private replay(at: number): void {
    const { player } = this.stage;
    this.show();
    if (player.parts.length === 1) return this.again(at);
    if (!player.playing) return;
    this.heard = "";
    this.asked?.();
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
    [panel.loopClass, panel.loopPressed] = [player.looped ? "on" : "", String(player.looped)];
    [panel.slowClass, panel.slowPressed] = [player.speed < 1 ? "on" : "", String(player.speed < 1)];
    const { pre, post } = roll.get();
    panel.rollWords = pre === post ? `${pre} s around` : `${pre} s before, ${post} s after`;
    const how = (player.looped ? ", in a loop" : "") + (player.speed < 1 ? ", at half speed" : "");
    panel.hearing = player.parts.length > 1 ? `You hear ${this.words}${how}` : "";
  }

  /** Those of keys, and of the bench's buttons, which let the seam be heard that is on it and take it in hand first. */
  commands(takeBenchSeam: () => void): Record<string, () => void> {
    const { player } = this.stage;
    const hear = (what: string) => () => this.hear(what);
    const onBench = (what: string) => () => {
      takeBenchSeam();
      void this.audition(what);
    };
    return {
      play: () => (player.playing ? player.stop() : void this.play()),
      audition: () => (player.playing && player.what !== "scene" ? player.stop() : void this.audition(this.mode)),
      hear_plain: hear("plain"),
      hear_blended: hear("blended"),
      hear_outgoing: hear("outgoing"),
      hear_incoming: hear("incoming"),
      hear_difference: hear("difference"),
      bench_plain: onBench("plain"),
      bench_blended: onBench("blended"),
      bench_outgoing: onBench("outgoing"),
      bench_incoming: onBench("incoming"),
      bench_difference: onBench("difference"),
      hear_mended: () => void this.audition("mended"),
      hear_place: () => void this.audition("placed"),
      play_hand: () => this.inHand(),
      loop_hand: () => {
        if (!player.playing) player.looped = true;
        this.inHand();
        this.show();
      },
      roll: () => void this.setRoll(),
      loop: () => {
        const at = player.position();
        player.looped = !player.looped;
        this.replay(at);
      },
      slower: () => {
        const at = player.position();
        player.speed = player.speed < 1 ? 1 : 0.5;
        this.replay(at);
      },
    };
  }
}
