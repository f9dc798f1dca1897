// The listener's page: plays the scene, shows its worst seams, and takes what a listener has to say of each.
import Alpine from "@alpinejs/csp";
import { Player } from "../bench/player.ts";
import { eachFrame } from "../drawing/frames.ts";
import { get, pageData } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { noteWords, Remarks } from "../model/remarks.ts";
import type { Seam } from "../model/seam.ts";
import { frameOf, type Rate, timecode } from "../model/time.ts";
import { ask, registerAsk } from "../panels/ask.ts";
import { name } from "../panels/seams.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Row {
  id: string;
  at: number;
  tc: string;
  name: string;
  why: string;
  verdict: string;
  mark: string;
  tone: string;
  approved: boolean;
  approvedClass: string;
  approvedPressed: string;
  approveWords: string;
  approveLabel: string;
  hearLabel: string;
  askLabel: string;
  notes: { id: string; words: string }[];
}

const data = pageData<{ id: string; rate: Rate; sample_rate: number; start_frame: number; length: number }>();
const WORST = 12; // seams shown at first
const AROUND = 2.5; // seconds heard before and after a seam
const MARKS: Record<string, string> = { rough: "▲", audible: "◆", clean: "●", unknown: "□" };
const RANK: Record<string, number> = { rough: 0, audible: 1, unknown: 1.5, clean: 2 };

let panel: {
  seams: Row[];
  about: string;
  more: boolean;
  moreWords: string;
  playWords: string;
  tc: string;
  place: number;
};
let all: Seam[] = [],
  shown = WORST,
  at = 0;
const tcOf = (sample: number) => timecode(data.start_frame + frameOf(sample, data.rate, data.sample_rate), data.rate);
const player = new Player(data.id, data.sample_rate, () => {
  if (panel) panel.playWords = player.playing ? "Stop" : "Play";
  tick();
});
const remarks = new Remarks(data.id, () => show());

function row(s: Seam): Row {
  const notes = remarks.on({ seam: s.id }),
    approved = notes.some((n) => n.approves),
    what = `${name(s)} at ${tcOf(s.at)}`;
  return {
    id: s.id,
    at: s.at,
    tc: tcOf(s.at),
    name: `${s.track_name}: ${name(s)}`,
    why: s.why,
    verdict: s.verdict,
    mark: MARKS[s.verdict] ?? "○",
    tone: approved ? "approved" : "",
    approved,
    approvedClass: approved ? "on" : "",
    approvedPressed: String(approved),
    approveWords: approved ? "Approved" : "Approve",
    approveLabel: `Approve ${what}`,
    hearLabel: `Hear ${what}`,
    askLabel: `Ask again for ${what}`,
    notes: notes
      .filter((n) => !n.approves)
      .flatMap((n) => [n, ...n.answers])
      .map((n) => ({ id: n.id, words: noteWords(n) })),
  };
}

function show(): void {
  const order = [...all].sort((a, b) => (RANK[a.verdict] ?? 3) - (RANK[b.verdict] ?? 3) || a.at - b.at);
  const off = order.filter((s) => s.verdict === "rough" || s.verdict === "audible").length;
  panel.seams = order.slice(0, shown).map(row);
  const n = order.length - shown;
  [panel.more, panel.moreWords] = [n > 0, `Show the other ${n} seams`];
  if (all.length) panel.about = `${all.length} seams, ${off} of them heard. The worst come first.`;
  else panel.about = "There is no seam here: nothing was cut yet. The whole can be heard.";
}

async function load(): Promise<void> {
  all = (await get<{ set: Seam[] }>(`/scenes/${data.id}/seams`)).set;
  show();
}

const tick = eachFrame(() => {
  if (player.playing) at = player.position();
  panel.tc = tcOf(at);
  panel.place = data.length ? Math.round((1000 * at) / data.length) : 0;
  return player.playing;
});

Alpine.data("listening", () => ({
  seams: [] as Row[],
  about: "",
  more: false,
  moreWords: "",
  playWords: "Play",
  tc: tcOf(0),
  place: 0,
  init() {
    panel = this as unknown as typeof panel;
    void load().catch(say);
    void remarks.load().catch(say);
    tick();
  },
  play() {
    if (player.playing) return player.stop();
    void player.play(at >= data.length ? 0 : at, data.length).catch(say);
  },
  seek(e: Event) {
    at = Math.round((Number((e.target as HTMLInputElement).value) * data.length) / 1000);
    if (player.playing) void player.play(at, data.length).catch(say);
    else tick();
  },
  hear(s: Row) {
    const around = Math.round(AROUND * data.sample_rate);
    void player.play(Math.max(0, s.at - around), Math.min(data.length, s.at + around)).catch(say);
  },
  approve(s: Row) {
    const mine = remarks.on({ seam: s.id }).find((n) => n.approves && n.mine);
    if (mine) void remarks.drop(mine.id).catch(say);
    else if (!s.approved) void remarks.leave("Approved", { seam: s.id }, true).catch(say);
    else say("Somebody else approved it. Ask again if you hear something.");
  },
  async again(s: Row) {
    const q = await ask({ title: `What is heard at ${s.tc}?`, label: "Note", done: "Ask again" });
    if (q?.value.trim()) await remarks.leave(q.value, { seam: s.id }).catch(say);
  },
  async remarkHere() {
    const here = at;
    const q = await ask({ title: `A note at ${tcOf(here)}`, label: "Note", done: "Leave it" });
    if (q?.value.trim()) await remarks.leave(q.value, { at: here }).catch(say);
  },
  showAll() {
    shown = all.length;
    show();
  },
}));

listen(data.id, {
  seams: () => void load().catch(say),
  edited: () => void load().catch(say),
  notes: () => void remarks.load(),
});
registerAsk();
registerToast();
Alpine.start();
