// The page of scenes: makes new ones, brings scene files in, removes.
import Alpine from "@alpinejs/csp";
import { type Choice, Problem, pageData, post, remove, send } from "../model/api.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Asked {
  url: string;
  name: string;
  chosen: string;
  candidates: { id: string; words: string }[];
}
interface Page {
  $refs: Record<string, HTMLElement>;
  name: string;
  rate: string;
  sampleRate: string;
  tracks: string;
  production: string;
  problem: string;
  busy: boolean;
  asked: Asked[];
  moved: { id: string; name: string; to: string; places: { id: string; name: string }[] };
  file?: File;
  bring(choices: Record<string, string>): Promise<void>;
}

/** What tells recordings of one name apart. */
function asked(c: Choice): Asked {
  const candidates = c.candidates.map((x) => ({
    id: x.id,
    words:
      `${x.seconds.toFixed(2)} s, ` +
      `${x.rate ? `${x.rate} Hz, ${x.channels === 1 ? "mono" : `${x.channels} channels`}` : "no sound"}, ` +
      `${(x.bytes / 1e6).toFixed(1)} MB, ${x.id.slice(0, 6)}`,
  }));
  return { url: c.url, name: c.name, chosen: candidates[0].id, candidates };
}

const { productions } = pageData<{ productions: { id: string; name: string }[] }>();

/** The production that new scenes are for: the one chosen last. */
const kept = "blendseam-production";
function remembered(): string {
  const last = localStorage.getItem(kept);
  return (productions.find((p) => p.id === last) ?? productions[0])?.id ?? "";
}
function chosen(production: string): string {
  localStorage.setItem(kept, production);
  return productions.length > 1 ? production : "";
}
const home = (production: string) => (chosen(production) ? `?production=${production}` : "");

const go = (id: string) => location.assign(`/scenes/${id}/`);

Alpine.data("scenes", () => ({
  name: "",
  rate: "25",
  sampleRate: "48000",
  tracks: "first",
  production: remembered(),
  problem: "",
  busy: false,
  asked: [] as Asked[],
  moved: { id: "", name: "", to: "", places: [] as { id: string; name: string }[] },
  file: undefined as File | undefined,
  openNew() {
    const p = this as unknown as Page;
    p.problem = "";
    (p.$refs.dialog as HTMLDialogElement).showModal();
  },
  closeNew() {
    ((this as unknown as Page).$refs.dialog as HTMLDialogElement).close();
  },
  async create() {
    try {
      const { id } = await post<{ id: string }>("/scenes", {
        name: this.name,
        rate: this.rate,
        sample_rate: Number(this.sampleRate),
        channels: 2,
        tracks: this.tracks === "first",
        production: chosen(this.production),
      });
      go(id);
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async demo() {
    this.busy = true;
    try {
      go((await post<{ id: string }>(`/scenes/demo${home(this.production)}`)).id);
    } catch (e) {
      say(e);
      this.busy = false;
    }
  },
  chooseFile() {
    ((this as unknown as Page).$refs.file as HTMLInputElement).click();
  },
  async bringFile() {
    const input = (this as unknown as Page).$refs.file as HTMLInputElement,
      file = input.files?.[0];
    input.value = "";
    if (!file) return;
    this.file = file;
    await (this as unknown as Page).bring({});
  },
  async bring(choices: Record<string, string>) {
    const p = this as unknown as Page,
      dialog = p.$refs.choices as HTMLDialogElement;
    try {
      go(
        (
          await send<{ id: string }>(`/scenes/file${home(p.production)}`, p.file!, undefined, undefined, {
            "Blendseam-Choices": JSON.stringify(choices),
          })
        ).id,
      );
    } catch (e) {
      dialog.close();
      if (!(e instanceof Problem) || e.choices.length === 0) return say(e);
      p.asked = e.choices.map(asked);
      Alpine.nextTick(() => dialog.showModal());
    }
  },
  choose() {
    const p = this as unknown as Page;
    void p.bring(Object.fromEntries(p.asked.map((a) => [a.url, a.chosen])));
  },
  closeChoices() {
    ((this as unknown as Page).$refs.choices as HTMLDialogElement).close();
  },
  async copy(el: HTMLElement) {
    try {
      await post(`/scenes/${el.dataset.id}/copy`);
      location.reload();
    } catch (e) {
      say(e);
    }
  },
  openMove(el: HTMLElement) {
    const p = this as unknown as Page,
      { id, name, production } = el.dataset as Record<string, string>,
      places = productions.filter((x) => x.id !== production);
    p.problem = "";
    p.moved = { id, name, to: places[0].id, places };
    (p.$refs.moving as HTMLDialogElement).showModal();
  },
  closeMove() {
    ((this as unknown as Page).$refs.moving as HTMLDialogElement).close();
  },
  async move() {
    try {
      await post(`/scenes/${this.moved.id}/move`, { production: this.moved.to });
      location.reload();
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async remove(el: HTMLElement) {
    if (!confirm(`Remove the scene "${el.dataset.name}" with all its edits? Recordings stay. This cannot be undone.`))
      return;
    try {
      await remove(`/scenes/${el.dataset.id}/`);
      location.reload();
    } catch (e) {
      say(e);
    }
  },
}));

registerToast();
Alpine.start();
