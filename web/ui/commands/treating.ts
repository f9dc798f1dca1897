// Commands that treat clips, a track or a range: filters, a gate, a compressor, echoes, reverberation.
import { type Kind, usual } from "../model/chain.ts";
import type { Placed, Track } from "../model/scene.ts";
import type { Range } from "../model/selection.ts";
import { inSamples, lengthOf } from "../model/time.ts";
import { filtersWith } from "../model/treatment.ts";
import { say } from "../panels/toast.ts";
import type { Chain } from "../wire/effects.ts";
import type { Filters } from "../wire/eq.ts";
import { clipsInHand } from "./moves.ts";
import { type Stage, together } from "./stage.ts";
import { trackInHand } from "./tracks.ts";

const noneInHand = "Nothing is in hand to treat: click a clip of sound or the name of a track, or draw a range.";

export function treating(stage: Stage, rooms: string[]): Record<string, () => void> {
  const edit = (e: unknown): void => void stage.edits.edit(e);
  const sound = (): Placed[] => clipsInHand(stage).filter((p) => p.track.kind === "sound");
  const track = (): Track | undefined => (stage.selection.kind === "track" ? trackInHand(stage) : undefined);
  const range = (): Range | undefined => (stage.selection.kind === "range" ? stage.selection : undefined);

  /** What is in hand has to be something that can be treated. */
  const something = (): boolean => {
    if (track() || range() || sound().length) return true;
    say(noneInHand);
    return false;
  };

  /** Treats the range in hand, between slopes whose length was typed. */
  const overRange = (r: Range, with_: { filters?: Filters; treatments?: Chain }, slope: string): void => {
    const n = lengthOf(/^\s*\d+\s*$/.test(slope) ? `${slope} ms` : slope, stage.rate, stage.sr);
    if (!n) return say(`"${slope}" is not a length for the slopes, such as 20 ms or 1 frame.`);
    edit({
      edit: "treat_range",
      ...(r.tracks.length ? { tracks: r.tracks } : {}),
      from: r.from,
      to: r.to,
      slope: inSamples(n, stage.rate, stage.sr),
      ...with_,
    });
  };

  /** Sets a first filter on what is in hand; the others are on the card from then on. */
  const filter = async (): Promise<void> => {
    if (!something()) return;
    const [r, t, clips] = [range(), track(), sound()];
    const such = { low_cut: "80 Hz", bell_0: "1 kHz -4 dB q 1" };
    const got = await stage.ask({
      title: r ? "Filter the range" : "Filter it",
      label: `Figure, such as ${such.low_cut}, or ${such.bell_0}${r ? "; the slopes are 20 ms" : ""}`,
      value: such.low_cut,
      choices: {
        label: "Filter",
        list: [
          { value: "low_cut", words: "low cut" },
          { value: "high_cut", words: "high cut" },
          { value: "low_shelf", words: "low shelf" },
          { value: "high_shelf", words: "high shelf" },
          { value: "bell_0", words: "bell" },
        ],
        value: "low_cut",
      },
      hint: "All of them are on the card afterwards, to be changed while it plays.",
      done: "Filter",
    });
    if (!got) return;
    const filters = filtersWith(t?.filters, `filter_${got.choice}`, got.value);
    if (typeof filters === "string") return say(filters);
    if (r) return overRange(r, { filters }, "20 ms");
    edit({ edit: "set_filters", ...(t ? { tracks: [t.id] } : { clips: clips.map((p) => p.clip.id) }), filters });
  };

  /** Adds a treatment to what is in hand, with usual figures; they are on the card from then on. */
  const treat = async (): Promise<void> => {
    if (!something()) return;
    const [r, t, clips] = [range(), track(), sound()];
    const got = await stage.ask({
      title: r ? "Treat the range" : t ? `Treat track ${t.name}` : "Treat it",
      label: r ? "Slopes at its ends" : "",
      value: "20 ms",
      choices: {
        label: "With",
        list: [
          { value: "compressor", words: "a compressor" },
          { value: "gate", words: "a gate" },
          { value: "echo", words: "echoes" },
          ...rooms.map((room) => ({ value: `reverb ${room}`, words: `reverberation: ${room}` })),
        ],
        value: "compressor",
      },
      hint: t
        ? "It treats the sum of the track's clips; echoes go on in its gaps. All figures are on the card afterwards."
        : "All figures are on the card afterwards, to be changed while it plays. A recording can be a room: type its " +
          "name there.",
      done: "Treat",
    });
    if (!got) return;
    const [kind, ...room] = got.choice.split(" ") as [Kind, ...string[]];
    const one = { [kind]: { ...usual[kind], ...(room.length ? { room: room.join(" ") } : {}) } };
    if (r) return overRange(r, { treatments: one }, got.value);
    if (t) return edit({ edit: "set_treatments", tracks: [t.id], treatments: { ...t.treatments, ...one, off: false } });
    const edits = clips.map(({ clip: c }) => ({
      edit: "set_treatments",
      clips: [c.id],
      treatments: { ...c.treatments, ...one, off: false },
    }));
    edit(together(edits, `${edits.length} clips treated`));
  };

  const treatOff = (): void => {
    const t = track(),
      clips = sound().filter((p) => p.clip.treatments);
    if (t?.treatments) return edit({ edit: "set_treatments", tracks: [t.id], treatments: null });
    if (!clips.length) return say("Nothing in hand is treated.");
    edit({ edit: "set_treatments", clips: clips.map((p) => p.clip.id), treatments: null });
  };

  const filtersOff = (): void => {
    const t = track(),
      clips = sound().filter((p) => p.clip.filters);
    if (t?.filters) return edit({ edit: "set_filters", tracks: [t.id], filters: null });
    if (!clips.length) return say("No clip in hand was filtered.");
    edit({ edit: "set_filters", clips: clips.map((p) => p.clip.id), filters: null });
  };

  /** Bypasses the filters and treatments of what is in hand, or takes them in again. */
  const bypass = (): void => {
    const t = track(),
      r = range(),
      within = (p: Placed) => !r || (p.clip.from < r.to && p.clip.to > r.from),
      clips = (r ? allSound(stage, r) : sound()).filter((p) => within(p) && (p.clip.filters || p.clip.treatments)),
      of = t ? [t] : clips.map((p) => p.clip);
    const some = of.filter((x) => x.filters || x.treatments);
    if (!some.length)
      return say(
        t
          ? `Track ${t.name} has no filters and no treatments to bypass.`
          : "Nothing in hand has filters or treatments to bypass. Take a clip or a track in hand that has some.",
      );
    const off = some.some((x) => (x.filters && !x.filters.off) || (x.treatments && !x.treatments.off));
    const edits = some.flatMap((x) => {
      const on = t ? { tracks: [x.id] } : { clips: [x.id] };
      return [
        ...(x.filters ? [{ edit: "set_filters", ...on, filters: { ...x.filters, off } }] : []),
        ...(x.treatments ? [{ edit: "set_treatments", ...on, treatments: { ...x.treatments, off } }] : []),
      ];
    });
    edit(together(edits, `filters and treatments ${off ? "bypassed" : "on again"}`));
  };

  return {
    filter: () => void filter(),
    filters_off: filtersOff,
    filters_bypass: bypass,
    treat: () => void treat(),
    treat_off: treatOff,
  };
}

/** The clips of sound on the tracks that a range acts on. */
const allSound = (stage: Stage, r: Range): Placed[] =>
  stage.scene.tracks
    .filter((t) => t.kind === "sound" && (!r.tracks.length || r.tracks.includes(t.id)))
    .flatMap((track) => track.clips.map((clip, index) => ({ track, clip, index })));
