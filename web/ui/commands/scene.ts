// Every command of the scene's page, by its id in the server's table.
import { ask } from "../panels/ask.ts";
import { showNotes } from "../panels/first-notes.ts";
import { openPast } from "../panels/past.ts";
import { openKeys, openSearch } from "../panels/search.ts";
import { say } from "../panels/toast.ts";
import type { Command } from "../wire/commands.ts";
import type { KindView } from "../wire/web.ts";
import type { Auditions } from "./auditions.ts";
import type { Blending } from "./blending.ts";
import { clipboard } from "./clipboard.ts";
import { copying, pointed } from "./copying.ts";
import { dissolving } from "./dissolving.ts";
import type { Evening } from "./evening.ts";
import type { Filling } from "./filling.ts";
import type { Correcting } from "./heard.ts";
import { joining } from "./joining.ts";
import { levels } from "./levels.ts";
import type { Lulls } from "./lulls.ts";
import type { Mending } from "./mending.ts";
import { moves } from "./moves.ts";
import { openings } from "./openings.ts";
import { overlapping } from "./overlapping.ts";
import { pieces } from "./pieces.ts";
import { places } from "./places.ts";
import type { Remarking } from "./remarking.ts";
import { speeding } from "./speeding.ts";
import type { Stage } from "./stage.ts";
import { tracks } from "./tracks.ts";
import { treating } from "./treating.ts";
import type { Voicing } from "./voicing.ts";
import { Writing } from "./writing.ts";

/** What of the page its commands change beside the scene. */
export interface Views {
  zoomBench(by: number): void;
  snapping(): void;
  larger(): void; // the picture, or small again
  order(): void; // of the seam list
  benchSeam(): void; // takes that on the bench in hand
}

export function sceneCommands(
  stage: Stage,
  parts: {
    mending: Mending;
    lulls: Lulls;
    filling: Filling;
    evening: Evening;
    voicing: Voicing;
    auditions: Auditions;
    blending: Blending;
    remarking: Remarking;
    correcting: Correcting;
    data: { kinds: KindView[]; rooms: string[] }; // of files that can be made, and made-up rooms
  },
  views: Views,
  sceneFile: string,
): Record<string, () => void> {
  const { edits, frame, sr, scene, id } = stage;
  const does: Record<string, () => void> = {
    ...moves(stage),
    ...clipboard(stage, pointed),
    ...copying(stage),
    ...levels(stage),
    ...places(stage),
    ...tracks(stage),
    ...joining(stage),
    ...pieces(stage, parts.data.kinds),
    ...openings(stage),
    ...overlapping(stage, () => parts.mending.overlaps),
    ...parts.mending.commands(),
    ...parts.lulls.commands(),
    ...parts.filling.commands(),
    ...parts.evening.commands(),
    ...parts.voicing.commands(),
    ...dissolving(stage),
    ...speeding(stage),
    ...treating(stage, parts.data.rooms),
    ...parts.auditions.commands(views.benchSeam),
    ...parts.blending.commands(),
    ...parts.remarking.commands(),
    ...parts.correcting.commands(),
    snapping: views.snapping,
    bench_closer: () => views.zoomBench(1 / 1.8),
    bench_wider: () => views.zoomBench(1.8),
    picture: views.larger,
    undo: () => void edits.travel("undo"),
    redo: () => void edits.travel("redo"),
    undo_last: () => void edits.travel("undo", true),
    history: () => openPast(false),
    version: () => openPast(true),
    rename: () =>
      void ask({ title: "Rename the scene", label: "Name", value: scene.name, done: "Rename" }).then(
        (q) => q && edits.edit({ edit: "rename", name: q.value }),
      ),
    order: views.order,
    light: () => document.querySelector<HTMLElement>("[data-light]")!.click(),
    sources: () => location.assign(`/scenes/${id}/sources`),
    hand_over: () => location.assign(`/scenes/${id}/hand-over`),
    scene_file: () => location.assign(`/scenes/${id}/${sceneFile}`),
    change_keys: () => location.assign("/keys"),
    search: openSearch,
    keys: openKeys,
    first_notes: showNotes,
  };

  Object.assign(does, new Writing(stage).over(does));

  // What moves an edge in hand moves that of a lull, if one is in hand.
  const ms = Math.round(sr / 1000);
  for (const [command, by] of [
    ["edge_earlier", -frame],
    ["edge_later", frame],
    ["edge_earlier_5", -5 * frame],
    ["edge_later_5", 5 * frame],
    ["sample_earlier", -1],
    ["sample_later", 1],
    ["ms_earlier", -ms],
    ["ms_later", ms],
  ] as const) {
    const cut = does[command];
    does[command] = () => void (parts.lulls.nudge(by) || cut());
  }
  const otherEdge = does.edge;
  does.edge = () => void (parts.lulls.otherEdge() || otherEdge());
  return does;
}

/** Does a command by its id; one that is found by a name of its own is done by whoever has the names. */
export const runner =
  (commands: () => Command[], does: Record<string, () => void>, names: { run(id: string): boolean }) =>
  (id: string): void => {
    const c = commands().find((x) => x.id === id);
    if (does[id]) does[id]();
    else if (!names.run(id) && c)
      say(`"${c.words}" works where a source is listened through: open one from the page of sources.`);
  };
