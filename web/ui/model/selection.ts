// What is selected, and what edges are in hand. Pure functions.
import { beside, type Clip, clipAt, type Edge, findClip, type Placed, type Scene, type Track } from "./scene.ts";

export interface Range {
  from: number;
  to: number;
  tracks: string[];
} // no track: all
export type Selection =
  | { kind: "none" }
  | { kind: "seam" }
  // the first is the one in hand; an edge is in hand only of one clip
  | { kind: "clips"; ids: string[]; edge?: "head" | "tail" }
  | { kind: "edges"; edges: Edge[] }
  | ({ kind: "range"; gap?: boolean } & Range)
  | { kind: "track"; id: string }
  | { kind: "marker"; id: string };

/** What a seam in the list says of itself here. */
export interface SeamEdge {
  track: string;
  kind: string;
  left: string;
  right: string;
}

export const sameEdge = (a: Edge, b: Edge): boolean =>
  (a.left ?? "") === (b.left ?? "") && (a.right ?? "") === (b.right ?? "");

/** The edge that a seam is: of both clips at a cut. */
export const edgeOf = (s: SeamEdge): Edge => ({
  ...(s.left ? { left: s.left } : {}),
  ...(s.right ? { right: s.right } : {}),
});

/** The edges that nudging moves: of the selection, or of the seam in hand. */
export function edgesInHand(sel: Selection, seam: SeamEdge | undefined): Edge[] {
  if (sel.kind === "edges") return sel.edges;
  if (sel.kind === "clips")
    return sel.edge && sel.ids.length === 1 ? [sel.edge === "head" ? { right: sel.ids[0] } : { left: sel.ids[0] }] : [];
  if (seam?.kind === "lull") return []; // its edges are no clip's
  return seam && (sel.kind === "seam" || sel.kind === "none") ? [edgeOf(seam)] : [];
}

/** The selection with a clip added, or taken out if it was in it. */
export function withClip(sel: Selection, id: string): Selection {
  const ids = sel.kind === "clips" ? sel.ids : [];
  const now = ids.includes(id) ? ids.filter((x) => x !== id) : [...ids, id];
  return now.length ? { kind: "clips", ids: now } : { kind: "none" };
}

/** The selection with an edge added, or taken out if it was in it. */
export function withEdge(sel: Selection, seam: SeamEdge | undefined, edge: Edge): Selection {
  const edges = sel.kind === "none" ? [] : edgesInHand(sel, seam);
  const now = edges.some((x) => sameEdge(x, edge)) ? edges.filter((x) => !sameEdge(x, edge)) : [...edges, edge];
  return now.length ? { kind: "edges", edges: now } : { kind: "none" };
}

/** The selection without what has gone from the scene. */
export function still(s: Scene, sel: Selection): Selection {
  switch (sel.kind) {
    case "clips": {
      const ids = sel.ids.filter((id) => findClip(s, id));
      return ids.length === sel.ids.length ? sel : ids.length ? { kind: "clips", ids } : { kind: "none" };
    }
    case "edges": {
      const edges = sel.edges.filter(
        (e) =>
          [e.left, e.right].every((id) => !id || findClip(s, id)) &&
          (!e.left || !e.right || beside(findClip(s, e.left)!, "tail")?.clip.id === e.right),
      );
      return edges.length === sel.edges.length ? sel : edges.length ? { kind: "edges", edges } : { kind: "none" };
    }
    case "track":
      return s.tracks.some((t) => t.id === sel.id) ? sel : { kind: "none" };
    case "marker":
      return s.markers?.some((m) => m.id === sel.id) ? sel : { kind: "none" };
    case "range":
      return { ...sel, tracks: sel.tracks.filter((id) => s.tracks.some((t) => t.id === id)) };
  }
  return sel;
}

/** The clips of a selection that are still there. */
export const clipsOf = (s: Scene, sel: Selection): Placed[] =>
  sel.kind === "clips" ? sel.ids.map((id) => findClip(s, id)).filter((x): x is Placed => !!x) : [];

/** All clips that begin at a moment or after it, on the named tracks or on all. */
export const toTheRight = (s: Scene, at: number, tracks: string[] = []): string[] =>
  s.tracks
    .filter((t) => !tracks.length || tracks.includes(t.id))
    .flatMap((t) => t.clips.filter((c) => c.from >= at).map((c) => c.id));

/** The clip under a moment on the next track after that of the one in hand; tracks of sound come first. */
export function pickAt(s: Scene, at: number, shown: (t: Track) => boolean, inHand?: string): Clip | undefined {
  const order = [...s.tracks.filter((t) => t.kind === "sound"), ...s.tracks.filter((t) => t.kind !== "sound")].filter(
    shown,
  );
  const under = order.map((t) => clipAt(t, at)).filter((c): c is Clip => !!c);
  return under[(under.findIndex((c) => c.id === inHand) + 1) % Math.max(1, under.length)];
}

/** From the first head to the last tail of clips, with their tracks. */
export function spanOf(list: Placed[]): Range | undefined {
  if (!list.length) return undefined;
  return {
    from: Math.min(...list.map((p) => p.clip.from)),
    to: Math.max(...list.map((p) => p.clip.to)),
    tracks: [...new Set(list.map((p) => p.track.id))],
  };
}
