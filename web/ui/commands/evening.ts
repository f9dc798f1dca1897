// Bringing takes to one room: the list of what each lacks and has too much, heard before and after, then one edit.
import { get } from "../model/api.ts";
import { openList, type Row } from "../panels/list.ts";
import { called, db, done, evenedPart, madeFrom, roomLevels, signed } from "../panels/takes.ts";
import { say } from "../panels/toast.ts";
import type { EveningAnswer, TakeView } from "../wire/web.ts";
import { clipsInHand } from "./moves.ts";
import { batch, type Stage } from "./stage.ts";
import { work } from "./work.ts";

export class Evening {
  private stage: Stage;
  private hear: (from: number, to: number, part: string) => void;

  constructor(stage: Stage, hear: (from: number, to: number, part: string) => void) {
    [this.stage, this.hear] = [stage, hear];
  }

  commands(): Record<string, () => void> {
    return {
      even: () => void this.list("natural"),
      even_quiet: () => void this.list("quiet"),
      even_like: () => {
        const clip = clipsInHand(this.stage)[0]?.clip;
        if (clip) void this.list(clip.id, clip.name);
        else say("Take the clip in hand whose room all are to have; it must be dialogue with a pause.");
      },
      even_off: () => {
        const clips = clipsInHand(this.stage).filter((p) => p.clip.room);
        if (clips.length)
          void this.stage.edits.edit({
            edit: "set_room",
            rooms: [],
            clips: Object.fromEntries(clips.map((p) => [p.clip.id, -1])),
          });
        else say("None of the clips in hand was brought to another room. Take one in hand that was.");
      },
    };
  }

  private async list(target: string, like = ""): Promise<void> {
    const { selection: sel } = this.stage,
      ranged = sel.kind === "range" && !sel.gap,
      asked = { target, ...(ranged ? { from: String(sel.from), to: String(sel.to) } : {}) },
      q = new URLSearchParams(asked);
    const got = await this.stage.edits.after(() =>
      work(this.stage, "Listening to the room of each take", (signal) =>
        get<EveningAnswer>(`/scenes/${this.stage.id}/evening?${q}`, signal),
      ),
    );
    if (!got) return;
    const { plan } = got,
      some = got.rest || got.takes.some((t) => t.edit);
    if (!some)
      return say(`All takes share a room already: they are ${db(plan.apart_db)} dB apart at most, which nobody hears.`);
    openList(
      {
        title: like ? `All takes to the room of ${like}` : "All takes to one room",
        about:
          `A room of ${db(plan.target.level_db)} dBFS, ${signed(plan.rise_over_loudest_db)} dB against the loudest ` +
          `take. They are up to ${db(plan.apart_db)} dB apart; ${db(plan.left_db)} dB are left. ` +
          `Words, length and sync stay.${madeFrom(plan)}`,
        of: "Take",
        rows: [...got.takes.map((t) => this.row(t)), ...this.rest(got)],
        hear: (key, then) => {
          const t = got.takes.find((x) => x.clips[0] === key)!,
            { sr } = this.stage;
          this.hear(t.at - 1.5 * sr, t.at + 2.5 * sr, then ? evenedPart(asked) : "scene");
        },
      },
      (edits) => void this.stage.edits.edit(batch(edits, "takes brought to one room")),
    );
  }

  private row(t: TakeView): Row {
    return {
      key: t.clips[0],
      tc: t.tc,
      name: called(t),
      was: `room at ${roomLevels(t)} dBFS, from ${db(t.measured_s)} s of pauses`,
      words: done(t),
      more: t.source === t.clip ? "" : t.source,
      mark: t.edit ? "◆" : "●",
      tone: t.edit ? "audible" : "clean",
      after: `background ${signed(t.rise_db)} dB`,
      afterMark: "●",
      afterTone: "clean",
      ticked: !!t.edit,
      can: !!t.edit,
      edit: t.edit,
      heard: true,
    };
  }

  /** What lies between the takes, and what could not be measured. */
  private rest({ plan, rest }: EveningAnswer): Row[] {
    const plain = { tc: "", was: "", more: "", mark: "●", tone: "clean", after: "", afterTone: "", afterMark: "" };
    const blends = plan.blends ? `, blends of 40 ms on ${plan.blends} ${plan.blends === 1 ? "cut" : "cuts"}` : "";
    return [
      {
        ...plain,
        key: "between",
        name: "Between the takes",
        words: `the same room in gaps, lulls and fades${blends}`,
        ticked: true,
        can: true,
        edit: rest,
      },
      ...[
        ...plan.unmeasured.map((name) => [name, "left: its recording has no pause to measure a room in"]),
        ...plan.covered.map((name) => [name, "left: others sound all the time that it does"]),
      ].map(([name, words]) => ({ ...plain, key: `left ${name}`, name, words, ticked: false, can: false })),
    ];
  }
}
