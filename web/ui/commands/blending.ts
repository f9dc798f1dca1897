// The blend of the seam in hand, or the fade at the edge in hand: its law, length, lean and shapes, on the bar below
// the bench.
import Alpine from "@alpinejs/csp";
import { bends, type Law, type Shape, usualFade } from "../model/curves.ts";
import { type Blend, blendAt, type Clip, type Curve, findClip } from "../model/scene.ts";
import { type BenchView, canBlend, leaning, type Seam } from "../model/seam.ts";
import { frames, inSamples, lengthOf, noLength } from "../model/time.ts";
import { numberOf } from "../model/typed.ts";
import { refuseFigure } from "../panels/figure.ts";
import { say } from "../panels/toast.ts";
import { BlendNames } from "./blend-names.ts";
import { type Mending, noCut } from "./mending.ts";
import type { Stage } from "./stage.ts";

interface Option {
  value: string;
  words: string;
  selected: boolean;
}

const blank = {
  hasSeam: false,
  isCut: false,
  isEdge: false,
  laws: [] as { law: string; name: string; use: string; tone: string; pressed: string }[],
  lengthText: "",
  lean: 0,
  leanWords: "",
  hasOut: false,
  hasIn: false,
  hasBoth: false,
  outs: [] as Option[],
  ins: [] as Option[],
  outLabel: "Out",
  inLabel: "In",
  bendsOut: false,
  bendsIn: false,
  bendOut: "0",
  bendIn: "0",
  linkClass: "on",
  linkPressed: "true",
  fadeText: "",
  pullWords: "Keep length",
  pullTitle: "",
};

type Side = "out" | "in";
type Curves = { out?: Curve; in?: Curve };

const noBlend = "This cut has no blend yet. Press B to blend it.";
const lengths = "frames (6), milliseconds (240 ms) or seconds (1.5 s)";

export class Blending {
  private stage: Stage;
  private mending: Mending;
  private laws: Law[];
  private shapes: Shape[];
  private bar = { ...blank };
  private law = "constant_power"; // that a new blend gets
  private curves: Curves = {}; // the sides' own shapes, where they do not follow the law
  readonly names: BlendNames;
  private linked = true; // a shape chosen for one side is taken for the other too
  private pulls = false; // a new blend pulls the clips together

  constructor(stage: Stage, mending: Mending, table: { laws: Law[]; shapes: Shape[] }) {
    [this.stage, this.mending, this.laws, this.shapes] = [stage, mending, table.laws, table.shapes];
    this.names = new BlendNames(stage, mending, () => this.now());
  }

  /** The blend of the seam in hand as the scene has it now. */
  now(): Blend | undefined {
    const { scene, list } = this.stage;
    const s = list.current;
    const pair = s?.pair && scene.pairs?.find((x) => x.out === s.left && x.in === s.right);
    if (pair) {
      const { law, curve_out, curve_in } = pair;
      return { left: pair.out, right: pair.in, law, curve_out, curve_in, before: s.at - s.from, after: s.to - s.at };
    }
    return s && this.onTrack(s);
  }

  private onTrack(s: Seam): Blend | undefined {
    const track = this.stage.scene.tracks.find((t) => t.id === s.track);
    return track && blendAt(track, s.left, s.right);
  }

  /** The edit that gives the cut or the pair in hand a blend, shaped as its sides are. */
  private edit(s: Seam, before: number, after: number, law: string, shapes: Curves): unknown {
    const shape = {
      law,
      ...(shapes.out ? { curve_out: shapes.out } : {}),
      ...(shapes.in ? { curve_in: shapes.in } : {}),
    };
    if (s.pair) return { edit: "set_pair", out: s.left, in: s.right, from: s.at - before, to: s.at + after, ...shape };
    const pull = this.pulls && !this.onTrack(s) ? { pull: true } : {}; // the list may lag behind an edit
    return { edit: "set_blend", left: s.left, right: s.right, before, after, ...shape, ...pull };
  }

  async set(before: number, after: number, law = this.law, shapes = this.curves): Promise<void> {
    const s = this.stage.list.current;
    if (s && canBlend(s)) await this.stage.edits.edit(this.edit(s, before, after, law, shapes));
  }

