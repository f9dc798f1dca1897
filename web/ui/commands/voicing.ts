// Commands that shape what is heard beside its level: points of level lines, a voice as near as another's.

import { TRY } from "../bench/player.ts";
import type { TrackMeters } from "../bench/track-meters.ts";
import { get } from "../model/api.ts";
import { clock } from "../model/clock.ts";
import { underRange } from "../model/fitting.ts";
import { addedPoint } from "../model/level.ts";
import type { Placed } from "../model/scene.ts";
import { LINE } from "../panels/level-cards.ts";
import { openList } from "../panels/list.ts";
import { db, signed } from "../panels/takes.ts";
import { say } from "../panels/toast.ts";
import type { LevelPoint } from "../wire/scene.ts";
import type { LikenessAnswer, LoudnessAnswer } from "../wire/web.ts";
import { ducking } from "./ducking.ts";
import { ofEach } from "./figures.ts";
import { fitting } from "./fitting.ts";
import { clipsInHand } from "./moves.ts";
import { batch, type Stage, together } from "./stage.ts";
import { otherTakes } from "./takes.ts";
import { work } from "./work.ts";

export class Voicing {
  private stage: Stage;
  private meters: TrackMeters;
  private hear: (from: number, to: number, part: string) => void;

  constructor(stage: Stage, meters: TrackMeters, hear: (from: number, to: number, part: string) => void) {
    [this.stage, this.meters, this.hear] = [stage, meters, hear];
  }

  private sound = (): Placed[] => clipsInHand(this.stage).filter((p) => p.track.kind === "sound");

  private edit = (e: unknown): void => void this.stage.edits.edit(e);

  commands(): Record<string, () => void> {
    return {
      level_point: () => this.point(),
      level_points_off: () => this.pointsOff(),
      level_copy: () => this.copyLine(),
      level_paste: () => this.pasteLine(),
      near: () => void this.near(),
      near_off: () => this.nearOff(),
      near_copy: () => this.copyNear(),
      ...ducking(this.stage),
      ...fitting(this.stage, this.hear),
      ...otherTakes(this.stage, this.hear),
      loudness: () => void this.loudness(),
      next_over: () => this.nextOver(),
      voices: () => location.assign(`/scenes/${this.stage.id}/voices`),
    };
  }

  /** A point on the line of each clip in hand that lies under the playhead; else of the clip there. */
  private point(): void {
    const { playhead, sr } = this.stage,
      list = this.sound().filter((p) => p.clip.from <= playhead && playhead <= p.clip.to);
    if (!list.length)
      return say("No clip of sound in hand lies under the playhead. Click one, and put the playhead on it.");
    const edits = list.map(({ clip: c }) => ({
      edit: "set_level",
      clip: c.id,
      points: addedPoint(c.level ?? [], playhead - c.start + c.in, Math.ceil(sr / 200)),
    }));
    this.edit(together(edits, `a level point on ${edits.length} clips`));
  }

  /** Takes the points of all lines off that lie in the range. */
  private pointsOff(): void {
    const { scene, selection: sel } = this.stage;
    if (sel.kind !== "range") return say("No range is in hand. Drag over the ruler to choose which points are to go.");
    const edits = scene.tracks
      .filter((t) => t.kind === "sound" && (!sel.tracks.length || sel.tracks.includes(t.id)))
      .flatMap((t) => t.clips)
      .filter((c) => c.level?.length)
      .map((c) => ({ c, points: c.level!.filter((p) => !within(p.at + c.start - c.in, sel)) }))
      .filter(({ c, points }) => points.length < c.level!.length)
      .map(({ c, points }) => ({ edit: "set_level", clip: c.id, points }));
    if (!edits.length) return say("No level line has a point in that range.");
    this.edit(batch(edits, "level points in the range taken off"));
  }

  private copyLine(): void {
    const c = this.sound().find((p) => p.clip.level?.length)?.clip;
    if (!c) return say("No clip in hand has a level line to copy.");
    localStorage.setItem(LINE, JSON.stringify(c.level!.map((p) => ({ at: p.at - c.in, db: p.db }))));
    this.stage.note(`Level line of ${c.name} copied`);
    this.stage.show();
  }

  private pasteLine(): void {
    const line = JSON.parse(localStorage.getItem(LINE) ?? "[]") as LevelPoint[],
      list = this.sound();
    if (!line.length) return say("No level line was copied. Take a clip in hand that has one, and copy it.");
    if (!list.length) return say("No clip of sound is in hand to paste the level line to.");
    this.edit(
      ofEach(list, "level line pasted", ({ clip: c }) => ({
        edit: "set_level",
        clip: c.id,
        points: line.map((p) => ({ at: p.at + c.in, db: p.db })),
      })),
    );
  }

  private nearOff(): void {
    const list = this.sound().filter((p) => p.clip.like);
    if (!list.length) return say("No clip in hand was brought near another voice.");
    this.edit({ edit: "set_like", clips: list.map((p) => p.clip.id), like: null });
  }

