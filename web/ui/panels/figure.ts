// x-figure="figure": a text field that follows a figure of the page, but never under the hands of whoever types in it.
// Enter takes what was typed, Escape puts the figure back; both leave the field, so that the keys are the page's again.
import Alpine from "@alpinejs/csp";

export function registerFigures(): void {
  Alpine.directive("figure", (node, { expression }, { evaluateLater, effect }) => {
    const field = node as HTMLInputElement;
    const read = evaluateLater<string | number>(expression);
    let figure = ""; // as the page has it now
    let shown = ""; // what of it the field was given last
    const show = () => (field.value = shown = figure);
    effect(() =>
      read((now) => {
        figure = String(now);
        if (document.activeElement !== field || field.value === shown) show();
      }),
    );
    field.addEventListener("keydown", (e) => {
      if (e.isComposing || (e.key !== "Enter" && e.key !== "Escape")) return;
      e.preventDefault();
      e.stopPropagation();
      if (e.key === "Escape") show();
      field.blur();
    });
    field.addEventListener("blur", () => field.value === shown && show()); // a figure that changed meanwhile
  });
}
