// How two clips of two tracks may go over into each other, and what of them goes away for it. Pure.

export interface Lying {
  id: string;
  name: string;
  from: number;
  to: number;
}

/** A stretch of a clip that would go. */
export interface Goes {
  clip: string;
  name: string;
  end: "head" | "tail";
  from: number;
  to: number;
}

export interface Way {
  out: Lying;
  into: Lying;
  from: number;
  to: number;
  goes: Goes[];
}

/** What a fade of `out` into `into` takes off their ends. */
function way(out: Lying, into: Lying, from: number, to: number): Way {
  const goes: Goes[] = [];
  if (to < out.to) goes.push({ clip: out.id, name: out.name, end: "tail", from: to, to: out.to });
  if (from > into.from) goes.push({ clip: into.id, name: into.name, end: "head", from: into.from, to: from });
  return { out, into, from, to, goes };
}

/**
 * The ways for two clips, the one that is asked for first: over the halves of a blend in the middle of what both have,
 * then over all that both have. One that lies wholly over the other can be gone over into at either of its ends.
 */
export function ways(a: Lying, b: Lying, before: number, after: number): Way[] {
  const [first, second] = a.from <= b.from ? [a, b] : [b, a];
  const asked = (out: Lying, into: Lying, middle: number) =>
    way(out, into, Math.round(middle - before), Math.round(middle + after));
  if (first.to <= second.from) return [asked(first, second, (first.to + second.from) / 2)];
  if (second.to < first.to)
    return [
      way(first, second, second.from, second.from + before + after),
      way(second, first, second.to - before - after, second.to),
    ];
  const overlap = first.to - second.from;
  const whole = way(first, second, second.from, first.to);
  return overlap <= before + after ? [whole] : [asked(first, second, (second.from + first.to) / 2), whole];
}
