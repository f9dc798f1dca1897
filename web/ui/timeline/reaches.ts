// How far what is in hand may go, and what goes with it, as the server says; asked for when a hand comes near.
import { get } from "../model/api.ts";
import type { Edge, Scene } from "../model/scene.ts";
import type { Reach } from "../wire/edit.ts";
import type { ReachAnswer } from "../wire/web.ts";
import type { Gesture } from "./gesture.ts";

/** What a hand holds. */
export interface Held {
  clip: string;
  edge?: "head" | "tail";
  doing: Gesture;
}

/** What pulling an edge in hand takes hold of: a cut is rolled, a head or tail trimmed as trims says. */
export const heldBy = (e: Edge, trims: Gesture): Held => ({
  clip: e.right ?? e.left ?? "",
  edge: e.right ? "head" : "tail",
  doing: e.left && e.right ? "roll" : trims,
});

const limited = new Set<Gesture>(["trim_gap", "trim_close", "roll", "split", "slip", "slide"]);

export class Reaches {
  private scene: () => Scene;
  private id: string;
  private arrived: () => void;
  private known = new Map<string, { revision: number; reach?: Reach }>();
  private asked = new Set<string>();

  constructor(id: string, scene: () => Scene, arrived: () => void) {
    [this.id, this.scene, this.arrived] = [id, scene, arrived];
  }

  /** Whether a hand doing this is limited by what the server says. */
  static needed(doing: Gesture): boolean {
    return limited.has(doing);
  }

  /** The reach at this revision; none if it is not known yet, and then it is asked for. */
  of(h: Held): Reach | undefined {
    const key = `${h.clip} ${h.edge ?? ""} ${h.doing}`;
    const known = this.known.get(key);
    if (known?.revision === this.scene().revision) return known.reach;
    if (!this.asked.has(key)) void this.ask(key, h);
    return undefined;
  }

  private async ask(key: string, h: Held): Promise<void> {
    this.asked.add(key);
    try {
      const q = new URLSearchParams({ clip: h.clip, edge: h.edge ?? "", doing: h.doing });
      const { revision, reach } = await get<ReachAnswer>(`/scenes/${this.id}/reach?${q}`);
      if (this.known.size > 200) this.known.clear();
      this.known.set(key, { revision, reach });
      this.arrived();
    } catch {
      // the hand goes nowhere; what is wrong is said by whatever is done next
    } finally {
      this.asked.delete(key);
    }
  }
}
