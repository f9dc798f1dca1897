// The parts of a scene's page that no command owns: dialogs, fields, the line at its foot, the bars between its parts.
import { registerAsk } from "./ask.ts";
import { registerChoices } from "./choices.ts";
import { registerFigures } from "./figure.ts";
import { registerNotes } from "./first-notes.ts";
import { registerList } from "./list.ts";
import { registerSplitters } from "./splitters.ts";
import { registerToast } from "./toast.ts";

/** Registers them; resized is called when a part of the page has another size. */
export function registerPanels(resized: () => void): void {
  registerAsk();
  registerFigures();
  registerToast();
  registerList();
  registerChoices();
  registerNotes();
  registerSplitters(document.querySelector<HTMLElement>(".scene")!, resized);
}
