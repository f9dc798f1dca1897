// Two people went on with one scene: what both did comes together, and where both touch somebody chooses.
import { readFileSync, writeFileSync } from "node:fs";
import { demo, edits, expect, home, kept, seams, stateOf, test, track } from "./app.ts";

interface Item {
  OTIO_SCHEMA: string;
  name: string;
  metadata?: { blendseam?: Record<string, unknown> };
}

test("another person's version: heard, chosen where both touch, taken as one edit, taken back", async ({
  page,
  app,
}, info) => {
  await demo(page, app);
  const scene = home(page),
    file = info.outputPath("Pat.otio");
  // Pat has the file of the scene as it is now, and turns three clips of dialogue down.
  writeFileSync(file, await (await page.request.get(`${scene}/scene.otio`)).body());
  const otio = JSON.parse(readFileSync(file, "utf8")),
    dialogue = otio.tracks.children.find((t: Item) => t.name === "Dialogue").children as Item[],
    clips = dialogue.filter((c) => c.OTIO_SCHEMA.startsWith("Clip"));
  for (const n of [1, 3, 5]) clips[n].metadata = { blendseam: { ...clips[n].metadata?.blendseam, gain_db: -n } };
  writeFileSync(file, JSON.stringify(otio));
  // In the meantime the head of the first is trimmed and closed up, and one of Pat's is turned up.
  let s = await stateOf(page);
  const was = track(s, "dialogue").clips;
  const post = async (edit: unknown) => {
    const r = await page.request.post(`${scene}/edits`, { data: { revision: (await stateOf(page)).revision, edit } });
    expect(r.status()).toBe(200);
  };
  await post({ edit: "gain", clips: [was[3].id], db: 4 });
  await post({ edit: "trim", clip: was[1].id, edge: "tail", to: was[1].start + was[1].length - 9600, close: true });

  await page.getByRole("navigation").getByRole("link", { name: "Come back" }).click();
  await page.getByLabel("Their version", { exact: true }).setInputFiles(file);
  const part = page.getByRole("region", { name: "Another person's version" }),
    rows = part.getByRole("table").locator("tbody tr");
  await expect(part).toContainText("2 changes of theirs · one place that both touch");
  await expect(rows).toHaveCount(2);
  await expect(rows.nth(0)).toContainText("-1.0 dB");
  const touch = part.locator("fieldset");
  await expect(touch).toContainText("both changed the same");
  await expect(touch.getByRole("radio", { name: /Yours/ })).toBeChecked();
  const choose = async (what: () => Promise<void>) => {
    const compared = page.waitForResponse((r) => new URL(r.url()).pathname.endsWith("/merge"));
    await what();
    await (await compared).finished();
  };
  await choose(() => touch.getByRole("radio", { name: /Theirs/ }).check());
  await choose(() => rows.nth(1).getByRole("checkbox").uncheck());
  await part.getByText("one change of yours stays").click();
  await expect(part.getByRole("listitem").first()).toContainText("5 frames shorter");
  const heard = page.waitForResponse((r) => r.url().includes("/merge/sound.wav"));
  await rows.nth(0).getByRole("button").click();
  expect([(await heard).status(), (await heard).headers()["content-type"]]).toEqual([200, "audio/wav"]);

  await part.getByRole("button", { name: "Take what is chosen" }).click();
  await expect(part.getByRole("status")).toContainText("2 changes taken from Pat.otio. One undo takes it back.");
  s = await stateOf(page);
  const now = track(s, "dialogue").clips;
  expect([1, 3, 5].map((n) => now[n].gain_db ?? 0)).toEqual([-1, -3, 0]);
  expect([now[1].length, now[2].start]).toEqual([was[1].length - 9600, was[2].start - 9600]);
  await part.getByRole("link", { name: "To the scene" }).click();
  await expect(page.locator(".list-head")).toContainText("rough");
  s = await edits(page, () => page.keyboard.press("Control+z"));
  expect([1, 3, 5].map((n) => track(s, "dialogue").clips[n].gain_db ?? 0)).toEqual([0, 4, 0]);

  // A file of which nobody knows what it began with asks.
  writeFileSync(file, readFileSync(file, "utf8").replaceAll(/"scene":"[^"]*"/g, '"scene":"elsewhere"'));
  await page.goto(`${scene}/come-back`);
  await page.getByLabel("Their version", { exact: true }).setInputFiles(file);
  await expect(part.getByRole("alert")).toContainText("does not say which version both of you began with");
  await part.getByRole("combobox", { name: "Both began with" }).selectOption("beginning");
  await expect(part).toContainText("2 changes of theirs · one place that both touch");
});

test("two editors on one scene: each on a seam of their own, and no edit is refused", async ({
  page,
  app,
  context,
}) => {
  await demo(page, app);
  const other = await context.newPage();
  // The second page hears of nothing that the first does: whatever it sends is of the state that it knows.
  await other.route("**/events*", (r) => r.abort());
  await other.goto(page.url());
  await expect(other.locator(".list-head")).toContainText("rough");
  for (const [p, cut] of [
    [page, "Oda, take 1 → Pell, take 1"],
    [other, "Pell, take 1 → Oda, take 1"],
  ] as const) {
    await seams(p).filter({ hasText: cut }).first().click();
    await expect(p.locator(".card h2")).toHaveText(cut);
  }
  let n = 0;
  for (const key of ["b", "[", "["])
    for (const p of [page, other]) {
      await p.keyboard.press(key);
      await kept(p, ++n);
    }
  const s = await stateOf(page),
    blends = s.tracks.flatMap((t) => t.blends ?? []);
  expect([s.revision, blends.length]).toEqual([6, 2]);
  await expect(seams(page).filter({ hasText: "sound leads 2 f" })).toHaveCount(2);
  await expect(other.getByRole("alert")).toBeHidden();
  await other.close();
});
