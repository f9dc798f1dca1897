// The page of sources: brings recordings in, with progress, and lays them out.

import Alpine from "@alpinejs/csp";
import { colours, sharpen } from "../drawing/paint.ts";
import { Pictures, type Sheets } from "../drawing/pictures.ts";
import { drawWave, setUpWaves } from "../drawing/waves.ts";
import { get, type Job, pageData, pageName, post, remove, send } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { jobs } from "../model/jobs.ts";
import type { Rate } from "../model/time.ts";
import { LongList } from "../panels/long-list.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Source {
  id: string;
  name: string;
  shown: string;
  seconds: number;
  rate?: number;
  channels?: number;
  bits?: number;
  format: string;
  bytes: number;
  width?: number;
  height?: number;
  frame_rate?: string;
  samples: number;
  used: number;
  here: boolean;
  parts: number; // joined recordings that have it in them
  joined?: string[]; // names of what it was joined from
  damaged?: number;
}
interface Row {
  id: string;
  shown: string;
  length: string;
  what: string;
  joined: string;
  used_words: string;
  picture: boolean;
  here: boolean;
  elsewhere: boolean;
  href: string;
  as: string; // the purpose that it is laid out for; "": by what it is
  asWords: string;
}
interface Arrival {
  key: number;
  name: string;
  percent: number;
  style: string;
  words: string;
  tone: string;
  under: boolean;
  job?: string;
  abort?: AbortController;
}
interface Missing {
  id: string;
  name: string;
  url: string;
  clips: number;
  words: string;
  label: string;
  doing: string;
  to: string;
}
interface Data {
  id: string;
  rate: number;
  sources: Source[];
  missing: Missing[];
  media: Sheets & { peak_steps: number[]; tile_bins: number };
}

const data = pageData<Data>();
let sources = data.sources,
  missing = data.missing,
  key = 0,
  page: { arrivals: Arrival[]; list: Row[]; [k: string]: unknown };

setUpWaves(data.rate, data.media.peak_steps, data.media.tile_bins, () => requestAnimationFrame(paint));

/** A file's name without its folder and its ending. */
const bare = (name: string) =>
  name
    .split("/")
    .pop()!
    .replace(/\.[^.]*$/, "")
    .toLowerCase();

const silenced = (n: number) => `${n} damaged ${n === 1 ? "sample reads" : "samples read"} as silence`;

function usedWords(s: Source): string {
  const some = (n: number, one: string) => (n ? [`${n} ${n === 1 ? one : `${one}s`}`] : []),
    all = [...some(s.used, "clip"), ...(s.parts ? [`part of ${some(s.parts, "joined recording")[0]}`] : [])];
  return all.join(", ") || (s.here ? "not used yet" : "not in this scene");
}

function row(s: Source): Row {
  const [num, den] = (s.frame_rate ?? "").split(" ")[0].split("/").map(Number),
    fps = den > 1 ? (num / den).toFixed(3) : String(num);
  const n = Math.round(s.seconds * 10) / 10,
    sound = s.rate
      ? `${s.rate} Hz, ` +
        (s.channels === 1 ? "mono" : s.channels === 2 ? "stereo" : `${s.channels} channels`) +
        (s.bits ? `, ${s.bits} bits` : "")
      : "no sound";
  return {
    id: s.id,
    shown: s.shown,
    length: `${Math.floor(n / 60)}:${(n % 60).toFixed(1).padStart(4, "0")}`,
    picture: !!s.width,
    here: s.here,
    elsewhere: !s.here,
    as: "",
    asWords: `Which track ${s.shown} is laid out on`,
    href: `/scenes/${data.id}/sources/${s.id}/`,
    what:
      `${s.width ? `picture ${s.width}×${s.height} at ${fps} fps, ` : ""}${sound} · ` +
      `${(s.bytes / 1e6).toFixed(1)} MB${s.damaged ? ` · ${silenced(s.damaged)}` : ""}`,
    joined: s.joined?.length ? `Joined from ${s.joined.join(" · ")}` : "",
    used_words: usedWords(s),
  };
}

