// Notes on what is in hand, and who else is in the scene.
import { noteWords, Remarks } from "../model/remarks.ts";
import type { Card } from "../panels/parts.ts";
import { say } from "../panels/toast.ts";
import type { Stage } from "./stage.ts";

export class Remarking {
  readonly remarks: Remarks;
  private stage: Stage;

  /** shown is told who is here, whenever notes or people changed. */
  constructor(stage: Stage, shown: (words: string) => void) {
    this.stage = stage;
    this.remarks = new Remarks(stage.id, () => shown(this.remarks.words()));
  }

  /** Begins once the page shows something. */
  begin(): void {
    this.remarks.begin();
    void this.remarks.load().catch(say);
  }

  /** What of it a row of the seam list says. */
  ofSeam = (seam: string): string => {
    const { remarks } = this,
      open = remarks.on({ seam }).filter((n) => n.open).length,
      approved = remarks.on({ seam }).some((n) => n.approves),
      who = remarks.atSeam(seam);
    return [
      open ? `${open} ${open === 1 ? "note" : "notes"}` : "",
      approved ? "approved" : "",
      who.length ? `${who.join(", ")} has it in hand` : "",
    ]
      .filter(Boolean)
      .join(" · ");
  };

  /** What the timeline draws of notes that are open, and where others are. */
  drawn(): { notes: { at: number; length: number; words: string }[]; others: { at: number; who: string }[] } {
    const seams = new Map(this.stage.list.all.map((s) => [s.id, s.at]));
    return {
      notes: this.remarks.notes
        .filter((n) => n.open)
        .map((n) => ({ at: n.at, length: n.length ?? 0, words: n.who ? `${n.who}: ${n.text}` : n.text })),
      others: this.remarks.here.flatMap((p) => {
        const at = seams.get(p.seam);
        return at === undefined ? [] : [{ at, who: p.who || "another page" }];
      }),
    };
  }

  /** Adds to a card what was remarked on what is in hand. */
  card(card: Card): Card {
    const sel = this.stage.selection,
      on =
        sel.kind === "seam"
          ? this.remarks.on({ seam: this.stage.list.chosen })
          : sel.kind === "clips" && sel.ids.length === 1
            ? this.remarks.on({ clip: sel.ids[0] })
            : [];
    const lines = on.flatMap((n) => [noteWords(n), ...n.answers.map((a) => `↳ ${noteWords(a)}`)]);
    return lines.length ? { ...card, notes: [...card.notes, { name: "Notes", lines }] } : card;
  }

  commands(): Record<string, () => void> {
    return {
      note: () => void this.leave().catch(say),
      notes: () => location.assign(`/scenes/${this.stage.id}/remarks`),
      listen: () => location.assign(`/scenes/${this.stage.id}/listen`),
    };
  }

  private async leave(): Promise<void> {
    const { stage } = this,
      sel = stage.selection,
      seam = sel.kind === "seam" ? stage.list.current : undefined;
    const [on, what] = seam
      ? [{ seam: seam.id }, "the seam in hand"]
      : sel.kind === "clips" && sel.ids.length === 1
        ? [{ clip: sel.ids[0], at: stage.playhead }, "the clip in hand"]
        : sel.kind === "range"
          ? [{ at: sel.from, length: sel.to - sel.from }, "the range"]
          : [{ at: stage.playhead }, "the moment under the playhead"];
    const q = await stage.ask({ title: `A note on ${what}`, label: "Note", done: "Leave it" });
    if (!q?.value.trim()) return;
    await this.remarks.leave(q.value, on);
    stage.note("Note left");
  }
}
