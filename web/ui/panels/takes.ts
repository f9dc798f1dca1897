// Takes that are brought to one room, in words, and what they would sound like then.
import { TRY } from "../bench/player.ts";
import type { Plan } from "../wire/roommatch.ts";
import type { TakeView } from "../wire/web.ts";

const NOTHING = -150; // dB, the level of what is not there
export const db = (v: number): string => (Math.abs(v) < 0.05 ? 0 : v).toFixed(1);
export const signed = (v: number): string => (v < 0 ? "" : "+") + db(v);

/** What is done to a take, in words. */
export function done(t: TakeView): string {
  const list = [
    ...(t.fill_db > NOTHING ? [`noise of ${db(t.fill_db)} dBFS laid under it`] : []),
    ...(t.answer ? [`reverberation of ${t.answer.s.toFixed(2)} s given to it, ${db(t.answer.level_db)} dB`] : []),
    ...(t.hush_db > 0.2 ? [`hushed by ${db(t.hush_db)} dB between its words`] : []),
  ];
  return list.join(", ") || "left as it is";
}

/** What is laid under takes is made from, as a sentence with a space before it; nothing where that is chance. */
export const madeFrom = (plan: Plan): string =>
  plan.made_from ? ` What is laid under them is made from the pauses of ${plan.made_from}.` : "";

/** The level of a take's room, and of what it goes over to. */
export const roomLevels = (t: TakeView): string =>
  t.later_db.length ? `${db(t.was_db)}, later ${db(t.then_db)}` : db(t.was_db);

/** Some clips of one take, by the first of them. */
export const called = (t: TakeView): string => (t.clips.length > 1 ? `${t.clip}, ${t.clips.length} clips` : t.clip);

/** The part of the player that is the scene as an evening would leave it. */
export function evenedPart(asked: {
  target: string;
  hush?: string;
  voices?: string;
  from?: string;
  to?: string;
}): string {
  const { target, hush, voices, from, to } = asked;
  return `${TRY}?${new URLSearchParams({
    evening: target,
    ...(hush ? { hush } : {}),
    ...(voices ? { voices } : {}),
    ...(to ? { even_from: from ?? "0", even_to: to } : {}),
  })}`;
}
