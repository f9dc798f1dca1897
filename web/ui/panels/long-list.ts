// A list that can be long: so many rows as were scrolled to are in the page, those alone that have the words that are
// typed. No drawing, no events of its own.

const STEP = 60; // rows that come at once

/** Whether a text has all words that are typed, each anywhere in it. */
export function hasWords(text: string, typed: string): boolean {
  const within = text.toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every((w) => within.includes(w));
}

export class LongList<T> {
  found: T[] = []; // that have the words
  private all: T[] = [];
  private upTo = STEP;
  private typed = "";
  private text: (row: T) => string;
  private show: (rows: T[], words: string) => void;

  /** Text is what a row is found by; show is given the rows in the page, and how many of all there are, in words. */
  constructor(text: (row: T) => string, show: (rows: T[], words: string) => void) {
    [this.text, this.show] = [text, show];
  }

  set(all: T[]): void {
    this.all = all;
    this.look();
  }

  /** Shows those alone that have the words. */
  filter(typed: string): void {
    [this.typed, this.upTo] = [typed, STEP];
    this.look();
  }

  private look(): void {
    this.found = this.typed.trim() ? this.all.filter((r) => hasWords(this.text(r), this.typed.trim())) : this.all;
    this.shown();
  }

  private shown(): void {
    const words = this.found.length < this.all.length ? `${this.found.length} of ${this.all.length} shown` : "";
    this.show(this.found.slice(0, this.upTo), words);
  }

  /** Brings a row into the page. */
  reach(i: number): void {
    if (i < this.upTo) return;
    this.upTo = i + STEP;
    this.shown();
  }

  /** Brings more rows in, if the end of those that are there is near. */
  scrolled(box: { scrollTop: number; clientHeight: number; scrollHeight: number }): void {
    if (this.upTo < this.found.length && box.scrollTop + 2 * box.clientHeight > box.scrollHeight) this.reach(this.upTo);
  }
}
