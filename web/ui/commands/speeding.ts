// Commands that let clips run faster, slower or backwards, sound and picture together.

import { underRange } from "../model/fitting.ts";
import { typedSpeed } from "../model/speeds.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";

export function speeding(stage: Stage): Record<string, () => void> {
  /** One clip of each link in hand: those that it is linked with run along. */
  const inHand = () => {
    const links = new Set<string>();
    return clipsInHand(stage).filter(({ clip: c }) => {
      if (!c.link) return true;
      const first = !links.has(c.link);
      links.add(c.link);
      return first;
    });
  };
  /** The clip that a range is about, of which only what lies in the range runs so. */
  const ranged = () => {
    const r = stage.selection.kind === "range" ? stage.selection : undefined,
      p = r && underRange(stage.scene, r);
    return p && { p, from: Math.max(r.from, p.clip.from), to: Math.min(r.to, p.clip.to) };
  };
  const edit = (more: object, words: string) => {
    const of = ranged();
    if (of) {
      const { p, from, to } = of;
      return void stage.edits.edit({ edit: "speed", clip: p.clip.id, ...more, from, to });
    }
    const list = inHand();
    if (!list.length) return say("No clip is in hand that could run at another speed. Click one.");
    void stage.edits.edit(
      together(
        list.map((p) => ({ edit: "speed", clip: p.clip.id, ...more })),
        `${list.length} clips ${words}`,
      ),
    );
  };

  const ask = async () => {
    const of = ranged(),
      list = of ? [of.p] : inHand();
    if (!list.length) return say("No clip is in hand that could run at another speed. Click one.");
    const name = of ? `the range of ${of.p.clip.name}` : list.length > 1 ? `${list.length} clips` : list[0].clip.name;
    const got = await stage.ask({
      title: `Speed of ${name}`,
      label: "Times as fast, such as 2, 1/2, 80 % or backwards",
      value: "2",
      choices: {
        label: "What follows",
        list: [
          { value: "stays", words: "stays where it is" },
          { value: "follows", words: "moves along by as much" },
        ],
        value: "stays",
      },
      hint:
        "Linked picture and sound run together, and the pitch goes along, as on a tape; 1/8 to 8. " +
        '"2 ease 1 s" goes over from its own speed at both ends. To keep the pitch, fit it into a length.',
      done: "Set the speed",
    });
    if (!got) return;
    const s = typedSpeed(got.value, stage.rate, stage.sr);
    if (!s) return say(`"${got.value}" is not a speed, such as 2, 1/2, 80 %, backwards or 2 ease 1 s.`);
    edit(
      {
        times: s.times,
        ...(s.ease ? { ease: s.ease } : {}),
        ...(s.reverse ? { reverse: true } : {}),
        ...(got.choice === "follows" ? { follow: true } : {}),
      },
      "at another speed",
    );
  };

  return { speed: () => void ask(), speed_off: () => edit({ times: 1 }, "at their own speed") };
}
