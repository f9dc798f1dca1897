// The tone library: what there is, drawn as third-octaves, heard alone and under the scene; and what the scene's own
// recordings hold.
import Alpine from "@alpinejs/csp";
import { colours } from "../drawing/paint.ts";
import { get, pageData, pageName, post, request, send } from "../model/api.ts";
import { hasWords } from "../panels/long-list.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Tone {
  id: string;
  name: string;
  place: string;
  seconds: number;
  level_db: number;
  thirds: number[];
  made_up: boolean;
}
interface Found {
  source: string;
  name: string;
  from: number;
  to: number;
  tc: string;
  level_db: number;
  thirds: number[];
  words: string;
  seconds: number;
}
interface BedAnswer {
  revision: number;
  edit: unknown;
  bed: { words: string };
}
const data = pageData<{ id: string; revision: number; rate: number; tones: Tone[]; found: Found[] }>();

interface Panel {
  [key: string]: unknown;
  query: string;
  seconds: string;
  chosen: string;
}
let panel: Panel;
let tones = data.tones;
let audio: HTMLAudioElement | undefined,
  playing = "";
const thirds = new Map<string, number[]>();
const keyOf = (f: Found) => `${f.source}:${f.from}`;
const dark = (t: number[]) => {
  const third = Math.floor(t.length / 3),
    mean = (v: number[]) => v.reduce((a, b) => a + b, 0) / v.length,
    tilt = mean(t.slice(-third)) - mean(t.slice(0, third));
  return `third-octaves from 31.5 Hz to 16 kHz, ${tilt < -25 ? "dark" : tilt > -5 ? "bright" : "even"}`;
};
const level = (db: number) => `${db.toFixed(1)} dBFS`,
  long = (s: number) => `${s.toFixed(s < 10 ? 2 : 1)} s`;

/** The third-octaves as bars, the loudest at the top, 50 dB high. */
function draw(canvas: HTMLCanvasElement, t: number[]): void {
  const c = canvas.getContext("2d")!,
    col = colours(),
    { width, height } = canvas,
    top = Math.max(...t),
    w = width / t.length;
  c.clearRect(0, 0, width, height);
  c.fillStyle = col.tone;
  t.forEach((db, i) => {
    const h = Math.max(1, height * Math.max(0, 1 - (top - db) / 50));
    c.fillRect(i * w + 0.5, height - h, w - 1, h);
  });
  c.fillStyle = col.line;
  c.fillRect(0, height - 1, width, 1);
}

function show(): void {
  const said = (what: string, on: string, off: string) => (playing === what ? on : off);
  const view = (t: Tone) => ({
    ...t,
    class: "",
    level: level(t.level_db),
    length: long(t.seconds),
    colour: dark(t.thirds),
    mine: !t.made_up,
    alone: String(playing === t.id),
    aloneWords: said(t.id, "Stop", "Hear alone"),
    under: String(playing === `under ${t.id}`),
    underWords: said(`under ${t.id}`, "Stop", "Hear under the scene"),
  });
  const shown = tones.filter((t) => hasWords(`${t.name} ${t.place}`, panel.query));
  for (const t of tones) thirds.set(t.id, t.thirds);
  for (const f of data.found) thirds.set(keyOf(f), f.thirds);
  panel.all = tones;
  panel.shown = shown.map(view);
  panel.nothing = shown.length === 0;
  panel.count = `${tones.length} ${tones.length === 1 ? "tone" : "tones"}`;
  panel.found = data.found.map((f) => ({
    key: keyOf(f),
    name: f.name,
    words: `at ${f.tc} · ${f.words}`,
    level: level(f.level_db),
    length: long(f.seconds),
    colour: dark(f.thirds),
    alone: String(playing === keyOf(f)),
    aloneWords: said(keyOf(f), "Stop", "Hear it"),
  }));
  if (!tones.some((t) => t.id === panel.chosen)) panel.chosen = tones[0]?.id ?? "";
  void Alpine.nextTick(() => {
    for (const x of document.querySelectorAll<HTMLCanvasElement>("canvas[data-thirds]"))
      draw(x, thirds.get(x.dataset.thirds!)!);
  });
}

function hear(what: string, url: string): void {
  audio?.pause();
  if (playing === what) {
    playing = "";
    return show();
  }
  playing = what;
  const a = (audio = new Audio(url));
  a.addEventListener("ended", () => {
    if (audio !== a) return;
    playing = "";
    show();
  });
  a.addEventListener("error", () => {
    if (audio === a)
      void fetch(url)
        .then((r) => (r.ok ? undefined : r.json()))
        .then((p?: { message: string }) => p && say(p.message));
    playing = "";
    show();
  });
  void a.play().catch(() => undefined);
  show();
}

async function took(ask: Promise<Tone[]>): Promise<void> {
  try {
    tones = await ask;
    show();
  } catch (e) {
    say(e);
  }
}

Alpine.data("tones", () => ({
  query: "",
  count: "",
  nothing: false,
  all: [] as unknown[],
  shown: [] as unknown[],
  found: [] as unknown[],
  seconds: "30",
  chosen: "",
  init() {
    panel = this as unknown as Panel;
    show();
  },
  look() {
    show();
  },
  hear(id: string) {
    hear(id, `/tones/${id}/sound.wav`);
  },
  hearUnder(id: string) {
    hear(`under ${id}`, `/tones/${id}/sound.wav?scene=${data.id}`);
  },
  hearFound(key: string) {
    const f = data.found.find((x) => keyOf(x) === key)!;
    hear(key, `/scenes/${data.id}/sources/${f.source}/stretch.wav?from=${f.from}&to=${f.to}`);
  },
  async lay(id: string) {
    try {
      const got = await get<BedAnswer>(`/scenes/${data.id}/bed?tone=${id}`);
      await post(`/scenes/${data.id}/edits`, { page: pageName, revision: got.revision, edit: got.edit });
      say(`Laid as a bed. ${got.bed.words}`);
    } catch (e) {
      say(e);
    }
  },
  rename(id: string) {
    const t = tones.find((x) => x.id === id)!,
      dialog = document.getElementById("tone-name") as HTMLDialogElement,
      form = dialog.querySelector("form")!;
    const [name, place] = [...form.querySelectorAll("input")];
    [name.value, place.value] = [t.name, t.place];
    dialog.onclose = () =>
      void (dialog.returnValue === "ok" && took(post(`/tones/${id}`, { name: name.value, place: place.value })));
    dialog.returnValue = "";
    dialog.showModal();
  },
  drop(id: string) {
    void took(request("DELETE", `/tones/${id}`));
  },
  keep(key: string) {
    const f = data.found.find((x) => keyOf(x) === key)!;
    void took(
      post(`/scenes/${data.id}/tone`, {
        name: `Tone of ${f.name}`,
        place: `at ${f.tc}`,
        source: f.source,
        from: f.from,
        to: f.to,
      }),
    );
  },
  bring(e: Event) {
    const input = e.target as HTMLInputElement,
      file = input.files?.[0];
    if (file) void took(send("/tones", file));
    input.value = "";
  },
  build() {
    const n = Number(panel.seconds);
    if (!(n >= 1 && n <= 3600)) return say("A tone can be built 1 to 3600 seconds long.");
    location.assign(`/tones/${panel.chosen}/sound.wav?seconds=${Math.round(n)}&as=file`);
  },
}));

document.addEventListener("light", show);
registerToast();
Alpine.start();
