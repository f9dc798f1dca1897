// Taking out and filling: lulls, what should not be in the pauses, tone for a hole, beds, and keeping the words. The
// server finds and measures; here it is listed, heard and taken.

import type { Seam } from "../bench/bench.ts";
import { TRY } from "../bench/player.ts";
import { get, post } from "../model/api.ts";
import { findClip, type Lull, lullSpan, type Placed } from "../model/scene.ts";
import { inSamples, lengthOf } from "../model/time.ts";
import { Choices, type Option } from "../panels/choices.ts";
import { say } from "../panels/toast.ts";
import { openList, type Proposal, type Row } from "./mending.ts";
import { clipsInHand, clipUnder } from "./moves.ts";
import { batch, type Stage } from "./stage.ts";

interface Filling {
  source_name: string;
  from: string;
  away: string;
  reasons: string[];
  level_db: number;
}
interface FillAnswer {
  at: number;
  to: number;
  list: Filling[];
  choice: number;
  did: string;
  edit: unknown;
}
interface Finding {
  id: string;
  kind: string;
  tc: string;
  clip_name: string;
  track_name: string;
  span: { From: number; To: number };
  lull: { From: number; To: number };
  above_db: number;
  peak_db: number;
  why: string;
}
interface Hum {
  clip_name: string;
  words: string;
}
interface BedAnswer {
  tc: string;
  edit: unknown;
  bed: { words: string; from: string; rise_db: number; level_db: number };
  keep: { clip: string; clip_name: string; track: string; tc: string; words: string; edit: unknown }[];
}

const KINDS: Record<string, string> = { bump: "bump", click: "click", cough: "cough", spoken_over: "spoken over" };

export class Toning {
  private stage: Stage;
  private hear: (from: number, to: number, part: string) => void;
  private end: "from" | "to" = "to"; // the lull's edge that keys move
  private choices = new Choices();

  constructor(stage: Stage, hear: (from: number, to: number, part: string) => void) {
    [this.stage, this.hear] = [stage, hear];
  }

  commands(): Record<string, () => void> {
    return {
      lull: () => this.lull(0),
      lull_by: () => void this.lullBy(),
      lull_away: () => this.away(),
      fill: () => void this.fill(),
      fill_choose: () => void this.choose(),
      findings: () => void this.findings(),
      bed: () => void this.bed(false),
      keep_words: () => void this.bed(true),
      keep_tone: () => void this.keepTone(),
      tones: () => location.assign(`/scenes/${this.stage.id}/tone`),
    };
  }

  /** The lull of a seam as the scene has it now. */
  of(s: Seam | undefined): (Placed & { lull: Lull }) | undefined {
    const p = s?.kind === "lull" ? findClip(this.stage.scene, s.left) : undefined,
      lull = p?.clip.lulls?.find((l) => l.id === s!.lull);
    return p && lull && { ...p, lull };
  }

  private current(): Seam | undefined {
    return this.stage.selection.kind === "seam" ? this.stage.list.current : undefined;
  }

  /** The edit without the lull, to hear what it takes out. */
  without(s: Seam): string {
    return TRY + JSON.stringify({ edit: "set_lull", clip: s.left, lull: s.lull, off: true });
  }

  /** Sound of the range that lies on one clip. */
  private ranged(): { p: Placed; from: number; to: number }[] {
    const { selection: sel, scene } = this.stage;
    if (sel.kind !== "range") return [];
    const tracks = scene.tracks.filter(
      (t) => t.kind === "sound" && t.purpose !== "tone" && (!sel.tracks.length || sel.tracks.includes(t.id)),
    );
    const all = tracks
      .flatMap((track) =>
        track.clips.map((clip, index) => ({
          p: { track, clip, index },
          from: Math.max(sel.from, clip.from),
          to: Math.min(sel.to, clip.to),
        })),
      )
      .filter((x) => x.from < x.to);
    return sel.tracks.length || all.length < 2 ? all : all.filter((x) => x.p.track.purpose === "dialogue").slice(0, 1);
  }

