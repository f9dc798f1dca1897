// Blends by name where they are needed: picked from the command list or the bench, kept under a name, used again by a
// key; and fades of all that is in hand.
import Alpine from "@alpinejs/csp";
import { post } from "../model/api.ts";
import { usualFade } from "../model/curves.ts";
import { type Blend, blendAt, type Edge, findClip, type Placed } from "../model/scene.ts";
import { frames } from "../model/time.ts";
import { say } from "../panels/toast.ts";
import type { Command } from "../wire/commands.ts";
import type { Style } from "./blend-all.ts";
import type { Mending } from "./mending.ts";
import { clipsInHand, edges } from "./moves.ts";
import { type Stage, together } from "./stage.ts";

const KEEP = "\n", // no name has it
  WITH = "blend_with ", // begins the command of a blend by name
  LAST = "blendseam-blend-last",
  blank = { names: [] as { value: string; words: string; selected: boolean }[] };

/** Tells whether a blend is what a style makes of its cut, its shapes included. */
function is(b: Blend, st: Style, halves: { before: number; after: number }): boolean {
  const same = (a: unknown, c: unknown) => JSON.stringify(a ?? null) === JSON.stringify(c ?? null);
  return (
    b.law === st.law &&
    b.before === halves.before &&
    b.after === halves.after &&
    same(b.curve_out, st.curve_out) &&
    same(b.curve_in, st.curve_in)
  );
}

export class BlendNames {
  private stage: Stage;
  private mending: Mending;
  private now: () => Blend | undefined;
  private panel = { ...blank };
  private shown = ""; // what the panel's list was made of

  /** now is the blend of the seam in hand. */
  constructor(stage: Stage, mending: Mending, now: () => Blend | undefined) {
    [this.stage, this.mending, this.now] = [stage, mending, now];
  }

  /** A command for each name, as the command list finds them. */
  named(): Command[] {
    return this.mending.styles.map((st) => ({
      id: WITH + st.name,
      group: "Blends and levels",
      words: `Blend with ${st.name}`,
      about: "what is in hand; crossfade by name",
      keys: [],
    }));
  }

  /** Does the command of a blend by name; false if it is another's. */
  run(id: string): boolean {
    if (!id.startsWith(WITH)) return false;
    this.use(id.slice(WITH.length));
    return true;
  }

  private use(name: string): void {
    const st = this.mending.styles.find((x) => x.name === name);
    if (!st) return say(`There is no blend named ${name} any more.`);
    localStorage.setItem(LAST, name);
    this.mending.blend(st, false);
  }

  private again(): void {
    const name = localStorage.getItem(LAST),
      st = this.mending.styles.find((x) => x.name === name);
    if (!st) return say("No blend by name was used yet. Find one by its name in the command list, or on the bench.");
    this.mending.blend(st);
  }

  private async keep(): Promise<void> {
    const { rate, sr, id } = this.stage,
      b = this.now();
    if (!b) return say("The seam in hand has no blend to keep. Choose a cut that is blended.");
    const length = b.before + b.after,
      got = await this.stage.ask({
        title: "Keep this blend under a name",
        label: "Name",
        value: "",
        hint: `${frames(length, rate, sr)}. It can be picked for every cut of this production.`,
        done: "Keep it",
      });
    if (!got) return;
    const { law, curve_out, curve_in } = b;
    const blend = { name: got.value, law, curve_out, curve_in, frames: (length * rate.num) / (rate.den * sr) };
    try {
      this.mending.styles = await post(`/scenes/${id}/blends`, {
        blend: { ...blend, lean: (2 * b.after) / length - 1 },
      });
      localStorage.setItem(LAST, got.value);
      this.stage.note(`Blend kept as ${got.value}`);
      this.show();
    } catch (e) {
      say(e);
    }
  }

  /** Fades the heads or the tails of what is in hand, as long as the default blend. */
  private fade(edge: "head" | "tail"): void {
    const { selection, edits, scene } = this.stage,
      side = edge === "head" ? "right" : "left",
      ids =
        selection.kind === "clips" && !selection.edge
          ? clipsInHand(this.stage).map((p) => p.clip.id)
          : edges(this.stage).map((e: Edge) => e[side]);
    const list = ids.flatMap((id) => {
      const p = id ? findClip(scene, id) : undefined;
      return p?.track.kind === "sound" ? [p] : [];
    });
    if (!list.length)
      return say(`No ${edge} of a clip of sound is in hand. Take clips, or their ${edge}s, in hand first.`);
    const { before, after } = this.mending.halves(this.mending.default);
    // Of several, those that are blended keep their blends; one alone is asked about by the edit itself.
    const blended = (p: Placed) => {
      const [l, r] = edge === "head" ? [p.track.clips[p.index - 1], p.clip] : [p.clip, p.track.clips[p.index + 1]];
      return !!l && !!r && !!blendAt(p.track, l.id, r.id);
    };
    const free = list.some((p) => !blended(p)) ? list.filter((p) => !blended(p)) : list,
      stay = list.length - free.length;
    const all = free.map((p) => ({
      edit: "fade",
      clip: p.clip.id,
      edge,
      length: Math.min(before + after, p.clip.to - p.clip.from),
      curve: usualFade,
    }));
    void edits.edit(together(all, `${all.length} ${edge}s faded`)).then((ok) => {
      if (ok && stay)
        this.stage.note(`${all.length} faded; ${stay} blended with a neighbour, which ${stay > 1 ? "stay" : "stays"}`);
    });
  }

  commands(): Record<string, () => void> {
    return {
      blend_again: () => this.again(),
      keep_blend: () => void this.keep(),
      fade_heads: () => this.fade("head"),
      fade_tails: () => this.fade("tail"),
    };
  }

  /** Shows on the bench which blend by name the cut in hand has. */
  show(): void {
    const b = this.now(),
      { styles } = this.mending;
    const now = b && styles.find((st) => is(b, st, this.mending.halves(st)));
    const of = JSON.stringify([styles.map((st) => st.name), now?.name, !!b]);
    if (of === this.shown) return; // it is asked at every edit
    this.shown = of;
    this.panel.names = [
      { value: "", words: b && !now ? "by hand" : "by name", selected: !now },
      ...styles.map((st) => ({ value: st.name, words: st.name, selected: st === now })),
      { value: KEEP, words: "keep under a name …", selected: false },
    ];
  }

  register(): void {
    const self = this;
    Alpine.data("blendNames", () => ({
      ...blank,
      init() {
        self.panel = this;
        self.shown = "";
        self.show();
      },
      pick(e: Event) {
        const select = e.target as HTMLSelectElement,
          { value } = select;
        select.value = self.panel.names.find((x) => x.selected)!.value; // until the cut has the other
        if (value === KEEP) void self.keep();
        else if (value) self.use(value);
      },
    }));
  }
}
