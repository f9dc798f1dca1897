// What cards say of levels: the points of a clip's line, its voice, its filters; a track's balance, and for whose words
// it makes way. Pure functions.
import { chainFields } from "../model/chain.ts";
import { makingWay } from "../model/ducks.ts";
import { type Clip, findClip, type Placed, type Scene, type Track } from "../model/scene.ts";
import type { Chain } from "../wire/effects.ts";
import type { Filters } from "../wire/eq.ts";
import type { Voice } from "../wire/levelmatch.ts";
import type { LevelPoint } from "../wire/scene.ts";
import { type About, type Action, action, type Field, field, signed, tc } from "./parts.ts";

/** Where a copied level line is kept, from the head of its clip on. */
export const LINE = "blendseam-line";

const MOST = 8; // points on the card

/** The points of a clip's line that lie in it, with their numbers in the line. */
export const pointsIn = ({ clip: c }: Placed): { point: LevelPoint; i: number }[] =>
  (c.level ?? [])
    .map((point, i) => ({ point, i }))
    .filter(({ point }) => point.at >= c.in && point.at <= c.in + (c.to - c.from));

/** Fields of the points of a clip's level line: when, and how loud; without a level a point goes. */
export function pointFields(a: About, p: Placed): Field[] {
  const shift = p.clip.start - p.clip.in;
  return pointsIn(p)
    .slice(0, MOST)
    .flatMap(({ point, i }, n) => [
      field(`level_at_${i}`, `Point ${n + 1} at`, tc(a, point.at + shift)),
      field(`level_db_${i}`, `Point ${n + 1} level`, signed(point.db)),
    ]);
}

export function levelActions(a: About, p: Placed): Action[] {
  const some = !!p.clip.level?.length;
  return [
    action(a, "level_point", "Level point here"),
    ...(some ? [action(a, "level_copy", "Copy its line"), action(a, "level_off", "Line off")] : []),
    ...(localStorage.getItem(LINE) ? [action(a, "level_paste", "Paste a line")] : []),
  ];
}

/** How loud a clip's words are, against the band for their peaks. */
export function voiceRows(v: Voice): { name: string; value: string }[] {
  const low = v.peak_dbfs < -12 ? `${(-12 - v.peak_dbfs).toFixed(1)} dB under it` : "within it";
  return [
    { name: "Words", value: `${v.was_lufs.toFixed(1)} LUFS` },
    { name: "Peak", value: `${v.peak_dbfs.toFixed(1)} dBFS` },
    { name: "True peak", value: `${v.peak_dbtp.toFixed(1)} dBTP` },
    { name: "Band -12 to -6", value: v.over_db > 0 ? `${v.over_db.toFixed(1)} dB over it` : low },
  ];
}

const hz = (v?: number) => (v ? `${v} Hz` : "none");
const shelf = (s?: { hz: number; db: number }) => (s ? `${s.hz} Hz ${signed(s.db)}` : "none");

/** Fields of filters set by hand, of a clip or of a track; none before there is one. */
export function filterFields(f: Filters | undefined): Field[] {
  if (!f) return [];
  return [
    field("filter_low_cut", "Low cut", hz(f?.low_cut_hz)),
    field("filter_high_cut", "High cut", hz(f?.high_cut_hz)),
    field("filter_low_shelf", "Low shelf", shelf(f?.low_shelf)),
    field("filter_high_shelf", "High shelf", shelf(f?.high_shelf)),
    ...[0, 1, 2].map((i) => {
      const b = f?.bells?.[i];
      return field(`filter_bell_${i}`, `Bell ${i + 1}`, b ? `${b.hz} Hz ${signed(b.db)} q ${b.q}` : "none");
    }),
  ];
}

/** Fields of treatments, of a clip or of a track. */
export const treatFields = (a: About, c: Chain | undefined): Field[] =>
  chainFields(c, (source) => a.scene.sources[source]?.name ?? "a recording that is gone").map((f) =>
    field(f.id, f.name, f.value),
  );

