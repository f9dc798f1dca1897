// The card of what is in hand now: gathers what the card's words are made from.

import { cardOf } from "../panels/card.ts";
import type { SeamFeed } from "../panels/feed.ts";
import { type HeardOf, heardRows } from "../panels/heard.ts";
import type { KnownOfClips } from "../panels/known-clip.ts";
import type { Card, Measure } from "../panels/parts.ts";
import type { Voice } from "../wire/levelmatch.ts";
import type { Measured } from "../wire/roommatch.ts";
import { marked } from "./clipboard.ts";
import type { Lulls } from "./lulls.ts";
import type { Mending } from "./mending.ts";
import { clipsInHand } from "./moves.ts";
import type { Selecting } from "./selecting.ts";
import type { Stage } from "./stage.ts";

interface Parts {
  feed: SeamFeed;
  lulls: Lulls;
  mending: Mending;
  rooms: KnownOfClips<Measured>;
  voices: KnownOfClips<Voice>;
  heardOf: HeardOf;
  selecting: Selecting;
}

/** The card of what is in hand; key gives the key of a command. */
export function cardNow(
  stage: Stage,
  { feed, lulls, mending, rooms, voices, heardOf, selecting }: Parts,
  tables: { hues: string[]; measures: Measure[] },
  key: (command: string) => string,
): Card {
  const { scene, rate, closing, shown, selection, list, bench } = stage,
    m = marked.get(),
    clips = clipsInHand(stage),
    one = selection.kind === "clips" && clips.length === 1 ? clips[0] : undefined,
    s = selection.kind === "seam" ? list.current : undefined;
  const about = { scene, rate, key, closing, offsets: feed.offsets, shown, ...tables };
  return cardOf(about, selection, {
    clips,
    room: one ? rooms.of(one) : [],
    voice: one ? voices.of(one) : [],
    heard: one ? heardRows(one, heardOf.of(scene.sources[one.clip.source]), scene.sample_rate) : [],
    closes: selecting.closes,
    copied: !!localStorage.getItem("blendseam-piece"),
    marked: m?.scene === stage.id ? m.name : "",
    seam: s && {
      seam: s,
      number: list.number(s),
      advice: {
        lull: lulls.of(s)?.lull,
        ...mending.of(s),
        covers: (bench.seam?.id === s.id && bench.data?.covers) || [],
        equal: (bench.seam?.id === s.id && bench.data?.equal) || "",
      },
    },
  });
}