  private lull(db: number): void {
    const s = this.current(),
      it = this.of(s);
    if (it && !db)
      return void this.stage.edits.edit({ edit: "set_lull", clip: it.clip.id, lull: it.lull.id, off: !it.lull.off });
    if (it) return void this.stage.edits.edit({ edit: "set_lull", clip: it.clip.id, lull: it.lull.id, depth_db: db });
    const list = this.ranged();
    if (!list.length)
      return say(
        this.stage.selection.kind === "range"
          ? "The range lies on no clip of sound, so there is nothing to turn down."
          : "A lull needs a range on a clip. Drag over the cloth, or press R and Shift+R at its ends.",
      );
    const adds = list.map((x) => ({
      edit: "lull",
      clip: x.p.clip.id,
      from: x.from,
      to: x.to,
      ...(db ? { depth_db: db } : {}),
    }));
    void this.stage.edits.edit(adds.length > 1 ? batch(adds, `${adds.length} lulls`) : adds[0]);
  }

  private async lullBy(): Promise<void> {
    if (!this.of(this.current()) && !this.ranged().length) return this.lull(0);
    const got = await this.stage.ask({
      title: "Turn this stretch down",
      label: "By so many dB",
      value: "12",
      hint: "6 is half as strong; 24 leaves hardly anything. L alone goes to silence.",
      done: "Turn it down",
    });
    const db = got && Number(got.value.replace(/\s*dB$/i, "").replace("−", "-"));
    if (got && !(db! > 0 && db! <= 120)) return say(`"${got.value}" is not a number of dB from 0 to 120.`);
    if (db) this.lull(db);
  }

  private away(): void {
    const it = this.of(this.current());
    if (!it) return say("No lull is in hand. Choose one in the seam list, or click its notch in the timeline.");
    void this.stage.edits.edit({ edit: "remove_lull", clip: it.clip.id, lull: it.lull.id });
  }

  /** Takes the other edge of the lull in hand; false if none is. */
  otherEdge(): boolean {
    if (!this.of(this.current())) return false;
    this.end = this.end === "to" ? "from" : "to";
    this.stage.note(`The lull's ${this.end === "to" ? "end" : "start"} is in hand`);
    return true;
  }

  /** Moves the edge in hand of the lull in hand; false if none is. */
  nudge(samples: number): boolean {
    const s = this.current();
    if (!this.of(s)) return false;
    void this.stage.edits.edit(() => {
      const it = this.of(s);
      return (
        it && {
          edit: "set_lull",
          clip: it.clip.id,
          lull: it.lull.id,
          [this.end]: lullSpan(it.clip, it.lull)[this.end] + samples,
        }
      );
    });
    return true;
  }

  /** Takes a figure of the lull's card; what was wrong with it, if it is. */
  typed(s: Seam, id: string, text: string): string | undefined {
    const it = this.of(s);
    if (!it) return undefined;
    const set = (values: Record<string, unknown>) =>
      void this.stage.edits.edit({ edit: "set_lull", clip: it.clip.id, lull: it.lull.id, ...values });
    if (id === "lull_depth") {
      const db = /^\s*silence\s*$/i.test(text) ? 0 : Number(text.replace(/\s*dB.*$/i, "").replace("−", ""));
      return db >= 0 && db <= 120
        ? set({ depth_db: Math.abs(db) })
        : "A lull turns down by 1 to 120 dB, or to silence.";
    }
    const n = lengthOf(text, this.stage.rate, this.stage.sr);
    if (!n) return `"${text}" is not a length. Write frames (2), milliseconds (40 ms) or seconds (0.2 s).`;
    return set({ [id === "lull_in" ? "fade_in" : "fade_out"]: inSamples(n, this.stage.rate, this.stage.sr) });
  }

  /** What is to be filled, as the server is asked for it. */
  private hole(): URLSearchParams | undefined {
    const { selection: sel, scene, list, playhead } = this.stage,
      s = list.current;
    if (sel.kind === "range") {
      const on =
        sel.tracks.map((id) => scene.tracks.find((t) => t.id === id)!).find((t) => t?.kind === "sound") ??
        this.ranged()[0]?.p.track ??
        scene.tracks.find((t) => t.kind === "sound" && t.purpose === "dialogue");
      return on && new URLSearchParams({ track: on.id, from: String(sel.from), to: String(sel.to) });
    }
    if (sel.kind === "seam" && s) return new URLSearchParams({ seam: s.id });
    const filled = clipsInHand(this.stage)[0]?.clip.fills; // a patch in hand: its hole again
    if (filled?.lull) return new URLSearchParams({ seam: `lull:${filled.clip}:${filled.lull}` });
    const near = list.all.find((x) => x.kind === "lull" && x.from <= playhead && playhead <= x.to);
    if (near) return new URLSearchParams({ seam: near.id });
    const track = clipUnder(this.stage)?.track ?? scene.tracks.find((t) => t.purpose === "dialogue"),
      i = track?.clips.findIndex((c, k) => c.to <= playhead && playhead < (track.clips[k + 1]?.from ?? -1)) ?? -1;
    if (i >= 0)
      return new URLSearchParams({
        track: track!.id,
        from: String(track!.clips[i].to),
        to: String(track!.clips[i + 1].from),
      });
    say("Nothing is chosen to fill. Choose a lull or a gap, or make a range over what is missing.");
    return undefined;
  }

