// What is in hand: taken in the list, in the timeline or by a command, and remembered from one visit to the next.

import { type Edge, findClip } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { type SeamEdge, type Selection, withClip, withEdge } from "../model/selection.ts";
import { place } from "./clipboard.ts";
import { type Stage, staying } from "./stage.ts";

export class Selecting {
  closes = ""; // what closing up the clip in hand would leave behind, in words
  private stage: Stage;
  private opening = true; // nobody has done anything on the page yet

  constructor(stage: Stage) {
    this.stage = stage;
    for (const act of ["keydown", "pointerdown", "wheel"])
      addEventListener(act, () => (this.opening = false), { capture: true, once: true });
  }

  /** As the page opens, the worst seam is in hand. Where the playhead was left, it stays. */
  opens(): void {
    const { stage } = this,
      s = this.opening && stage.selection.kind === "none" ? stage.list.worstOf() : undefined;
    this.opening = false;
    if (s) this.seam(s, true, !stage.playhead);
  }

  /** Takes the seam that is on the bench in hand. */
  benchSeam(): void {
    const s = this.stage.list.current;
    if (s && this.stage.selection.kind !== "seam") this.seam(s, false, false);
  }

  take(s: Selection): void {
    this.stage.selection = s;
    this.closes = "";
    this.remember();
    this.stage.show();
    if (s.kind === "clips" && s.ids.length === 1) void this.askCloses(s.ids[0]);
  }

  /** Says beforehand what would stay behind if the clip in hand were removed and the gap closed up. */
  private async askCloses(id: string): Promise<void> {
    const { edits } = this.stage;
    const told = await edits.after(() => edits.try({ edit: "remove", clips: [id], close: true }));
    const now = this.stage.selection;
    if (!told || now.kind !== "clips" || now.ids[0] !== id) return;
    const stays = told.refused ? told.words : staying(told.words).join("; ");
    this.closes = stays && `If it is closed up: ${stays}${stays.endsWith(".") ? "" : "."}`;
    this.stage.show();
  }

  seam(s: Seam, reveal = true, goes = true): void {
    const { stage } = this;
    stage.selection = { kind: "seam" };
    this.closes = "";
    stage.list.select(s.id);
    stage.bench.show(s);
    if (goes && !stage.player.playing) stage.seek(s.at);
    if (reveal && goes) stage.timeline.reveal(s.at);
    stage.show();
  }

  remember(): void {
    const { id, playhead, selection: s } = this.stage;
    const range = s.kind === "range" ? { range: { from: s.from, to: s.to, tracks: s.tracks } } : {};
    place.set(id, { playhead, ...range });
  }

  /** Takes the clip in hand that the address names, the playhead at its head or at the moment that is named. */
  asked(): void {
    const address = new URLSearchParams(location.search);
    const p = findClip(this.stage.scene, address.get("clip") ?? "");
    if (!p && address.has("at")) {
      const at = Number(address.get("at")) || 0;
      this.stage.seek(at);
      this.stage.timeline.reveal(at);
    }
    if (!p) return;
    const at = address.has("at") ? Number(address.get("at")) || 0 : p.clip.from;
    this.take({ kind: "clips", ids: [p.clip.id] });
    this.stage.seek(at);
    this.stage.timeline.reveal(at);
  }

  private edgeOfSeam(): SeamEdge | undefined {
    return this.stage.selection.kind === "seam" ? this.stage.list.current : undefined;
  }

  private addEdge(e: Edge): void {
    this.take(withEdge(this.stage.selection, this.edgeOfSeam(), e));
  }

  /** What is clicked in the timeline. */
  readonly clicked = {
    clip: (id: string, more: boolean, edge?: "head" | "tail"): void => {
      if (more && edge) this.addEdge(edge === "head" ? { right: id } : { left: id });
      else if (more) this.take(withClip(this.stage.selection, id));
      else this.take({ kind: "clips", ids: [id], ...(edge ? { edge } : {}) });
    },
    cut: (left: string, right: string, more: boolean): void => {
      const s = this.stage.list.all.find((x) => x.left === left && x.right === right);
      if (more) this.addEdge({ left, right });
      else if (s) this.seam(s);
      else this.take({ kind: "edges", edges: [{ left, right }] });
    },
    lull: (clip: string, lull: string): void => {
      const s = this.stage.list.all.find((x) => x.kind === "lull" && x.left === clip && x.lull === lull);
      if (s) this.seam(s, false);
      else this.take({ kind: "clips", ids: [clip] });
    },
    track: (id: string, more: boolean): void => {
      const sel = this.stage.selection;
      if (sel.kind !== "range" || sel.gap) return this.take({ kind: "track", id });
      const were = this.tracks(), // all of them, where none was chosen
        others = were.filter((x) => x !== id);
      const tracks = !more ? [id] : others.length < were.length ? others : [...were, id];
      this.take({ ...sel, tracks });
    },
  };

  /** The tracks that are in hand: one, or those of a range. */
  tracks(): string[] {
    const sel = this.stage.selection;
    if (sel.kind === "range" && !sel.tracks.length)
      return this.stage.scene.tracks.filter((t) => !t.locked && !t.stays).map((t) => t.id);
    return sel.kind === "track" ? [sel.id] : sel.kind === "range" ? sel.tracks : [];
  }
}
