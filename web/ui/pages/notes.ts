// The page of notes: all that was remarked on a scene, with answers; settled or opened again.
import Alpine from "@alpinejs/csp";
import { Player } from "../bench/player.ts";
import { pageData } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { Remarks } from "../model/remarks.ts";
import { ask, registerAsk } from "../panels/ask.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { NoteView } from "../wire/web.ts";

interface Row extends NoteView {
  state: string;
  tone: string;
  settleWords: string;
  when: string;
  href: string;
}

const data = pageData<{ id: string; rate: number; notes: NoteView[] }>();
let panel: { rows: Row[]; shows: string; count: string };
const player = new Player(data.id, data.rate, () => {});
const remarks = new Remarks(data.id, () => show());
const day = (at: string) =>
  new Date(at).toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });

function row(n: NoteView): Row {
  return {
    ...n,
    text: n.approves ? n.text || "Approved" : n.text,
    state: n.approves ? "approved" : n.open ? "open" : n.settled ? `settled by ${n.settled}` : "settled",
    tone: n.approves ? "approves" : n.open ? "open" : "settled",
    settleWords: n.open ? "Settle" : "Open again",
    when: day(n.made),
    href: `/scenes/${data.id}/?at=${n.at}`,
    answers: n.answers.map((a) => ({ ...a, when: day(a.made) }) as NoteView),
  };
}

function show(): void {
  const open = remarks.notes.filter((n) => n.open).length;
  panel.count = `${open} open, ${remarks.notes.length - open} settled`;
  panel.rows = remarks.notes
    .filter((n) => panel.shows === "all" || (panel.shows === "open") === n.open)
    .sort((a, b) => a.at - b.at)
    .map(row);
}

const asked = async (title: string, value: string, then: (text: string) => Promise<void>): Promise<void> => {
  const q = await ask({ title, label: "Words", value, done: "Leave it" });
  if (q?.value.trim()) await then(q.value).catch(say);
};

Alpine.data("notes", () => ({
  rows: [] as Row[],
  shows: "all",
  count: "",
  init() {
    panel = this as unknown as typeof panel;
    remarks.notes = data.notes;
    show();
  },
  choose() {
    show();
  },
  hear(n: Row) {
    const around = 2 * data.rate;
    void player.play(Math.max(0, n.at - around), n.at + (n.length ?? 0) + around).catch(say);
  },
  settle(n: Row) {
    void remarks.settle(n.id, n.open).catch(say);
  },
  answer(n: Row) {
    void asked("Answer it", "", (text) => remarks.reply(n.id, text));
  },
  reword(n: Row) {
    void asked("Other words", n.text, (text) => remarks.reword(n.id, text));
  },
  drop(n: Row) {
    if (confirm("Remove this note with its answers?")) void remarks.drop(n.id).catch(say);
  },
}));

listen(data.id, { notes: () => void remarks.load().catch(say) });
registerAsk();
registerToast();
Alpine.start();
