// Where two strips of picture, old over new, and the ribbons between them are drawn.
import type { Ribbon, ShotView } from "../wire/web.ts";

export interface Strips {
  width: number;
  height: number;
  bar: number; // height of a strip
}

export interface Shape {
  kind: "shot" | "stays" | "moves" | "gone" | "comes";
  points: [number, number][];
  name: string;
}

/** The shapes of two strips, drawn from the back to the front. */
export function shapes(old: ShotView[], now: ShotView[], ribbons: Ribbon[], at: Strips): Shape[] {
  const last = Math.max(1, ...old.map((s) => s.to), ...now.map((s) => s.to)),
    x = (n: number) => (Math.min(n, last) / last) * at.width,
    under = at.height - at.bar;
  const bar = (from: number, to: number, top: number): [number, number][] => [
    [x(from), top],
    [x(to), top],
    [x(to), top + at.bar],
    [x(from), top + at.bar],
  ];
  const list: Shape[] = ribbons
    .filter((r) => r.old_from < last || r.new_from < last)
    .map((r) => ({
      kind: r.moved ? "moves" : "stays",
      name: "",
      points: [
        [x(r.old_from), at.bar],
        [x(r.old_to), at.bar],
        [x(r.new_to), under],
        [x(r.new_from), under],
      ],
    }));
  const free = (shots: ShotView[], used: [number, number][], top: number, kind: "gone" | "comes") => {
    for (const s of shots) {
      let from = s.from;
      for (const [a, b] of [...used, [s.to, s.to] as [number, number]].sort((p, q) => p[0] - q[0])) {
        if (b <= from) continue;
        if (a > from && from < s.to) list.push({ kind, name: s.name, points: bar(from, Math.min(a, s.to), top) });
        from = Math.max(from, b);
      }
    }
  };
  for (const s of old) list.push({ kind: "shot", name: s.name, points: bar(s.from, s.to, 0) });
  for (const s of now) list.push({ kind: "shot", name: s.name, points: bar(s.from, s.to, under) });
  free(
    old,
    ribbons.map((r) => [r.old_from, r.old_to]),
    0,
    "gone",
  );
  free(
    now,
    ribbons.map((r) => [r.new_from, r.new_to]),
    under,
    "comes",
  );
  return list;
}
