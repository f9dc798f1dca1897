// Finding a command by a word of it, and the list of all keys.
import Alpine from "@alpinejs/csp";
import { type Command, keyName, nearest, search } from "../commands/keys.ts";

interface Found {
  id: string;
  words: string;
  key: string;
  tone: string;
  selected: string;
}

interface Dialog {
  $root: HTMLDialogElement;
}

let finder: Dialog & { query: string; look(): void };
let keys: Dialog & { groups: { name: string; list: { words: string; key: string }[] }[] };
let all: () => Command[] = () => [];

export function openSearch(): void {
  finder.query = "";
  finder.look();
  finder.$root.showModal();
}

export function openKeys(): void {
  const groups = new Map<string, { words: string; key: string }[]>();
  for (const c of all())
    if (c.keys?.length)
      groups.set(c.group ?? "", [...(groups.get(c.group ?? "") ?? []), { words: c.words, key: keyName(c) }]);
  keys.groups = [...groups].map(([name, list]) => ({ name, list }));
  keys.$root.showModal();
}

/** Both dialogs, over the page's commands; run does one. */
export function registerSearch(commands: () => Command[], run: (id: string) => void): void {
  all = commands;
  Alpine.data("search", () => ({
    query: "",
    found: [] as Found[],
    notFound: false,
    near: false,
    at: 0,
    init() {
      finder = this as unknown as typeof finder;
    },
    look() {
      this.at = 0;
      this.show();
    },
    show() {
      const hit = search(all(), this.query);
      const list = hit.length ? hit : nearest(all(), this.query);
      this.near = hit.length === 0 && list.length > 0;
      this.found = list.map((c, i) => {
        const here = i === this.at;
        return { id: c.id, words: c.words, key: keyName(c), tone: here ? "at" : "", selected: String(here) };
      });
      this.notFound = this.found.length === 0;
    },
    key(e: KeyboardEvent) {
      const by = { ArrowDown: 1, ArrowUp: -1 }[e.key];
      if (by) {
        e.preventDefault();
        this.at = Math.max(0, Math.min(this.found.length - 1, this.at + by));
        this.show();
      } else if (e.key === "Enter") {
        e.preventDefault();
        e.stopPropagation(); // the dialog is closed by then, and the key is not meant for the page as well
        if (this.found[this.at]) this.take(this.found[this.at].id);
      }
    },
    take(id: string) {
      finder.$root.close();
      run(id);
    },
  }));
  Alpine.data("keys", () => ({
    groups: [] as { name: string; list: { words: string; key: string }[] }[],
    init() {
      keys = this as unknown as typeof keys;
    },
  }));
}
