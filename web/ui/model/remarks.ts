// The notes of a scene, and who else has it open: fetched from the server whenever it says that there is something new.
import type { NoteView } from "../wire/web.ts";
import { get, pageName, post, remove } from "./api.ts";

/** A page that is open on the scene, and the seam that it has in hand. */
export interface Here {
  page: string;
  account: string;
  who: string;
  seam: string;
}

/** Where a note is put: on a seam, a clip, or so many samples from a moment. */
export interface On {
  seam?: string;
  clip?: string;
  at?: number;
  length?: number;
}

/** How often the server is told that the page is still open. */
const STILL_HERE = 10_000;

export class Remarks {
  notes: NoteView[] = [];
  here: Here[] = []; // of others
  private seam = "";
  private url: string;
  private changed: () => void;

  constructor(scene: string, changed: () => void) {
    [this.url, this.changed] = [`/scenes/${scene}`, changed];
  }

  private took(notes: NoteView[]): void {
    this.notes = notes;
    this.changed();
  }

  load = async (): Promise<void> => this.took(await get<NoteView[]>(`${this.url}/notes`));
  leave = async (text: string, on: On, approves = false): Promise<void> =>
    this.took(await post<NoteView[]>(`${this.url}/notes`, { text, approves, ...on }));
  reply = async (of: string, text: string): Promise<void> =>
    this.took(await post<NoteView[]>(`${this.url}/notes`, { of, text }));
  settle = async (id: string, settled: boolean): Promise<void> =>
    this.took(await post<NoteView[]>(`${this.url}/notes/${id}`, { settled }));
  reword = async (id: string, text: string): Promise<void> =>
    this.took(await post<NoteView[]>(`${this.url}/notes/${id}`, { text }));
  async drop(id: string): Promise<void> {
    await remove(`${this.url}/notes/${id}`);
    await this.load();
  }

  /** Says which seam the page has in hand, at once and from then on. */
  async at(seam: string): Promise<void> {
    if (seam === this.seam) return;
    this.seam = seam;
    await this.tell();
  }

  /** Begins to say that the page is open. */
  begin(): void {
    void this.tell();
    setInterval(() => void this.tell(), STILL_HERE);
  }

  private async tell(): Promise<void> {
    try {
      this.others(await post<Here[]>(`${this.url}/here`, { page: pageName, seam: this.seam }));
    } catch {
      /* the server is away, which is said elsewhere; it is told again */
    }
  }

  /** Takes who is there, this page among them. */
  others(all: Here[]): void {
    const now = all.filter((p) => p.page !== pageName);
    if (JSON.stringify(now) === JSON.stringify(this.here)) return;
    this.here = now;
    this.changed();
  }

  /** Who else has a seam in hand. */
  atSeam(seam: string): string[] {
    return this.here.filter((p) => p.seam === seam).map(nameOf);
  }

  /** Notes on a seam or a clip. */
  on(what: { seam?: string; clip?: string }): NoteView[] {
    return this.notes.filter((n) => (what.seam ? n.seam === what.seam : !!what.clip && n.clip === what.clip));
  }

  /** "Liv and Ada are here", or "". */
  words(): string {
    const names = [...new Set(this.here.map(nameOf))];
    if (names.length === 0) return "";
    const last = names.pop()!;
    return names.length ? `${names.join(", ")} and ${last} are here` : `${last} is here`;
  }
}

const nameOf = (p: Here): string => p.who || "another page";

/** A note in one line. */
export const noteWords = (n: NoteView): string =>
  [
    n.who && `${n.who}: `,
    n.approves ? "approved" : n.text,
    n.answers.length ? ` (${n.answers.length} ${n.answers.length === 1 ? "answer" : "answers"})` : "",
    n.open || n.approves ? "" : ` – settled${n.settled ? ` by ${n.settled}` : ""}`,
  ].join("");
