// The page on which a scene is handed over: what is off, sound files and stems, cut lists, and what was made.
import Alpine from "@alpinejs/csp";
import { get, pageData, post, remove } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { type Made, row } from "../model/handed.ts";
import { numberOf } from "../model/typed.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { FormatView, KindView, OffView, StemTrack } from "../wire/web.ts";

interface Data {
  id: string;
  from: string;
  to: string;
  empty: boolean;
  rate: number;
  channels: number;
  kinds: KindView[];
  tracks: StemTrack[];
  ranges: string[];
  pattern: string;
  formats: FormatView[];
  made: Made[];
}

const data = pageData<Data>();
const depthWords: Record<string, string> = { "16": "16", "24": "24", "32f": "32 float" };
const usualRates = [44100, 48000, 96000];
const rateWords = (r: number) => `${r / 1000} kHz`;

/** The figure of a choice, of which one is typed. */
function chosen(choice: string, typed: string, unit: string): number | undefined {
  if (choice === "") return undefined;
  const n = numberOf(choice === "other" ? typed : choice, unit);
  if (n === undefined) throw new Error(`"${typed}" is no number of ${unit}.`);
  return n;
}

Alpine.data("handOver", () => ({
  kinds: data.kinds,
  kind: "wav",
  depth: "24",
  kbits: "0",
  rate: "0",
  channels: "0",
  dither: true,
  what: "part",
  from: data.from,
  to: data.to,
  target: "",
  targetText: "-20",
  ceiling: "",
  ceilingText: "-3",
  limit: false,
  stems: "",
  mix: true,
  tracks: data.tracks.map((t) => ({ ...t, stem: "", label: `Stem of ${t.name}` })),
  pattern: data.pattern,
  formats: data.formats.map((f) => ({
    ...f,
    href: `/scenes/${data.id}/scene${f.ending}`,
    hasLost: f.lost.length > 0,
    loseWords: `${f.lost.length === 1 ? "One clip loses" : `${f.lost.length} clips lose`} something in it`,
    lacks: f.loses.length
      ? `Of this scene it does not carry ${f.loses.join(", ")}.`
      : `Everything of the scene is in it${f.lacks.length ? ", as it is now" : ""}.`,
  })),
  handles: "5",
  packPicture: false,
  packFLAC: false,
  packReport: true,
  packProblem: "",
  off: [] as OffView[],
  offProblem: "",
  looking: true,
  fine: false,
  problem: "",
  empty: data.empty,
  made: [] as ReturnType<typeof row>[],
  none: true,
  ownChannels: `the scene's, ${data.channels}`,
  noRanges: data.ranges.length === 0,
  rangeWords: data.ranges.join(", ") || "the scene has none; H names the range in hand",
  get one(): KindView {
    return this.kinds.find((k) => k.ending === this.kind)!;
  },
  get hasDepth() {
    return this.one.depths.length > 0;
  },
  get depths() {
    return this.one.depths.map((value) => ({ value, words: depthWords[value] }));
  },
  get hasKBits() {
    return this.one.kbits.length > 0;
  },
  get bitRates() {
    return this.one.kbits;
  },
  get rates() {
    const can = usualRates.filter((r) => !this.one.rates.length || this.one.rates.includes(r));
    const own = !this.one.rates.length || this.one.rates.includes(data.rate);
    return [
      ...(own ? [{ value: "0", words: `the scene's, ${rateWords(data.rate)}` }] : []),
      ...can.filter((r) => r !== data.rate).map((r) => ({ value: String(r), words: rateWords(r) })),
    ];
  },
  get hasDither() {
    return this.hasDepth && this.depth === "16";
  },
  get ownTarget() {
    return this.target === "other";
  },
  get ownCeiling() {
    return this.ceiling === "other";
  },
  get hasCeiling() {
    return this.ceiling !== "";
  },
  get limitWords() {
    return this.limit
      ? "A limiter that looks ahead turns down what passes it, there and nowhere else, and stems with it."
      : "What passes it is told, and left as it is.";
  },
  get hasStems() {
    return this.stems !== "";
  },
  get hasGroups() {
    return this.stems === "groups";
  },
  kbitWords: (k: number) => `${k} kbit/s`,
  init() {
    this.show(data.made);
    listen(data.id, { job: () => void this.load() });
    void this.look_off();
  },
  async look_off() {
    try {
      this.off = await get<OffView[]>(`/scenes/${data.id}/off`);
      this.fine = this.off.length === 0;
    } catch (e) {
      this.offProblem = (e as Error).message;
    }
    this.looking = false;
  },
  show(list: Made[]) {
    this.made = list.map((m) => row(m, data.id));
    this.none = list.length === 0;
  },
  async load() {
    this.show(await get<Made[]>(`/scenes/${data.id}/mixdowns`));
  },
  group(id: string, e: Event) {
    const t = this.tracks.find((x) => x.id === id);
    if (t) t.stem = (e.target as HTMLInputElement).value.trim();
  },
  groups() {
    const names = [...new Set(this.tracks.map((t) => t.stem).filter((n) => n))];
    return names.map((name) => ({ name, tracks: this.tracks.filter((t) => t.stem === name).map((t) => t.id) }));
  },
  async make() {
    await this.ask(false);
  },
  async look() {
    await this.ask(true);
  },
  async ask(look: boolean) {
    this.problem = "";
    try {
      const whole = this.from === data.from && this.to === data.to;
      const part = this.what === "part" && !whole;
      await post(`/scenes/${data.id}/mixdowns`, {
        kind: this.kind,
        depth: this.hasDepth ? (this.one.depths.includes(this.depth) ? this.depth : this.one.depths[0]) : "",
        kbits: this.hasKBits ? Number(this.kbits) : 0,
        rate: Number(this.rates.some((r) => r.value === this.rate) ? this.rate : this.rates[0].value),
        channels: Number(this.channels),
        from: part ? this.from : "",
        to: part ? this.to : "",
        ranges: this.what === "ranges",
        no_dither: !this.dither,
        target_lufs: chosen(this.target, this.targetText, "LUFS"),
        ceiling_dbtp: chosen(this.ceiling, this.ceilingText, "dBTP"),
        limit: this.limit && this.hasCeiling,
        look,
        stems: this.stems,
        groups: this.hasGroups ? this.groups() : undefined,
        no_mix: this.hasStems && !this.mix,
        pattern: this.pattern,
      });
      await this.load();
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async pack() {
    this.packProblem = "";
    try {
      const handle_s = numberOf(this.handles, "s");
      if (handle_s === undefined) throw new Error(`"${this.handles}" is no number of seconds.`);
      await post(`/scenes/${data.id}/package`, {
        handle_s,
        flac: this.packFLAC,
        picture: this.packPicture,
        report: this.packReport,
      });
      await this.load();
    } catch (e) {
      this.packProblem = (e as Error).message;
    }
  },
  /** Writes the scene in a format, with what that cannot carry in recordings of its own. */
  async joined(ending: string) {
    try {
      await post(`/scenes/${data.id}/lists`, { ending });
      await this.load();
    } catch (e) {
      say(e);
    }
  },
  async remove(m: { id: string }) {
    try {
      await remove(`/made/${m.id}`);
      await this.load();
    } catch (e) {
      say(e);
    }
  },
  async stop(m: { id: string }) {
    await post(`/jobs/${m.id}/stop`).catch(say);
  },
}));

registerToast();
Alpine.start();
