// What would mend a seam or the whole scene, the best places for a cut, and blends put on many cuts: asked of the
// server, shown first, then done as one edit.
import Alpine from "@alpinejs/csp";
import { leaning, type Seam } from "../bench/bench.ts";
import { TRY } from "../bench/player.ts";
import { get, post } from "../model/api.ts";
import type { Curve } from "../model/scene.ts";
import { inSamples } from "../model/time.ts";
import { say } from "../panels/toast.ts";
import { clipsInHand } from "./moves.ts";
import { batch, type EditAnswer, type Stage } from "./stage.ts";

export interface Result {
  id: string;
  at: number;
  verdict: string;
  cause: string;
  why: string;
  measures: Record<string, number | null>;
}
export interface Proposal {
  before: Result;
  after?: Result;
  did?: string;
  reasons?: string[];
  edit?: unknown;
  left?: string;
}
interface ProposalView {
  proposal: Proposal;
  name: string;
  tc: string;
}
export interface Place {
  at: number;
  slip: number;
  reasons: string[];
  edit: unknown;
}
export interface Style {
  name: string;
  law: string;
  curve_out?: Curve;
  curve_in?: Curve;
  frames?: number;
  ms?: number;
  lean: number;
  default?: boolean;
}
interface Planned {
  left: string;
  right: string;
  at: number;
  tc: string;
  track: string;
  cut: string;
  will: string;
  words: string;
  edit?: unknown;
}

const MARK: Record<string, string> = { clean: "●", audible: "◆", rough: "▲", done: "●", shortened: "◆", refused: "▲" };

/** A row of the list that is shown before anything is done. */
export interface Row {
  key: string;
  tc: string;
  name: string;
  was: string;
  words: string;
  more: string;
  mark: string;
  tone: string;
  after: string;
  afterTone: string;
  afterMark: string;
  ticked: boolean;
  can: boolean;
  edit?: unknown;
}
interface ListPanel {
  [key: string]: unknown;
  rows: Row[];
  $refs: Record<string, HTMLElement>;
}

/** The list of what will be done, with a tick at each row. */
let list: ListPanel | undefined;
let doList: (edits: unknown[]) => void = () => {};
let again: () => void = () => {};

export function registerList(): void {
  Alpine.data("list", () => ({
    title: "",
    about: "",
    rows: [] as Row[],
    done: "",
    busy: "",
    count: "",
    styles: [] as { value: string; words: string; selected: boolean }[],
    style: "",
    which: "plain",
    choosing: false,
    nothing: false,
    init() {
      list = this as unknown as ListPanel;
    },
    close() {
      (list!.$refs.list as HTMLDialogElement).close();
    },
    tick(key: string, e: Event) {
      const row = list!.rows.find((r) => r.key === key);
      if (row) row.ticked = (e.target as HTMLInputElement).checked;
      showDone();
    },
    all(e: Event) {
      for (const r of list!.rows) r.ticked = r.can && (e.target as HTMLInputElement).checked;
      showDone();
    },
    choose() {
      again();
    },
    go() {
      (list!.$refs.list as HTMLDialogElement).close();
      doList(list!.rows.filter((r) => r.ticked && r.edit).map((r) => r.edit));
    },
  }));
}

function showDone(): void {
  const n = list!.rows.filter((r) => r.ticked && r.edit).length;
  list!.done = n ? `Do ${n === 1 ? "it" : `these ${n}`}` : "Nothing is ticked";
  list!.nothing = n === 0;
}

/** Shows a list, of which what is ticked is then done. */
export function openList(set: { title: string; about: string; rows: Row[] }, act: (edits: unknown[]) => void): void {
  doList = act;
  open(set);
}

function open(set: Record<string, unknown>): void {
  Object.assign(list!, { busy: "", choosing: false, ...set });
  showDone();
  const dialog = list!.$refs.list as HTMLDialogElement;
  if (!dialog.open) dialog.showModal();
}

export class Mending {
  proposal?: { seam: string; revision: number; view: Proposal };
  places?: { seam: string; revision: number; list: Place[]; why: string; chosen: number };
  styles: Style[] = [];
  private stage: Stage;
  private show: () => void;
  private hear: (what: string) => void;
  private asked = 0;

  constructor(stage: Stage, styles: Style[], show: () => void, hear: (what: string) => void) {
    [this.stage, this.styles, this.show, this.hear] = [stage, styles, show, hear];
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
    if (s?.verdict && !this.of(s).proposal) this.asked = window.setTimeout(() => void this.fetch(s), 350);
  }

