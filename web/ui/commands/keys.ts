// Commands by key and by word. Pure functions.
import type { Command } from "../wire/commands.ts";

export type { Command };

/** A key press as the table of commands writes it. */
export function pressed(e: {
  key: string;
  ctrlKey: boolean;
  metaKey: boolean;
  altKey: boolean;
  shiftKey: boolean;
}): string {
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  return `${e.ctrlKey || e.metaKey ? "Ctrl+" : ""}${e.altKey ? "Alt+" : ""}${e.shiftKey ? "Shift+" : ""}${key}`;
}

/** The command of a key press. A sign that needs Shift to type may be written with or without it. */
export function commandFor(commands: Command[], e: Parameters<typeof pressed>[0]): Command | undefined {
  const name = pressed(e);
  const sign =
    e.key.length === 1 && e.shiftKey && e.key.toLowerCase() === e.key.toUpperCase() ? name.replace("Shift+", "") : name;
  return commands.find((c) => c.keys?.includes(name)) ?? commands.find((c) => c.keys?.includes(sign));
}

/** Begins, in what is said about a command, the words for what there is no command for, but this comes nearest to. */
const NEAREST = "nearest to ";

/** Whether every word that was typed begins a word of a text. */
function has(text: string, query: string): boolean {
  const typed = query.toLowerCase().split(/\s+/).filter(Boolean),
    words = text.toLowerCase().split(/[^\p{L}\p{N}]+/u);
  return typed.every((q) => words.some((w) => w.startsWith(q)));
}

/** Commands in which every word that was typed begins a word; those that say it in their own words come first. */
export function search(commands: Command[], query: string): Command[] {
  const own = commands.filter((c) => has(c.words, query));
  const about = (c: Command) => `${c.words} ${(c.about ?? "").split(NEAREST)[0]}`;
  return [...own, ...commands.filter((c) => !own.includes(c) && has(about(c), query))];
}

/** Where no command has all that was typed: those that come nearest to it, the nearest first. */
export function nearest(commands: Command[], query: string): Command[] {
  const named = commands.filter((c) => has((c.about ?? "").split(NEAREST)[1] ?? "", query));
  if (query.trim() && named.length) return named;
  const typed = query
    .toLowerCase()
    .split(/\s+/)
    .filter((q) => q.length > 3);
  const common = (a: string, b: string) => {
    let n = 0;
    while (n < a.length && a[n] === b[n]) n++;
    return n;
  };
  const near = (c: Command) => {
    const words = `${c.words} ${c.about ?? ""}`.toLowerCase().split(/[^\p{L}\p{N}]+/u);
    return typed.reduce((sum, q) => {
      const n = Math.max(...words.map((w) => common(q, w)));
      return sum + (n >= 3 && n >= q.length / 2 ? n / q.length : 0);
    }, 0);
  };
  return commands
    .map((c) => ({ c, n: near(c) }))
    .filter((x) => x.n > 0)
    .sort((a, b) => b.n - a.n)
    .slice(0, 6)
    .map((x) => x.c);
}

const NAMES: Record<string, string> = {
  " ": "Space",
  ArrowLeft: "Left",
  ArrowRight: "Right",
  ArrowUp: "Up",
  ArrowDown: "Down",
};

/** The first key of a command as it is printed on keyboards. */
export const keyName = (c: Command): string => printed(c.keys?.[0] ?? "");

/** A key as it is printed on keyboards. */
export function printed(k: string): string {
  if (!k) return "";
  const parts = k === " " ? [" "] : k.split(/\+(?=.)/);
  return parts.map((p) => NAMES[p] ?? (p.length === 1 ? p.toUpperCase() : p)).join("+");
}

/** Runs what the page's buttons and keys ask for, unless somebody types or a dialog is open. */
export function listenForCommands(commands: () => Command[], run: (id: string) => void): void {
  document.addEventListener("click", (e) => {
    const b = (e.target as Element).closest<HTMLElement>("[data-command]");
    if (!b) return;
    if (e.detail) b.blur(); // one that was clicked leaves Space and Enter to the commands
    run(b.dataset.command!);
  });
  document.addEventListener("keydown", (e) => {
    const el = e.target as HTMLElement;
    const dialog = el.closest("dialog"); // one just closed may still have the focus
    const slider = el.matches("[type=range]");
    if (dialog?.open || e.isComposing || (!dialog && !slider && el.matches("input, select, textarea"))) return;
    if (slider && e.key.startsWith("Arrow")) return;
    const c = commandFor(commands(), e);
    const plain = !e.ctrlKey && !e.shiftKey && !e.altKey;
    if (!c || (el.matches("button, a") && (e.key === "Enter" || e.key === " ") && plain)) return;
    e.preventDefault();
    run(c.id);
  });
}
