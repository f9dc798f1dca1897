// The undo list and the named versions of a scene: everything done, in words; go back to any; compare two.
import Alpine from "@alpinejs/csp";
import type { Edits } from "../commands/stage.ts";
import { get, post, remove } from "../model/api.ts";
import { LongList } from "./long-list.ts";
import { say } from "./toast.ts";

interface Past {
  node: number;
  words: string;
  at: string;
  where: "done" | "undone" | "aside";
  who?: string;
}
interface Version {
  name: string;
  node: number;
  made: string;
}
interface Row extends Past {
  time: string;
  tone: string;
  mark: string;
  label: string;
}
interface View {
  [key: string]: unknown;
  rows: Row[];
  filter: string;
  count: string;
  versions: (Version & { time: string })[];
  from: string;
  to: string;
  differences: string[];
  compared: boolean;
  name: string;
  $refs: Record<string, HTMLElement>;
}

let view: View | undefined,
  edits: Edits,
  id = "",
  note: (words: string) => void;

const when = (at: string): string => {
  const d = new Date(at),
    clock = d.toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });
  return d.toDateString() === new Date().toDateString()
    ? clock
    : `${d.toLocaleDateString("en-GB", { day: "numeric", month: "short" })} ${clock}`;
};

const list = new LongList<Row>(
  (r) => `${r.words} ${r.label} ${r.time} ${r.who}`,
  (rows, count) => Object.assign(view!, { rows, count }),
);

const WORDS = { done: "", undone: "undone", aside: "set aside by a later edit" };

async function load(): Promise<void> {
  const got = await get<{ now: number; edits: Past[]; versions: Version[] }>(`${id}/history`);
  const rows = got.edits.reverse().map((p) => ({
    ...p,
    who: p.who ?? "",
    time: when(p.at),
    tone: p.node === got.now ? "now" : p.where,
    mark: p.node === got.now ? "●" : p.where === "done" ? "│" : "┆",
    label: [
      p.node === got.now ? "the scene is here" : WORDS[p.where],
      ...got.versions.filter((v) => v.node === p.node).map((v) => `version ${v.name}`),
    ]
      .filter(Boolean)
      .join(" · "),
  }));
  list.set(rows);
  list.reach(rows.findIndex((r) => r.tone === "now"));
  view!.versions = got.versions.map((v) => ({ ...v, time: when(v.made) }));
}

/** Opens the list; with naming, to keep the present state as a version. */
export function openPast(naming: boolean): void {
  if (!view) return;
  Object.assign(view, { differences: [], compared: false, name: "", filter: "" });
  list.filter("");
  void edits.after(load).then(() => {
    const dialog = view!.$refs.past as HTMLDialogElement;
    if (!dialog.open) dialog.showModal();
    if (naming) dialog.querySelector<HTMLInputElement>("#version-name")!.focus();
    else dialog.querySelector<HTMLElement>(".now button")?.focus();
  }, say);
}

export function registerPast(e: Edits, noted: (words: string) => void): void {
  [edits, note, id] = [e, noted, location.pathname.replace(/\/$/, "")];
  Alpine.data("past", () => ({
    rows: [] as Row[],
    filter: "",
    count: "",
    look() {
      list.filter(view!.filter);
    },
    more(e: Event) {
      list.scrolled(e.target as HTMLElement);
    },
    versions: [] as View["versions"],
    from: "",
    to: "",
    differences: [] as string[],
    compared: false,
    name: "",
    init() {
      view = this as unknown as View;
    },
    async go(node: number) {
      if (await edits.goTo({ node })) await load();
    },
    async keep() {
      try {
        const name = view!.name.trim();
        await edits.after(() => post(`${id}/versions`, { name }));
        view!.name = "";
        note(`Kept as version ${name}`);
        await load();
      } catch (problem) {
        say(problem);
      }
    },
    async bring(name: string) {
      if (await edits.goTo({ version: name })) await load();
    },
    async drop(name: string) {
      try {
        await remove(`${id}/versions/${encodeURIComponent(name)}`);
        await load();
      } catch (problem) {
        say(problem);
      }
    },
    async compare() {
      try {
        const got = await get<{ differences: string[] }>(
          `${id}/versions/compare?${new URLSearchParams({ from: view!.from, to: view!.to })}`,
        );
        view!.differences = got.differences.length ? got.differences : ["Nothing differs."];
        view!.compared = true;
      } catch (problem) {
        say(problem);
      }
    },
    close() {
      (view!.$refs.past as HTMLDialogElement).close();
    },
  }));
}
