import { TRY } from "../bench/player.ts";
import { get, post } from "../model/api.ts";
import { blendAt, findClip } from "../model/scene.ts";
import { leaning, type Seam } from "../model/seam.ts";
import { edgeOf } from "../model/selection.ts";
import { inSamples } from "../model/time.ts";
import { capital } from "../model/words.ts";
import { awaitList, closeList, listProgress, openList, type Row } from "../panels/list.ts";
import { MARKS, type Proposal } from "../panels/parts.ts";
import { say } from "../panels/toast.ts";
import type { Overlapping } from "../timeline/overlap.ts";
import type { Place } from "../wire/mend.ts";
import type * as web from "../wire/web.ts";
import { planBlends, type Style } from "./blend-all.ts";
import { blendHand, handOf } from "./blend-hand.ts";
import { across, pair } from "./pairing.ts";

import { batch, type EditAnswer, type Stage } from "./stage.ts";
import { work } from "./work.ts";

interface ProposalView extends web.ProposalView {
  proposal: Proposal;
}
interface MendAnswer {
  changes: ProposalView[];
  left: ProposalView[];
}

function mendRow(v: ProposalView): Row {
  const { before, after, did, reasons, edit, left } = v.proposal;
  return {
    key: before.id,
    tc: v.tc,
    name: v.name,
    was: before.why,
    words: did ?? "left as it is",
    more: [...(reasons ?? []), ...(left ? [`left: ${left}`] : [])].join("; "),
    mark: MARKS[before.verdict],
    tone: before.verdict,
    after: after ? after.why : before.why,
    afterMark: MARKS[(after ?? before).verdict],
    afterTone: (after ?? before).verdict,
    ticked: !!edit,
    can: !!edit,
    edit,
  };
}

/** Why what is in hand cannot be blended: it is no cut, or there is none. */
export const noCut = (s: Seam | undefined): string =>
  s
    ? "This seam is not a cut between two touching clips, so there is nothing to blend. " +
      "Move one clip up to the other first."
    : "No seam is chosen. Choose a cut in the list or in the timeline.";

export class Mending {
  proposal?: { seam: string; revision: number; view: Proposal };
  places?: { seam: string; revision: number; list: Place[]; why: string; chosen: number };
  styles: Style[] = [];
  private stage: Stage;
  private show: () => void;
  private hear: (what: string) => void;
  private fill: () => void;
  private asked = 0;

  /** on shows what is known of a seam, lets it be heard, and fills the range in hand with tone. */
  constructor(stage: Stage, styles: Style[], on: { show: () => void; hear: (what: string) => void; fill: () => void }) {
    [this.stage, this.styles, this.show, this.hear, this.fill] = [stage, styles, on.show, on.hear, on.fill];
  }

  /** What is known of a seam as it is now. */
  of(s: Seam): { proposal?: Proposal; places?: Mending["places"] } {
    const now = (x?: { seam: string; revision: number }) =>
      x?.seam === s.id && x.revision === this.stage.scene.revision;
    return {
      proposal: now(this.proposal) ? this.proposal!.view : undefined,
      places: now(this.places) ? this.places : undefined,
    };
  }

  /** Asks for the proposal of the seam in hand, once it has been in hand for a moment. */
  look(): void {
    clearTimeout(this.asked);
    const s = this.stage.list.current;
    if (s?.verdict && !this.of(s).proposal) this.asked = window.setTimeout(() => void this.fetch(s).catch(say), 350);
  }

  private async fetch(s: Seam, signal?: AbortSignal): Promise<Proposal | undefined> {
    const known = this.of(s).proposal;
    if (known) return known;
    const revision = this.stage.scene.revision;
    const url = `/scenes/${this.stage.id}/proposal?seam=${encodeURIComponent(s.id)}`;
    const got = await get<ProposalView | null>(url, signal);
    if (!got) return undefined;
    this.proposal = { seam: s.id, revision, view: got.proposal };
    if (this.stage.list.current?.id === s.id) this.show();
    return got.proposal;
  }

  private current(): Seam | undefined {
    const s = this.stage.list.current;
    if (!s) say("No seam is chosen. Choose one in the list, or press Down for the next.");
    return s;
  }