  private needCut(): Seam | undefined {
    const s = this.stage.list.current;
    if (s && canBlend(s)) return s;
    say(noCut(s));
    return undefined;
  }

  /** Gives the blend another length, leaning as it does; from what it is when the edit's turn comes. */
  private setLength(length: (was: number) => number): void {
    const s = this.needCut();
    if (!s) return;
    void this.stage.edits.edit(() => {
      const b = this.now();
      const was = b ? b.before + b.after : 0;
      const now = leaning(length(was), b ? (2 * b.after) / was - 1 : 0);
      const shapes = b ? { out: b.curve_out, in: b.curve_in } : {};
      return this.edit(s, now.before, now.after, b?.law ?? this.law, shapes);
    });
  }

  private lengthen(by: number): void {
    this.setLength((was) => {
      const { before, after } = this.mending.halves(this.mending.default);
      return was ? Math.max(this.stage.frame, was + by) : before + after;
    });
  }

  /** Gives a side of the blend, or the fade in hand, a shape; none follows the law. */
  private setCurve(side: Side, c: Curve | undefined): void {
    const s = this.stage.list.current;
    if (!s) return;
    if (!canBlend(s)) {
      const length = this.fade(s)?.length;
      if (!length) return say("There is no fade here yet. Give it a length first.");
      return this.setFade(s, length, c ?? usualFade);
    }
    const b = this.now();
    if (!b) return say(noBlend);
    const now = { out: b.curve_out, in: b.curve_in, [side]: c };
    if (this.linked) [now.out, now.in] = [c, c];
    void this.set(b.before, b.after, b.law, now);
  }

  /** The fade at an edge. */
  private fade(s: Seam): Clip["fade_in"] {
    const clip = findClip(this.stage.scene, s.left || s.right)?.clip;
    return s.left ? clip?.fade_out : clip?.fade_in;
  }

  private setFade(s: Seam, length: number, curve: Curve): void {
    const edge = s.left ? "tail" : "head";
    void this.stage.edits.edit({ edit: "fade", clip: s.left || s.right, edge, length, curve });
  }

  /** The shapes of both sides of the blend in hand, or of the fade at the edge in hand. */
  private curvesInHand(): [out?: Curve, into?: Curve] {
    const s = this.stage.list.current!;
    if (canBlend(s)) return this.stage.bench.data?.law ? [this.curves.out, this.curves.in] : [];
    const own = this.fade(s)?.curve ?? usualFade;
    return s.left ? [own, undefined] : [undefined, own];
  }

  commands(): Record<string, () => void> {
    return {
      ...this.names.commands(),
      blend_off: () => {
        const s = this.needCut();
        if (!s) return;
        const [out, into] = s.pair ? ["out", "in"] : ["left", "right"];
        const edit = s.pair ? "remove_pair" : "remove_blend";
        void this.stage.edits.edit({ edit, [out]: s.left, [into]: s.right });
      },
      pull: () => {
        this.pulls = !this.pulls;
        this.showPull();
      },
    };
  }

  // --- the bar ---

  private words(n: number): string {
    return frames(n, this.stage.rate, this.stage.sr).replace(/ frames?/, "");
  }

  private leanWords(before: number, after: number): string {
    return `${this.words(before)} before · ${this.words(after)} after`;
  }

  /** Shows what the bench has of the blend in hand. */
  showBlend(v: BenchView): void {
    if (!this.stage.list.current) return;
    this.law = v.law ?? this.law;
    const n = v.before + v.after;
    this.curves = { out: v.curve_out, in: v.curve_in };
    this.bar.laws = this.laws.map((l) => {
      const chosen = l.law === v.law;
      return { law: l.law, name: l.name, use: l.about, tone: chosen ? "on" : "", pressed: String(chosen) };
    });
    this.bar.lengthText = v.law ? `${this.words(n)} frames` : "no blend";
    this.bar.lean = n ? Math.round((200 * v.after) / n - 100) : 0;
    this.bar.leanWords = v.law ? this.leanWords(v.before, v.after) : "";
  }

  /** Shows what the seam in hand has, or that there is none. */
  show(): void {
    const s = this.stage.list.current;
    this.bar.hasSeam = !!s;
    this.bar.isCut = !!s && canBlend(s);
    if (s) this.showShapes(s);
    this.names.show();
  }

