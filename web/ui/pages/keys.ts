// The keys screen: every command with its keys, found by any word or by pressing a key; changed, added, removed, set
// back.
import Alpine from "@alpinejs/csp";
import { type Command, commandFor, pressed, printed, search } from "../commands/keys.ts";
import { pageData, post, request } from "../model/api.ts";
import { registerToast, say } from "../panels/toast.ts";

interface KeyCommand extends Command {
  start?: string[] | null;
}
interface Row {
  id: string;
  words: string;
  about: string;
  keys: { key: string; words: string; label: string }[];
  tone: string;
  waits: string;
  addWords: string;
  addLabel: string;
  changed: boolean;
  conflict: string;
}
interface Panel {
  [key: string]: unknown;
  groups: { name: string; list: Row[] }[];
  query: string;
  $refs: Record<string, HTMLElement>;
}

let commands = pageData<{ commands: KeyCommand[] }>().commands;
let waiting = ""; // the command that gets the next key that is pressed
let finding = false; // the next key that is pressed is looked up
let clash: { id: string; key: string; owner: KeyCommand } | undefined;
let panel: Panel;

const keysOf = (c: KeyCommand): string[] => c.keys ?? [];
const changed = (c: KeyCommand): boolean => keysOf(c).join(" ") !== (c.start ?? []).join(" ");

function row(c: KeyCommand): Row {
  return {
    id: c.id,
    words: c.words,
    about: c.about ?? "",
    tone: changed(c) ? "own" : "",
    changed: changed(c),
    keys: keysOf(c).map((key) => ({ key, words: printed(key), label: `Take ${printed(key)} off ${c.words}` })),
    waits: waiting === c.id ? "waiting" : "quiet",
    addWords: waiting === c.id ? "press a key …" : "add a key",
    addLabel: `Add a key to ${c.words}`,
    conflict: clash?.id === c.id ? `${printed(clash.key)} is the key of "${clash.owner.words}".` : "",
  };
}

function show(list: KeyCommand[] = search(commands, panel.query) as KeyCommand[]): void {
  const groups = new Map<string, Row[]>();
  for (const c of commands)
    if (list.includes(c)) groups.set(c.group ?? "", [...(groups.get(c.group ?? "") ?? []), row(c)]);
  panel.groups = [...groups].map(([name, rows]) => ({ name, list: rows }));
  panel.none = list.length === 0;
  panel.some = list.length > 0;
  const own = commands.filter(changed).length;
  panel.asBegun = own === 0;
  panel.about = `${commands.length} commands · ${own === 0 ? "keys as they begin" : `${own} with keys of your own`}`;
  panel.byKeyClass = finding ? "on" : "";
  panel.byKeyPressed = String(finding);
}

/** Keeps the keys of some commands, all at once. */
async function keep(set: Record<string, string[]>): Promise<void> {
  try {
    commands = await post<KeyCommand[]>("/keys", { kind: "blendseam keys 1", commands: set });
  } catch (e) {
    say(e);
  }
  [waiting, clash] = ["", undefined];
  show();
}

function press(e: KeyboardEvent): void {
  if (["Shift", "Control", "Alt", "Meta"].includes(e.key)) return;
  e.preventDefault();
  e.stopPropagation();
  const key = pressed(e);
  if (finding) {
    finding = false;
    const c = commandFor(commands, e);
    if (!c) say(`${printed(key)} does nothing yet.`);
    return c ? show([c as KeyCommand]) : show();
  }
  const c = commands.find((x) => x.id === waiting)!,
    owner = commands.find((x) => keysOf(x).includes(key));
  if (owner === c) waiting = "";
  else if (owner) {
    clash = { id: c.id, key, owner };
    waiting = "";
  } else return void keep({ [c.id]: [...keysOf(c), key] });
  show();
}

document.addEventListener(
  "keydown",
  (e) => {
    if (waiting || finding) press(e);
  },
  { capture: true },
);

Alpine.data("keys", () => ({
  query: "",
  groups: [] as Panel["groups"],
  none: false,
  some: true,
  asBegun: true,
  about: "",
  byKeyClass: "",
  byKeyPressed: "false",
  init() {
    panel = this as unknown as Panel;
    show();
  },
  look() {
    show();
  },
  byKey() {
    finding = !finding;
    waiting = "";
    show();
  },
  add(id: string) {
    waiting = waiting === id ? "" : id;
    [clash, finding] = [undefined, false];
    show();
  },
  off(id: string, key: string) {
    const c = commands.find((x) => x.id === id)!;
    void keep({ [id]: keysOf(c).filter((k) => k !== key) });
  },
  back(id: string) {
    const c = commands.find((x) => x.id === id)!,
      start = c.start ?? [],
      taken = commands.find((x) => x !== c && keysOf(x).some((k) => start.includes(k)));
    if (taken)
      return say(
        `${start
          .filter((k) => keysOf(taken).includes(k))
          .map(printed)
          .join(", ")} is now the key of "${taken.words}". Take it off that one first.`,
      );
    void keep({ [id]: start });
  },
  give(id: string) {
    if (!clash) return;
    const c = commands.find((x) => x.id === id)!;
    void keep({
      [clash.owner.id]: keysOf(clash.owner).filter((k) => k !== clash!.key),
      [id]: [...keysOf(c), clash.key],
    });
  },
  leave() {
    clash = undefined;
    show();
  },
  chooseFile() {
    (panel.$refs.file as HTMLInputElement).click();
  },
  async takeFile() {
    const input = panel.$refs.file as HTMLInputElement,
      file = input.files?.[0];
    input.value = "";
    if (!file) return;
    try {
      commands = await post<KeyCommand[]>("/keys", JSON.parse(await file.text()));
    } catch (e) {
      say(e instanceof SyntaxError ? `${file.name} is not a file of keys: it is not JSON. Nothing was changed.` : e);
    }
    show();
  },
  async reset() {
    try {
      commands = await request<KeyCommand[]>("DELETE", "/keys");
    } catch (e) {
      say(e);
    }
    show();
  },
}));

registerToast();
Alpine.start();
