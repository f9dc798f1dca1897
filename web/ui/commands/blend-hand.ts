// One key blends what is in hand: clips, edges, a range. The server says what can be done; here it is done, or asked.
import { Problem, post } from "../model/api.ts";
import type { Edge } from "../model/scene.ts";
import { capital } from "../model/words.ts";
import { say } from "../panels/toast.ts";
import type { Planned } from "../wire/blending.ts";
import type { Style } from "./blend-all.ts";
import { type Stage, together } from "./stage.ts";

/** What is in hand, as the server is asked about it. */
interface Hand {
  clips?: string[];
  edges?: Edge[];
  span?: { from: number; to: number };
  tracks?: string[];
  long?: boolean; // twice as long as usual
}

/** A planned blend with its edits as they are sent. */
interface Plan extends Omit<Planned, "edit" | "choices"> {
  edit?: unknown;
  choices?: { words: string; edit: unknown }[];
}

/** What of the selection can be blended; nothing if it is a seam, a marker or a track. */
export function handOf(stage: Stage): Hand | undefined {
  const s = stage.selection;
  if (s.kind === "clips") return { clips: s.ids };
  if (s.kind === "edges") return { edges: s.edges };
  return s.kind === "range" ? { span: { from: s.from, to: s.to }, tracks: s.tracks } : undefined;
}

const sentence = (text: string) => `${capital(text)}.`;
const of = (p: Plan) => `${p.cut}: ${p.words}`;

/** Asks whether what is there may be replaced. */
async function replaces(stage: Stage, list: Plan[], style: Style): Promise<boolean> {
  const had = list.filter((p) => p.had);
  if (!had.length) return true;
  const one = had.length === 1;
  const got = await stage.ask({
    title: one ? `Replace what is on ${had[0].cut}?` : `Replace ${had.length} blends and fades?`,
    label: "",
    hint: `${had.map((p) => `${p.cut} has ${p.had}; it would be ${p.words}`).join(". ")}. The blend is ${style.name}.`,
    done: one ? "Replace it" : "Replace them",
  });
  return !!got;
}

/** Says why nothing is blended, with what would work. */
function cannot(stage: Stage, list: Plan[], tone: (gap: Plan) => void): void {
  const gap = list.find((p) => p.will === "gap");
  if (!gap) {
    if (list.length) return say(sentence(list.map(of).join("; ")));
    return say(
      stage.selection.kind === "range"
        ? "No cut, gap or free end of a clip lies in the range. Draw it over a cut."
        : "No two of the clips in hand lie side by side on one track. Take neighbours in hand, or one clip alone.",
    );
  }
  const fill = { words: "fill the gap with tone", edit: undefined };
  const words = `${sentence(gap.words)} Nothing touches between ${gap.cut.replace(" to ", " and ")}.`;
  say(new Problem(422, words, [...(gap.choices ?? []), fill]), (o) =>
    o.edit ? void stage.edits.edit(o.edit) : tone(gap),
  );
}

interface How {
  style: Style;
  asks: boolean; // before it replaces a blend
  bySound: boolean; // as long as what is blended takes, not as the style says
  tone(gap: Plan): void; // fills a gap
}

/** Blends what is in hand. */
export async function blendHand(stage: Stage, hand: Hand, { style, asks, bySound, tone }: How): Promise<void> {
  const ask = { blend: style.name, hand, by_sound: bySound };
  const { cuts } = await stage.edits.after(() => post<{ cuts: Plan[] }>(`/scenes/${stage.id}/blends/plan`, ask));
  const can = cuts.filter((p) => p.edit);
  if (!can.length) return cannot(stage, cuts, tone);
  if (asks && !(await replaces(stage, can, style))) return;
  const edits = together(
    can.map((p) => p.edit),
    `${can.length} places blended, ${style.name}`,
  );
  if (!(await stage.edits.edit(edits))) return;
  const said = cuts.filter((p) => p.will !== "done");
  if (said.length) stage.note(said.map(of).join("; "));
}
