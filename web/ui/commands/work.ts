// Work that takes its time: said at once, stopped by Escape.
import { type Job, post } from "../model/api.ts";
import { jobs } from "../model/jobs.ts";
import { say } from "../panels/toast.ts";
import type { Stage } from "./stage.ts";

/** Does it, and says so meanwhile; undefined if it was stopped, or failed, which is said. */
export async function work<T>(
  stage: Stage,
  words: string,
  act: (signal: AbortSignal) => Promise<T>,
): Promise<T | undefined> {
  const stop = new AbortController();
  const stopping = (e: KeyboardEvent) => {
    if (e.key !== "Escape") return;
    e.stopPropagation();
    stop.abort();
  };
  document.addEventListener("keydown", stopping, true);
  stage.note(`${words} … Escape stops it`);
  try {
    const got = await act(stop.signal);
    stage.note("");
    return got;
  } catch (e) {
    stage.note(stop.signal.aborted ? "Stopped; nothing was done" : "");
    if (!stop.signal.aborted) say(e);
    return undefined;
  } finally {
    document.removeEventListener("keydown", stopping, true);
  }
}

/** What a job gives; it is stopped with the signal. An error if it fails, or is stopped. */
export async function resultOf<T>(job: Job, signal: AbortSignal, went: (done: number) => void): Promise<T> {
  const stop = () => void post(`/jobs/${job.id}/stop`).catch(() => {}); // it may have ended
  signal.addEventListener("abort", stop);
  if (signal.aborted) stop();
  const end = await jobs.ended(job, went);
  signal.removeEventListener("abort", stop);
  if (end.state !== "done") throw new Error(end.error || "It was stopped.");
  return end.result as T;
}
