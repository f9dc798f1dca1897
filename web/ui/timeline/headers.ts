// The headers of the tracks, beside the timeline: names, mute and solo.

import { threadOf } from "../drawing/paint.ts";
import type { Track } from "../model/scene.ts";
import type { Row } from "./rows.ts";

export interface HeaderDesk {
  selectedTracks(): string[];
  clicked(): { track(id: string, more: boolean): void };
  edit(e: Record<string, unknown>): void;
}

export class TrackHeaders {
  private key = "";
  private box: HTMLElement;
  private desk: HeaderDesk;

  constructor(box: HTMLElement, desk: HeaderDesk) {
    [this.box, this.desk] = [box, desk];
  }

  paint(rows: Row[]): void {
    const chosen = this.desk.selectedTracks();
    const key = rows
      .map((r) =>
        [
          [r.track.id, r.track.name, r.top, r.height, r.track.mute, r.track.solo, r.track.locked, r.track.stays],
          [threadOf(r.track), chosen.includes(r.track.id)],
        ].join(),
      )
      .join("|");
    if (key === this.key) return;
    this.key = key;
    const focused = document.activeElement?.getAttribute("data-head");
    this.box.replaceChildren(...rows.map((r) => this.head(r, chosen.includes(r.track.id))));
    if (focused) this.box.querySelector<HTMLElement>(`[data-head="${CSS.escape(focused)}"]`)?.focus();
  }

  private head(r: Row, chosen: boolean): HTMLElement {
    const el = document.createElement("div");
    el.className = `head${chosen ? " chosen" : ""}${r.folded ? " folded" : ""}`;
    el.style.cssText = `top:${r.top}px;height:${r.height}px;--thread:var(--${threadOf(r.track)})`;
    const name = button(r.track.id + "name", r.track.name, `Track ${r.track.name}`, chosen);
    name.className = "name";
    name.title = `${r.track.name}: ${r.track.purpose}`;
    name.onclick = (e) => this.desk.clicked().track(r.track.id, e.shiftKey);
    el.append(name);
    if (r.folded) return el;
    const row = document.createElement("div");
    el.append(row);
    if (r.track.kind === "sound") el.append(meter(r.track));
    if (r.track.kind === "sound") for (const what of ["mute", "solo"] as const) row.append(this.toggle(r.track, what));
    const marks = [r.track.locked ? "locked" : "", r.track.stays ? "stays" : ""].filter(Boolean).join(", ");
    if (marks) {
      const m = document.createElement("span");
      m.className = "marks";
      m.textContent = r.track.kind === "sound" ? (r.track.locked ? "lock" : "stay") : marks;
      m.title = marks;
      row.append(m);
    }
    return el;
  }

  private toggle(t: Track, what: "mute" | "solo"): HTMLButtonElement {
    const b = button(t.id + what, what, `${what} ${t.name}`, !!t[what]);
    b.onclick = () => this.desk.edit({ edit: "set_track", track: t.id, [what]: !t[what] });
    return b;
  }
}

/** How loud a track is, shown while it plays. */
function meter(t: Track): HTMLElement {
  const m = document.createElement("span");
  m.className = "track-meter";
  m.dataset.meter = t.id;
  m.setAttribute("role", "img");
  m.setAttribute("aria-label", `Level of ${t.name}`);
  return m;
}

function button(id: string, words: string, label: string, pressed: boolean): HTMLButtonElement {
  const b = document.createElement("button");
  b.type = "button";
  b.textContent = words;
  b.dataset.head = id;
  b.setAttribute("aria-label", label);
  b.setAttribute("aria-pressed", String(pressed));
  return b;
}
