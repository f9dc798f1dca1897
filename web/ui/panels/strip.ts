// Words of the top strip, of the seam list's head and of the bench's.

import { endOf, type Scene } from "../model/scene.ts";
import type { Seam } from "../model/seam.ts";
import { frameOf, type Rate, timecode } from "../model/time.ts";
import { leadOf, name } from "./seams.ts";

/** The scene's name, rate, length, and what can be undone. */
export function sceneWords(scene: Scene, rate: Rate) {
  const whole = timecode(frameOf(endOf(scene), rate, scene.sample_rate), rate);
  const hasPicture = scene.tracks.some((t) => t.kind === "picture" && t.clips.length > 0);
  return {
    title: scene.name,
    about: `${rate.words} · ${whole.slice(0, 8)} long`,
    hasPicture,
    pictureClass: hasPicture ? "" : "no-picture",
    noUndo: !scene.undo,
    noRedo: !scene.redo,
    undoWords: scene.undo ? `Undo: ${scene.undo}` : "Nothing to undo",
    redoWords: scene.redo ? `Redo: ${scene.redo}` : "Nothing to redo",
  };
}

/** How many seams there are, by verdict. */
export function countWords(all: Seam[], shown: number) {
  const count = (v: string) => all.filter((s) => s.verdict === v).length;
  const pending = all.filter((s) => !s.why).length;
  const unknown = count("unknown");
  const gaps = count("") - pending; // beside recordings that are missing
  const verdicts = `${count("rough")} rough · ${count("audible")} audible · ${count("clean")} clean`;
  return {
    filterWords: shown < all.length ? `${shown} shown` : "",
    seamCount: `${all.length} ${all.length === 1 ? "seam" : "seams"}`,
    verdictCount: pending
      ? `${pending} being measured`
      : `${verdicts}${unknown ? ` · ${unknown} cannot be judged` : ""}${gaps ? ` · ${gaps} not measured` : ""}`,
  };
}

/** What the bench shows: the seam in hand, and how much of it, in seconds. */
export function benchWords(
  s: Seam | undefined,
  number: number,
  of: number,
  seconds: number,
  next: string,
  rate: Rate,
  sr: number,
) {
  const [blendedWords, outWords, inWords] =
    s?.kind === "lull" ? ["Lulled", "Clip", "Patch"] : ["Blended", "Outgoing", "Incoming"];
  const words = { blendedWords, outWords, inWords };
  if (!s) return { ...words, benchTitle: "Bench", benchAbout: of ? `${next} takes the first seam in hand` : "" };
  const shown = seconds >= 0.1 ? `${seconds.toFixed(1)} s` : `${(seconds * 1000).toFixed(1)} ms`;
  const about = [name(s), leadOf(s, rate, sr), `${shown} shown`];
  return { ...words, benchTitle: `Seam ${number} of ${of}`, benchAbout: about.filter(Boolean).join(" · ") };
}

/** Which order the seam list has. */
export const orderWords = (worst: boolean) => ({
  byTimeClass: worst ? "" : "on",
  worstClass: worst ? "on" : "",
  byTimePressed: String(!worst),
  worstPressed: String(worst),
});

/** What the page shows before it knows better. */
export const blank = {
  title: "",
  about: "",
  kept: "All kept",
  did: "",
  present: "",
  playMark: "▶",
  playWords: "Play",
  seamCount: "",
  filter: "",
  filterWords: "",
  verdictCount: "",
  hasPicture: false,
  pictureClass: "",
  byTimeClass: "on",
  worstClass: "",
  byTimePressed: "true",
  worstPressed: "false",
  benchTitle: "Bench",
  benchAbout: "",
  four: "",
  blendedWords: "Blended",
  outWords: "Outgoing",
  inWords: "Incoming",
  modePlain: "",
  modeBlended: "on",
  modeOutgoing: "",
  modeIncoming: "",
  modeDifference: "",
  rollWords: "",
  loopClass: "",
  loopPressed: "false",
  slowClass: "",
  slowPressed: "false",
  hearing: "",
  snapClass: "on",
  snapPressed: "true",
  large: false,
  largeTC: "",
  noUndo: true,
  noRedo: true,
  undoWords: "",
  redoWords: "",
};
