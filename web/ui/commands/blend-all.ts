// A blend by name on every cut of the range, or of the scene: first a list of what it would do.
import { post } from "../model/api.ts";
import { chooseList, type Row } from "../panels/list.ts";
import { say } from "../panels/toast.ts";
import type { Planned as Plan } from "../wire/blending.ts";
import type { Style } from "../wire/scene.ts";
import { batch, type Stage } from "./stage.ts";

export type { Style };

/** What a blend would do at a cut, with the edit that does it. */
interface Planned extends Omit<Plan, "edit"> {
  tc: string;
  track: string;
  edit?: unknown;
}

const MARK: Record<string, string> = { done: "●", shortened: "◆", refused: "▲" };

const row = (c: Planned): Row => ({
  key: `${c.left} ${c.right}`,
  tc: c.tc,
  name: c.cut,
  was: "",
  words: c.words,
  more: c.track,
  mark: MARK[c.will],
  tone: c.will,
  after: c.will,
  afterMark: "",
  afterTone: "",
  ticked: !!c.edit,
  can: !!c.edit,
  edit: c.edit,
});

/** Lists what a blend by name would do, and does what is ticked. */
export async function planBlends(stage: Stage, styles: Style[]): Promise<void> {
  const { selection: sel } = stage;
  const range = sel.kind === "range" ? sel : undefined;
  const where = range ? "range" : "scene";
  const among = { from: range?.from ?? 0, to: range?.to ?? 2 ** 45, tracks: range?.tracks ?? [] };
  const named = styles.map((x) => ({
    value: x.name,
    words: x.default ? `${x.name} (default)` : x.name,
    selected: !!x.default,
  }));
  await chooseList(named, async ({ style, which }) => {
    try {
      const ask = { blend: style, which, ...among };
      const got = await post<{ cuts: Planned[]; blend: Style }>(`/scenes/${stage.id}/blends/plan`, ask);
      const off = which === "off";
      const about = got.cuts.length
        ? `Of the ${where}: what will be done, shortened or refused.`
        : `The ${where} has no such cut.`;
      const done = (n: number) => (off ? `${n} blends taken off` : `${n} cuts blended, ${got.blend.name}`);
      return [
        { title: off ? "Take blends off" : "Blend all cuts", about, rows: got.cuts.map(row) },
        (edits) => void stage.edits.edit(batch(edits, done(edits.length))),
      ];
    } catch (e) {
      say(e);
      return undefined;
    }
  });
}
