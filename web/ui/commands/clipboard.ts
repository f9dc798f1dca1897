// Commands that take out and put in: dividing, removing, copying, placing. And those of clips themselves.
import { post } from "../model/api.ts";
import type { Range } from "../model/selection.ts";
import { spanOf } from "../model/selection.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand, clipUnder } from "./moves.ts";
import type { Stage } from "./stage.ts";
import { work } from "./work.ts";

/** Where the browser keeps what was copied. */
export const PIECE = "blendseam-piece";

const STRETCH = "blendseam-stretch";

/** A stretch of a source as it was marked last; kept so that the scene's page finds it. */
export interface Marked {
  scene: string;
  source: string;
  name: string;
  from: number;
  to: number;
  picture: string;
  track: string;
}

export const marked = {
  get: (): Marked | undefined => JSON.parse(localStorage.getItem(STRETCH) ?? "null") ?? undefined,
  set: (m: Marked): void => localStorage.setItem(STRETCH, JSON.stringify(m)),
};

/** Where the playhead and the range of a scene are, for its pages of sources. */
export const place = {
  get: (scene: string): { playhead: number; range?: Range } =>
    JSON.parse(localStorage.getItem(`blendseam-place-${scene}`) ?? "null") ?? { playhead: 0 },
  set: (scene: string, p: { playhead: number; range?: Range }): void =>
    localStorage.setItem(`blendseam-place-${scene}`, JSON.stringify(p)),
};

