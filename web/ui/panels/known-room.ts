// What is known of the room of the clip in hand: asked for once a clip, and shown on its card when it is there.
import { slopeOf } from "../drawing/room-scale.ts";
import { get } from "../model/api.ts";
import type { Placed } from "../model/scene.ts";
import type { Known } from "../wire/evening.ts";
import { db, signed } from "./takes.ts";

/** A room in words, as rows of a card. */
export function roomInWords(k: Known): { name: string; value: string }[] {
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

const WAIT = 300; // ms that a clip is in hand before its room is asked for

/** Rooms by clip, the ones asked for last. */
export class KnownRooms {
  private all = new Map<string, Known | null>();
  private timer = 0;
  private asking = "";
  private scene: string;
  private arrived: () => void;

  constructor(scene: string, arrived: () => void) {
    [this.scene, this.arrived] = [scene, arrived];
  }

  /** The room of a clip in rows, none while it is not known. */
  of({ track, clip }: Placed): { name: string; value: string }[] {
    if (track.kind !== "sound" || ["music", "effects"].includes(track.purpose)) return [];
    const key = [clip.id, clip.source, clip.gain_db ?? 0, track.gain_db ?? 0, clip.level?.length ?? 0].join(" "),
      known = this.all.get(key);
    if (known) return roomInWords(known);
    if (known === undefined && this.asking !== key) {
      this.asking = key;
      clearTimeout(this.timer);
      this.timer = window.setTimeout(() => void this.ask(key, clip.id), WAIT);
    }
    return [];
  }

  private async ask(key: string, clip: string): Promise<void> {
    const known = await get<Known>(`/scenes/${this.scene}/clips/${encodeURIComponent(clip)}/room`).catch(() => null);
    if (this.all.size > 200) this.all.clear();
    this.all.set(key, known); // null: it has none that could be heard
    if (this.asking === key) this.asking = "";
    if (known) this.arrived();
  }
}
