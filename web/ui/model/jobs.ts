// Long work that the server does beside the requests, followed to its end.
import type { Job } from "./api.ts";

/** Jobs as they are told of. One may end before anybody asks for its end. */
export class Jobs {
  private over = new Map<string, Job>();
  private waiting = new Map<string, { end(j: Job): void; went(done: number): void }>();

  /** What the server tells. */
  told(j: Job): void {
    const who = this.waiting.get(j.id);
    if (j.state === "running") return who?.went(j.done);
    this.over.set(j.id, j);
    this.waiting.delete(j.id);
    who?.end(j);
  }

  /** The job once it has ended; went is told how far it is, 0..1. */
  ended(job: Job, went: (done: number) => void = () => {}): Promise<Job> {
    const done = this.over.get(job.id);
    return done ? Promise.resolve(done) : new Promise((end) => this.waiting.set(job.id, { end, went }));
  }
}

/** Those of this page. */
export const jobs = new Jobs();