/** pointed makes what was copied fit for the track that is in hand; it gives nothing if it is not to be pasted. */
export function clipboard(
  s: Stage,
  pointed: (s: Stage, how: "over" | "insert") => Promise<unknown>,
): Record<string, () => void> {
  const { edit } = s.edits,
    nothing = "Nothing is selected. Click a clip, or drag over the ruler to make a range.";

  const remove = (close: boolean) => {
    const { selection: sel } = s;
    if (sel.kind === "range" && sel.gap)
      return close
        ? void edit({ edit: "close_gap", track: sel.tracks[0], at: sel.from })
        : say("Nothing lies in this gap. Close it up, or fill it.");
    if (sel.kind === "range")
      return void edit({
        edit: "remove_range",
        from: sel.from,
        to: sel.to,
        close,
        ...(sel.tracks.length ? { tracks: sel.tracks } : {}),
      });
    if (sel.kind === "marker") return void edit({ edit: "remove_marker", marker: sel.id });
    const list = clipsInHand(s);
    if (!list.length) return say(nothing);
    void edit({ edit: "remove", clips: list.map((p) => p.clip.id), close });
  };

  const span = (): Range | undefined => {
    const { selection: sel } = s;
    return sel.kind === "range" ? sel : spanOf(clipsInHand(s));
  };

  const copy = async (): Promise<boolean> => {
    const r = span();
    if (!r) {
      say(nothing);
      return false;
    }
    try {
      const got = await s.edits.after(() =>
        post<{ piece: unknown; words: string }>(`/scenes/${s.id}/piece`, { from: r.from, to: r.to, tracks: r.tracks }),
      );
      localStorage.setItem(PIECE, JSON.stringify(got.piece));
      s.note(got.words);
      return true;
    } catch (e) {
      say(e);
      return false;
    }
  };

  /** Says so where nothing was copied. */
  const copied = (): boolean => {
    const there = !!localStorage.getItem(PIECE);
    if (!there) say("There is nothing to paste. Copy a range or a clip first, with Ctrl+C.");
    return there;
  };

  const paste = (how: "over" | "insert") => () => {
    if (!copied()) return;
    void pointed(s, how).then((piece) => piece && edit({ edit: "paste", piece, at: s.playhead, how }), say);
  };

  /** Pastes what is heard only where nobody speaks; what that is, the server says. */
  const pastePauses = async () => {
    if (!copied()) return;
    const piece = await pointed(s, "over");
    if (!piece) return;
    const got = await s.edits.after(() =>
      work(s, "Listening for words there", (signal) =>
        post<{ edit: unknown }>(
          `/scenes/${s.id}/pastes`,
          { ...s.edits.at(), edit: { edit: "paste", piece, at: s.playhead, how: "over" } },
          signal,
        ),
      ),
    );
    if (got) void edit(got.edit);
  };

  /** Lays what was copied under the clip in hand as tone: on the first track for that, or a new one. */
  const pasteUnder = async () => {
    const kept = localStorage.getItem(PIECE),
      under = clipsInHand(s).find((p) => p.track.kind === "sound") ?? clipUnder(s);
    if (!kept) return say("There is nothing to paste. Copy a quiet stretch first, with Ctrl+C.");
    if (under?.track.kind !== "sound") return say("No clip of sound is in hand to lay it under. Click one.");
    const piece = JSON.parse(kept) as { tracks: { kind: string; name: string; purpose: string }[] };
    if (piece.tracks.length !== 1 || piece.tracks[0].kind !== "sound")
      return say("What was copied is of more than one track. Copy a range on one track of sound alone.");
    const on = s.scene.tracks.find((t) => t.purpose === "tone"),
      own = { ...piece.tracks[0], purpose: "tone", name: on?.name ?? "Tone" };
    const paste = {
      edit: "paste",
      piece: { ...piece, tracks: [{ ...own, id: on?.id ?? "" }] },
      at: under.clip.from,
      how: "over",
    };
    const words = `laid under ${under.clip.name} as tone`;
    void edit(
      on ? paste : { edit: "several", edits: [{ edit: "add_track", name: "Tone", purpose: "tone" }, paste], words },
    );
  };

  const putStretch = (how: "over" | "insert") => () => {
    const m = stretch();
    if (m)
      void edit({
        edit: "add",
        track: m.track,
        ...(m.picture ? { picture: m.picture } : {}),
        source: m.source,
        in: m.from,
        length: m.to - m.from,
        start: s.playhead,
        name: m.name,
        how,
      });
  };
  const stretch = (): Marked | undefined => {
    const m = marked.get();
    if (m?.scene === s.id && s.scene.sources[m.source]) return m;
    say("No stretch of a source has been marked for this scene. Open a source, and mark its in and out point.");
    return undefined;
  };
  const fill = () => {
    const { selection: sel } = s;
    if (sel.kind !== "range")
      return say("There is no range to fill. Drag over the ruler or over empty cloth to make one.");
    const m = stretch(),
      only = sel.tracks.length === 1 ? s.scene.tracks.find((t) => t.id === sel.tracks[0]) : undefined;
    if (!m) return;
    const track = only?.kind === "sound" ? only.id : m.track;
    void edit({
      edit: "fill",
      track,
      ...(m.picture && !only ? { picture: m.picture } : {}),
      source: m.source,
      from: sel.from,
      to: sel.to,
      fit: "start",
      moment: m.from,
      name: m.name,
    }).then((ok) => {
      const laid = ok && s.scene.tracks.find((t) => t.id === track)?.clips.find((c) => c.from === sel.from);
      if (!laid) return;
      s.select({ kind: "clips", ids: [laid.id] }); // so that it can be slipped at once
      s.note(`Filled from ${m.name}. Slip it until the right moment shows.`);
    });
  };

  return {
    divide: () => {
      const hit = clipUnder(s),
        list = clipsInHand(s).filter((p) => p.clip.from < s.playhead && s.playhead < p.clip.to);
      void edit({
        edit: "divide",
        clips: list.length ? list.map((p) => p.clip.id) : hit ? [hit.clip.id] : [],
        at: s.playhead,
      });
    },
    divide_all: () => void edit({ edit: "divide", clips: [], at: s.playhead, all: true }),
    remove: () => remove(false),
    remove_close: () => remove(true),
    copy: () => void copy(),
    cut: () => void copy().then((ok) => ok && remove(false)),
    cut_close: () => void copy().then((ok) => ok && remove(true)),
    paste: paste("over"),
    paste_insert: paste("insert"),
    paste_pauses: () => void pastePauses().catch(say),
    paste_under: () => void pasteUnder().catch(say),
    duplicate: () => {
      const list = clipsInHand(s);
      if (!list.length) return say(nothing);
      void edit({ edit: "duplicate", clips: list.map((p) => p.clip.id) });
    },
    swap: () => {
      const first = clipsInHand(s)[0],
        next = first?.track.clips[first.index + 1];
      if (!first) return say("No clip is in hand. Click the one to swap with the clip after it.");
      if (!next)
        return say(
          `No clip comes after ${first.clip.name} on track ${first.track.name}, so there is nothing to swap it with.`,
        );
      void edit({ edit: "swap", left: first.clip.id, right: next.id });
    },
    place_over: putStretch("over"),
    place_insert: putStretch("insert"),
    fill_range: fill,
    came_from: () => {
      const p = clipsInHand(s)[0] ?? clipUnder(s);
      if (!p) return say("No clip is in hand, so there is no source to show.");
      const fit = s.scene.sources[p.clip.source]?.fit;
      if (fit) return location.assign(`/scenes/${s.id}/sources/${fit.of}/`);
      const moment = p.track.kind === "sound" ? p.clip.in : Math.round((p.clip.in * s.rate.den * s.sr) / s.rate.num);
      location.assign(
        `/scenes/${s.id}/sources/${p.clip.source}/` +
          `?clip=${p.clip.id}&from=${moment}&to=${moment + p.clip.to - p.clip.from}`,
      );
    },
    mute_clip: () => {
      const p = clipsInHand(s)[0];
      if (!p) return say("No clip is in hand to mute.");
      void edit({ edit: "set_clip", clip: p.clip.id, muted: !p.clip.muted });
    },
  };
}
