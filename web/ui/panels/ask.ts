// A dialog that asks for a word or a figure.
import Alpine from "@alpinejs/csp";

/** A question to the editor. */
export interface Question {
  title: string;
  label: string; // "" if nothing is to be typed
  value?: string;
  hint?: string;
  choices?: { label: string; list: { value: string; words: string }[]; value: string };
  done?: string;
  chosen?(choice: string): void; // while it is asked
}

export interface Answer {
  value: string;
  choice: string;
}

const blank = {
  title: "",
  label: "",
  types: true,
  hint: "",
  hasChoices: false,
  choiceLabel: "",
  choices: [] as { value: string; words: string }[],
  done: "",
  answer: "",
  choice: "",
};

let dialog: HTMLDialogElement;
let panel: typeof blank;
let chosen: (choice: string) => void = () => {};
let answered: (a: Answer | undefined) => void = () => {};

/** Asks; nothing is answered if the dialog is closed. */
export function ask(q: Question): Promise<Answer | undefined> {
  Object.assign(panel, blank, {
    title: q.title,
    label: q.label,
    hint: q.hint ?? "",
    types: !!q.label,
    hasChoices: !!q.choices,
    choiceLabel: q.choices?.label ?? "",
    choices: q.choices?.list ?? [],
    done: q.done ?? "Do it",
    answer: q.value ?? "",
    choice: q.choices?.value ?? "",
  });
  chosen = q.chosen ?? (() => {});
  dialog.showModal();
  void Alpine.nextTick(() => {
    if (q.choices) dialog.querySelector("select")!.value = q.choices.value; // its options were not there yet
    if (q.label) dialog.querySelector<HTMLInputElement>("input")!.select();
    else if (q.choices) dialog.querySelector("select")!.focus();
    else dialog.querySelector<HTMLButtonElement>("button[type=submit]")?.focus(); // Escape is its own
  });
  return new Promise((done) => (answered = done));
}

export function registerAsk(): void {
  Alpine.data("ask", () => ({
    ...blank,
    init() {
      panel = this;
      dialog = (this as unknown as { $root: HTMLDialogElement }).$root;
    },
    confirm() {
      dialog.close();
      answered({ value: panel.answer.trim(), choice: panel.choice });
      answered = () => {};
    },
    choose() {
      chosen(panel.choice);
    },
    dismiss() {
      dialog.close();
    },
    closed() {
      if (!dialog.open) answered(undefined); // else the next question is asked already
    },
  }));
}