  private async ask(q: URLSearchParams, choice?: number): Promise<FillAnswer | undefined> {
    if (choice !== undefined) q.set("choice", String(choice));
    try {
      return await get<FillAnswer>(`/scenes/${this.stage.id}/fill?${q}`);
    } catch (e) {
      say(e);
      return undefined;
    }
  }

  private async fill(): Promise<void> {
    const q = this.hole();
    q?.set("best", "1");
    const got = q && (await this.stage.edits.after(() => this.ask(q)));
    if (!got) return;
    if (await this.stage.edits.edit(got.edit))
      this.stage.note(`${got.did[0].toUpperCase()}${got.did.slice(1)}: ${got.list[0].reasons.slice(0, 2).join("; ")}`);
  }

  /** Lists the tones for a hole; each is heard in place before it is taken. */
  private async choose(): Promise<void> {
    const q = this.hole(),
      first = q && (await this.ask(q));
    if (!first) return;
    const asked = new Map<number, Promise<FillAnswer | undefined>>([[0, Promise.resolve(first)]]);
    const one = (i: number) => {
      if (!asked.has(i)) asked.set(i, this.ask(q!, i));
      return asked.get(i)!;
    };
    const around = (got: FillAnswer, part: string) => this.hear(got.at, got.to, part);
    this.choices.open({
      title: "Tone for this hole",
      about: "The likest first. Up and Down choose and let it be heard in place; Enter takes it.",
      hears: "Hear it in place",
      plain: "Hear the hole as it is",
      takes: "Take it",
      options: first.list.map(
        (f, i): Option => ({
          key: String(i),
          at: `${i + 1}`,
          name: f.source_name,
          words: f.away,
          more: f.reasons.join("; "),
          mark: f.from === "recording" ? "●" : f.from === "set-up" ? "◆" : "○",
          tone: f.from === "recording" ? "clean" : "",
        }),
      ),
      chosen: (o) => void one(Number(o.key)).then((got) => got && around(got, TRY + JSON.stringify(got.edit))),
      heard: (o, plain) =>
        void one(Number(o.key)).then((got) => got && around(got, plain ? "scene" : TRY + JSON.stringify(got.edit))),
      taken: async (o) => {
        const got = await one(Number(o.key));
        if (got) await this.stage.edits.edit(got.edit);
        return false;
      },
    });
  }

  /** Lists what should not be in the pauses. */
  private async findings(): Promise<void> {
    const { selection: sel } = this.stage,
      q = sel.kind === "range" ? `?from=${sel.from}&to=${sel.to}` : "";
    this.choices.open({
      title: "What to take out",
      about: "Listening through the pauses …",
      options: [],
      hears: "",
      plain: "",
      takes: "",
    });
    let got: { findings: Finding[]; hums: Hum[] };
    try {
      got = await get(`/scenes/${this.stage.id}/findings${q}`);
    } catch (e) {
      this.choices.close();
      return say(e);
    }
    const proposals = new Map<string, Proposal>();
    const proposal = async (id: string): Promise<Proposal | undefined> => {
      try {
        const v = await get<{ proposal: Proposal } | null>(
          `/scenes/${this.stage.id}/finding?id=${encodeURIComponent(id)}`,
        );
        if (v) proposals.set(id, v.proposal);
        return v?.proposal;
      } catch (e) {
        say(e);
        return undefined;
      }
    };
    const done = new Set<string>();
    const find = (o: Option) => got.findings.find((f) => f.id === o.key)!;
    const hums = got.hums.map((h) => `${h.clip_name}: ${h.words}`);
    this.choices.open({
      title: "What to take out",
      note: hums.length ? `Steady, so named and not lulled: ${hums.join(" · ")}` : "",
      about: got.findings.length
        ? `${got.findings.length} found in the pauses. Enter takes one out, with a patch in its place; Delete ` +
          `passes it.`
        : "Nothing was found in the pauses that should not be there.",
      hears: "Hear it taken out",
      plain: "Hear it as it is",
      takes: "Take it out",
      passes: "Pass",
      options: got.findings.map(
        (f): Option => ({
          key: f.id,
          at: f.tc,
          name: `${KINDS[f.kind] ?? f.kind} in ${f.clip_name}`,
          words: f.why,
          more:
            `peak ${f.peak_db.toFixed(1)} dBFS · lull of ` +
            `${Math.round(((f.lull.To - f.lull.From) * 1000) / this.stage.sr)} ms · ${f.track_name}`,
          mark: f.above_db >= 12 ? "▲" : "◆",
          tone: f.above_db >= 12 ? "rough" : "audible",
        }),
      ),
      chosen: (o) => {
        const f = find(o);
        this.stage.seek(f.span.From);
        this.stage.timeline.reveal(f.span.From);
      },
      heard: (o, plain) => {
        const f = find(o);
        if (plain) return this.hear(f.lull.From, f.lull.To, "scene");
        void (async () => {
          const p = proposals.get(o.key) ?? (await proposal(o.key));
          if (done.has(o.key)) return; // it was taken out meanwhile
          if (p?.edit) this.hear(f.lull.From, f.lull.To, TRY + JSON.stringify(p.edit));
          else if (p) say(p.left ?? "Nothing takes this out by itself.");
        })();
      },
      taken: async (o) => {
        done.add(o.key);
        this.stage.player.stop(); // what would be is about to be
        const p = await proposal(o.key); // of the scene as it is by now
        if (!p?.edit) {
          say(p?.left ?? "It is gone already.");
          return true;
        }
        if (await this.stage.edits.edit(p.edit)) this.stage.note(`Taken out: ${p.did}`);
        return true;
      },
    });
  }