/** What is done to the colour of a clip. */
export function colourGroup(c: Clip): { name: string; rows: { name: string; value: string }[] }[] {
  const rows = [];
  if (c.like) {
    const { as, gain_db, strength } = c.like;
    rows.push({ name: "As near as", value: as || "another voice" });
    rows.push({ name: "By", value: `${signed(gain_db)}${strength ? `, ${strength} %` : ""}` });
  }
  if (c.filters) rows.push({ name: "Filters", value: c.filters.off ? "off" : "on" });
  if (c.treatments) rows.push({ name: "Treatments", value: c.treatments.off ? "bypassed" : "on" });
  return rows.length ? [{ name: "Treated", rows }] : [];
}

/** What can be done with filters and treatments. */
export function filterActions(a: About, f: Filters | undefined, c: Chain | undefined): Action[] {
  const on = (f && !f.off) || (c && !c.off);
  return [
    f ? action(a, "filters_off", "No filters") : action(a, "filter", "Filter it …"),
    action(a, "treat", "Treat it …"),
    ...(c ? [action(a, "treat_off", "No treatments")] : []),
    ...(f || c ? [action(a, "filters_bypass", on ? "Bypass" : "Bypass off")] : []),
  ];
}

const ms = (s: Scene, n: number) => `${Math.round((1000 * n) / s.sample_rate)} ms`;

/** The clips that a track makes way for: by name, if they are few. */
const clipNames = (s: Scene, ids: string[]): string => {
  const names = ids.map((id) => findClip(s, id)?.clip.name).filter((name) => name !== undefined);
  return names.length > 2 ? `${names.length} clips` : names.join(", ") || "clips that are gone";
};

/** Which tracks make way for the words of a clip. */
export const madeWayRows = (a: About, p: Placed): { name: string; value: string; tone: string }[] =>
  makingWay(a.scene, p).map(({ name, duck }) => ({
    name: `${name} makes way`,
    value: `by ${duck.db} dB${duck.clips?.length ? "" : ", as for its track"}`,
    tone: "long",
  }));

/** What can be done with how others make way for some clips of dialogue. */
export function madeWayActions(a: About, list: Placed[]): Action[] {
  if (!list.some((p) => p.track.purpose === "dialogue")) return [];
  const named = list.some((p) => makingWay(a.scene, p).some(({ duck }) => duck.clips?.includes(p.clip.id)));
  return [action(a, "duck", "Make way for it …"), ...(named ? [action(a, "duck_off", "Make no way for it")] : [])];
}

/** Fields of how a track makes way for words, by the number of each way. */
export function duckFields(a: About, t: Track): Field[] {
  const { scene: s } = a;
  return (t.ducks ?? []).slice(0, 3).flatMap((d, i) => {
    const names = d.clips?.length
      ? clipNames(s, d.clips)
      : d.under.map((id) => s.tracks.find((x) => x.id === id)?.name ?? "").join(", ");
    return [
      field(`duck_db_${i}`, `Under ${names} by`, `${d.db} dB`),
      field(`duck_down_${i}`, "down within", ms(s, d.down)),
      field(`duck_up_${i}`, "up within", ms(s, d.up)),
      field(`duck_before_${i}`, "before words", ms(s, d.before)),
      field(`duck_after_${i}`, "after words", ms(s, d.after)),
      field(`duck_hold_${i}`, "stays in pauses under", ms(s, d.hold)),
    ];
  });
}

export const balanceWords = (b = 0): string =>
  b ? `${Math.round(Math.abs(b) * 100)} % ${b < 0 ? "left" : "right"}` : "middle";

export function duckActions(a: About, t: Track): Action[] {
  return t.ducks?.length
    ? [action(a, "duck_line", "Make a line of it"), action(a, "duck_off", "Makes no way")]
    : [action(a, "duck", "Make way for words …", "wide")];
}
