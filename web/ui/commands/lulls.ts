// Lulls: stretches of a clip turned down, by command, by key and by figure.

import { TRY } from "../bench/player.ts";
import { findClip, type Lull, lullSpan, type Placed } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { inSamples, lengthOf, noLength } from "../model/time.ts";
import { downBy } from "../model/typed.ts";
import { say } from "../panels/toast.ts";
import { batch, type Stage } from "./stage.ts";

export class Lulls {
  private stage: Stage;
  private end: "from" | "to" = "to"; // the lull's edge that keys move

  constructor(stage: Stage) {
    this.stage = stage;
  }

  commands(): Record<string, () => void> {
    return {
      lull: () => void this.lull(0),
      lull_by: () => void this.lullBy(),
      lull_away: () => this.away(),
    };
  }

  /** The lull of a seam as the scene has it now. */
  of(s: Seam | undefined): (Placed & { lull: Lull }) | undefined {
    const p = s?.kind === "lull" ? findClip(this.stage.scene, s.left) : undefined,
      lull = p?.clip.lulls?.find((l) => l.id === s!.lull);
    return p && lull && { ...p, lull };
  }

  private current(): Seam | undefined {
    return this.stage.selection.kind === "seam" ? this.stage.list.current : undefined;
  }

  /** The edit without the lull, to hear what it takes out. */
  without(s: Seam): string {
    return TRY + JSON.stringify({ edit: "set_lull", clip: s.left, lull: s.lull, off: true });
  }

  /** The clips of sound that the range lies on, and which part of each: those of dialogue first. */
  ranged(): { p: Placed; from: number; to: number }[] {
    const { selection: sel, scene } = this.stage;
    if (sel.kind !== "range") return [];
    const tracks = scene.tracks.filter(
      (t) => t.kind === "sound" && t.purpose !== "tone" && (!sel.tracks.length || sel.tracks.includes(t.id)),
    );
    const all = tracks
      .flatMap((track) =>
        track.clips.map((clip, index) => ({
          p: { track, clip, index },
          from: Math.max(sel.from, clip.from),
          to: Math.min(sel.to, clip.to),
        })),
      )
      .filter((x) => x.from < x.to);
    const spoken = (x: { p: Placed }) => Number(x.p.track.purpose !== "dialogue");
    return all.sort((a, b) => spoken(a) - spoken(b));
  }

  /** Of several clips under a range of which no track was chosen, the one that is meant, or all: asked. */
  private async meant(): Promise<{ p: Placed; from: number; to: number }[]> {
    const list = this.ranged(),
      { selection: sel } = this.stage;
    if (list.length < 2 || (sel.kind === "range" && sel.tracks.length)) return list;
    const got = await this.stage.ask({
      title: "Which clip is meant?",
      label: "",
      choices: {
        label: "The range lies on",
        list: [
          ...list.map((x, i) => ({ value: String(i), words: `${x.p.clip.name} on ${x.p.track.name}` })),
          { value: "all", words: `all ${list.length} of them` },
        ],
        value: "0",
      },
      hint: "Choose tracks by their names at the left, and nothing is asked.",
      done: "Lull it",
    });
    return !got ? [] : got.choice === "all" ? list : [list[Number(got.choice)]];
  }

  private async lull(db: number): Promise<void> {
    const s = this.current(),
      it = this.of(s);
    if (it && !db)
      return void this.stage.edits.edit({ edit: "set_lull", clip: it.clip.id, lull: it.lull.id, off: !it.lull.off });
    if (it) return void this.stage.edits.edit({ edit: "set_lull", clip: it.clip.id, lull: it.lull.id, depth_db: db });
    if (!this.ranged().length)
      return say(
        this.stage.selection.kind === "range"
          ? "The range lies on no clip of sound, so there is nothing to turn down."
          : "A lull needs a range on a clip. Drag over the cloth, or press R and Shift+R at its ends.",
      );
    const list = await this.meant();
    if (!list.length) return;
    const adds = list.map((x) => ({
      edit: "lull",
      clip: x.p.clip.id,
      from: x.from,
      to: x.to,
      ...(db ? { depth_db: db } : {}),
    }));
    void this.stage.edits.edit(
      adds.length > 1
        ? batch(adds, `lulled: ${list.map((x) => `${x.p.clip.name} on ${x.p.track.name}`).join(", ")}`)
        : adds[0],
    );
  }

  private async lullBy(): Promise<void> {
    if (!this.of(this.current()) && !this.ranged().length) return this.lull(0);
    const got = await this.stage.ask({
      title: "Turn this stretch down",
      label: "By so many dB",
      value: "12",
      hint: "6 is half as strong; 24 leaves hardly anything. L alone goes to silence.",
      done: "Turn it down",
    });
    const db = got && downBy(got.value);
    if (got && !(db! > 0 && db! <= 120)) return say(`"${got.value}" is not a number of dB from 0 to 120.`);
    if (db) await this.lull(db);
  }

  private away(): void {
    const it = this.of(this.current());
    if (!it) return say("No lull is in hand. Choose one in the seam list, or click its notch in the timeline.");
    void this.stage.edits.edit({ edit: "remove_lull", clip: it.clip.id, lull: it.lull.id });
  }

  /** Takes the other edge of the lull in hand; false if none is. */
  otherEdge(): boolean {
    if (!this.of(this.current())) return false;
    this.end = this.end === "to" ? "from" : "to";
    this.stage.note(`The lull's ${this.end === "to" ? "end" : "start"} is in hand`);
    return true;
  }

  /** Moves the edge in hand of the lull in hand; false if none is. */
  nudge(samples: number): boolean {
    const s = this.current();
    if (!this.of(s)) return false;
    void this.stage.edits.edit(() => {
      const it = this.of(s);
      return (
        it && {
          edit: "set_lull",
          clip: it.clip.id,
          lull: it.lull.id,
          [this.end]: lullSpan(it.clip, it.lull)[this.end] + samples,
        }
      );
    });
    return true;
  }

  /** Takes a figure of the lull's card; what was wrong with it, if it is. */
  typed(s: Seam, id: string, text: string): string | undefined {
    const it = this.of(s);
    if (!it) return undefined;
    const set = (values: Record<string, unknown>) =>
      void this.stage.edits.edit({ edit: "set_lull", clip: it.clip.id, lull: it.lull.id, ...values });
    if (id === "lull_depth") {
      const db = /^\s*(to )?silence\s*$/i.test(text) ? 0 : downBy(text);
      return db !== undefined && db <= 120 ? set({ depth_db: db }) : "A lull turns down by 1 to 120 dB, or to silence.";
    }
    const n = lengthOf(text, this.stage.rate, this.stage.sr);
    if (!n) return noLength(text, "frames (2), milliseconds (40 ms) or seconds (0.2 s)");
    return set({ [id === "lull_in" ? "fade_in" : "fade_out"]: inSamples(n, this.stage.rate, this.stage.sr) });
  }
}
