// Copies onto other tracks: of what is in hand onto the track above or below, of a whole track, and of what was copied
// onto the track that is pointed at. What would be written over is said first.
import { post } from "../model/api.ts";
import type { Track } from "../model/scene.ts";
import { type Range, spanOf } from "../model/selection.ts";
import { namesIn } from "../model/words.ts";
import { say } from "../panels/toast.ts";
import { PIECE } from "./clipboard.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";
import { trackInHand } from "./tracks.ts";

interface Copied {
  edit: unknown;
  over: string[];
}

interface Piece {
  length: number;
  tracks: { id: string; kind: string; name: string; purpose: string }[];
}

/** Asks whether clips of a track may be written over. */
async function writesOver(s: Stage, over: string[], on: string): Promise<boolean> {
  if (!over.length) return true;
  const got = await s.ask({
    title: `Write over ${over.length === 1 ? over[0] : `${over.length} clips`} of ${on}?`,
    label: "",
    hint: `What lies there goes where the copy comes: ${over.join(", ")}. Undo brings it back.`,
    done: "Write over it",
  });
  return !!got;
}

export function copying(s: Stage): Record<string, () => void> {
  const sounding = () => s.scene.tracks.filter((t) => t.kind === "sound");

  const copy = async (from: Track, onto: Track | undefined, span: { from: number; to: number }) => {
    try {
      const ask = { span, track: from.id, onto: onto?.id ?? "", at: span.from };
      const got = await s.edits.after(() => post<Copied>(`/scenes/${s.id}/copies`, ask));
      if (await writesOver(s, got.over, onto?.name ?? "")) void s.edits.edit(got.edit);
    } catch (e) {
      say(e);
    }
  };

  const beside = (by: 1 | -1) => () => {
    const range: Range | undefined = s.selection.kind === "range" ? s.selection : spanOf(clipsInHand(s)),
      tracks = range && sounding().filter((t) => range.tracks.includes(t.id)),
      from = tracks?.[0];
    if (!range || !from || tracks.length > 1)
      return say("Nothing on one track of sound is in hand. Take clips of one in hand, or a range on it alone.");
    const list = sounding(),
      onto = list[list.indexOf(from) + by];
    if (!onto && by < 0) return say(`No track of sound lies above ${from.name}. Copy it onto the one below.`);
    void copy(from, onto, range); // below the last one there is a new track
  };

  return {
    copy_below: beside(1),
    copy_above: beside(-1),
    duplicate_track: () => {
      const t = trackInHand(s);
      if (t?.kind !== "sound") return say("No track of sound is in hand. Click the name of one, or a clip on it.");
      if (!t.clips.length) return say(`Nothing lies on ${t.name} to be copied. Add a track instead.`);
      void copy(t, undefined, { from: 0, to: t.clips[t.clips.length - 1].to });
    },
  };
}

/** A piece of one track of sound, for the track that is in hand; as it was copied if none is. */
export async function pointed(s: Stage, how: "over" | "insert"): Promise<unknown> {
  const kept = localStorage.getItem(PIECE);
  if (!kept) return undefined;
  const piece = JSON.parse(kept) as Piece,
    sel = s.selection,
    id = sel.kind === "track" ? sel.id : sel.kind === "range" && sel.tracks.length === 1 ? sel.tracks[0] : "",
    on = s.scene.tracks.find((t) => t.id === id);
  const lies = (t: Track) =>
    t.clips.filter((c) => c.from < s.playhead + piece.length && s.playhead < c.to).map((c) => c.name);
  if (on?.kind !== "sound" || piece.tracks.length !== 1 || piece.tracks[0].kind !== "sound") {
    // It goes back where it came from: to each of its tracks that is there.
    const back = s.scene.tracks.filter((t) => piece.tracks.some((x) => x.id === t.id)),
      names = namesIn(back.filter((t) => lies(t).length).map((t) => t.name));
    return how !== "over" || (await writesOver(s, back.flatMap(lies), names)) ? piece : undefined;
  }
  if (how === "over" && !(await writesOver(s, lies(on), on.name))) return undefined;
  return { ...piece, tracks: [{ ...piece.tracks[0], id: on.id, name: on.name, purpose: on.purpose }] };
}
