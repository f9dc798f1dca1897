// One clip over into another of another track: what would go is said and drawn before it is done.
import { post } from "../model/api.ts";
import { type Goes, type Way, ways } from "../model/pairing.ts";
import type { Placed } from "../model/scene.ts";
import { frames } from "../model/time.ts";
import { say } from "../panels/toast.ts";
import type { Style } from "./blend-all.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";

const seconds = (n: number, sr: number) => `${(n / sr).toFixed(n < sr ? 2 : 1)} s`;

/** The two clips that are in hand; of one, the other is the clip of another track that sounds at the same time. */
async function both(stage: Stage): Promise<Placed[] | undefined> {
  const hand = clipsInHand(stage).filter((p) => p.track.kind === "sound");
  if (hand.length === 2 && hand[0].track !== hand[1].track) return hand;
  if (hand.length !== 1) {
    say(
      "Take two clips of sound on two tracks in hand, with Shift-click, or one that another track sounds along with: " +
        "one fades out while the other fades in.",
    );
    return undefined;
  }
  const [one] = hand,
    others = stage.scene.tracks
      .filter((t) => t.kind === "sound" && t !== one.track)
      .flatMap((track) => track.clips.map((clip, index) => ({ track, clip, index })))
      .filter(({ clip }) => clip.from < one.clip.to && one.clip.from < clip.to);
  if (!others.length) {
    say(`No clip of another track sounds while ${one.clip.name} does. Move one so that they overlap.`);
    return undefined;
  }
  if (others.length === 1) return [one, others[0]];
  const got = await stage.ask({
    title: `Which clip does ${one.clip.name} go over into?`,
    label: "",
    choices: {
      label: "Clip",
      list: others.map((p, i) => ({ value: String(i), words: `${p.clip.name} on ${p.track.name}` })),
      value: "0",
    },
    done: "This one",
  });
  return got && [one, others[Number(got.choice)]];
}

/** Asks how, where it is not plain, and goes over. */
export async function pair(stage: Stage, style: Style, halves: { before: number; after: number }): Promise<void> {
  const two = await both(stage);
  if (!two) return;
  const { rate, sr } = stage;
  const list = ways(two[0].clip, two[1].clip, halves.before, halves.after);
  const gone = (g: Goes) => `${seconds(g.to - g.from, sr)} of the ${g.end} of ${g.name}`;
  const words = (w: Way) =>
    `${w.out.name} over into ${w.into.name} within ${frames(w.to - w.from, rate, sr)}: ` +
    `${w.goes.length ? `${w.goes.map(gone).join(" and ")} ${w.goes.length > 1 ? "go" : "goes"}` : "nothing goes"}`;
  const draw = (w: Way | undefined) => {
    stage.timeline.goes = w?.goes ?? [];
    stage.timeline.repaint();
  };
  let chosen: Way | undefined = list[0];
  if (list.length > 1 || list[0].goes.length) {
    draw(chosen);
    const got = await stage.ask({
      title: "One clip over into the other",
      label: "",
      choices: { label: "How", list: list.map((w, i) => ({ value: String(i), words: words(w) })), value: "0" },
      hint: "What goes is hatched in the timeline. It can be drawn out again: the recordings stay whole.",
      done: "Go over",
      chosen: (i) => draw(list[Number(i)]),
    });
    chosen = got && list[Number(got.choice)];
    draw(undefined);
  }
  if (!chosen) return;
  void stage.edits.edit({
    edit: "set_pair",
    out: chosen.out.id,
    in: chosen.into.id,
    from: chosen.from,
    to: chosen.to,
    law: style.law,
    curve_out: style.curve_out,
    curve_in: style.curve_in,
  });
}

/** Goes over from the range's clip to that of another track, and back at its end; the server says how. */
export async function across(stage: Stage): Promise<void> {
  const { selection: sel, scene } = stage,
    none =
      "No range is in hand over clips of two tracks. Draw one on a clip, with its treated copy on another track; " +
      "choose both tracks by their names where there are more.";
  if (sel.kind !== "range") return say(none);
  const all = scene.tracks.filter((t) => t.kind === "sound" && t.clips.some((c) => c.from < sel.from && sel.to < c.to)),
    chosen = all.filter((t) => sel.tracks.includes(t.id)),
    from = chosen[0] ?? all[0],
    shows = (t: (typeof all)[0]) => t.clips.find((c) => c.from < sel.from && sel.to < c.to)?.source,
    others = (chosen.length > 1 ? chosen : all).filter((t) => t !== from),
    over = others.find((t) => shows(t) === shows(from)) ?? others[0];
  if (!from || !over) return say(none);
  const ask = { span: { from: sel.from, to: sel.to }, from: from.id, over: over.id };
  const { edit } = await stage.edits.after(() => post<{ edit: unknown }>(`/scenes/${stage.id}/blends/across`, ask));
  void stage.edits.edit(edit);
}