  /** Gives all clips in hand what brings the first of them that has it near another voice. */
  private copyNear(): void {
    const list = this.sound(),
      from = list.find((p) => p.clip.like)?.clip;
    if (!from)
      return say("None of the clips in hand was brought near another voice. Shift-click one that was as well.");
    const clips = list.filter((p) => p.clip.id !== from.id).map((p) => p.clip.id);
    if (!clips.length) return say("Shift-click the clips of the same set-up as well, which are to sound like it.");
    this.edit({ edit: "set_like", clips, like: from.like });
  }

  /** Brings the clip in hand as near as it comes to another's voice, heard and measured before it is done. */
  private async near(): Promise<void> {
    const { scene, rate, id, sr, selection: sel } = this.stage,
      range = sel.kind === "range" ? sel : undefined,
      under = range && underRange(scene, range),
      [first, second] = under ? [under] : this.sound();
    if (!first) return say("No clip of sound is in hand. Click the one that is to sound like another.");
    const others = scene.tracks
        .filter((t) => t.kind === "sound" && t.purpose === "dialogue")
        .flatMap((t) => t.clips)
        .filter((c) => c.id !== first.clip.id),
      longest = others.filter((c) => c.source !== first.clip.source).sort((a, b) => b.to - b.from - a.to + a.from)[0];
    if (!others.length) return say("There is no other clip of dialogue whose voice it could come near.");
    const asked = await this.stage.ask({
      title: `${first.clip.name} as near as it comes to another`,
      label: "Strength in per cent",
      value: "100",
      choices: {
        label: "To the voice of",
        list: others.map((c) => ({ value: c.id, words: `${c.name}, ${clock(scene, rate, c.from)}` })),
        value: second?.clip.id ?? (longest ?? others[0]).id,
      },
      hint: "The words of both are measured: their level, then their colour. The recording stays as it is.",
      done: "Measure",
    });
    if (!asked) return;
    const q = new URLSearchParams({ as: asked.choice, strength: asked.value.replace("%", "").trim() || "100" });
    const got = await this.stage.edits.after(() =>
      work(this.stage, "Listening to both voices", (signal) =>
        get<LikenessAnswer>(`/scenes/${id}/clips/${encodeURIComponent(first.clip.id)}/likeness?${q}`, signal),
      ),
    );
    if (!got) return;
    const like = (got.edit as { like?: unknown }).like,
      over = { tracks: [first.track.id], from: range?.from, to: range?.to, slope: Math.round(sr / 50), like },
      edit = range ? { edit: "treat_range", ...over } : got.edit,
      part = TRY + JSON.stringify(edit),
      figures = (d: { level_lu: number; colour_db: number }) =>
        `${signed(d.level_lu)} LU, ${db(d.colour_db)} dB of colour apart`;
    openList(
      {
        title: `${got.clip} as near as ${got.as}`,
        about:
          `By ${signed(got.gain_db)} dB and ${thirds(got.thirds_db)}; its background comes ` +
          `${got.noise_db < 0 ? "down" : "up"} by ${db(Math.abs(got.noise_db))} dB.` +
          `${got.tapered ? ` ${got.tapered} third-octaves lie too near to a room to be trusted wholly.` : ""}`,
        of: "Clip",
        rows: [
          {
            key: got.id,
            tc: "",
            name: got.clip,
            was: figures(got.before),
            words: `a curve over frequency, as ${got.as} has it`,
            more: got.why,
            mark: "◆",
            tone: "audible",
            after: figures(got.after),
            afterMark: "●",
            afterTone: "clean",
            ticked: true,
            can: true,
            edit,
            heard: true,
          },
        ],
        hear: (_, then) => {
          const c = range ?? first.clip;
          this.hear(c.from, Math.min(c.to, c.from + 6 * sr), then ? part : "scene");
        },
      },
      (edits) => edits.length && this.edit(edits[0]),
    );
  }

  /** The loudness of the range in hand, or of the scene. */
  private async loudness(): Promise<void> {
    const { selection: sel, id } = this.stage,
      ranged = sel.kind === "range",
      q = new URLSearchParams(ranged ? { from: String(sel.from), to: String(sel.to) } : {});
    const got = await this.stage.edits.after(() =>
      work(this.stage, "Measuring loudness", (signal) => get<LoudnessAnswer>(`/scenes/${id}/loudness?${q}`, signal)),
    );
    if (!got) return;
    if (got.integrated_lufs < -100)
      return say(`${ranged ? "The range" : "The scene"} is silent, or too short to measure.`);
    say(
      `${ranged ? "The range" : "The scene"} has ${db(got.integrated_lufs)} LUFS, a range of ${db(got.range_lu)} LU, ` +
        `short-term at most ${db(got.short_term_max_lufs)} LUFS, true peak ${db(got.true_peak_dbtp)} dBTP.`,
    );
  }

  private nextOver(): void {
    const o = this.meters.next(this.stage.playhead);
    if (!o)
      return say("Nothing was over the band since it began to play. Play first; the page Too loud finds all places.");
    const track = this.stage.scene.tracks.find((t) => t.id === o.track)?.name ?? "the scene";
    this.stage.place(o.at);
    this.stage.note(`${track} reaches ${db(o.db)} dBFS here`);
  }
}

const within = (at: number, r: { from: number; to: number }) => at >= r.from && at < r.to;

const thirds = (list: number[]) => `third-octaves by ${signed(Math.min(...list))} to ${signed(Math.max(...list))} dB`;