  private async fetch(s: Seam): Promise<Proposal | undefined> {
    const known = this.of(s).proposal;
    if (known) return known;
    const revision = this.stage.scene.revision;
    try {
      const got = await get<ProposalView | null>(`/scenes/${this.stage.id}/proposal?seam=${encodeURIComponent(s.id)}`);
      if (!got) return undefined;
      this.proposal = { seam: s.id, revision, view: got.proposal };
      if (this.stage.list.current?.id === s.id) this.show();
      return got.proposal;
    } catch (e) {
      say(e);
      return undefined;
    }
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
      blend_all: () => void this.plan(),
      places: () => void this.findPlaces(),
      place_next: () => this.stepPlace(1),
      place_previous: () => this.stepPlace(-1),
      place_take: () => this.takePlace(),
      accept: () => void this.accept(),
      pair: () => this.pair(),
      report: () => location.assign(`/scenes/${this.stage.id}/report`),
      settings: () => location.assign("/settings"),
    };
  }

  private async mend(): Promise<void> {
    const s = this.current();
    if (!s) return;
    const p = await this.fetch(s);
    if (!p) return;
    if (!p.edit)
      return say(
        p.left
          ? `Nothing mends this seam by itself. ${p.left[0].toUpperCase()}${p.left.slice(1)}.`
          : "This seam is clean, and nothing better was found.",
      );
    if (await this.stage.edits.edit(p.edit)) this.stage.note(`Mended: ${p.did}`);
  }

  private async mendAll(): Promise<void> {
    open({
      title: "Mend all",
      about: "Looking for what mends each seam, and measuring what would come out …",
      rows: [],
      busy: "0",
    });
    const stop = new AbortController(); // closing the list ends the search
    (list!.$refs.list as HTMLDialogElement).addEventListener("close", () => stop.abort(), { once: true });
    try {
      const got = await post<{ revision: number; changes: ProposalView[]; left: ProposalView[] }>(
        `/scenes/${this.stage.id}/mend`,
        {},
        stop.signal,
      );
      const changed = new Set(got.changes.map((c) => c.proposal.before.id));
      const row = (v: ProposalView): Row => {
        const { before, after, did, reasons, edit, left } = v.proposal;
        return {
          key: before.id,
          tc: v.tc,
          name: v.name,
          was: before.why,
          words: did ?? "left as it is",
          more: [...(reasons ?? []), ...(left ? [`left: ${left}`] : [])].join("; "),
          mark: MARK[before.verdict],
          tone: before.verdict,
          after: after ? after.why : before.why,
          afterMark: MARK[(after ?? before).verdict],
          afterTone: (after ?? before).verdict,
          ticked: !!edit,
          can: !!edit,
          edit,
        };
      };
      const rows = [
        ...got.changes.map(row),
        ...got.left
          .filter((v) => !changed.has(v.proposal.before.id))
          .map((v) => row({ ...v, proposal: { ...v.proposal, edit: undefined, did: undefined } })),
      ];
      rows.sort((a, b) => (a.tc < b.tc ? -1 : a.tc > b.tc ? 1 : 0));
      doList = (edits) =>
        void this.stage.edits.edit(batch(edits, `${edits.length} ${edits.length === 1 ? "seam" : "seams"} mended`));
      open({
        title: "Mend all",
        about: rows.length
          ? `${got.changes.length} seams get better; length and sync stay. Right: what was measured on the scene ` +
            `as it would be.`
          : "Every seam is clean or accepted; there is nothing to mend.",
        rows,
      });
    } catch (e) {
      if (stop.signal.aborted) return;
      (list!.$refs.list as HTMLDialogElement).close();
      say(e);
    }
  }

  /** Says how far the search for what mends all seams is. */
  progress(done: number, of: number): void {
    if (list?.busy)
      [list.busy, list.about] = [
        String(done),
        `Looking for what mends each seam, and measuring what would come out: ${done} of ${of}`,
      ];
  }

  get default(): Style {
    return this.styles[0];
  }

  /** Halves of a blend of a style, in samples. */
  halves(st: Style): { before: number; after: number } {
    const { rate, sr } = this.stage;
    return leaning(
      st.frames ? inSamples({ frames: st.frames }, rate, sr) : Math.round(((st.ms ?? 0) * sr) / 1000),
      st.lean,
    );
  }

  private blend(): void {
    const s = this.stage.list.current,
      st = this.default;
    if (s?.kind === "cut")
      return void this.stage.edits.edit({
        edit: "set_blend",
        left: s.left,
        right: s.right,
        law: st.law,
        curve_out: st.curve_out,
        curve_in: st.curve_in,
        ...this.halves(st),
      });
    say(
      s
        ? "This seam is not a cut between two touching clips, so there is nothing to blend. Move one clip up to " +
            "the other first."
        : "No seam is chosen. Choose a cut in the list or in the timeline.",
    );
  }

  /** Lists what a blend by name would do at every cut of the range, or of the scene. */
  private async plan(): Promise<void> {
    const { selection: sel } = this.stage,
      range = sel.kind === "range" ? sel : undefined;
    const ask = async () => {
      try {
        const got = await post<{ cuts: Planned[]; blend: Style }>(`/scenes/${this.stage.id}/blends/plan`, {
          blend: list!.style,
          which: list!.which,
          from: range?.from ?? 0,
          to: range?.to ?? 2 ** 45,
          tracks: range?.tracks ?? [],
        });
        const rows = got.cuts.map(
          (c): Row => ({
            key: `${c.left} ${c.right}`,
            tc: c.tc,
            name: c.cut,
            was: "",
            words: c.words,
            more: c.track,
            mark: MARK[c.will],
            tone: c.will,
            after: c.will,
            afterMark: "",
            afterTone: "",
            ticked: !!c.edit,
            can: !!c.edit,
            edit: c.edit,
          }),
        );
        const off = list!.which === "off";
        doList = (edits) =>
          void this.stage.edits.edit(
            batch(edits, off ? `${edits.length} blends taken off` : `${edits.length} cuts blended, ${got.blend.name}`),
          );
        open({
          title: off ? "Take blends off" : "Blend all cuts",
          choosing: true,
          rows,
          about: rows.length
            ? `Of the ${range ? "range" : "scene"}: what will be done, shortened or refused.`
            : `The ${range ? "range" : "scene"} has no such cut.`,
        });
      } catch (e) {
        say(e);
      }
    };
    again = () => void ask();
    Object.assign(list!, {
      style: this.default.name,
      which: "plain",
      styles: this.styles.map((x) => ({
        value: x.name,
        words: x.default ? `${x.name} (default)` : x.name,
        selected: !!x.default,
      })),
    });
    await ask();
  }

  private async findPlaces(): Promise<void> {
    const s = this.current();
    if (!s) return;
    if (this.of(s).places) return this.stepPlace(1);
    if (s.kind !== "cut")
      return say("This seam is no cut between two clips that touch, so there is no place to search for.");
    const window = Number(localStorage.getItem("blendseam-window") ?? 250),
      revision = this.stage.scene.revision;
    try {
      const got = await get<{ places: Place[] | null; kind: string; why: string } | null>(
        `/scenes/${this.stage.id}/places?seam=${encodeURIComponent(s.id)}&window=${window}`,
      );
      if (!got) return;
      this.places = { seam: s.id, revision, list: got.places ?? [], why: got.why, chosen: 0 };
      this.show();
      this.showPlace();
    } catch (e) {
      say(e);
    }
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

  /** Two clips of two tracks go over into each other where they overlap, or where they would meet. */
  private pair(): void {
    const two = clipsInHand(this.stage)
      .filter((p) => p.track.kind === "sound")
      .sort((a, b) => a.clip.from - b.clip.from);
    if (two.length !== 2 || two[0].track === two[1].track)
      return say(
        "Take two clips of sound on two tracks in hand, with Shift-click: one fades out while the other fades in.",
      );
    const [out, into] = two,
      { before, after } = this.halves(this.default),
      middle = (out.clip.to + into.clip.from) / 2,
      st = this.default;
    const overlap = into.clip.from < out.clip.to && into.clip.to > out.clip.to;
    const [from, to] = overlap
      ? [into.clip.from, out.clip.to]
      : [Math.round(middle - before), Math.round(middle + after)];
    void this.stage.edits.edit({
      edit: "set_pair",
      out: out.clip.id,
      in: into.clip.id,
      from,
      to,
      law: st.law,
      curve_out: st.curve_out,
      curve_in: st.curve_in,
    });
  }
}
