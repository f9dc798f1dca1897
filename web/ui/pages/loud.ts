// What is too loud: peaks of speech over the band, and a mix at full scale; each with its place and what turns it down.
import Alpine from "@alpinejs/csp";
import { get, pageData, pageName, post } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { LoudAnswer, LoudView } from "../wire/web.ts";

const data = pageData<{ id: string; band_db: number; full_db: number }>();

interface Panel {
  count: string;
  some: boolean;
  track: string;
  query: string;
  tracks: string[];
  shown: unknown[];
}
let panel: Panel;
let answer: LoudAnswer = { revision: 0, places: [] };

const keyOf = (p: LoudView) => `${p.kind}:${p.clip}:${p.at}`;

function row(p: LoudView) {
  const over = `${p.over_db.toFixed(1)} dB`;
  return {
    key: keyOf(p),
    tc: p.tc,
    href: `/scenes/${data.id}/?clip=${encodeURIComponent(p.clip)}&at=${p.at}`,
    track: p.track_name,
    clip: p.clip_name,
    peak: `${p.peak_dbfs > 0 ? "+" : ""}${p.peak_dbfs.toFixed(1)} ${p.kind === "over_full" ? "dBTP" : "dBFS"}`,
    over: p.kind === "over_full" ? `full scale, by ${over}; this clip is the loudest there` : `the band, by ${over}`,
    turn: p.edit ? `Turn ${p.clip_name} down by ${(-p.turn_db).toFixed(1)} dB` : "Several clips are too loud together",
    stuck: !p.edit,
    why: p.edit ? "" : "One clip's gain does not help here. Turn down each of the clips, or their tracks.",
  };
}

function show(): void {
  const word = panel.query.trim().toLowerCase(),
    list = answer.places.filter(
      (p) =>
        (!panel.track || p.track_name === panel.track) && `${p.clip_name} ${p.track_name}`.toLowerCase().includes(word),
    );
  const n = answer.places.length;
  panel.some = n > 0;
  panel.tracks = [...new Set(answer.places.map((p) => p.track_name))];
  panel.shown = list.map(row);
  panel.count =
    n === 0
      ? "Nothing is too loud."
      : list.length < n
        ? `${list.length} of ${n} places`
        : `${n} ${n === 1 ? "place" : "places"}`;
}

async function load(): Promise<void> {
  try {
    answer = await get<LoudAnswer>(`/scenes/${data.id}/loud/list`);
    show();
  } catch (e) {
    say(e);
    panel.count = "";
  }
}

Alpine.data("loud", () => ({
  count: "Listening to the whole scene …",
  limits:
    `Speech should peak under ${data.band_db} dBFS, and nothing may reach ${data.full_db}. ` +
    "Peaks are looked for in every track of dialogue and in the mix; they are no faults of a seam.",
  some: false,
  track: "",
  query: "",
  tracks: [] as string[],
  shown: [] as unknown[],
  init() {
    panel = this as unknown as Panel;
    void load();
  },
  show() {
    show();
  },
  async turn(key: string) {
    const p = answer.places.find((x) => keyOf(x) === key)!;
    try {
      await post(`/scenes/${data.id}/edits`, { page: pageName, revision: answer.revision, edit: p.edit });
    } catch (e) {
      say(e);
    }
    void load();
  },
}));

listen(data.id, { edited: () => void load() });
registerToast();
Alpine.start();
