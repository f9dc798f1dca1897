// The rooms of a scene's takes: one row a take, level and colour drawn over one another with the target, and what would
// bring all to it: heard as it is and as it would be, ticked, done as one edit.
import Alpine from "@alpinejs/csp";
import { Player } from "../bench/player.ts";
import { batch } from "../commands/stage.ts";
import { drawRoom, drawRooms } from "../drawing/rooms.ts";
import { get, pageData } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { hearing, hearRow, Proposed } from "../panels/proposed.ts";
import { called, db, done, evenedPart, madeFrom, signed } from "../panels/takes.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { EveningAnswer, TakeView } from "../wire/web.ts";

const data = pageData<{ id: string; sample_rate: number; most_hush_db: number; low_hz: number }>();

interface Panel {
  target: string;
  hush: string;
  voices: boolean;
  usual: string;
  count: string;
  about: string;
  some: boolean;
  can: boolean;
  undoes: boolean;
  takes: { value: string; words: string }[];
  shown: unknown[];
}
let panel: Panel;
let answer: EveningAnswer | undefined;
let asking: AbortController | undefined;
const left = new Set<string>(); // takes that are not ticked, by their first clip
let bold = ""; // the take under the mouse or the focus

const player = new Player(data.id, data.sample_rate, () => show());
let heard = "";

const keyOf = (t: TakeView) => t.clips[0];

function row(t: TakeView) {
  const key = keyOf(t);
  return {
    key,
    tc: t.tc,
    href: `/scenes/${data.id}/?clip=${encodeURIComponent(key)}&at=${t.at}`,
    name: called(t),
    source: t.source === t.clip ? "" : t.source,
    level: `${db(t.was_db)} dBFS`,
    later: t.later_db.length ? `goes over to ${db(t.then_db)}` : "",
    sure: `${db(t.measured_s)} s of pauses, ±${db(t.sure_db)} dB`,
    hum: t.hum ? `hum of ${t.hum.hz} Hz, ${db(t.hum.level_db)}` : "",
    does: done(t),
    rise: `${signed(t.rise_db)} dB`,
    can: !!t.edit,
    ticked: !!t.edit && !left.has(key),
    ...hearing(player, heard, key),
  };
}

function show(): void {
  if (!answer) return;
  const { plan, takes } = answer;
  panel.some = takes.length > 0;
  panel.can = takes.some((t) => t.edit && !left.has(keyOf(t))) || (!!answer.rest && left.size === 0);
  panel.count = `${takes.length} ${takes.length === 1 ? "take" : "takes"}, ${db(plan.apart_db)} dB apart at most`;
  panel.about =
    `The target has ${db(plan.target.level_db)} dBFS: ${signed(plan.rise_over_quietest_db)} dB against the quietest ` +
    `take, ${signed(plan.rise_over_loudest_db)} dB against the loudest. ${db(plan.left_db)} dB would be left in the ` +
    `worst third-octave.${madeFrom(plan)}` +
    `${plan.unmeasured.length ? ` No pause to measure: ${plan.unmeasured.join(", ")}.` : ""}` +
    `${plan.covered.length ? ` Left, as others sound all along: ${plan.covered.join(", ")}.` : ""}`;
  panel.takes = [...new Set(takes.map((t) => t.clip))].map((value) => ({ value, words: `like ${value}` }));
  panel.shown = takes.map(row);
  void Alpine.nextTick(draw);
}

function draw(): void {
  if (!answer) return;
  const all = document.querySelector<HTMLCanvasElement>("#rooms-drawn");
  if (all) drawRooms(all, answer, data.low_hz, bold);
  for (const c of document.querySelectorAll<HTMLCanvasElement>("canvas[data-take]")) {
    const t = answer.takes.find((x) => keyOf(x) === c.dataset.take);
    if (t) drawRoom(c, t, answer);
  }
}

/** Asks anew what would bring all takes to one room. */
async function load(): Promise<void> {
  asking?.abort();
  const mine = (asking = new AbortController());
  panel.count = "Listening to the room of each take …";
  const { target, hush } = panel,
    q = new URLSearchParams({ target, ...(hush ? { hush } : {}), ...(panel.voices ? { voices: "1" } : {}) });
  try {
    const got = await get<EveningAnswer>(`/scenes/${data.id}/evening?${q}`, mine.signal);
    answer = got;
    for (const key of left) if (!got.takes.some((t) => keyOf(t) === key)) left.delete(key);
    show();
  } catch (e) {
    if (mine.signal.aborted) return;
    say(e);
    panel.count = e instanceof Error ? e.message : "";
  }
}

const proposed = new Proposed(data.id, (undoes) => {
  panel.undoes = undoes;
  void load();
});

Alpine.data("rooms", () => ({
  target: "natural",
  hush: "",
  voices: false,
  usual: "what is needed, up to 3 dB",
  count: "",
  about: "",
  some: false,
  can: false,
  undoes: false,
  takes: [] as unknown[],
  shown: [] as unknown[],
  init() {
    panel = this as unknown as Panel;
    document.addEventListener("light", draw);
    new ResizeObserver(draw).observe(document.querySelector("#rooms-drawn")!);
    void load();
  },
  choose() {
    panel.usual = panel.target === "natural" ? "what is needed, up to 3 dB" : "6 dB, as usual";
    void load();
  },
  tick(key: string) {
    if (!left.delete(key)) left.add(key);
    show();
  },
  look(key: string) {
    bold = key;
    draw();
  },
  hear(key: string, then: boolean) {
    const t = answer?.takes.find((x) => keyOf(x) === key);
    if (!t) return;
    const would = evenedPart({ target: panel.target, hush: panel.hush, voices: panel.voices ? "1" : "" }),
      from = Math.max(0, t.at - 1.5 * data.sample_rate);
    heard = hearRow(player, heard, { key, from, to: from + 6 * data.sample_rate, would }, then);
    show();
  },
  async even() {
    if (!answer) return;
    const takes = answer.takes.filter((t) => t.edit && !left.has(keyOf(t))),
      edits = [answer.rest, ...takes.map((t) => t.edit)].filter(Boolean),
      edit = batch(edits, "takes brought to one room");
    player.stop();
    const words = `${takes.length} ${takes.length === 1 ? "take was" : "takes were"} brought to one room.`;
    await proposed.perform(answer.revision, edit, words);
  },
  undo() {
    return proposed.undo();
  },
}));

listen(data.id, {
  edited: () => {
    panel.undoes = false;
    void load();
  },
});
registerToast();
Alpine.start();
