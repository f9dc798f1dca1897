// Two versions of one scene: what another person did, what both touch, and what is taken.
import Alpine from "@alpinejs/csp";
import { ask, pageName } from "../model/api.ts";
import { capital } from "../model/words.ts";
import type { MergeAnswer, MergeRow } from "../wire/web.ts";
import { say } from "./toast.ts";

interface Told extends MergeRow {
  key: number;
  on: boolean;
  told: string;
  label: string;
  hearing: string;
}

interface Touch {
  key: number;
  at: number;
  name: string;
  title: string;
  mine: boolean;
  theirs: boolean;
  mineWords: string;
  theirWords: string;
  hearing: string;
}

/** How many there are, in words. */
export const counted = (n: number, what: string) => (n === 1 ? `one ${what}` : `${n} ${what}s`);
const words = (rows: MergeRow[]) => rows.map((r) => r.words.join("; ")).join("; ");

/** Registers the part of a page that compares; play sounds a stretch that is fetched. */
export function registerBothVersions(home: string, ending: string, play: (r: Response) => Promise<void>): void {
  let file: File | undefined, from: File | undefined, answer: MergeAnswer | undefined;
  const without = new Set<number>(),
    taken = new Set<number>();

  function sent(address: string, base: string, more: Record<string, string> = {}): Promise<Response> {
    const form = new FormData();
    form.set("theirs", file!);
    if (from) form.set("from", from);
    form.set("base", base);
    form.set("without", [...without].join(","));
    form.set("conflicts", [...taken].join(","));
    for (const [k, v] of Object.entries(more)) form.set(k, v);
    const at = more.at ? `?at=${more.at}` : "";
    return ask(`${home}${address}${at}`, { method: "POST", body: form });
  }

  Alpine.data("bothVersions", () => ({
    home,
    ending,
    endingWords: `It ends in ${ending}.`,
    base: "",
    bases: [] as { name: string; value: string; words: string; on: boolean }[],
    asked: false,
    looking: false,
    busy: false,
    problem: "",
    warnings: [] as string[],
    has: false,
    nothing: false,
    some: false,
    kept: false,
    takes: false,
    done: false,
    doneWords: "",
    summary: "",
    keptWords: "",
    theirs: [] as Told[],
    mine: [] as Told[],
    conflicts: [] as Touch[],
    async choose(e: Event) {
      file = (e.target as HTMLInputElement).files?.[0];
      from = undefined;
      this.base = "";
      this.done = this.has = this.asked = false;
      without.clear();
      taken.clear();
      if (file) await this.compare();
    },
    async chooseBase(e: Event) {
      from = (e.target as HTMLInputElement).files?.[0];
      await this.again();
    },
    async again() {
      without.clear();
      taken.clear();
      await this.compare();
    },
    async compare() {
      this.problem = "";
      this.looking = true;
      try {
        answer = (await (await sent("merge", this.base)).json()) as MergeAnswer;
        this.show(answer);
      } catch (e) {
        this.problem = (e as Error).message;
        this.has = false;
      }
      this.looking = false;
    },
    show(a: MergeAnswer) {
      this.warnings = a.warnings;
      this.asked = true;
      const bases = a.bases.map((b) => ({ ...b, value: b.name, on: b.name === this.base }));
      if (!a.bases.some((b) => b.name === ""))
        bases.unshift({ name: "", value: "", words: from ? "a file" : "say which version", on: this.base === "" });
      this.bases = bases;
      this.has = a.from !== "";
      if (!this.has) {
        this.problem = "The file does not say which version both of you began with. Say which.";
        return;
      }
      const told = a.rows.map((r, key) => ({
        ...r,
        key,
        on: !without.has(key),
        told: r.words.join("; "),
        label: `Take it: ${r.words.join("; ")}`,
        hearing: `Hear it: ${r.words.join("; ")}`,
      }));
      this.theirs = told.filter((r) => r.by === "theirs" && r.conflict < 0);
      this.mine = told.filter((r) => r.by !== "theirs" && r.conflict < 0);
      this.conflicts = a.conflicts.map((c, key) => ({
        key,
        at: Math.min(...[...c.mine, ...c.theirs].map((i) => a.rows[i].at)),
        name: `touch-${key}`,
        title: `${told[c.theirs[0]].tc}: ${c.why}`,
        mine: !taken.has(key),
        theirs: taken.has(key),
        mineWords: words(c.mine.map((i) => a.rows[i])) || "as it was",
        theirWords: words(c.theirs.map((i) => a.rows[i])),
        hearing: `Hear what is taken at ${told[c.theirs[0]].tc}`,
      }));
      this.problem = a.problem && `What is chosen does not go together: ${a.problem}`;
      this.some = this.theirs.length > 0;
      this.kept = this.mine.length > 0;
      this.nothing = !this.some && !this.conflicts.length;
      this.takes = !a.problem && (this.theirs.some((r) => r.on) || taken.size > 0);
      const both = a.rows.filter((r) => r.by === "both").length;
      this.keptWords = `${counted(this.mine.length, "change")} of yours ${this.mine.length === 1 ? "stays" : "stay"}`;
      this.summary = [
        `Both began with ${a.from}`,
        `${counted(this.theirs.length, "change")} of theirs`,
        both ? `${counted(both, "change")} that both made` : "",
        this.conflicts.length
          ? `${counted(this.conflicts.length, "place")} that both touch`
          : "nothing that both touch",
      ]
        .filter(Boolean)
        .join(" · ");
    },
    async tick(r: Told) {
      if (!without.delete(r.key)) without.add(r.key);
      await this.compare();
    },
    async take(c: Touch, theirs: boolean) {
      if (theirs) taken.add(c.key);
      else taken.delete(c.key);
      await this.compare();
    },
    async hear(r: { at: number }) {
      try {
        await play(await sent("merge/sound.wav", this.base, { at: String(r.at) }));
      } catch (e) {
        say(e);
      }
    },
    async doIt() {
      if (!answer) return;
      this.busy = true;
      try {
        const more = { revision: String(answer.revision), page: pageName },
          did = (await (await sent("merge/take", this.base, more)).json()) as { words: string };
        this.doneWords = `${capital(did.words)}. One undo takes it back.`;
        this.done = true;
        this.has = this.asked = false;
      } catch (e) {
        say(e);
      }
      this.busy = false;
    },
  }));
}
