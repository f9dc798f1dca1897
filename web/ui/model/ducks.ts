// For whose words tracks make way. Pure functions.
import type { Duck } from "../wire/scene.ts";
import type { Placed, Scene } from "./scene.ts";

/** A way to make way that is asked for: how long its slopes are, and how early and late, the server says. */
export type Asked = Pick<Duck, "under" | "clips" | "db"> & Partial<Duck>;

/** Ducks with the words of some clips among them: in one that makes way for clips by as much, else in a new one. */
export function madeWayFor(ducks: Duck[], clips: Placed[], db: number): Asked[] {
  const under = [...new Set(clips.map((p) => p.track.id))],
    ids = clips.map((p) => p.clip.id),
    same = ducks.find((d) => d.clips?.length && d.db === db);
  if (!same) return [...ducks, { under, clips: ids, db }];
  const joined = {
    ...same,
    under: [...new Set([...same.under, ...under])],
    clips: [...new Set([...same.clips!, ...ids])],
  };
  return ducks.map((d) => (d === same ? joined : d));
}

/** Ducks without the words of some clips; one that was for these alone goes. */
export const noWayFor = (ducks: Duck[], clips: string[]): Duck[] =>
  ducks
    .map((d) => (d.clips?.length ? { ...d, clips: d.clips.filter((id) => !clips.includes(id)) } : d))
    .filter((d, i) => d.clips?.length || !ducks[i].clips?.length);

/** The tracks that make way for the words of a clip, and how. */
export const makingWay = (s: Scene, { track: t, clip: c }: Placed): { name: string; duck: Duck }[] =>
  s.tracks.flatMap(({ name, ducks }) =>
    (ducks ?? [])
      .filter((d) => d.under.includes(t.id) && (!d.clips?.length || d.clips.includes(c.id)))
      .map((duck) => ({ name, duck })),
  );
