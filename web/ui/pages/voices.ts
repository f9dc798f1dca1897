// The voices of a scene: how loud the words of each clip are and how its peaks lie against the band, brought to one
// loudness as one edit; and the words that other sound covers, for which music and effects make way.
import Alpine from "@alpinejs/csp";
import { Player, TRY } from "../bench/player.ts";
import { batch } from "../commands/stage.ts";
import { get, pageData } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { hearing, hearRow, Proposed } from "../panels/proposed.ts";
import { db, signed } from "../panels/takes.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { MarginsAnswer, PhraseView, VoicesAnswer, VoiceView } from "../wire/web.ts";

const data = pageData<{ id: string; sample_rate: number; low_db: number; high_db: number }>();

interface Panel {
  target: string;
  figure: string;
  typed: boolean;
  count: string;
  about: string;
  some: boolean;
  can: boolean;
  undoes: boolean;
  others: { value: string; words: string }[];
  shown: unknown[];
  margin: string;
  every: boolean;
  drowned: string;
  covered: boolean;
  makes: boolean;
  way: string;
  phrases: unknown[];
}
let panel: Panel;
let answer: VoicesAnswer | undefined;
let margins: MarginsAnswer | undefined;
let asking: AbortController | undefined;
let askingMargins: AbortController | undefined;
const turned = new Map<string, boolean>(); // what was ticked or unticked by hand, by clip

const player = new Player(data.id, data.sample_rate, () => show());
let heard = "";

/** Where a level from -40 to 0 dBFS is drawn. */
const across = (v: number): number => Math.round(10 * Math.max(0, Math.min(200, (v + 40) * 5))) / 10;

const ticked = (v: VoiceView): boolean => turned.get(v.id) ?? v.ticked;
const hrefOf = (clip: string, at: number) => `/scenes/${data.id}/?clip=${encodeURIComponent(clip)}&at=${at}`;

function row(v: VoiceView) {
  const from = across(v.was_lufs),
    to = across(v.peak_dbfs);
  return {
    key: v.id,
    name: v.clip,
    track: v.track,
    tc: v.tc,
    href: hrefOf(v.id, v.at),
    words: `${db(v.words_s)} s of words`,
    lufs: db(v.was_lufs),
    peak: db(v.peak_dbfs),
    truePeak: db(v.peak_dbtp),
    change: Math.abs(v.gain_db) < 0.1 ? "none" : signed(v.gain_db),
    why: v.why,
    drawn: `words at ${db(v.was_lufs)} LUFS, peaks at ${db(v.peak_dbfs)} dBFS`,
    goal: across(v.target_lufs),
    from,
    width: Math.max(1, to - from),
    thenFrom: across(v.was_lufs + v.gain_db),
    can: Math.abs(v.gain_db) >= 0.1,
    ticked: ticked(v),
    ...hearing(player, heard, v.id),
  };
}

const keyOf = (p: PhraseView) => `${p.id} ${p.from}`;

function phrase(p: PhraseView) {
  const need = p.yields.map((y) => `${y.track} by ${db(y.db)} dB`).join(", ");
  return {
    key: keyOf(p),
    name: p.clip,
    track: p.track,
    tc: p.tc,
    href: hrefOf(p.id, p.from),
    margin: p.margin_db > 55 ? "alone" : signed(p.margin_db),
    wanted: db(p.wanted_db),
    by: p.by.join(", "),
    does: p.why || (p.drowned ? need : "nothing has to"),
    ...hearing(player, heard, keyOf(p)),
  };
}

function show(): void {
  if (answer) {
    const list = answer.voices,
      sum = list.filter((v) => ticked(v) && Math.abs(v.gain_db) >= 0.1).length;
    panel.some = list.length > 0;
    panel.can = sum > 0;
    panel.count = `${list.length} ${list.length === 1 ? "clip" : "clips"} with words`;
    panel.about =
      `${sum} would be turned, to ${db(answer.target_lufs)} LUFS.` +
      `${answer.short.length ? ` Too few words to measure: ${answer.short.join(", ")}.` : ""}`;
    panel.others = list.map((v) => ({ value: v.id, words: `those of ${v.clip}, ${v.tc}` }));
    panel.shown = list.map(row);
  }
  if (margins) {
    const low = margins.phrases.filter((p) => p.drowned);
    panel.drowned = !margins.phrases.length
      ? "No words of dialogue were found that anything could cover."
      : low.length
        ? `${low.length} of ${margins.phrases.length} phrases are drowned.`
        : `None of ${margins.phrases.length} phrases is drowned.`;
    panel.makes = margins.edit !== null;
    const ways = margins.ducks.map((d) => `let ${d.track} make way by ${db(d.db)} dB for ${d.under.join(", ")}`);
    panel.way = `L${ways.join("; ").slice(1)}`;
    const rows = panel.every ? margins.phrases : low;
    panel.covered = rows.length > 0;
    panel.phrases = rows.map(phrase);
  }
}

