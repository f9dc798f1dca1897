// What is heard in the recording that is listened through, in words, and correcting it.

import { partAt } from "../model/heard.ts";
import type { Source } from "../model/scene.ts";
import { capital } from "../model/words.ts";
import { backgroundWords, HeardOf, partWords } from "../panels/heard.ts";
import { say } from "../panels/toast.ts";
import type { HeardView } from "../wire/web.ts";
import { says } from "./says.ts";

/** What the page is asked for. */
export interface Listened {
  scene: string;
  sampleRate: number;
  source(): Source;
  at(): number;
  stretch(): { from: number; to: number } | undefined;
  edit(e: unknown): void;
  arrived(): void;
}

export class SourceHeard {
  private of: Listened;
  private all: HeardOf;

  constructor(of: Listened) {
    this.of = of;
    this.all = new HeardOf(of.scene, of.arrived);
  }

  now(): HeardView | undefined {
    return this.all.of(this.of.source());
  }

  /** Where it plays; at its end the last sample. */
  private here(): number {
    return Math.min(this.of.at(), this.of.source().samples - 1);
  }

  /** What the panel says: of the background, and of the marked stretch or of what is heard now. */
  words(): { heardWords: string; hereWords: string; noHeard: boolean } {
    const known = this.now(),
      s = this.of.stretch(),
      here = known && partAt(known.parts, this.here()),
      background = known ? `${backgroundWords(known)}.` : "";
    return {
      heardWords: background && capital(background),
      hereWords: s
        ? `The marked stretch, ${((s.to - s.from) / this.of.sampleRate).toFixed(2)} s, is`
        : here
          ? `Here is ${partWords(here)}. It is`
          : "",
      noHeard: !known?.parts.length,
    };
  }

  /** The commands: of the marked stretch, else of the part that is heard now. */
  commands(): Record<string, () => void> {
    return says((kind) => this.correct(kind));
  }

  private correct(kind: string): void {
    const span = this.of.stretch() ?? partAt(this.now()?.parts ?? [], this.here());
    if (!span) return say("It is not known yet what is heard here. Mark a stretch, or wait a moment.");
    const { from, to } = span,
      what = kind ? { kind } : {};
    this.of.edit({ edit: "correct", source: this.of.source().id, from, to, ...what });
  }
}