  commands(): Record<string, () => void> {
    return {
      mend: () => void this.mend(),
      mend_all: () => void this.mendAll(),
      blend: () => this.blend(),
      blend_long: () => this.blend(undefined, true, true),
      blend_all: () => void planBlends(this.stage, this.styles),
      places: () => void this.findPlaces(),
      place_next: () => this.stepPlace(1),
      place_previous: () => this.stepPlace(-1),
      place_take: () => this.takePlace(),
      accept: () => void this.accept(),
      pair: () => void pair(this.stage, this.default, this.halves(this.default)),
      across: () => void across(this.stage).catch(say),
      scenes: () => location.assign("/"),
      rooms: () => location.assign(`/scenes/${this.stage.id}/rooms`),
      loud: () => location.assign(`/scenes/${this.stage.id}/loud`),
      report: () => location.assign(`/scenes/${this.stage.id}/report`),
      settings: () => location.assign("/settings"),
    };
  }

  private async mend(): Promise<void> {
    const s = this.current();
    if (!s) return;
    const p = await work(this.stage, "Looking for what mends it", (signal) => this.fetch(s, signal));
    if (!p) return;
    if (!p.edit)
      return say(
        p.left
          ? `Nothing mends this seam by itself. ${capital(p.left)}.`
          : "This seam is clean, and nothing better was found.",
      );
    if (await this.stage.edits.edit(p.edit)) this.stage.note(`Mended: ${p.did}`);
  }

  private async mendAll(): Promise<void> {
    const title = "Mend all";
    const stop = awaitList(title, "Looking for what mends each seam, and measuring what would come out …");
    try {
      const got = await post<MendAnswer>(`/scenes/${this.stage.id}/mend`, {}, stop);
      const changed = new Set(got.changes.map((c) => c.proposal.before.id));
      const left = got.left.filter((v) => !changed.has(v.proposal.before.id));
      const rows = [
        ...got.changes.map(mendRow),
        ...left.map((v) => mendRow({ ...v, proposal: { ...v.proposal, edit: undefined, did: undefined } })),
      ];
      rows.sort((a, b) => (a.tc < b.tc ? -1 : a.tc > b.tc ? 1 : 0));
      const about = rows.length
        ? `${got.changes.length} seams get better; length and sync stay. ` +
          "Right: what was measured on the scene as it would be."
        : "Every seam is clean or accepted; there is nothing to mend.";
      openList({ title, about, rows }, (edits) => {
        const words = `${edits.length} ${edits.length === 1 ? "seam" : "seams"} mended`;
        void this.stage.edits.edit(batch(edits, words));
      });
    } catch (e) {
      if (stop.aborted) return;
      closeList();
      say(e);
    }
  }

  /** Says how far the search for what mends all seams is. */
  progress(done: number, of: number): void {
    listProgress(`Looking for what mends each seam, and measuring what would come out: ${done} of ${of}`);
  }

  get default(): Style {
    return this.styles[0];
  }

  /** How clips overlap that are drawn over one another. */
  get overlaps(): Overlapping {
    return { style: this.default, close: this.stage.closing };
  }

  /** Halves of a blend of a style, in samples. */
  halves(st: Style): { before: number; after: number } {
    const { rate, sr } = this.stage;
    return leaning(
      st.frames ? inSamples({ frames: st.frames }, rate, sr) : Math.round(((st.ms ?? 0) * sr) / 1000),
      st.lean,
    );
  }

  /** Blends what is in hand: at once where a plain cut is, else as the server says; asks before it replaces a blend. */
  blend(chosen?: Style, asks = true, long = false): void {
    const st = chosen ?? this.default;
    const { list, edits, scene } = this.stage,
      s = list.current,
      hand = handOf(this.stage) ?? (s && s.kind !== "lull" && !s.pair ? { edges: [edgeOf(s)] } : undefined);
    if (!hand) return say(noCut(s));
    const plain = !long && hand.edges && this.stage.selection.kind !== "edges" && s?.kind === "cut";
    const track = scene.tracks.find((t) => t.id === s?.track);
    if (plain && (chosen || track?.purpose === "dialogue") && track && !blendAt(track, s.left, s.right))
      return void edits.edit({
        edit: "set_blend",
        left: s.left,
        right: s.right,
        law: st.law,
        curve_out: st.curve_out,
        curve_in: st.curve_in,
        ...this.halves(st),
      });
    void blendHand(this.stage, long ? { ...hand, long } : hand, {
      style: st,
      asks,
      bySound: !chosen,
      tone: (gap) => this.tone(gap.left, gap.right),
    }).catch(say);
  }

