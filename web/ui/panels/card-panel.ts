// The card on the page: its figures are typed, its choices made, its actions run.
import Alpine from "@alpinejs/csp";
import { typed } from "../commands/figures.ts";
import type { Lulls } from "../commands/lulls.ts";
import type { Mending } from "../commands/mending.ts";
import type { Stage } from "../commands/stage.ts";
import { numberOf } from "../model/typed.ts";
import { refuseFigure } from "./figure.ts";
import { blank, type Card } from "./parts.ts";

let panel: { card: Card };

export function showCard(card: Card): void {
  panel.card = card;
}

export function registerCard(stage: Stage, lulls: Lulls, mending: Mending, run: (id: string) => void): void {
  panel = { card: blank };
  Alpine.data("card", () => ({
    card: panel.card,
    placeWindow: Number(localStorage.getItem("blendseam-window") ?? 250),
    init() {
      panel = this;
    },
    act: run,
    choosePlace(i: number) {
      mending.choosePlace(i);
    },
    typeWindow(e: Event) {
      const n = numberOf((e.target as HTMLInputElement).value, "ms") ?? 0;
      if (!(n >= 5 && n <= 2000)) return void refuseFigure("The search reaches 5 to 2000 ms to each side of the cut.");
      this.placeWindow = n;
      mending.setWindow(Math.round(n));
    },
    typeField(id: string, e: Event) {
      const input = e.target as HTMLInputElement;
      const wrong = typed(stage, lulls, id, input.value);
      if (wrong) refuseFigure(wrong);
    },
    choose(id: string, e: Event) {
      const { selection: sel, edits } = stage;
      const value = (e.target as HTMLSelectElement).value;
      if (sel.kind === "track") void edits.edit({ edit: "set_track", track: sel.id, [id]: value });
    },
  }));
}
