// A list of things of which one is in hand: looked at, heard, taken or passed, one after the other.
import Alpine from "@alpinejs/csp";
import { LongList } from "./long-list.ts";
import { say } from "./toast.ts";

export interface Option {
  key: string;
  at: string;
  name: string;
  words: string;
  more: string;
  mark: string;
  tone: string;
}
interface Shown extends Option {
  class: string;
  selected: string;
}
export interface Choosing {
  title: string;
  about: string;
  note?: string;
  options: Option[];
  hears: string;
  plain: string;
  takes: string;
  passes?: string; // what the buttons say; none for ""
  chosen?(o: Option): void;
  heard?(o: Option, plain: boolean): void;
  taken?(o: Option): Promise<boolean>; // true: go on with the next
}
interface Panel {
  [key: string]: unknown;
  rows: Shown[];
  $refs: Record<string, HTMLElement>;
}

let panel: Panel | undefined;
let current: Choosing | undefined;
let at = 0; // among those that are shown
let inPage: Option[] = [];
const list = new LongList<Option>(
  (o) => `${o.at} ${o.name} ${o.words} ${o.more}`,
  (options, count) => {
    inPage = options;
    panel!.count = count;
  },
);
const FEW = 12; // that need no filter

export function registerChoices(): void {
  Alpine.data("choices", () => ({
    title: "",
    about: "",
    note: "",
    rows: [] as Shown[],
    hears: "",
    plain: "",
    takes: "",
    passes: "",
    none: true,
    filter: "",
    many: false,
    count: "",
    look() {
      at = 0;
      list.filter(String(panel!.filter));
      show();
    },
    more(e: Event) {
      list.scrolled(e.target as HTMLElement);
      show();
    },
    init() {
      panel = this as unknown as Panel;
    },
    close() {
      (panel!.$refs.choices as HTMLDialogElement).close();
    },
    choose(i: number) {
      step(i - at, true);
    },
    hear() {
      hear(false);
    },
    hearPlain() {
      hear(true);
    },
    take() {
      void take();
    },
    pass() {
      pass();
    },
    key(e: KeyboardEvent) {
      const act: Record<string, () => void> = {
        ArrowDown: () => step(1, true),
        ArrowUp: () => step(-1, true),
        Enter: () => void take(),
        Delete: pass,
        Backspace: pass,
        " ": () => hear(false),
        "1": () => hear(true),
        "2": () => hear(false),
      };
      if (!act[e.key] || ((e.target as Element).matches("button") && (e.key === "Enter" || e.key === " "))) return;
      e.preventDefault();
      act[e.key]();
    },
  }));
}

function show(): void {
  at = Math.max(0, Math.min(list.found.length - 1, at));
  list.reach(at);
  panel!.rows = inPage.map((x, i) => ({ ...x, class: i === at ? "at" : "", selected: String(i === at) }));
  panel!.none = list.found.length === 0;
}

function step(by: number, tell: boolean): void {
  const c = current!;
  if (!list.found.length) return;
  at = Math.max(0, Math.min(list.found.length - 1, at + by));
  show();
  void Alpine.nextTick(() => panel!.$refs.choices.querySelector(".at")?.scrollIntoView({ block: "nearest" }));
  if (tell) c.chosen?.(list.found[at]);
}

function hear(plain: boolean): void {
  const o = list.found[at];
  if (o) current?.heard?.(o, plain);
}

async function take(): Promise<void> {
  const c = current!,
    o = list.found[at];
  if (!o || !c.taken) return;
  if (await c.taken(o)) drop(o);
  else (panel!.$refs.choices as HTMLDialogElement).close();
}

function pass(): void {
  const o = list.found[at];
  if (o && current?.passes) drop(o);
}

function drop(o: Option): void {
  const c = current!;
  c.options = c.options.filter((x) => x !== o);
  list.set(c.options);
  show();
  if (list.found[at]) c.chosen?.(list.found[at]);
  else if (!c.options.length) {
    (panel!.$refs.choices as HTMLDialogElement).close();
    say("That was all: every finding is taken or passed.");
  }
}

export class Choices {
  open(c: Choosing): void {
    [current, at] = [{ ...c, options: [...c.options] }, 0];
    Object.assign(panel!, {
      title: c.title,
      about: c.about,
      note: c.note ?? "",
      hears: c.hears,
      plain: c.plain,
      takes: c.takes,
      passes: c.passes ?? "",
      filter: "",
      many: c.options.length > FEW,
    });
    list.filter("");
    list.set(current!.options);
    show();
    const dialog = panel!.$refs.choices as HTMLDialogElement;
    if (!dialog.open) dialog.showModal();
    if (c.options.length) {
      c.chosen?.(c.options[0]);
      void Alpine.nextTick(() => panel!.$refs.box.focus());
    }
  }

  /** Whether the list of that title is open: whoever waited for what it is to hold may have closed it. */
  shows(title: string): boolean {
    return (panel!.$refs.choices as HTMLDialogElement).open && panel!.title === title;
  }

  close(): void {
    (panel!.$refs.choices as HTMLDialogElement).close();
  }
}
