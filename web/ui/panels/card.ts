// The card: the figures of whatever is selected, its settings, and what can be done with it. Pure functions from the
// scene to words.
import type { Selection } from "../model/selection.ts";
import type { About, Card, InHand } from "./parts.ts";
import { markerCard, rangeCard, sceneCard, trackCard } from "./scene-cards.ts";
import { seamCard } from "./seam-card.ts";
import { clipCard, clipsCard, edgesCard } from "./selection-cards.ts";

/** The card of what is selected. */
export function cardOf(a: About, sel: Selection, hand: InHand): Card {
  const { scene } = a;
  switch (sel.kind) {
    case "clips":
      return hand.clips.length === 1 ? clipCard(a, hand.clips[0], sel.edge, hand) : clipsCard(a, hand.clips);
    case "edges":
      return edgesCard(a, sel.edges);
    case "range":
      return rangeCard(a, sel, hand.copied, hand.marked);
    case "track":
      return trackCard(a, scene.tracks.find((t) => t.id === sel.id)!);
    case "marker":
      return markerCard(a, scene.markers!.find((m) => m.id === sel.id)!);
    case "seam":
      if (hand.seam) return seamCard(a, hand.seam.seam, hand.seam.number, hand.seam.advice);
  }
  return sceneCard(a);
}