function paint(): void {
  const col = colours();
  for (const canvas of document.querySelectorAll<HTMLCanvasElement>("[data-wave]")) {
    const s = sources.find((x) => x.id === canvas.dataset.wave);
    if (!s?.rate || !s.here) continue;
    const { c, width, height } = sharpen(canvas);
    c.clearRect(0, 0, width, height);
    drawWave(
      c,
      { source: s.id, offset: 0, gain: () => 1, colour: col.dialogue },
      0,
      s.samples / width,
      0,
      width,
      0,
      height,
    );
  }
  for (const canvas of document.querySelectorAll<HTMLCanvasElement>("[data-still]")) {
    const s = sources.find((x) => x.id === canvas.dataset.still);
    if (!s?.width) continue;
    const [num, den] = (s.frame_rate ?? "25").split(" ")[0].split("/").map(Number);
    const rate: Rate = { num, den: den || 1, drop: false, nominal: Math.ceil(num / (den || 1)) };
    stills(rate).draw(
      sharpen(canvas).c,
      s.id,
      Math.round((s.seconds * num) / (den || 1) / 3),
      0,
      0,
      canvas.clientWidth,
      canvas.clientHeight,
    );
  }
}

const strips = new Map<number, Pictures>();
function stills(r: Rate): Pictures {
  const k = r.num / r.den;
  if (!strips.has(k)) strips.set(k, new Pictures(r, data.media, () => requestAnimationFrame(paint)));
  return strips.get(k)!;
}

const long = new LongList<Row>(
  (r) => `${r.shown} ${r.joined} ${r.what} ${r.used_words} ${r.length}`,
  (rows, words) => {
    page.list = rows;
    page.countWords = words;
    Alpine.nextTick(() => requestAnimationFrame(paint));
  },
);
addEventListener("scroll", () => long.scrolled(document.documentElement), { passive: true });

function show(): void {
  const here = sources.filter((s) => s.here),
    list = page.others ? [...here, ...sources.filter((s) => !s.here)] : here;
  long.set(list.map(row));
  page.hasOthers = here.length < sources.length;
  page.many = sources.length > 8;
  page.hasList = list.length > 0;
  page.isEmpty = sources.length === 0 && page.arrivals.length === 0;
  page.hasArrivals = page.arrivals.length > 0;
  page.hasMissing = missing.length > 0;
  page.choices = sources.map((s) => ({ id: s.id, name: s.shown }));
  page.missing = missing.map((m) => ({
    ...m,
    words: `${m.clips === 1 ? "one clip" : `${m.clips} clips`}, from ${m.url}`,
    label: `What ${m.name} is`,
    doing: `Link ${m.name}`,
    to: "",
  }));
  Alpine.nextTick(() => requestAnimationFrame(paint));
}

async function refresh(): Promise<void> {
  const html = await (await fetch(location.href)).text();
  const found = new DOMParser().parseFromString(html, "text/html").getElementById("data");
  if (found) ({ sources, missing } = JSON.parse(found.textContent!) as Data);
  show();
}

function mark(a: Arrival, percent: number, words: string, tone = ""): void {
  a.percent = Math.round(percent);
  a.style = `width:${a.percent}%`;
  a.words = words;
  a.tone = tone;
}

async function bring(files: Iterable<File>): Promise<void> {
  for (const file of files) {
    const abort = new AbortController();
    page.arrivals.unshift({
      key: ++key,
      name: file.name,
      percent: 0,
      style: "width:0%",
      words: "waiting",
      tone: "",
      under: true,
      abort,
    });
    const a = page.arrivals[0]; // as Alpine watches it
    show();
    try {
      const job = await send<Job>(
        `/scenes/${data.id}/sources`,
        file,
        (done) => mark(a, done * 80, `${Math.round(done * 100)} % sent`),
        abort.signal,
      );
      a.job = job.id;
      mark(a, 85, "being prepared");
      const end = await jobs.ended(job);
      if (end.state !== "done") throw new Error(end.error || "It was stopped.");
      const damaged = (end.result as { damaged?: number } | null)?.damaged;
      mark(a, 100, damaged ? `here; ${silenced(damaged)}` : "here", damaged ? "problem" : "clean");
      await refresh();
    } catch (e) {
      mark(a, 100, (e as Error).message, "problem");
    }
    a.under = false;
  }
}

