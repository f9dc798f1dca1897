// What is heard in recordings, asked for once each, and in words.

import { get } from "../model/api.ts";
import { lengthOf } from "../model/heard.ts";
import type { Placed, Source } from "../model/scene.ts";
import type { HeardPart, HeardView } from "../wire/web.ts";

export class HeardOf {
  private all = new Map<string, HeardView | null>();
  private scene: string;
  private arrived: () => void;

  constructor(scene: string, arrived: () => void) {
    [this.scene, this.arrived] = [scene, arrived];
  }

  /** What is heard in a recording, nothing while it is not known. */
  of(source: Source | undefined): HeardView | undefined {
    if (!source?.samples || source.tone || source.fit) return undefined;
    const key = source.id + JSON.stringify(source.corrections ?? []),
      known = this.all.get(key);
    if (known === undefined) {
      this.all.set(key, null);
      void this.ask(key, source.id);
    }
    return known ?? this.before(source.id);
  }

  /** What was heard before a correction, until the answer to it is there. */
  private before(id: string): HeardView | undefined {
    for (const [key, known] of [...this.all].reverse()) if (known && key.startsWith(id)) return known;
    return undefined;
  }

  private async ask(key: string, id: string): Promise<void> {
    const known = await get<HeardView>(`/scenes/${this.scene}/sources/${id}/heard`).catch(() => null);
    if (this.all.size > 100) this.all.clear();
    this.all.set(key, known);
    if (known) this.arrived();
  }
}

/** A background in words. */
export const backgroundWords = (h: HeardView): string =>
  h.background_is_sure
    ? `background ${h.background_db.toFixed(1)} dBFS`
    : `background about ${h.background_db.toFixed(0)} dBFS, not sure: no pause to measure`;

const NAMES: Record<string, string> = {
  word: "a word",
  breath: "a breath",
  pause: "a pause",
  other: "another sound",
};

/** A part in words. */
export const partWords = (p: HeardPart): string =>
  `${NAMES[p.kind] ?? p.kind}${p.corrected ? ", as somebody said" : `, ${Math.round(100 * p.sure)} % sure`}`;

/** What is heard in a clip, as rows of its card. */
export function heardRows(
  { clip, track }: Placed,
  known: HeardView | undefined,
  sampleRate: number,
): { name: string; value: string }[] {
  if (!known?.parts.length || track.kind !== "sound") return [];
  const seconds = (kind: string) => lengthOf(known.parts, kind, clip.in, clip.in + clip.length) / sampleRate,
    row = (name: string, kind: string) => ({ name, value: `${seconds(kind).toFixed(1)} s` });
  return [
    row("Words", "word"),
    ...(seconds("breath") ? [row("Breaths", "breath")] : []),
    row("Pauses", "pause"),
    ...(seconds("other") ? [row("Other sounds", "other")] : []),
    {
      name: "Background",
      value: known.background_is_sure ? `${known.background_db.toFixed(1)} dBFS` : "not sure: no pause",
    },
  ];
}
