// The list of what will be done, with a tick at each row; blends on many cuts are chosen above it.
import Alpine from "@alpinejs/csp";

/** A row of the list that is shown before anything is done. */
export interface Row {
  key: string;
  tc: string;
  name: string;
  was: string;
  words: string;
  more: string;
  mark: string;
  tone: string;
  after: string;
  afterTone: string;
  afterMark: string;
  ticked: boolean;
  can: boolean;
  edit?: unknown;
  heard?: boolean; // it can be: see Contents
}

interface Contents {
  of?: string; // what the rows are, "Seam" if nothing is said
  hear?: (key: string, then: boolean) => void; // lets a row be heard as it is, or as it would be then
  title: string;
  about: string;
  rows: Row[];
}

const blank = {
  of: "Seam",
  title: "",
  about: "",
  rows: [] as Row[],
  done: "",
  busy: false,
  styles: [] as { value: string; words: string; selected: boolean }[],
  style: "",
  which: "plain",
  choosing: false,
  nothing: false,
};

let list: typeof blank;
let dialog: HTMLDialogElement;
let act: (edits: unknown[]) => void = () => {};
let again: () => void = () => {};
let hears: Contents["hear"];

function show(set: Partial<typeof blank>): void {
  Object.assign(list, set);
  const n = list.rows.filter((r) => r.ticked && r.edit).length;
  list.done = n ? `Do ${n === 1 ? "it" : `these ${n}`}` : "Nothing is ticked";
  list.nothing = n === 0;
  if (!dialog.open) dialog.showModal();
}

/** Shows a list, of which what is ticked is then done. */
export function openList({ hear, of = "Seam", ...set }: Contents, then: (edits: unknown[]) => void): void {
  [act, hears] = [then, hear];
  show({ ...set, of, busy: false, choosing: false });
}

/** Shows that a list is being made; the signal says that the list was closed meanwhile. */
export function awaitList(title: string, about: string): AbortSignal {
  const stop = new AbortController();
  show({ title, about, rows: [], busy: true, choosing: false });
  const closed = () => {
    if (dialog.open) return; // said late of a list before this one
    dialog.removeEventListener("close", closed);
    stop.abort();
  };
  dialog.addEventListener("close", closed);
  return stop.signal;
}

/** Says how far the making of a list is. */
export function listProgress(about: string): void {
  if (list.busy) list.about = about;
}

export function closeList(): void {
  dialog.close();
}

/** What of a choice above the list is chosen. */
export interface Chosen {
  style: string;
  which: string; // of the cuts
}

/** Shows a list that depends on a choice above it; make is called again when that changes. */
export async function chooseList(
  styles: (typeof blank)["styles"],
  make: (c: Chosen) => Promise<[Contents, (edits: unknown[]) => void] | undefined>,
): Promise<void> {
  const ask = async () => {
    const made = await make({ style: list.style, which: list.which });
    if (!made) return;
    act = made[1];
    show({ ...made[0], busy: false, choosing: true });
  };
  again = () => void ask();
  Object.assign(list, { styles, style: styles.find((s) => s.selected)?.value ?? "", which: "plain" });
  await ask();
}

export function registerList(): void {
  Alpine.data("list", () => ({
    ...blank,
    init() {
      list = this;
      dialog = (this as unknown as { $root: HTMLDialogElement }).$root;
    },
    close: closeList,
    tick(key: string, e: Event) {
      const row = list.rows.find((r) => r.key === key);
      if (row) row.ticked = (e.target as HTMLInputElement).checked;
      show({});
    },
    all(e: Event) {
      for (const r of list.rows) r.ticked = r.can && (e.target as HTMLInputElement).checked;
      show({});
    },
    choose() {
      again();
    },
    hear(key: string, then: boolean) {
      hears?.(key, then);
    },
    go() {
      closeList();
      act(list.rows.filter((r) => r.ticked && r.edit).map((r) => r.edit));
    },
  }));
}
