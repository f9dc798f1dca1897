// The page on which a new picture cut is compared with the present one, and followed by the sound.
import Alpine from "@alpinejs/csp";
import { ask, pageData, pageName, post } from "../model/api.ts";
import { shapes } from "../model/ribbons.ts";
import { counted, registerBothVersions } from "../panels/both-versions.ts";
import { registerToast, say } from "../panels/toast.ts";
import type { ProposalView, RecutAnswer, RecutMending, RecutRow } from "../wire/web.ts";

const data = pageData<{ id: string; endings: string; usual: string; picture: boolean }>();
const home = `/scenes/${data.id}/`;
const strips = { width: 1000, height: 150, bar: 34 };

interface Row extends RecutRow {
  key: number;
  on: boolean;
  label: string;
  hearing: string;
  named: string;
  names: boolean;
  clipWords: string;
}

const choices = [
  { name: "trim", on: false, words: "Where the sound of two shots meets, end each at its picture's cut" },
  { name: "extend", on: false, words: "Fill the gaps that come from the clips' handles" },
  { name: "cut_beds", on: false, words: "Cut music and room tone where the picture comes apart" },
];
type Choice = (typeof choices)[number];

const becomes: Record<string, string> = {
  moved: "moves",
  cut: "is cut",
  aside: "is kept aside",
  overlaps: "lies on another track",
  longer: "fills a gap",
};

/** Every clip of a row, with what becomes of it. */
const clipsOf = (r: RecutRow): string =>
  r.clips.map((c) => `${c.name} (${c.track}) ${becomes[c.what] ?? c.what}`).join("; ");

let file: File | undefined;
let answer: RecutAnswer | undefined;
let mending: RecutMending | undefined;
let playing: { stop(): void } | undefined;

/** What is chosen of how the sound follows. */
const asked = (): string =>
  choices
    .filter((c) => c.on)
    .map((c) => `&${c.name}=1`)
    .join("");

/** Sends the chosen file, with the changes that are not ticked. */
const sent = (address: string, skip: number[], more = ""): Promise<Response> =>
  ask(`${home}${address}?skip=${skip.join(",")}${asked()}${more}`, {
    method: "POST",
    body: file,
    headers: { "Blendseam-Name": encodeURIComponent(file!.name) },
  });

/** Draws both strips; the row that is pointed at stands out. */
function draw(a: RecutAnswer, row?: RecutRow): void {
  const svg = document.getElementById("strips")!;
  svg.replaceChildren();
  const add = (name: string, attributes: Record<string, string>, title = "") => {
    const e = document.createElementNS("http://www.w3.org/2000/svg", name);
    for (const [k, v] of Object.entries(attributes)) e.setAttribute(k, v);
    if (title) {
      const t = document.createElementNS("http://www.w3.org/2000/svg", "title");
      t.textContent = title;
      e.append(t);
    }
    svg.append(e);
  };
  for (const s of shapes(a.old, a.new, a.ribbons, strips))
    add(
      "polygon",
      { points: s.points.map((p) => p.map((v) => v.toFixed(2)).join(",")).join(" "), class: s.kind },
      s.name,
    );
  if (!row) return;
  const last = Math.max(1, ...a.old.map((s) => s.to), ...a.new.map((s) => s.to)),
    x = (row.at / last) * strips.width;
  add("line", { x1: String(x), x2: String(x), y1: "0", y2: String(strips.height), class: "here" });
}

/** Plays a stretch that was fetched, in the place of what plays. */
async function play(r: Response): Promise<void> {
  playing?.stop();
  const raw = await r.arrayBuffer(),
    context = new AudioContext(),
    node = context.createBufferSource();
  node.buffer = await context.decodeAudioData(raw);
  node.connect(context.destination);
  node.onended = () => void context.close();
  node.start();
  playing = { stop: () => node.stop() };
}

/** A new seam with what would mend it, or why nothing does. */
const proposalRow = (p: ProposalView, key: number) => ({
  key,
  at: p.proposal.before.at,
  tc: p.tc,
  name: p.name,
  why: p.proposal.before.why,
  did: p.proposal.did ? `${p.proposal.did}; then ${p.proposal.after?.verdict ?? "clean"}` : `stays: ${p.proposal.left}`,
  hearing: `Hear it: ${p.tc} ${p.name}`,
});

