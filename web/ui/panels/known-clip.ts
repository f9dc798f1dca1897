// What is found out about the clip in hand, its room and its voice: asked for once a clip, and shown on its card when
// it is there.
import { slopeOf } from "../drawing/room-scale.ts";
import { get } from "../model/api.ts";
import type { Placed } from "../model/scene.ts";
import type { Measured } from "../wire/roommatch.ts";
import { db, signed } from "./takes.ts";

/** A room in words, as rows of a card. */
export function roomInWords(k: Measured): { name: string; value: string }[] {
  const slope = slopeOf(k.thirds_db);
  return [
    { name: "Room", value: `${db(k.was_db)} dBFS` },
    { name: "Colour, an octave", value: `${signed(slope)} dB` },
    ...(k.later_db.length ? [{ name: "Goes over to", value: `${db(k.then_db)} dBFS` }] : []),
    ...(k.hum ? [{ name: `Hum of ${k.hum.hz} Hz`, value: `${db(k.hum.level_db)} dBFS` }] : []),
    ...(k.hum?.drift_hz ? [{ name: "Hum drifts by", value: `${Math.abs(k.hum.drift_hz)} Hz` }] : []),
    { name: `From ${db(k.measured_s)} s`, value: `±${db(k.sure_db)} dB` },
  ];
}

const WAIT = 300; // ms that a clip is in hand before it is asked about

type Rows = { name: string; value: string }[];

/** What the server finds out about clips, in rows of a card, of the ones asked for last. */
export class KnownOfClips<T> {
  private all = new Map<string, T | null>();
  private timer = 0;
  private asking = "";
  private scene: string;
  private what: string;
  private words: (known: T) => Rows;
  private arrived: () => void;

  constructor(scene: string, what: "room" | "voice", words: (known: T) => Rows, arrived: () => void) {
    [this.scene, this.what, this.words, this.arrived] = [scene, what, words, arrived];
  }

  /** What is known of a clip in rows, none while it is not known. */
  of({ track, clip }: Placed): Rows {
    if (track.kind !== "sound" || ["music", "effects"].includes(track.purpose)) return [];
    const state = [clip.in, clip.length, clip.gain_db ?? 0, track.gain_db ?? 0, clip.level, clip.filters, clip.like],
      key = JSON.stringify([clip.id, clip.source, ...state]),
      known = this.all.get(key);
    if (known) return this.words(known);
    if (known === undefined && this.asking !== key) {
      this.asking = key;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => void this.ask(key, clip.id), WAIT);
    }
    return [];
  }

  private async ask(key: string, clip: string): Promise<void> {
    const path = `/scenes/${this.scene}/clips/${encodeURIComponent(clip)}/${this.what}`,
      known = await get<T | null>(path).catch(() => null);
    if (this.all.size > 200) this.all.clear();
    this.all.set(key, known); // null: it has none that could be heard
    if (this.asking === key) this.asking = "";
    if (known) this.arrived();
  }
}
