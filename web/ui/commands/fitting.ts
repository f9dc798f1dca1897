// Commands that fit clips into lengths at the same pitch.

import { TRY } from "../bench/player.ts";
import { get } from "../model/api.ts";
import { toNext, toPicture, typedFit, underRange } from "../model/fitting.ts";
import type { Placed } from "../model/scene.ts";
import { frames } from "../model/time.ts";
import { openList } from "../panels/list.ts";
import { say } from "../panels/toast.ts";
import type { FitAnswer } from "../wire/web.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";
import { work } from "./work.ts";

const SHARES = [
  { value: "1", words: "pauses as far as they can, then words" },
  { value: "0.5", words: "pauses and words, half each" },
  { value: "0", words: "words alone" },
];

export function fitting(s: Stage, hear: (from: number, to: number, part: string) => void): Record<string, () => void> {
  const words = (n: number) => frames(n, s.rate, s.sr);

  /** The clip that is meant, and what of it, if not all. */
  const meant = (): { p: Placed; span?: { from: number; to: number } } | undefined => {
    const { selection: sel } = s;
    if (sel.kind === "range") {
      const p = underRange(s.scene, sel);
      if (!p) return undefined;
      const span = { from: Math.max(sel.from, p.clip.from), to: Math.min(sel.to, p.clip.to) };
      return span.from === p.clip.from && span.to === p.clip.to ? { p } : { p, span };
    }
    const p = clipsInHand(s).find((x) => x.track.kind === "sound");
    return p && { p };
  };
  const none = () => say("No clip of sound is in hand to be fitted. Click one, or make a range over part of it.");

  /** Asks the server how a clip takes a length. */
  const plan = (p: Placed, length: number, more: Record<string, string>): Promise<FitAnswer | undefined> =>
    s.edits.after(() =>
      work(s, "Listening for pauses", (signal) => {
        const q = new URLSearchParams({ length: String(length), ...more });
        return get<FitAnswer>(`/scenes/${s.id}/clips/${encodeURIComponent(p.clip.id)}/fit?${q}`, signal);
      }),
    );

  /** What fits a clip; it is freed of its picture, which keeps its length. */
  const edit = (p: Placed, got: FitAnswer) => ({ ...(got.edit as object), ...(p.clip.link ? { unlink: true } : {}) });

  /** Fits a clip into a length at once. */
  const at = async (p: Placed, length: number) => {
    const got = await plan(p, length, {});
    if (!got) return;
    if (await s.edits.edit(edit(p, got))) s.note(`${got.clip}: ${got.words}`);
  };

  const ask = async () => {
    const m = meant();
    if (!m) return none();
    const { p, span } = m,
      now = span ? span.to - span.from : p.clip.to - p.clip.from,
      slot = toPicture(s.scene, p) ?? toNext(p);
    const got = await s.ask({
      title: span ? `Fit a range of ${p.clip.name} into a length` : `Fit ${p.clip.name} into a length`,
      label: `Length, such as 96 frames, 4.2 s or 95 %; it takes ${words(now)}`,
      value: words(!span && slot && Math.abs(slot / now - 1) < 0.5 ? slot : now),
      choices: { label: "Taken from, or given to", list: SHARES, value: "1" },
      hint:
        "At the same pitch. No pause gets shorter than 120 ms; no word is touched where pauses are enough. " +
        '"ease 1 s" behind the length lets the speed of all of it go over at both ends.',
      done: "Measure",
    });
    if (!got) return;
    const asked = typedFit(got.value, now, s.rate, s.sr);
    if (!asked) return say(`"${got.value}" is no length, such as 96 frames, 4.2 s, 95 % or 95 % ease 1 s.`);
    const share = asked.ease ? "0" : got.choice, // a speed that eases in has no pauses to give
      as = (pauses: string) =>
        plan(p, asked.length, {
          pauses,
          ...(asked.ease ? { ease: String(asked.ease) } : {}),
          ...(span ? { from: String(span.from), to: String(span.to) } : {}),
        });
    const answer = await as(share);
    if (!answer) return;
    // A reading that is slow in its words can give them up and keep its pauses.
    const alone = answer.slow && share !== "0" && answer.length < answer.was ? await as("0") : undefined;
    propose(p, answer, alone);
  };

  /** Lists how it would be fitted, to be heard first; of both ways one is done. */
  const propose = (p: Placed, a: FitAnswer, alone?: FitAnswer) => {
    const row = (x: FitAnswer, key: string, of: string, ticked: boolean) => ({
      key,
      tc: "",
      name: x.clip,
      was: words(x.was),
      words: `${of}${x.words}`,
      more: "",
      mark: "◆",
      tone: "audible",
      after: words(x.length),
      afterMark: x.heard ? "◆" : "●",
      afterTone: x.heard ? "audible" : "clean",
      ticked,
      can: true,
      edit: edit(p, x),
      heard: true,
    });
    openList(
      {
        title: `${a.clip} at another length`,
        about: [
          a.reading,
          alone
            ? "The second row takes it from the words alone and leaves the pauses; if both are ticked, that is done."
            : "",
          p.clip.link ? "It is unlinked from its picture, which keeps its length." : "",
        ]
          .filter(Boolean)
          .join(" "),
        of: "Clip",
        rows: [
          row(a, p.clip.id, "", true),
          ...(alone ? [row(alone, `${p.clip.id} words`, "words alone: ", false)] : []),
        ],
        hear: (key, then) => {
          const { from } = p.clip,
            x = alone && key !== p.clip.id ? alone : a,
            to = p.clip.to + (then ? x.length - x.was : 0);
          hear(from, Math.max(from + 1, to), then ? TRY + JSON.stringify(edit(p, x)) : "scene");
        },
      },
      (edits) => void (edits.length && s.edits.edit(edits.at(-1))),
    );
  };

  /** Fits the clip in hand up to a moment. */
  const upTo = (length: (p: Placed) => number | undefined, otherwise: string) => () => {
    const p = clipsInHand(s).find((x) => x.track.kind === "sound");
    if (!p) return none();
    const n = length(p);
    if (!n || n < 1) return say(`${p.clip.name}: ${otherwise}`);
    if (n === p.clip.to - p.clip.from) return say(`${p.clip.name} takes that length already.`);
    void at(p, n);
  };

  return {
    fit: () => void ask(),
    fit_picture: upTo((p) => toPicture(s.scene, p), "no picture lies over its beginning to be fitted to."),
    fit_gap: upTo(toNext, "no clip follows it on its track, so that there is no end to fit it to."),
    fit_here: upTo((p) => s.playhead - p.clip.from, "the playhead lies before it; put it where it is to end."),
    fit_off: () => {
      const p = clipsInHand(s).find((x) => s.scene.sources[x.clip.source]?.fit);
      if (!p) return say("No clip in hand is fitted.");
      void s.edits.edit({ edit: "fit", clip: p.clip.id, parts: [] });
    },
  };
}
