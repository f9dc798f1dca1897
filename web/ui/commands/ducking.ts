// Commands of tracks that make way for words: of other tracks, or of the clips in hand.

import { madeWayFor, makingWay, noWayFor } from "../model/ducks.ts";
import type { Placed, Track } from "../model/scene.ts";
import { downBy } from "../model/typed.ts";
import type { Question } from "../panels/ask.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";
import { trackInHand } from "./tracks.ts";

const FOLLOWS = "It follows the words when they move. How much they need is on the page of voices.";

export function ducking(s: Stage): Record<string, () => void> {
  const edit = (e: unknown) => void s.edits.edit(e);

  /** The clips of dialogue in hand: what others are to make way for. */
  const spoken = (): Placed[] => clipsInHand(s).filter((p) => p.track.purpose === "dialogue");

  const withDucks = (act: (t: Track) => void) => {
    const t = trackInHand(s);
    if (!t?.ducks?.length) return say("No track in hand makes way for words. Click the name of one that does.");
    act(t);
  };

  /** Asks by how much, and for one of some choices. */
  const howDeep = async (title: string, choices: Question["choices"]) => {
    const got = await s.ask({ title, label: "By how many dB", value: "8", choices, hint: FOLLOWS, done: "Make way" });
    if (!got) return undefined;
    const db = downBy(got.value);
    if (db !== undefined) return { choice: got.choice, db };
    say(`"${got.value}" is not a number of decibels, such as 8.`);
    return undefined;
  };

  /** Lets a track that is chosen make way for the words of some clips. */
  const forClips = async (clips: Placed[]) => {
    const own = new Set(clips.map((p) => p.track.id)),
      others = s.scene.tracks.filter((t) => t.kind === "sound" && !own.has(t.id)),
      rank = (t: Track) => ["music", "effects", "tone", "dialogue"].indexOf(t.purpose),
      first = [...others].sort((a, b) => rank(a) - rank(b))[0],
      name = clips.length > 1 ? `these ${clips.length} clips` : clips[0].clip.name;
    if (!first) return say(`There is no other track of sound that could make way for ${name}.`);
    const list = others.map((t) => ({ value: t.id, words: t.name })),
      got = await howDeep(`Make way for ${name}`, { label: "Track", list, value: first.id });
    if (!got) return;
    const was = others.find((t) => t.id === got.choice)?.ducks ?? [];
    edit({ edit: "set_ducks", track: got.choice, ducks: madeWayFor(was, clips, got.db) });
  };

  /** Lets the track in hand make way for the words of another. */
  const forTracks = async (t: Track) => {
    const others = s.scene.tracks.filter((x) => x.kind === "sound" && x.id !== t.id),
      voices = others.filter((x) => x.purpose === "dialogue");
    if (!others.length) return say("There is no other track of sound whose words it could make way for.");
    const got = await howDeep(`${t.name} makes way for words`, {
      label: "Of",
      list: [
        ...(voices.length > 1 ? [{ value: "", words: "all dialogue" }] : []),
        ...others.map((x) => ({ value: x.id, words: x.name })),
      ],
      value: voices.length > 1 ? "" : (voices[0] ?? others[0]).id,
    });
    if (!got) return;
    const under = got.choice ? [got.choice] : voices.map((x) => x.id);
    edit({ edit: "set_ducks", track: t.id, ducks: [...(t.ducks ?? []), { under, db: got.db }] });
  };

  return {
    duck: () => {
      const clips = spoken(),
        t = trackInHand(s);
      if (clips.length) return void forClips(clips);
      if (t?.kind === "sound") return void forTracks(t);
      say("Click the name of the track of sound that is to make way, or the clips whose words it is to make way for.");
    },

    duck_off: () => {
      const clips = spoken(),
        ids = clips.map((p) => p.clip.id);
      if (!clips.length) return withDucks((t) => edit({ edit: "set_ducks", track: t.id, ducks: [] }));
      const edits = s.scene.tracks
        .filter((t) => t.ducks?.some((d) => d.clips?.some((id) => ids.includes(id))))
        .map((t) => ({ edit: "set_ducks", track: t.id, ducks: noWayFor(t.ducks!, ids) }));
      if (edits.length) return edit(together(edits, "nothing makes way for the clips in hand by name"));
      const all = clips.flatMap((p) => makingWay(s.scene, p))[0];
      if (!all) return say("No track makes way for the clips in hand.");
      say(
        `${all.name} makes way for the whole track. Make a range over the clip, and say "Make no way here"; ` +
          "or click the name of the track that makes way.",
      );
    },

    duck_line: () => withDucks((t) => edit({ edit: "duck_to_line", track: t.id })),

    /** Where the range lies, the tracks of it never make way. */
    duck_except: () => {
      const { scene, selection: sel } = s;
      if (sel.kind !== "range")
        return say("No range is in hand. Drag over the ruler where a track is to stay at its own level.");
      const list = scene.tracks.filter((t) => t.ducks?.length && (!sel.tracks.length || sel.tracks.includes(t.id)));
      if (!list.length) return say("No track there makes way for words.");
      const span = { from: sel.from, to: sel.to },
        edits = list.map((t) => ({
          edit: "set_ducks",
          track: t.id,
          ducks: t.ducks!.map((d) => ({ ...d, except: [...(d.except ?? []), span] })),
        }));
      edit(together(edits, "tracks stay at their own level in a range"));
    },
  };
}
