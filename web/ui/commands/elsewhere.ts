// What happens on other pages: the scene's page follows.
import { get } from "../model/api.ts";
import { listen } from "../model/events.ts";
import type { SeamFeed } from "../panels/feed.ts";
import { say } from "../panels/toast.ts";
import type { Style } from "./blend-all.ts";
import type { Mending } from "./mending.ts";
import type { Remarking } from "./remarking.ts";
import type { Stage } from "./stage.ts";

/** Listens for it as long as the page is open; keys is called when keys were changed. */
export function hearElsewhere(
  { id, scene, edits }: Stage,
  { feed, mending, remarking }: { feed: SeamFeed; mending: Mending; remarking: Remarking },
  keys: () => Promise<void>,
): void {
  listen(id, {
    edited: (revision, words, who) => {
      if (revision <= scene.revision) return;
      void edits.after(async () => {
        if (revision <= scene.revision) return;
        await edits.catchUp();
        say(`Edited ${who ? `by ${who}` : "elsewhere"}: ${words}. This page shows it now.`);
      });
    },
    seams: () => void feed.load(),
    notes: () => void remarking.remarks.load().catch(say),
    people: (all) => remarking.remarks.others(all),
    away: () => edits.away(true),
    back: () => edits.away(false),
    keys: () => void keys(),
    mending: (done, of) => mending.progress(done, of),
    blends: () =>
      void get<Style[]>(`/scenes/${id}/blends`).then((list) => {
        mending.styles = list;
      }, say),
  });
}
