// Taking out and filling: what should not be in the pauses, tone for a hole, beds, and keeping the words. The server
// finds and measures; here it is listed, heard and taken.

import { TRY } from "../bench/player.ts";
import { get, post } from "../model/api.ts";
import { capital } from "../model/words.ts";
import { Choices, type Option } from "../panels/choices.ts";
import { openList, type Row } from "../panels/list.ts";
import type { Proposal } from "../panels/parts.ts";
import { say } from "../panels/toast.ts";
import type { Bed, Hum } from "../wire/fill.ts";
import type { FillAnswer, FindingView, KeptView } from "../wire/web.ts";
import type { Lulls } from "./lulls.ts";
import { clipsInHand, clipUnder } from "./moves.ts";
import { batch, type Stage } from "./stage.ts";
import { work } from "./work.ts";

interface BedAnswer {
  tc: string;
  edit: unknown;
  bed: Bed;
  keep: KeptView[];
}

const KINDS: Record<string, string> = { bump: "bump", click: "click", cough: "cough", spoken_over: "spoken over" };

export class Filling {
  private stage: Stage;
  private lulls: Lulls;
  private hear: (from: number, to: number, part: string) => void;
  private choices = new Choices();

  constructor(stage: Stage, lulls: Lulls, hear: (from: number, to: number, part: string) => void) {
    [this.stage, this.lulls, this.hear] = [stage, lulls, hear];
  }

  commands(): Record<string, () => void> {
    return {
      fill: () => void this.fill(),
      fill_choose: () => void this.choose(),
      findings: () => void this.findings(),
      bed: () => void this.bed(false),
      keep_words: () => void this.bed(true),
      keep_tone: () => void this.keepTone(),
      tones: () => location.assign(`/scenes/${this.stage.id}/tone`),
    };
  }

  /** What is to be filled, as the server is asked for it. */
  private hole(): URLSearchParams | undefined {
    const { selection: sel, scene, list, playhead } = this.stage,
      s = list.current;
    if (sel.kind === "range") {
      const on =
        sel.tracks.map((id) => scene.tracks.find((t) => t.id === id)!).find((t) => t?.kind === "sound") ??
        this.lulls.ranged()[0]?.p.track ??
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

  private ask(q: URLSearchParams, signal?: AbortSignal): Promise<FillAnswer> {
    return get(`/scenes/${this.stage.id}/fill?${q}`, signal);
  }

  /** Asks, and says so meanwhile. */
  private asked(q: URLSearchParams): Promise<FillAnswer | undefined> {
    return work(this.stage, "Looking for tone", (signal) => this.ask(q, signal));
  }

  private async fill(): Promise<void> {
    const q = this.hole();
    q?.set("best", "1");
    const got = q && (await this.stage.edits.after(() => this.asked(q)));
    if (!got) return;
    if (await this.stage.edits.edit(got.edit))
      this.stage.note(`${capital(got.did)}: ${got.list[0].reasons.slice(0, 2).join("; ")}`);
  }

  /** Lists the tones for a hole; each is heard in place before it is taken. */
  private async choose(): Promise<void> {
    const q = this.hole(),
      first = q && (await this.asked(q));
    if (!first) return;
    const asked = new Map<number, Promise<FillAnswer | undefined>>([[0, Promise.resolve(first)]]);
    const one = (i: number) => {
      if (!asked.has(i)) {
        q!.set("choice", String(i));
        const answer = this.ask(q!).catch((e) => {
          say(e);
          return undefined;
        });
        asked.set(i, answer);
      }
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
      title: "Strays",
      about: "Listening through the pauses …",
      options: [],
      hears: "",
      plain: "",
      takes: "",
    });
    let got: { findings: FindingView[]; hums: Hum[] };
    try {
      got = await get(`/scenes/${this.stage.id}/findings${q}`);
    } catch (e) {
      this.choices.close();
      return say(e);
    }
    if (!this.choices.shows("Strays")) return; // it was closed meanwhile
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
      title: "Strays",
      note: hums.length ? `Steady, so named and not lulled: ${hums.join(" · ")}` : "",
      about: got.findings.length
        ? `${got.findings.length} found in the pauses. Enter lulls one, with a patch in its place; Delete ` +
          `passes it.`
        : "Nothing was found in the pauses that should not be there.",
      hears: "Hear it lulled",
      plain: "Hear it as it is",
      takes: "Lull it",
      passes: "Pass",
      options: got.findings.map(
        (f): Option => ({
          key: f.id,
          at: f.tc,
          name: `${KINDS[f.kind] ?? f.kind} in ${f.clip_name}`,
          words: f.why,
          more:
            `peak ${f.peak_db.toFixed(1)} dBFS · lull of ` +
            `${Math.round(((f.lull.to - f.lull.from) * 1000) / this.stage.sr)} ms · ${f.track_name}`,
          mark: f.above_db >= 12 ? "▲" : "◆",
          tone: f.above_db >= 12 ? "rough" : "audible",
        }),
      ),
      chosen: (o) => {
        const f = find(o);
        this.stage.seek(f.span.from);
        this.stage.timeline.reveal(f.span.from);
      },
      heard: (o, plain) => {
        const f = find(o);
        if (plain) return this.hear(f.lull.from, f.lull.to, "scene");
        void (async () => {
          const p = proposals.get(o.key) ?? (await proposal(o.key));
          if (done.has(o.key)) return; // it was lulled meanwhile
          if (p?.edit) this.hear(f.lull.from, f.lull.to, TRY + JSON.stringify(p.edit));
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
    const x = this.lulls.ranged()[0],
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
