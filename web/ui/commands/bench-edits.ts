// What a hand on the bench does to the scene.
import { say } from "../panels/toast.ts";
import type { Stage } from "./stage.ts";

export function benchEdits(page: () => Stage) {
  return {
    setLull(from: number, to: number): void {
      const { bench, edits } = page();
      const s = bench.seam;
      if (s) void edits.edit({ edit: "set_lull", clip: s.left, lull: s.lull, from, to });
    },
    rollTo(to: number, alone: boolean): void {
      const { bench, edits, rate, sr } = page();
      const s = bench.seam;
      if (!s) return;
      const cut = { left: s.left, right: s.right };
      if (!alone) return void edits.edit({ edit: "roll", ...cut, to });
      if (s.lead === undefined) return say("This cut has no picture linked, so its sound cannot lead or trail.");
      const frames = Math.round(((s.at + s.lead - to) * rate.num) / (rate.den * sr));
      void edits.edit({ edit: "lead", ...cut, frames });
    },
  };
}
