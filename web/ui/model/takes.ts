// Takes that lie under a clip. Pure functions.
import type { Takes } from "../wire/scene.ts";

/** What a clip is called where there is no room for more: its name, and which of its takes it is. */
export const takeName = (c: { name: string; takes?: Takes }): string =>
  c.takes ? `${c.takes.number}/${c.takes.others.length + 1} ${c.name}` : c.name;

/** The number of the take so many steps behind the one that sounds, round and round. */
export function takeBeside({ number, others }: Takes, by: number): number {
  const all = [number, ...others.map((o) => o.number)].sort((a, b) => a - b),
    n = all.length;
  return all[(((all.indexOf(number) + by) % n) + n) % n];
}
