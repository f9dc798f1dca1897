// The page on which a scene is handed over: mixdowns, with progress, and what was made.
import Alpine from "@alpinejs/csp";
import { get, pageData, post } from "../model/api.ts";
import { listen } from "../model/events.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Result {
  file: string;
  bytes: number;
  length_s: number;
  format: string;
  clipped: number;
  integrated_lufs: number;
  range_lu: number;
  true_peak_dbtp: number;
  sample_peak_dbfs: number;
}
interface Made {
  id: string;
  words: string;
  state: string;
  result?: Result;
  error?: string;
  done: number;
  made: string;
}
interface Data {
  id: string;
  from: string;
  to: string;
  empty: boolean;
  made: Made[] | null;
}

const data = pageData<Data>();

function row(m: Made) {
  const r = m.result,
    ok = m.state === "done" && !!r;
  return {
    id: m.id,
    words: m.words,
    under: m.state === "running",
    done_ok: ok,
    not_ok: !ok,
    file: r?.file ?? "",
    href: `/made/${m.id}`,
    error: m.error ?? "",
    percent: Math.round(m.done * 100),
    style: `width:${Math.round(m.done * 100)}%`,
    when: new Date(m.made).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" }),
    about: ok
      ? `${m.words} · ${r.format} · ${r.length_s.toFixed(2)} s · ${(r.bytes / 1e6).toFixed(1)} MB`
      : m.state === "running"
        ? "being made"
        : "",
    over:
      ok && r.true_peak_dbtp > 0
        ? `True peak +${r.true_peak_dbtp.toFixed(1)} dBTP: over full scale, which is heard as distortion.`
        : "",
    loud: `/scenes/${data.id}/loud`,
    figures: ok
      ? `${r.integrated_lufs.toFixed(1)} LUFS · range ${r.range_lu.toFixed(1)} LU · true peak ` +
        `${r.true_peak_dbtp.toFixed(1)} dBTP${r.clipped ? ` · ${r.clipped} samples clipped` : ""}`
      : "",
  };
}

Alpine.data("handOver", () => ({
  kind: "wav",
  depth: "24",
  dither: true,
  from: data.from,
  to: data.to,
  problem: "",
  empty: data.empty,
  made: [] as ReturnType<typeof row>[],
  none: true,
  get hasDepth() {
    return this.kind !== "mp3";
  },
  get isWav() {
    return this.kind === "wav";
  },
  get hasDither() {
    return this.kind !== "mp3" && this.depth === "16";
  },
  init() {
    this.show(data.made ?? []);
    listen(data.id, { job: () => void this.load() });
  },
  show(list: Made[]) {
    this.made = list.map(row);
    this.none = list.length === 0;
  },
  async load() {
    this.show(await get<Made[]>(`/scenes/${data.id}/mixdowns`));
  },
  async make() {
    this.problem = "";
    try {
      const whole = this.from === data.from && this.to === data.to;
      await post(`/scenes/${data.id}/mixdowns`, {
        kind: this.kind,
        depth: this.kind === "mp3" ? "" : this.kind === "flac" && this.depth === "32f" ? "24" : this.depth,
        from: whole ? "" : this.from,
        to: whole ? "" : this.to,
        no_dither: !this.dither,
      });
      await this.load();
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async stop(m: { id: string }) {
    await post(`/jobs/${m.id}/stop`).catch(say);
  },
}));

registerToast();
Alpine.start();
