// The settings: blends by name.

import Alpine from "@alpinejs/csp";
import type { Style } from "../commands/blend-all.ts";
import { pageData, post, remove, request } from "../model/api.ts";
import { gains, type Law, type Shape, setUpCurves } from "../model/curves.ts";
import { noLength } from "../model/time.ts";
import { numberOf } from "../model/typed.ts";
import { refuseFigure, registerFigures } from "../panels/figure.ts";
import { registerToast, say } from "../panels/toast.ts";

interface Option {
  value: string;
  words: string;
  selected: boolean;
}
interface Row {
  key: string;
  name: string;
  length: string;
  lean: string;
  laws: Option[];
  outs: Option[];
  ins: Option[];
  out: string;
  in: string;
  tone: string;
  isDefault: string;
  pressed: string;
  dropWords: string;
}

const data = pageData<{
  blends: Style[];
  laws: Law[];
  shapes: Shape[];
  production: string;
  productions: { id: string; name: string }[];
}>();
const ofProduction = `?production=${encodeURIComponent(data.production)}`;
setUpCurves(data);
let blends = data.blends;
let panel: { [key: string]: unknown };

function path(b: Style, side: "out" | "in"): string {
  const at = (x: number) => 32 - 30 * gains(b, x)[side === "out" ? 0 : 1];
  return Array.from({ length: 29 }, (_, i) => `${i ? "L" : "M"}${1 + 3 * i} ${at(i / 28).toFixed(1)}`).join("");
}

function row(b: Style): Row {
  const shapes = (c?: { shape: string }) => [
    { value: "", words: "by the law", selected: !c },
    ...data.shapes.map((s) => ({ value: s.shape, words: s.name, selected: c?.shape === s.shape })),
  ];
  return {
    key: b.name,
    name: b.name,
    length: b.frames ? `${b.frames} frames` : `${b.ms} ms`,
    lean: String(b.lean),
    laws: data.laws.map((l) => ({ value: l.law, words: l.name, selected: l.law === b.law })),
    outs: shapes(b.curve_out),
    ins: shapes(b.curve_in),
    out: path(b, "out"),
    in: path(b, "in"),
    tone: b.default ? "own" : "",
    isDefault: b.default ? "on" : "",
    pressed: String(!!b.default),
    dropWords: `Forget ${b.name}`,
  };
}

function show(list: Style[]): void {
  blends = list;
  panel.rows = list.map(row);
}

let turn: Promise<void> = Promise.resolve();

/** Keeps a change of a blend, after those before: it changes what they left. */
function keep(was: string, change: (b: Style) => Style): void {
  turn = turn.then(async () => {
    try {
      show(await post<Style[]>(`/blends${ofProduction}`, { was, blend: change(of(was)) }));
    } catch (e) {
      say(e);
      show(blends);
    }
  });
}

const of = (key: string): Style => blends.find((b) => b.name === key)!;

Alpine.data("settings", () => ({
  several: data.productions.length > 1,
  productions: data.productions.map((p) => ({ ...p, on: p.id === data.production })),
  choose(e: Event) {
    location.search = `?production=${encodeURIComponent((e.target as HTMLSelectElement).value)}`;
  },
  rows: [] as Row[],
  init() {
    panel = this as unknown as typeof panel;
    show(blends);
  },
  rename(key: string, e: Event) {
    const name = (e.target as HTMLInputElement).value.trim();
    keep(key, (b) => ({ ...b, name }));
  },
  set(key: string, what: string, e: Event) {
    const text = (e.target as HTMLInputElement).value,
      now: Partial<Style> = {};
    if (what === "law") now.law = text;
    if (what === "curve_out" || what === "curve_in") now[what] = text ? { shape: text } : undefined;
    if (what === "lean") now.lean = numberOf(text) ?? Number.NaN;
    if (what === "length") {
      const m = /^\s*(\d+(?:\.\d+)?)\s*(ms|s|f|frames?)?\s*$/.exec(text.replace(",", "."));
      if (!m) return void refuseFigure(noLength(text, "frames (4) or milliseconds (160 ms)"));
      [now.frames, now.ms] =
        m[2] === "ms"
          ? [undefined, Number(m[1])]
          : m[2] === "s"
            ? [undefined, 1000 * Number(m[1])]
            : [Number(m[1]), undefined];
    }
    keep(key, (b) => ({ ...b, ...now }));
  },
  makeDefault(key: string) {
    keep(key, (b) => ({ ...b, default: true }));
  },
  async drop(key: string) {
    try {
      await remove(`/blends/${encodeURIComponent(key)}${ofProduction}`);
      show(await request<Style[]>("GET", `/blends${ofProduction}`));
    } catch (e) {
      say(e);
    }
  },
  add() {
    let n = 1;
    while (blends.some((b) => b.name === `Blend ${n}`)) n++;
    keep("", () => ({ name: `Blend ${n}`, law: "constant_power", frames: 4, lean: 0 }));
  },
}));

registerFigures();
registerToast();
Alpine.start();
