// Commands of tracks and markers, and of how tracks are shown.
import type { Track } from "../model/scene.ts";
import { capital } from "../model/words.ts";
import { say } from "../panels/toast.ts";
import { asIs, type Shown } from "../timeline/rows.ts";
import { clipsInHand } from "./moves.ts";
import type { Stage } from "./stage.ts";

/** How a scene's tracks are shown is remembered by the browser. */
export const shownOf = {
  get: (scene: string): Shown => ({ ...asIs, ...JSON.parse(localStorage.getItem(`blendseam-shown-${scene}`) ?? "{}") }),
  set: (scene: string, s: Shown): void => localStorage.setItem(`blendseam-shown-${scene}`, JSON.stringify(s)),
};

/** The track that commands of tracks are about. */
export function trackInHand(s: Stage): Track | undefined {
  const { selection: sel } = s;
  const id =
    sel.kind === "track"
      ? sel.id
      : sel.kind === "range" && sel.tracks.length === 1
        ? sel.tracks[0]
        : sel.kind === "seam"
          ? s.list.current?.track
          : clipsInHand(s)[0]?.track.id;
  return s.scene.tracks.find((t) => t.id === id);
}

export function tracks(s: Stage): Record<string, () => void> {
  const { edit } = s.edits;
  const withTrack = (act: (t: Track) => void) => () => {
    const t = trackInHand(s);
    if (!t) return say("No track is in hand. Click the name of one, or a clip on it.");
    act(t);
  };
  const toggle = (what: "mute" | "solo" | "locked" | "stays") =>
    withTrack((t) => void edit({ edit: "set_track", track: t.id, [what]: !t[what] }));
  const look = (now: Partial<Shown>) => {
    s.shown = { ...s.shown, ...now };
    shownOf.set(s.id, s.shown);
    s.show();
  };
  const moved = (by: number) =>
    withTrack((t) => void edit({ edit: "move_track", track: t.id, to: s.scene.tracks.indexOf(t) + by }));
  const flip = (list: string[], id: string) => (list.includes(id) ? list.filter((x) => x !== id) : [...list, id]);
  const scaled = (n: number) => Math.round(100 * Math.min(4, Math.max(0.5, n))) / 100;

  return {
    marker: async () => {
      const range = s.selection.kind === "range" ? s.selection : undefined,
        at = range?.from ?? s.playhead,
        what = range ? "range" : "marker",
        got = await s.ask({
          title: range ? "Name the range" : "Set a marker",
          label: "Name",
          value: `${what} ${(s.scene.markers?.length ?? 0) + 1}`,
          done: range ? "Name it" : "Set it",
        });
      if (got) void edit({ edit: "add_marker", at, length: range ? range.to - at : 0, name: got.value });
    },
    marker_range: () => {
      const sel = s.selection,
        m = sel.kind === "marker" ? s.scene.markers?.find((x) => x.id === sel.id) : undefined;
      if (!m?.length) return say("Choose a named range in the ruler first. H names the range in hand.");
      s.select({ kind: "range", from: m.at, to: m.at + m.length, tracks: [] });
    },
    track_add: async () => {
      const list = ["dialogue", "tone", "music", "effects", "picture"].map((value) => ({ value, words: value }));
      const got = await s.ask({
        title: "Add a track",
        label: "Name",
        value: "",
        choices: { label: "Purpose", list, value: "dialogue" },
        done: "Add it",
      });
      if (got)
        void edit({
          edit: "add_track",
          name: got.value || capital(got.choice),
          purpose: got.choice,
        });
    },
    track_mute: toggle("mute"),
    track_solo: toggle("solo"),
    track_lock: toggle("locked"),
    track_follow: toggle("stays"),
    track_up: moved(-1),
    track_down: moved(1),
    track_remove: withTrack((t) => void edit({ edit: "remove_track", track: t.id })),
    track_fold: withTrack((t) => look({ folded: flip(s.shown.folded, t.id) })),
    fold_all: () => look({ folded: s.shown.folded.length ? [] : s.scene.tracks.map((t) => t.id) }),
    track_hide: withTrack((t) => {
      look({ hidden: [...s.shown.hidden, t.id] });
      s.note(`Track ${t.name} is hidden and still heard`);
    }),
    voice_band: () => look({ band: !s.shown.band }),
    tracks_show: () => look({ hidden: [] }),
    taller: () => look({ scale: scaled(s.shown.scale * 1.25) }),
    lower: () => look({ scale: scaled(s.shown.scale / 1.25) }),
    waves_up: () => look({ wave: Math.min(64, s.shown.wave * 1.5) }),
    waves_down: () => look({ wave: Math.max(0.25, s.shown.wave / 1.5) }),
  };
}