  /** A bed under the range or the scene; with the words alone kept of the clips, if that is wanted. */
  private async bed(keep: boolean): Promise<void> {
    const { selection: sel } = this.stage,
      q = sel.kind === "range" && !sel.gap ? `?from=${sel.from}&to=${sel.to}` : "";
    try {
      const got = await get<BedAnswer>(`/scenes/${this.stage.id}/bed${q}`);
      const where = q ? "range" : "scene",
        row = (r: Partial<Row> & { key: string; edit: unknown }): Row => ({
          tc: got.tc,
          name: "",
          was: "",
          words: "",
          more: "",
          mark: "●",
          tone: "clean",
          after: "",
          afterTone: "",
          afterMark: "",
          ticked: true,
          can: true,
          ...r,
        });
      const rows = [
        row({
          key: "bed",
          name: `Bed under the ${where}`,
          words: `tone of ${got.bed.from} at ${got.bed.level_db.toFixed(1)} dBFS`,
          more: got.bed.words,
          after: `noise up by ${got.bed.rise_db.toFixed(1)} dB at most`,
          edit: got.edit,
        }),
      ];
      if (keep)
        for (const k of got.keep)
          rows.push(
            row({
              key: k.clip,
              tc: k.tc,
              name: k.clip_name,
              was: k.track,
              words: k.words,
              after: "length and sync stay",
              edit: k.edit,
            }),
          );
      openList(
        {
          title: keep ? "Keep the words" : "Lay a bed",
          about: keep
            ? `The clips of the ${where} are cut down to their words; the bed carries the rest.`
            : "On a tone track, under everything else.",
          rows,
        },
        (edits) =>
          void this.stage.edits.edit(
            edits.length > 1
              ? batch(
                  edits,
                  keep
                    ? `words kept of ${edits.length - 1} ${edits.length === 2 ? "clip" : "clips"}, a bed under them`
                    : "bed laid",
                )
              : edits[0],
          ),
      );
    } catch (e) {
      say(e);
    }
  }

  /** Keeps the room of the range in the library. */
  private async keepTone(): Promise<void> {
    const x = this.ranged()[0],
      { selection: sel } = this.stage;
    if (!x || sel.kind !== "range")
      return say("To keep a tone in the library, make a range over a quiet stretch of a clip.");
    const got = await this.stage.ask({
      title: "Keep this tone in the library",
      label: "Name",
      value: `Tone of ${x.p.clip.name}`,
      hint: "It can fill holes of other scenes, too.",
      done: "Keep it",
    });
    if (!got) return;
    try {
      await post(`/scenes/${this.stage.id}/tone`, {
        name: got.value,
        place: this.stage.scene.name,
        track: x.p.track.id,
        from: x.from,
        to: x.to,
      });
      this.stage.note(`Kept in the tone library: ${got.value}`);
    } catch (e) {
      say(e);
    }
  }
}