  private showShapes(s: Seam): void {
    const { bar } = this;
    const blends = canBlend(s) && !!this.stage.bench.data?.law;
    const edge = !canBlend(s) && s.kind !== "lull";
    const options = (c: Curve | undefined): Option[] => [
      ...(blends ? [{ value: "", words: "by the law", selected: !c }] : []),
      ...this.shapes.map((x) => ({ value: x.shape, words: x.name, selected: c?.shape === x.shape })),
    ];
    const [out, into] = this.curvesInHand();
    bar.isEdge = edge;
    [bar.hasOut, bar.hasIn, bar.hasBoth] = [blends || (edge && !!s.left), blends || (edge && !s.left), blends];
    [bar.outs, bar.ins] = [options(out), options(into)];
    [bar.bendsOut, bar.bendsIn] = [out, into].map(bends);
    [bar.bendOut, bar.bendIn] = [String(out?.bend ?? 0), String(into?.bend ?? 0)];
    [bar.linkClass, bar.linkPressed] = [this.linked ? "on" : "", String(this.linked)];
    const fade = edge ? this.fade(s)?.length : 0;
    bar.fadeText = fade ? `${this.words(fade)} frames` : "no fade";
    this.showPull();
  }

  private showPull(): void {
    this.bar.pullWords = this.pulls ? "Pull together" : "Keep length";
    this.bar.pullTitle = this.pulls
      ? "A new blend overlaps the clips: the scene gets shorter by it. Press to use handles."
      : "A blend uses the recordings' handles: the scene stays as long. Press to pull the clips together.";
  }

  register(): void {
    this.names.register();
    const self = this;
    const { rate, sr, frame } = this.stage;
    const leaned = (e: Event, b: Blend) =>
      leaning(b.before + b.after, Number((e.target as HTMLInputElement).value) / 100);
    Alpine.data("blending", () => ({
      ...blank,
      init() {
        self.bar = this;
        self.show();
      },
      setLaw(law: string) {
        const b = self.now();
        self.law = law;
        const { before, after } = b ?? self.mending.halves(self.mending.default);
        void self.set(before, after, law);
      },
      setCurve(side: Side, e: Event) {
        const shape = (e.target as HTMLSelectElement).value;
        self.setCurve(side, shape ? { shape } : undefined);
      },
      setBend(side: Side, e: Event) {
        const bend = numberOf((e.target as HTMLInputElement).value);
        if (bend === undefined || bend < -1 || bend > 1)
          return void refuseFigure(
            "A bend lies between -1, which rises late, and 1, which rises early; 0 is straight.",
          );
        const [out, into] = self.curvesInHand();
        self.setCurve(side, { shape: ((side === "out" ? out : into) ?? usualFade).shape, bend });
      },
      linkSides() {
        self.linked = !self.linked;
        self.show();
      },
      typeFade(e: Event) {
        const text = (e.target as HTMLInputElement).value;
        const s = self.stage.list.current;
        const n = /^\s*(no fade|0)?\s*$/.test(text) ? { samples: 0 } : lengthOf(text, rate, sr);
        if (!s || !n) return void refuseFigure(noLength(text, lengths));
        const was = self.fade(s);
        self.setFade(s, inSamples(n, rate, sr), (was?.length ? was.curve : undefined) ?? usualFade);
      },
      shorter() {
        self.lengthen(-frame);
      },
      longer() {
        self.lengthen(frame);
      },
      typeLength(e: Event) {
        const input = e.target as HTMLInputElement;
        const n = lengthOf(input.value, rate, sr);
        if (n && self.needCut()) return self.setLength(() => inSamples(n, rate, sr));
        if (!n) refuseFigure(noLength(input.value, lengths));
      },
      showLean(e: Event) {
        const b = self.now();
        if (!b) return;
        const { before, after } = (self.stage.bench.lean = leaned(e, b));
        self.bar.leanWords = self.leanWords(before, after);
        self.stage.bench.repaint();
      },
      setLean(e: Event) {
        const b = self.now();
        if (!b) return say(noBlend);
        const { before, after } = leaned(e, b);
        void self.set(before, after);
      },
    }));
  }
}
