// What was made of a scene to be handed over, as its page tells it.

export interface MadeFile {
  file: string;
  stem?: string;
  bytes: number;
  length_s: number;
  format: string;
  clipped: number;
}
export interface Result extends MadeFile {
  files?: MadeFile[];
  gain_db?: number;
  passes?: { tc: string; over_db: number }[];
  limited?: boolean;
  lufs?: number;
  integrated_lufs: number;
  range_lu: number;
  true_peak_dbtp: number;
  sample_peak_dbfs: number;
}
export interface Made {
  id: string;
  kind: string;
  words: string;
  state: string;
  result?: Result;
  error?: string;
  done: number;
  made: string;
}

const megabytes = (f: MadeFile) => `${(f.bytes / 1e6).toFixed(1)} MB`;

/** Where a mix passes its ceiling, or was kept from it, in words; "" if nowhere. */
export function passWords(r: Result, looked: boolean): string {
  const list = r.passes ?? [];
  if (!list.length) return looked ? "Nothing passes the true peak that was asked for." : "";
  const worst = list.reduce((a, b) => (b.over_db > a.over_db ? b : a)),
    where = list.length === 1 ? "one place" : `${list.length} places`,
    some = list.slice(0, 4).map((p) => `${p.tc} by ${p.over_db.toFixed(1)} dB`);
  const most = list.length > 1 ? `, most at ${worst.tc} by ${worst.over_db.toFixed(1)} dB` : "";
  const all = `${some.join(", ")}${list.length > 4 ? " and on" : ""}`;
  return r.limited && !looked
    ? `Turned down at ${where}${most}: ${all}.`
    : `Passes the true peak that was asked for at ${where}${most}: ${all}.`;
}

/** What the page shows of a job. */
export function row(m: Made, scene: string) {
  const r = m.result,
    done = m.state === "done" && !!r,
    looked = m.kind === "look",
    files = done ? (r.files?.length ? r.files : r.file ? [r] : []) : [],
    one = files.length === 1 ? files[0] : undefined,
    clipped = files.reduce((n, f) => n + f.clipped, 0);
  const gain = r?.gain_db ? `gain ${r.gain_db > 0 ? "+" : ""}${r.gain_db.toFixed(1)} dB` : "";
  const measured = done && r.integrated_lufs !== 0 && files.length > 0 && r.true_peak_dbtp !== 0;
  return {
    id: m.id,
    words: m.words,
    under: m.state === "running",
    single: !!one,
    titled: !one,
    several: files.length > 1,
    file: one?.file ?? "",
    href: `/made/${m.id}`,
    all: `/made/${m.id}/all.zip`,
    files: files.map((f, i) => ({ file: f.file, href: `/made/${m.id}/${i}`, about: megabytes(f) })),
    error: m.error ?? "",
    over_with: m.state !== "running",
    removing: `Remove ${one?.file || m.words}`,
    percent: Math.round(m.done * 100),
    style: `width:${Math.round(m.done * 100)}%`,
    when: new Date(m.made).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" }),
    about: one
      ? `${m.words} · ${one.format} · ${one.length_s.toFixed(2)} s · ${megabytes(one)}`
      : files.length
        ? `${files[0].format} · ${files[0].length_s.toFixed(2)} s each`
        : m.state === "running"
          ? "being made"
          : "",
    over:
      measured && r.true_peak_dbtp > 0
        ? `True peak +${r.true_peak_dbtp.toFixed(1)} dBTP: over full scale, which is heard as distortion.`
        : "",
    loud: `/scenes/${scene}/loud`,
    passes: done ? passWords(r, looked) : "",
    figures: [
      measured
        ? `${r.integrated_lufs.toFixed(1)} LUFS · range ${r.range_lu.toFixed(1)} LU · ` +
          `true peak ${r.true_peak_dbtp.toFixed(1)} dBTP`
        : "",
      done && looked && r.lufs !== undefined ? `${r.lufs.toFixed(1)} LUFS` : "",
      gain,
      clipped ? `${clipped} samples clipped` : "",
    ]
      .filter((x) => x)
      .join(" · "),
  };
}
