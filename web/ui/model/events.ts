// What the server tells of a scene while its page is open.
import { type Job, pageName } from "./api.ts";
import { jobs } from "./jobs.ts";
import type { Here } from "./remarks.ts";

export interface Listeners {
  edited(revision: number, words: string, who: string): void; // on another page
  seams(): void; // more of them are measured, or may have been while nothing was heard
  keys(): void;
  mending(done: number, of: number): void;
  blends(): void;
  job(j: Job): void; // began, went on or ended
  notes(): void; // some changed
  people(all: Here[]): void; // who has the scene open
  away(): void; // the server does not answer
  back(): void; // it does again
}

/** Listens until the page is left. */
export function listen(scene: string, on: Partial<Listeners>): void {
  const source = new EventSource(`/events?scene=${scene}&page=${pageName}`);
  const hear = <T>(kind: string, what: (m: T) => void) =>
    source.addEventListener(kind, (e) => what(JSON.parse((e as MessageEvent).data) as T));
  hear<{ revision: number; words: string; who: string; page?: string }>("edit", (m) => {
    if (m.page !== pageName) on.edited?.(m.revision, m.words, m.who);
  });
  hear("notes", () => on.notes?.());
  hear<Here[]>("people", (all) => on.people?.(all));
  hear<{ measured: boolean }>("seams", (m) => m.measured && on.seams?.());
  hear("keys", () => on.keys?.());
  hear<{ done: number; of: number }>("mending", (m) => on.mending?.(m.done, m.of));
  hear("blends", () => on.blends?.());
  hear<Job>("job", (j) => {
    jobs.told(j);
    on.job?.(j);
  });
  let away = false;
  source.addEventListener("open", () => {
    if (away) on.back?.();
    away = false;
    on.seams?.(); // what was told meanwhile was not heard
  });
  source.addEventListener("error", () => {
    if (!away) on.away?.();
    away = true;
  });
}
