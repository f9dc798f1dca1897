// Commands about the takes of a line: finding them, stepping through them in place, composing a line of several.

import { TRY } from "../bench/player.ts";
import { get } from "../model/api.ts";
import { underRange } from "../model/fitting.ts";
import type { Placed } from "../model/scene.ts";
import { takeBeside } from "../model/takes.ts";
import { numberOf } from "../model/typed.ts";
import { openList } from "../panels/list.ts";
import { say } from "../panels/toast.ts";
import type { TakeAnswer, TakesAnswer } from "../wire/web.ts";
import type { TakeFound } from "../wire/workspace.ts";
import { clipsInHand } from "./moves.ts";
import { batch, type Stage, together } from "./stage.ts";
import { work } from "./work.ts";

export function otherTakes(
  s: Stage,
  hear: (from: number, to: number, part: string) => void,
): Record<string, () => void> {
  /** The clip that is meant, and which part of it, if not all: what lies in the range. */
  const meant = (): { p: Placed; span?: { from: number; to: number } } | undefined => {
    const { selection: sel } = s;
    if (sel.kind !== "range") {
      const p = clipsInHand(s).find((x) => x.track.kind === "sound");
      return p && { p };
    }
    const p = underRange(s.scene, sel);
    return p && { p, span: { from: sel.from, to: sel.to } };
  };
  const stacked = () => {
    const m = meant();
    if (m?.p.clip.takes) return m;
    say(
      m
        ? `${m.p.clip.name} has no other takes yet. Find them, or add one by hand.`
        : "No clip of sound is in hand that could have takes. Click one, or make a range over part of it.",
    );
    return undefined;
  };
  const path = (p: Placed) => `/scenes/${s.id}/clips/${encodeURIComponent(p.clip.id)}`;
  /** Plays it with a second before and after. */
  const inContext = (from: number, to: number, part = "scene") => hear(Math.max(0, from - s.sr), to + s.sr, part);

  const use = async (number: number, m: { p: Placed; span?: { from: number; to: number } }) => {
    const q = new URLSearchParams({ number: String(number) });
    if (m.span) for (const k of ["from", "to"] as const) q.set(k, String(m.span[k]));
    const got = await s.edits.after(() =>
      work(s, `Putting take ${number} in step`, (signal) => get<TakeAnswer>(`${path(m.p)}/take?${q}`, signal)),
    );
    if (!got) return;
    const { from, to } = m.span ?? m.p.clip;
    if (await s.edits.edit(got.edit)) inContext(from, to);
  };
  const step = (by: number) => () => {
    const m = stacked();
    if (m) void use(takeBeside(m.p.clip.takes!, by), m);
  };

  const find = async () => {
    const p = meant()?.p;
    if (!p) return say("No clip of sound is in hand. Click the line of which other takes are to be found.");
    const got = await s.edits.after(() =>
      work(s, `Listening for what ${p.clip.name} says`, (signal) => get<TakesAnswer>(`${path(p)}/takes`, signal)),
    );
    if (!got) return;
    if (got.unheard.length) say(`Not listened to, as the sound is gone: ${got.unheard.join(", ")}.`);
    if (!got.list.length && !got.unheard.length)
      return say(
        `No other recording of this scene says what ${p.clip.name} says. "Add a take by hand" puts any under it.`,
      );
    if (got.list.length) propose(p, got.list);
  };

  const propose = (p: Placed, list: TakeFound[]) => {
    const c = p.clip,
      add = (f: TakeFound) => ({ edit: "add_take", clip: c.id, source: f.source, shift: f.shift }),
      next = c.takes ? Math.max(c.takes.number, ...c.takes.others.map((o) => o.number)) + 1 : 2;
    openList(
      {
        title: `Other takes of ${c.name}`,
        about: "What is ticked is put under the clip, in step with its words. The one that sounds stays.",
        of: "Recording",
        rows: list.map((f, i) => ({
          key: String(i),
          tc: `${(f.span.from / s.sr).toFixed(2)} s`,
          name: f.name,
          was: "",
          words: f.same ? "the same, by another microphone" : "said again",
          more: f.taken ? "under it already" : "",
          mark: "",
          tone: "",
          after: `${Math.round(100 * f.alike)} % alike`,
          afterMark: f.alike > 0.65 ? "●" : "◆",
          afterTone: f.alike > 0.65 ? "clean" : "audible",
          ticked: !f.taken && (i === 0 || f.alike > 0.65),
          can: !f.taken,
          edit: f.taken ? undefined : add(f),
          heard: true,
        })),
        hear: (key, then) => {
          const tried = batch([add(list[Number(key)]), { edit: "use_take", clip: c.id, number: next }], "");
          inContext(c.from, c.to, then && !list[Number(key)].taken ? TRY + JSON.stringify(tried) : "scene");
        },
      },
      (edits) => {
        if (edits.length) void s.edits.edit(together(edits, `${edits.length} takes put under ${c.name}`));
      },
    );
  };

  const byHand = async () => {
    const p = meant()?.p;
    if (!p) return say("No clip of sound is in hand. Click the one that is to have another take under it.");
    const list = Object.values(s.scene.sources)
      .filter((x) => x.samples && !x.tone && !x.fit)
      .map((x) => ({ value: x.id, words: x.name }));
    const got = await s.ask({
      title: `Another take of ${p.clip.name}`,
      label: `Where in it the clip begins, in seconds; in its own recording it is ${(p.clip.in / s.sr).toFixed(2)}`,
      value: (p.clip.in / s.sr).toFixed(2),
      choices: { label: "Recording", list, value: list[0]?.value ?? "" },
      done: "Put it under",
    });
    if (!got) return;
    const at = numberOf(got.value);
    if (at === undefined) return say(`"${got.value}" is no number of seconds.`);
    void s.edits.edit({
      edit: "add_take",
      clip: p.clip.id,
      source: got.choice,
      shift: Math.round(at * s.sr) - p.clip.in,
    });
  };

  /** Asks for one of the takes of the clip in hand. */
  const choose = async (title: string, done: string, sounding: boolean, chosen?: (n: number, p: Placed) => void) => {
    const m = stacked();
    if (!m) return;
    const { takes, name } = m.p.clip,
      list = takes!.others.map((o) => ({ value: String(o.number), words: `${o.number} ${o.name}` }));
    if (sounding) list.unshift({ value: String(takes!.number), words: `${takes!.number} ${name}, as it sounds now` });
    const got = await s.ask({
      title: `${title} ${name}`,
      label: "",
      choices: { label: "Take", list, value: list[0].value },
      done,
      chosen: chosen && ((n) => chosen(Number(n), m.p)),
    });
    return got && { number: Number(got.choice), ...m };
  };
  const hearAll = async () => {
    const got = await choose("Takes of", "Use it", true, (n, { clip: c }) =>
      inContext(
        c.from,
        c.to,
        n === c.takes!.number ? "scene" : TRY + JSON.stringify({ edit: "use_take", clip: c.id, number: n }),
      ),
    );
    if (got && got.number !== got.p.clip.takes!.number) void use(got.number, got);
  };
  const drop = async () => {
    const got = await choose("Which take is taken from under", "Take it away", false);
    if (got) void s.edits.edit({ edit: "drop_take", clip: got.p.clip.id, number: got.number });
  };

  return {
    take_next: step(1),
    take_before: step(-1),
    take_find: () => void find(),
    take_add: () => void byHand(),
    takes: () => void hearAll(),
    take_drop: () => void drop(),
  };
}
