// Stretches of a recording, or clips, as files of their own: made by a job, and fetched once they are there.

import { type Job, post } from "../model/api.ts";
import { jobs } from "../model/jobs.ts";
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

const begin = (scene: string, wish: Wish) => post<Job>(`/scenes/${scene}/pieces`, wish);

/** Fetches what a job made: one file as it is, several as a ZIP file. */
function fetched(job: Job): void {
  const { files } = job.result as { files: unknown[] };
  location.assign(`/made/${job.id}${files.length > 1 ? "/all.zip" : ""}`);
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
    void after(() => made(scene, { source, kind: this.fileKind }, (words) => (this.did = words)));
  },
});

/** Makes files, says how far it is, and fetches them. */
async function made(scene: string, wish: Wish, went: (words: string) => void): Promise<void> {
  const job = await begin(scene, wish);
  const end = await jobs.ended(job, (done) => went(`Writing the files, ${Math.round(100 * done)} % …`));
  if (end.state !== "done") throw new Error(end.error || "It was stopped.");
  const n = (end.result as { files: unknown[] }).files.length;
  went(`${n} ${n === 1 ? "file" : "files"} made; Hand over lists them, too`);
  fetched(end);
}

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
    const job = await work(s, `Writing ${what}`, async (signal) => {
      const begun = await begin(s.id, { kind: got.choice, clips: list.map((p) => p.clip.id) });
      const result = await resultOf(begun, signal, (done) =>
        s.note(`Writing ${what}, ${Math.round(100 * done)} % … Escape stops it`),
      );
      return { ...begun, result } as Job;
    });
    if (job) fetched(job);
  };
  return { clip_files: () => void files() };
}