  /** Fills the gap between two clips with tone. */
  private tone(left: string, right: string): void {
    const { scene } = this.stage,
      before = findClip(scene, left),
      after = findClip(scene, right);
    if (!before || !after) return;
    const range = { from: before.clip.to, to: after.clip.from, tracks: [before.track.id] };
    this.stage.select({ kind: "range", gap: true, ...range });
    this.fill();
  }

  private async findPlaces(): Promise<void> {
    const s = this.current();
    if (!s) return;
    if (this.of(s).places) return this.stepPlace(1);
    if (s.kind !== "cut")
      return say("This seam is no cut between two clips that touch, so there is no place to search for.");
    const window = Number(localStorage.getItem("blendseam-window") ?? 250),
      revision = this.stage.scene.revision;
    const url = `/scenes/${this.stage.id}/places?seam=${encodeURIComponent(s.id)}&window=${window}`;
    const got = await work(this.stage, "Searching for a place", (signal) =>
      get<{ places: Place[]; kind: string; why: string } | null>(url, signal),
    );
    if (!got) return;
    this.places = { seam: s.id, revision, list: got.places, why: got.why, chosen: 0 };
    this.show();
    this.showPlace();
  }

  /** Sets how far to both sides of a cut is searched, in milliseconds. */
  setWindow(ms: number): void {
    localStorage.setItem("blendseam-window", String(ms));
    this.places = undefined;
    void this.findPlaces();
  }

  private placesNow(): Mending["places"] {
    const s = this.stage.list.current,
      p = s && this.of(s).places;
    if (!p?.list.length) say("No places have been searched for at this cut. Search for the best ones first.");
    return p?.list.length ? p : undefined;
  }

  private stepPlace(by: number): void {
    const p = this.placesNow();
    if (!p) return;
    p.chosen = (p.chosen + by + p.list.length) % p.list.length;
    this.show();
    this.showPlace();
  }

  choosePlace(i: number): void {
    if (!this.places) return;
    this.places.chosen = i;
    this.show();
    this.showPlace();
  }

  private showPlace(): void {
    const p = this.places!.list[this.places!.chosen];
    this.stage.bench.mark(p?.at);
    if (p && this.stage.player.parts.length > 1)
      this.hear("placed"); // stepped through while they are heard
    else if (p) this.stage.seek(p.at);
  }

  /** Rolls the sound's cut to the chosen place, with the blend that it needs there, and lets it be heard. */
  private takePlace(): void {
    const p = this.placesNow();
    if (!p) return;
    this.stage.bench.mark(undefined);
    void this.stage.edits.edit(p.list[p.chosen].edit).then((ok) => ok && this.hear("blended"));
  }

  /**
   * What would be, to be heard before it is done: the seam as mended, or with its cut at the place that is looked at.
   */
  would(s: Seam): { mended?: string; placed?: string } {
    const { proposal, places } = this.of(s),
      place = places?.list[places.chosen];
    return {
      mended: proposal?.edit ? TRY + JSON.stringify(proposal.edit) : undefined,
      placed: place && TRY + JSON.stringify(place.edit),
    };
  }

  private async accept(): Promise<void> {
    const s = this.current();
    if (!s) return;
    const off = s.accepted !== undefined;
    const got = off
      ? { value: "" }
      : await this.stage.ask({
          title: "Accept this seam as it is",
          label: "Note",
          value: "",
          hint: `${s.why}. It stays accepted until its sound changes.`,
          done: "Accept it",
        });
    if (got)
      await this.stage.edits.send(() =>
        post<EditAnswer>(`/scenes/${this.stage.id}/accept`, {
          ...this.stage.edits.at(),
          seam: s.id,
          note: got.value,
          off,
        }),
      );
  }
}