/** What the voices are asked to be brought to. */
function wish(): URLSearchParams {
  const { target, figure } = panel;
  if (target === "median") return new URLSearchParams();
  if (target === "track") return new URLSearchParams({ by_track: "1" });
  if (target === "figure") return new URLSearchParams({ lufs: figure.replace(",", ".").replace("\u2212", "-") });
  return new URLSearchParams({ as: target });
}

async function load(): Promise<void> {
  asking?.abort();
  const mine = (asking = new AbortController());
  panel.count = "Listening to the words of each clip …";
  try {
    answer = await get<VoicesAnswer>(`/scenes/${data.id}/voices/list?${wish()}`, mine.signal);
    show();
  } catch (e) {
    if (mine.signal.aborted) return;
    say(e);
    panel.count = e instanceof Error ? e.message : "";
  }
}

async function loadMargins(): Promise<void> {
  askingMargins?.abort();
  const mine = (askingMargins = new AbortController());
  panel.drowned = "Listening to what sounds with the words …";
  try {
    const q = new URLSearchParams(panel.margin ? { margin: panel.margin } : {});
    margins = await get<MarginsAnswer>(`/scenes/${data.id}/margins?${q}`, mine.signal);
    show();
  } catch (e) {
    if (mine.signal.aborted) return;
    panel.drowned = e instanceof Error ? e.message : "";
  }
}

const proposed = new Proposed(data.id, (undoes) => {
  panel.undoes = undoes;
  if (undoes) turned.clear();
  void load();
  void loadMargins();
});

function perform(revision: number, edit: unknown, words: string): Promise<void> {
  player.stop();
  return proposed.perform(revision, edit, words);
}

Alpine.data("voices", () => ({
  target: "median",
  figure: "-24",
  typed: false,
  count: "",
  about: "",
  some: false,
  can: false,
  undoes: false,
  others: [] as unknown[],
  shown: [] as unknown[],
  margin: "",
  every: false,
  drowned: "",
  covered: false,
  makes: false,
  way: "",
  phrases: [] as unknown[],
  init() {
    panel = this as unknown as Panel;
    void load();
    void loadMargins();
  },
  choose() {
    panel.typed = panel.target === "figure";
    turned.clear();
    void load();
  },
  tick(key: string) {
    const v = answer?.voices.find((x) => x.id === key);
    if (v) turned.set(key, !ticked(v));
    show();
  },
  listen() {
    void loadMargins();
  },
  all() {
    show();
  },
  hear(key: string, then: boolean) {
    const v = answer?.voices.find((x) => x.id === key),
      p = margins?.phrases.find((x) => keyOf(x) === key),
      at = v?.at ?? p?.from ?? 0,
      would = v
        ? TRY + JSON.stringify(v.edit)
        : `${TRY}?${new URLSearchParams({ ducking: "1", margin: panel.margin })}`,
      from = Math.max(0, at - data.sample_rate),
      to = p ? p.to + data.sample_rate : from + 6 * data.sample_rate;
    heard = hearRow(player, heard, { key, from, to, would }, then);
    show();
  },
  bring() {
    if (!answer) return;
    const list = answer.voices.filter((v) => ticked(v) && Math.abs(v.gain_db) >= 0.1),
      words = `${list.length} ${list.length === 1 ? "voice" : "voices"} brought to ${db(answer.target_lufs)} LUFS`;
    return perform(
      answer.revision,
      batch(
        list.map((v) => v.edit),
        words,
      ),
      `${words}.`,
    );
  },
  duck() {
    if (!margins?.edit) return;
    return perform(margins.revision, margins.edit, "Music and effects make way for words.");
  },
  undo() {
    return proposed.undo();
  },
}));

listen(data.id, {
  edited: () => {
    panel.undoes = false;
    void load();
    void loadMargins();
  },
});
registerToast();
Alpine.start();
