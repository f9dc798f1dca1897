// The page of scenes: makes new ones, brings scene files in, removes.
import Alpine from "@alpinejs/csp";
import { post, remove, send } from "./api.ts";
import { registerToast, say } from "./toast.ts";

interface Page { $refs: Record<string, HTMLElement>; name: string; rate: string; sampleRate: string; problem: string; busy: boolean }

const go = (id: string) => location.assign(`/scenes/${id}/`);

Alpine.data("scenes", () => ({
  name: "", rate: "25", sampleRate: "48000", problem: "", busy: false,
  openNew() {
    const p = this as unknown as Page;
    p.problem = "";
    (p.$refs.dialog as HTMLDialogElement).showModal();
  },
  closeNew() { ((this as unknown as Page).$refs.dialog as HTMLDialogElement).close(); },
  async create() {
    try {
      const { id } = await post<{ id: string }>("/scenes", { name: this.name, rate: this.rate, sample_rate: Number(this.sampleRate), channels: 2 });
      go(id);
    } catch (e) {
      this.problem = (e as Error).message;
    }
  },
  async demo() {
    this.busy = true;
    try {
      go((await post<{ id: string }>("/scenes/demo")).id);
    } catch (e) {
      say(e);
      this.busy = false;
    }
  },
  chooseFile() { ((this as unknown as Page).$refs.file as HTMLInputElement).click(); },
  async bringFile() {
    const input = (this as unknown as Page).$refs.file as HTMLInputElement, file = input.files?.[0];
    input.value = "";
    if (!file) return;
    try {
      go((await send<{ id: string }>("/scenes/file", file)).id);
    } catch (e) {
      say(e);
    }
  },
  async remove(el: HTMLElement) {
    if (!confirm(`Remove the scene "${el.dataset.name}" with all its edits? Recordings stay. This cannot be undone.`)) return;
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
