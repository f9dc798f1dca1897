// x-figure="figure": a text field that follows a figure of the page, but never under the hands of whoever types in it.
// Enter takes what was typed, Escape puts the figure back; both leave the field, and so does Tab where no other field
// follows: the keys are then the page's again. What was typed and cannot be is put back, and why stands beside it.
import Alpine from "@alpinejs/csp";

let typed: HTMLElement | undefined; // the field in which something was typed last, until that is settled
const putBack = "figure-put-back";

/** Where keys are the page's: its timeline or waveform. */
const home = (): HTMLElement | null => document.querySelector<HTMLElement>("#timeline, #source-wave");

/** The control that Tab goes to from a field. */
function following(field: HTMLElement): HTMLElement | undefined {
  const all = [
    ...document.querySelectorAll<HTMLElement>("a[href], button, input, select, textarea, [tabindex]"),
  ].filter((x) => x.tabIndex >= 0 && !x.hasAttribute("disabled") && x.offsetParent !== null);
  return all[all.indexOf(field) + 1];
}

const reasons = new WeakMap<HTMLElement, HTMLElement>(); // what stands beside a field

/**
 * Says why beside a field; gone as soon as something is typed or another figure is there. It is a part of the field's
 * row where rows come and go: one that comes would stand between the two.
 */
function beside(field: HTMLElement, words: string, aloud: boolean): void {
  clear(field);
  const why = document.createElement("small");
  why.className = "problem figure-why";
  why.textContent = words;
  if (aloud) why.setAttribute("role", "alert");
  reasons.set(field, why);
  const row = field.closest(".field");
  if (row?.matches("div")) row.append(why);
  else (row ?? field).after(why);
}

function clear(field: HTMLElement): void {
  reasons.get(field)?.remove();
  reasons.delete(field);
}

/** Puts back what was typed last and cannot be, and says why beside it; aloud unless the page says it already. */
export function refuseFigure(words: string, aloud = true): boolean {
  const field = typed;
  if (!field?.isConnected) return false;
  field.dispatchEvent(new Event(putBack));
  beside(field, words, aloud);
  typed = undefined;
  return true;
}

/** What was typed last was done. */
export function figureDone(): void {
  typed = undefined;
}

export function registerFigures(): void {
  Alpine.directive("figure", (node, { expression }, { evaluateLater, effect, cleanup }) => {
    const field = node as HTMLInputElement;
    const read = evaluateLater<string | number>(expression);
    let figure = ""; // as the page has it now
    let shown = ""; // what of it the field was given last
    const show = () => (field.value = shown = figure);
    effect(() =>
      read((now) => {
        if (figure !== String(now)) clear(field);
        figure = String(now);
        if (document.activeElement !== field || field.value === shown) show();
      }),
    );
    cleanup(() => clear(field));
    field.addEventListener("keydown", (e) => {
      const tab = e.key === "Tab" && !e.shiftKey && !following(field)?.matches("input, select, textarea");
      if (e.isComposing || !(e.key === "Enter" || e.key === "Escape" || (tab && home()))) return;
      e.preventDefault();
      e.stopPropagation();
      if (e.key === "Escape") show();
      field.blur();
      home()?.focus({ preventScroll: true });
    });
    field.addEventListener("input", () => clear(field));
    field.addEventListener("change", () => (typed = field), { capture: true });
    field.addEventListener(putBack, show);
    field.addEventListener("blur", () => field.value === shown && show()); // a figure that changed meanwhile
  });
}
