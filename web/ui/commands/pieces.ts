// Stretches of a recording, or clips, as files of their own: made by a job, and fetched once they are there.

import { type Job, post } from "../model/api.ts";
import { say } from "../panels/toast.ts";
import type { KindView } from "../wire/web.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";
import { resultOf, work } from "./work.ts";

interface Wish {
  kind: string; // of file
  source?: string; // its marked stretches
  clips?: string[];
}

interface Made {
  files: unknown[];
}

/** Begins to make files, and fetches them once they are there: one as it is, several as a ZIP file. */
async function fetched(scene: string, wish: Wish, signal: AbortSignal, went: (done: number) => void): Promise<number> {
  const job = await post<Job>(`/scenes/${scene}/pieces`, wish);
  const { files } = await resultOf<Made>(job, signal, went);
  location.assign(`/made/${job.id}${files.length > 1 ? "/all.zip" : ""}`);
  return files.length;
}

/** What of the page of a source makes files of its marked stretches, once all edits are done. */
export const stretchFiles = (
  scene: string,
  source: string,
  kinds: KindView[],
  after: (work: () => Promise<void>) => Promise<void>,
) => ({
  did: "",
  fileKinds: kindChoices(kinds),
  fileKind: "wav",
  allFiles() {
    void after(async () => {
      const went = (done: number) => (this.did = `Writing the files, ${Math.round(100 * done)} % …`),
        never = new AbortController().signal; // the page of handing over stops it
      const n = await fetched(scene, { source, kind: this.fileKind }, never, went);
      this.did = `${n} ${n === 1 ? "file" : "files"} made; Hand over lists them, too`;
    });
  },
});

/** The kinds of file as choices. */
const kindChoices = (kinds: KindView[]) => kinds.map((k) => ({ value: k.ending, words: k.name }));

export function pieces(s: Stage, kinds: KindView[]): Record<string, () => void> {
  const files = async () => {
    const list = clipsInHand(s).filter((p) => p.track.kind === "sound");
    if (!list.length)
      return say("No clip of sound is in hand. Click one, with Shift several; then each becomes a file of its own.");
    const what = list.length === 1 ? list[0].clip.name : `${list.length} clips`;
    const got = await s.ask({
      title: `${what} as ${list.length === 1 ? "a file" : "files"}`,
      label: "",
      hint:
        "Each as it sounds by itself: with its gain, level line, fades, filters and room, without its neighbours and " +
        "without what would have to make way.",
      choices: { label: "Kind of file", list: kindChoices(kinds), value: "wav" },
      done: list.length === 1 ? "Make the file" : "Make the files",
    });
    if (!got) return;
    await s.edits.after(async () => {}); // what was done before is part of it
    await work(s, `Writing ${what}`, (signal) =>
      fetched(s.id, { kind: got.choice, clips: list.map((p) => p.clip.id) }, signal, (done) =>
        s.note(`Writing ${what}, ${Math.round(100 * done)} % … Escape stops it`),
      ),
    );
  };
  return { clip_files: () => void files() };
}
