// Four short notes of a first visit, each at the place that it is about; one that is dismissed does not come back.
import Alpine from "@alpinejs/csp";

const kept = "blendseam-notes-read";
const read = (): string[] => JSON.parse(localStorage.getItem(kept) ?? "[]");

/** Lets all notes come again. */
export function showNotes(): void {
  localStorage.removeItem(kept);
  document.dispatchEvent(new CustomEvent("notes"));
}

export function registerNotes(): void {
  Alpine.data("firstNote", () => ({
    open: false,
    init() {
      const el = (this as unknown as { $el: HTMLElement }).$el;
      const look = () => (this.open = !read().includes(el.dataset.note!));
      look();
      document.addEventListener("notes", look);
    },
    dismiss() {
      const el = (this as unknown as { $root: HTMLElement }).$root;
      localStorage.setItem(kept, JSON.stringify([...read(), el.dataset.note]));
      this.open = false;
      document.getElementById("timeline")?.focus({ preventScroll: true });
    },
  }));
}