listen(data.id, {
  job: (j) => {
    if (j.kind === "analysis") listened(j);
    else if (j.kind === "join" && j.state === "done") void refresh();
  },
});

/** Says how far a recording, which is here already, has been looked through for its words, pauses and room. */
function listened(j: Job): void {
  const a = page.arrivals.find((x) => x.name === j.words && (!x.under || x.job === j.id));
  if (!a || a.tone === "problem") return;
  a.job = j.id;
  a.under = j.state === "running";
  if (a.under) mark(a, j.done * 100, "here; its words and pauses are being found");
  else if (j.state === "done") mark(a, 100, "here, its words and pauses are known", "clean");
  else mark(a, 100, "here; its words and pauses will be found when they are needed", "");
}

Alpine.data("sources", () => ({
  arrivals: [] as Arrival[],
  list: [] as Row[],
  hasList: false,
  others: false,
  hasOthers: false,
  countWords: "",
  filter: "",
  many: false,
  look() {
    long.filter(String(page.filter));
  },
  isEmpty: false,
  hasArrivals: false,
  hasMissing: false,
  missing: [] as Missing[],
  choices: [] as { id: string; name: string }[],
  folder() {
    ((this as unknown as { $refs: Record<string, HTMLElement> }).$refs.folder as HTMLInputElement).click();
  },
  chosenFolder() {
    const input = (this as unknown as { $refs: Record<string, HTMLElement> }).$refs.folder as HTMLInputElement,
      names = new Set(missing.map((m) => bare(m.url)));
    void bring([...(input.files ?? [])].filter((f) => names.has(bare(f.name))));
    input.value = "";
  },
  async link(m: Missing) {
    try {
      await post(`/scenes/${data.id}/sources/${m.id}/link`, { to: m.to });
      await refresh();
    } catch (e) {
      say(e);
    }
  },
  dragging: "",
  init() {
    page = this as unknown as typeof page;
    show();
  },
  choose() {
    ((this as unknown as { $refs: Record<string, HTMLElement> }).$refs.files as HTMLInputElement).click();
  },
  chosen() {
    const input = (this as unknown as { $refs: Record<string, HTMLElement> }).$refs.files as HTMLInputElement;
    void bring([...(input.files ?? [])]);
    input.value = "";
  },
  over() {
    this.dragging = "dragging";
  },
  out() {
    this.dragging = "";
  },
  drop(e: DragEvent) {
    this.dragging = "";
    void bring([...(e.dataTransfer?.files ?? [])]);
  },
  stop(a: Arrival) {
    if (a.job) void post(`/jobs/${a.job}/stop`).catch(say);
    else a.abort?.abort();
  },
  show() {
    show();
  },
  async rename(s: Row) {
    const name = prompt(
      `Another name for ${s.shown} in this scene. Its clips keep theirs, its file is not touched.`,
      s.shown,
    );
    if (name === null) return;
    try {
      const { revision } = await get<{ revision: number }>(`/scenes/${data.id}/sources/${s.id}/state`);
      const edit = { edit: "rename_source", source: s.id, name };
      await post(`/scenes/${data.id}/edits`, { page: pageName, revision, edit });
      await refresh();
    } catch (e) {
      say(e);
    }
  },
  async remove(s: Row) {
    const what = `Remove ${s.shown} from all scenes, with its files here? The file that it was brought in from stays.`;
    if (!confirm(what)) return;
    try {
      await remove(`/sources/${s.id}`);
      await refresh();
    } catch (e) {
      say(e);
    }
  },
  async lay(s: Row) {
    try {
      await post(`/scenes/${data.id}/sources/${s.id}/lay${s.as ? `?purpose=${s.as}` : ""}`);
      await refresh();
    } catch (e) {
      say(e);
    }
  },
}));
document.addEventListener("light", () => requestAnimationFrame(paint));

registerToast();
Alpine.start();
