// Every gesture where it can do nothing, and where nothing is as in the demo: an empty scene, and two voices at 29.97
// drop without picture, none linked. Actions are counted where docs/using.md says how many there are.
import { type App, atDrop, drag, edits, expect, measure, newScene, point, stateOf, take, test, track } from "./app.ts";

/** The keys of commands that need something in hand, or in the scene. */
const NEED = [
  ..."b 8 9 0 d o c g l m w y , . = - [".split(" "),
  "Control+Shift+b",
  "Alt+b",
  "Alt+j",
  "Alt+x",
  "Alt+w",
  "Alt+m",
  "Alt+a",
  "Shift+d",
  "Delete",
  "Shift+Delete",
  "Control+c",
  "Control+v",
  "Control+d",
  "Control+Alt+t",
  "Control+Alt+s",
  "Control+Alt+d",
  "Control+Shift+w",
  "Control+Shift+l",
  "Control+Shift+d",
  "Control+Shift+ArrowDown",
];

test("in an empty scene every gesture says why it can do nothing, and does nothing", async ({ page, app }) => {
  await newScene(page, app, "Empty");
  const toast = page.locator(".toast"),
    silent: string[] = [];
  for (const key of NEED) {
    if (await toast.isVisible()) await toast.getByRole("button", { name: "Close" }).click();
    await page.keyboard.press("Escape");
    await page.keyboard.press(key);
    const said = await toast.waitFor({ state: "visible", timeout: 3000 }).then(
      async () => (await toast.textContent()) ?? "",
      () => "",
    );
    if (said.replace("Close", "").trim().length < 15) silent.push(`${key}: "${said}"`);
  }
  expect(silent).toEqual([]);
  expect((await stateOf(page)).revision).toBe(0);
});

async function opened(page: Parameters<typeof atDrop>[0], app: App) {
  const s = await atDrop(page, app);
  for (const k of ["Escape", "Escape", "Home"]) await page.keyboard.press(k);
  await measure(page, s);
  return s;
}

test("at 29.97 drop, without picture: blends, fades, copies, treatments, speed, a range on a clip", async ({
  page,
  app,
}) => {
  let s = await opened(page, app);
  const [a, b] = track(s, "dialogue").clips,
    of = (id: string) => s.tracks.flatMap((t) => t.clips).find((c) => c.id === id)!;
  // A blend of two clips: they are taken in hand, and one key.
  await take(page, s, "dialogue", a);
  await take(page, s, "dialogue", b, "Shift");
  s = await edits(page, () => page.keyboard.press("b"));
  expect(track(s, "dialogue").blends).toHaveLength(1);
  // Fades of all free heads and tails in hand: a key each.
  s = await edits(page, () => page.keyboard.press("8"));
  expect(of(a.id).fade_in!.length).toBeGreaterThan(0);
  expect(of(b.id).fade_in?.length ?? 0).toBe(0); // it is blended
  s = await edits(page, () => page.keyboard.press("9"));
  expect(of(b.id).fade_out!.length).toBeGreaterThan(0);
  for (let n = 0; n < 3; n++) s = await edits(page, () => page.keyboard.press("Control+z"));
  // Copied to another track at the same time: 2.
  await page.keyboard.press("Escape");
  await take(page, s, "dialogue", a);
  const tracks = s.tracks.length;
  s = await edits(page, () => page.keyboard.press("Control+Shift+ArrowDown"));
  expect(s.tracks).toHaveLength(tracks + 1);
  expect(s.tracks.at(-1)!.clips[0]).toMatchObject({ start: a.start, length: a.length });
  s = await edits(page, () => page.keyboard.press("Control+z"));
  // Twice as fast: what it becomes shorter by is left as a gap, and its neighbour stays.
  await page.keyboard.press("Escape");
  await take(page, s, "dialogue", a);
  await page.keyboard.press("Control+Alt+s");
  await expect(page.getByLabel("Times as fast")).toBeFocused();
  s = await edits(page, () => page.keyboard.press("Enter"));
  expect(Math.abs(of(a.id).length - a.length / 2)).toBeLessThanOrEqual(1);
  expect(of(b.id).start).toBe(b.start);
  s = await edits(page, () => page.keyboard.press("Control+z"));
  // No picture, no dissolve.
  await page.keyboard.press("Control+Alt+d");
  await expect(page.locator(".toast")).toContainText("No cut of picture is in hand");
  await page.keyboard.press("Escape");
  // A range on one clip by one drag, and treated: its pieces stay in step.
  const at = (n: number) => point(page, s, "dialogue", b.start + n, 0.6),
    [from, to] = [await at(b.length / 4), await at(b.length / 2)];
  await page.keyboard.down("Control");
  await page.keyboard.down("Alt");
  await page.mouse.move(from.x, from.y);
  await page.mouse.down();
  await page.mouse.move(to.x, to.y + 4, { steps: 4 });
  await page.mouse.up();
  await page.keyboard.up("Alt");
  await page.keyboard.up("Control");
  await expect(page.locator(".card h2").first()).toContainText(" to ");
  await page.keyboard.press("Control+Alt+t");
  await expect(page.getByLabel("Slopes at its ends")).toBeFocused();
  s = await edits(page, () => page.keyboard.press("Enter"));
  const pieces = track(s, "dialogue").clips.filter((c) => c.source === b.source);
  expect(pieces).toHaveLength(3);
  for (const c of pieces) expect(c.start - c.in).toBe(b.start - b.in);
  s = await edits(page, () => page.keyboard.press("Control+z"));
  // Drawn over its neighbour, it overlaps and is blended.
  await page.keyboard.press("Escape");
  const body = await at(b.length / 2),
    there = await at(b.length / 2 - 9600);
  s = await edits(page, () => drag(page, body, there.x - body.x));
  expect(track(s, "dialogue").blends).toHaveLength(1);
  expect(s.undo).toContain("blended");
});