Alpine.data("comeBack", () => ({
  endings: data.endings,
  choices,
  endingWords: `It ends in ${data.endings.split(",").join(", ")}.`,
  noPicture: !data.picture,
  looking: false,
  busy: false,
  problem: "",
  has: false,
  some: false,
  same: false,
  done: false,
  doneWords: "",
  home,
  rows: [] as Row[],
  lost: [] as string[],
  warnings: [] as string[],
  seams: "",
  mending: false,
  proposed: false,
  proposals: [] as ReturnType<typeof proposalRow>[],
  mendable: false,
  mend: true,
  summary: "",
  async choose(e: Event) {
    file = (e.target as HTMLInputElement).files?.[0];
    this.done = this.has = false;
    if (file) await this.compare([]);
  },
  async compare(skip: number[]) {
    this.problem = "";
    this.looking = true;
    try {
      const a = (await (await sent("recut", skip)).json()) as RecutAnswer;
      answer = a;
      this.rows = a.rows.map((r, key) => ({
        ...r,
        key,
        on: !skip.includes(key),
        label: `Do it: ${r.words}`,
        hearing: `Hear it: ${r.words}`,
        named: clipsOf(r),
        names: r.clips.length > 0,
        clipWords: counted(r.clips.length, "clip"),
      }));
      this.lost = a.lost;
      this.warnings = a.warnings;
      this.has = true;
      this.some = a.rows.length > 0;
      this.same = !this.some;
      this.summary = [
        counted(a.rows.filter((r) => !r.fixed).length, "change"),
        `${counted(a.kept, "seam")} as before`,
        counted(a.seams.length, "new seam"),
      ].join(" · ");
      this.seams = a.seams.length ? `${counted(a.seams.length, "new seam")}, with what would mend them` : "";
      draw(a);
      void this.propose(a, skip);
    } catch (e) {
      this.problem = (e as Error).message;
      this.has = false;
    }
    this.looking = false;
  },
  /** Lists the new seams with what would mend each, unless something else was chosen in the meantime. */
  async propose(a: RecutAnswer, skip: number[]) {
    [mending, this.proposed, this.mendable, this.proposals] = [undefined, false, false, []];
    this.mending = a.seams.length > 0;
    if (!this.mending) return;
    try {
      const found = (await (await sent("recut/mend", skip)).json()) as RecutMending;
      if (answer !== a) return;
      mending = found;
      const changed = new Set(found.changes.map((p) => p.proposal.before.id)),
        left = found.left.filter((p) => !changed.has(p.proposal.before.id));
      this.proposals = [...found.changes, ...left]
        .sort((x, y) => x.proposal.before.at - y.proposal.before.at)
        .map(proposalRow);
      this.proposed = this.proposals.length > 0;
      this.mendable = found.changes.length > 0;
    } catch (e) {
      if (answer === a) say(e);
    }
    if (answer === a) this.mending = false;
  },
  skipped() {
    return this.rows.filter((r) => !r.on).map((r) => r.key);
  },
  async tick(r: Row) {
    r.on = !r.on;
    await this.compare(this.skipped());
  },
  async pick(c: Choice) {
    c.on = !c.on;
    await this.compare(this.skipped());
  },
  point(r?: Row) {
    if (answer) draw(answer, r);
  },
  async hear(r: { at: number }) {
    try {
      const mend = this.mend && this.mendable ? "&mend=1" : "";
      await play(await sent("recut/sound.wav", this.skipped(), `&at=${r.at}${mend}`));
    } catch (e) {
      say(e);
    }
  },
  async doIt() {
    if (!answer) return;
    this.busy = true;
    try {
      await post(`/scenes/${data.id}/edits`, {
        page: pageName,
        revision: answer.revision,
        edit: this.mend && mending ? mending.edit : answer.edit,
      });
      const n = answer.seams.length,
        mended = this.mend && mending ? mending.changes.length : 0;
      this.doneWords =
        "The sound follows the new cut; one undo takes it back. " +
        `${counted(n, "new seam")} ${n === 1 ? "is" : "are"} in the list${mended ? `, ${mended} of them mended` : ""}.`;
      this.done = true;
      this.has = false;
    } catch (e) {
      say(e);
    }
    this.busy = false;
  },
}));

registerBothVersions(home, data.usual, play);
registerToast();
Alpine.start();
