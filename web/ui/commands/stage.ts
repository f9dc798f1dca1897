// What the parts of the scene's page share: the scene, its edits in their order, the playhead and the selection.

import type { Bench } from "../bench/bench.ts";
import type { Player } from "../bench/player.ts";
import { get, Problem, pageName, post } from "../model/api.ts";
import { applyChanges, prepare, type Scene } from "../model/scene.ts";
import type { Selection } from "../model/selection.ts";
import type { Rate } from "../model/time.ts";
import type { Answer, Question } from "../panels/ask.ts";
import { figureDone, refuseFigure } from "../panels/figure.ts";
import type { SeamList } from "../panels/seams.ts";
import { say, settled } from "../panels/toast.ts";
import type { Shown } from "../timeline/rows.ts";
import type { Timeline } from "../timeline/timeline.ts";
import type { EditAnswer } from "../wire/web.ts";

/** Several edits as one; a batch among them gives its edits, as none may hold another. */
export function batch(edits: unknown[], words: string): unknown {
  const flat = edits.flatMap((e) =>
    (e as { edit: string }).edit === "several" ? (e as unknown as { edits: unknown[] }).edits : [e],
  );
  return { edit: "several", edits: flat, words };
}

/** One edit as it is, several as a batch. */
export const together = (edits: unknown[], words: string): unknown =>
  edits.length === 1 ? edits[0] : batch(edits, words);

export type { EditAnswer };

/** What commands work on. */
export interface Stage {
  readonly id: string;
  readonly scene: Scene;
  readonly rate: Rate;
  readonly sr: number;
  readonly frame: number; // samples, the first of the scene
  readonly edits: Edits;
  readonly list: SeamList;
  readonly bench: Bench;
  readonly timeline: Timeline;
  readonly player: Player;
  playhead: number;
  selection: Selection;
  shown: Shown;
  closing: boolean; // nudging a head or tail closes up
  seek(at: number): void;
  place(at: number): void; // puts the playhead there, and plays nothing
  select(s: Selection): void;
  show(): void; // everything that shows the selection, anew
  ask(q: Question): Promise<Answer | undefined>;
  note(words: string): void; // says what was done, where no edit says it
}

/** What of an edit's words says that something stays behind. */
export const staying = (words: string): string[] => words.split("; ").filter((w) => / stays?$/.test(w));

/** Who watches edits: as one begins, is under way, is done, fails. */
interface Watching {
  begins(): void;
  foreseen(edit: unknown): () => void; // draws what it will do; what this gives is called when it is done or refused
  shown(): Promise<void>; // once what was foreseen is on the screen
  changed(): void;
  kept(words: string, did?: string): void;
  failed(): void;
}

/** Edits are sent one after the other, so that each knows the revision it follows. */
export class Edits {
  private queue: Promise<unknown> = Promise.resolve();
  private gone = false;
  private id: string;
  private scene: Scene;
  private rate: Rate;
  private on: Watching;

  constructor(id: string, scene: Scene, rate: Rate, on: Watching) {
    [this.id, this.scene, this.rate, this.on] = [id, scene, rate, on];
  }

  /** Does an edit. One that depends on where things are by then is a function, which may also give nothing. */
  edit = (e: unknown | (() => unknown)): Promise<boolean> => {
    const asked = typeof e === "function" ? undefined : e;
    let done = asked === undefined ? undefined : this.on.foreseen(asked);
    return this.inTurn(
      () => {
        const now = asked ?? (e as () => unknown)();
        done ??= now === undefined ? undefined : this.on.foreseen(now);
        return now === undefined ? undefined : post(`/scenes/${this.id}/edits`, { ...this.at(), edit: now });
      },
      () => done?.(),
    );
  };

  /** Takes back what one did last oneself, or the last of all. */
  travel = (which: "undo" | "redo", last = false): Promise<boolean> =>
    this.inTurn(() => post<EditAnswer>(`/scenes/${this.id}/${which}`, { ...this.at(), last }));

  /** Sends what is an edit, but has an address of its own. */
  send = (ask: () => Promise<EditAnswer>): Promise<boolean> => this.inTurn(ask);

  /** What every edit says of the page and of the state that it is made on. */
  at = (): { revision: number; page: string } => ({ revision: this.scene.revision, page: pageName });

  goTo = (where: { node?: number; version?: string }): Promise<boolean> =>
    this.inTurn(() => post<EditAnswer>(`/scenes/${this.id}/go`, { ...this.at(), ...where }));

  /** Says what an edit would do, without doing it. */
  async try(e: unknown): Promise<{ words: string; refused: boolean } | undefined> {
    try {
      return {
        words: (await post<{ words: string }>(`/scenes/${this.id}/try`, { revision: this.scene.revision, edit: e }))
          .words,
        refused: false,
      };
    } catch (problem) {
      return problem instanceof Problem && problem.status === 422
        ? { words: problem.message, refused: true }
        : undefined;
    }
  }

  /** Does something after the edits under way. */
  after<T>(act: () => Promise<T>): Promise<T> {
    const done = this.queue.then(act);
    this.queue = done.catch(() => undefined);
    return done;
  }

  /** Asks for an edit after those under way, and takes it; done is called when the page has it, or it was refused. */
  private inTurn(ask: () => Promise<EditAnswer> | undefined, done = () => {}): Promise<boolean> {
    return this.after(async () => {
      this.on.begins();
      const slow = setTimeout(() => this.on.kept("Keeping …"), 400);
      try {
        const a = await ask();
        await this.on.shown(); // what the page does next would hold it up
        clearTimeout(slow);
        this.gone = false; // it answered
        figureDone();
        settled();
        done();
        if (a) this.take(a);
        this.on.kept(this.words(), a?.words);
        return !!a;
      } catch (e) {
        clearTimeout(slow);
        done();
        if (e instanceof Problem && e.status > 0) this.gone = false;
        this.on.kept(this.words());
        if (e instanceof Problem && e.status === 409) await this.catchUp();
        this.on.failed();
        refuseFigure((e as Error).message, false);
        say(e, (offer) => void this.edit(offer.edit));
        return false;
      }
    });
  }

  words = (): string => {
    if (this.gone) return "The server does not answer. What was kept is kept; nothing more is.";
    return this.scene.revision ? `All kept · edit ${this.scene.revision}` : "All kept";
  };

  /** The server went away, or is back: then the scene is fetched as it is there. */
  away(gone: boolean): void {
    this.gone = gone;
    if (!gone) void this.after(() => this.catchUp());
    this.on.kept(this.words());
  }

  private take(a: EditAnswer): void {
    [this.scene.revision, this.scene.undo, this.scene.redo] = [a.revision, a.undo, a.redo];
    applyChanges(this.scene, this.rate, a.changes);
    this.on.changed();
  }

  /** Fetches the scene as it is now, after an edit from elsewhere. */
  async catchUp(): Promise<void> {
    try {
      const now = await get<Scene>(`/scenes/${this.id}/state`);
      if (now.revision < this.scene.revision) return;
      Object.assign(this.scene, prepare(now, this.rate));
      this.on.changed();
      this.on.kept(this.words());
    } catch (e) {
      say(e);
    }
  }
}
