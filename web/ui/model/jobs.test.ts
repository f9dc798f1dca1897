import assert from "node:assert/strict";
import { test } from "node:test";
import type { Job } from "./api.ts";
import { Jobs } from "./jobs.ts";

const job = (id: string, state: Job["state"], done = 0) => ({ id, state, done }) as Job;

test("a job is followed to its end, whether that is told before it is asked for or after", async () => {
  const jobs = new Jobs(),
    went: number[] = [];
  jobs.told(job("a", "done", 1));
  assert.equal((await jobs.ended(job("a", "running"))).state, "done");
  const b = jobs.ended(job("b", "running"), (n) => went.push(n));
  jobs.told(job("c", "failed"));
  jobs.told(job("b", "running", 0.5));
  jobs.told(job("b", "stopped", 1));
  assert.equal((await b).state, "stopped");
  assert.deepEqual(went, [0.5]);
});
