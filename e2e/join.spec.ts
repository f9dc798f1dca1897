// Clips are joined into one recording that sounds the same to the bit, and is opened again where it lies then.
import { clipOf, demo, edits, expect, home, point, sound, stateOf, test } from "./app.ts";

const second = 48000;

test("clips in hand become one recording, to the bit, and are opened again where that lies now", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    track = s.tracks.find((t) => t.name === "Dialogue")!,
    two = track.clips.slice(1, 3),
    from = two[0].start - second,
    to = two[1].start + two[1].length + second;
  const mix = () => sound(page, from, to - from),
    before = await mix();
  for (const c of two) {
    const at = await point(page, s, "dialogue", c.start + c.length / 2, 0.3);
    await page.keyboard.down("Shift");
    await page.mouse.click(at.x, at.y);
    await page.keyboard.up("Shift");
  }
  await page.keyboard.press("Alt+j");
  const dialog = page.locator("dialog.ask");
  await expect(dialog).toContainText("Join 2 clips into one");
  await dialog.getByRole("textbox").fill("Both of them");
  await dialog.getByRole("button", { name: "Join", exact: true }).click();
  await expect(page.locator(".card h2")).toHaveText("Both of them");
  await expect(page.locator(".did")).toContainText("2 clips joined into Both of them");
  const joined = await stateOf(page),
    now = joined.tracks.find((t) => t.id === track.id)!.clips.find((c) => c.name === "Both of them")!;
  expect([now.start, now.start + now.length]).toEqual([two[0].start, two[1].start + two[1].length]);
  const after = await mix();
  expect(after.length).toBe(before.length);
  expect(after.findIndex((v, i) => v !== before[i])).toBe(-1);
  await expect(page.locator(".card")).toContainText(`Joined from${two[0].name}`);
  // moved, it opens where it lies
  await page.locator(".card").getByLabel("Gain", { exact: true }).fill("-2");
  await edits(page, () => page.keyboard.press("Enter"));
  const open = await edits(page, () => page.getByRole("button", { name: "Open again" }).click());
  for (const c of two)
    expect(clipOf(open, c.id)).toMatchObject({ start: c.start, length: c.length, gain_db: (c.gain_db ?? 0) - 2 });
  await page.goto(`${home(page)}/sources`);
  const row = page.getByRole("row", { name: /^Both of them/ });
  await expect(row).toContainText(/Joined from .* · /);
  await expect(row).toContainText("not used yet");
});

test("what cannot be joined is said, and what is stopped or changed meanwhile leaves nothing behind", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    track = s.tracks.find((t) => t.name === "Dialogue")!,
    picture = s.tracks.find((t) => t.kind === "picture")!.clips[0],
    post = (clips: string[], name: string) =>
      page.request.post(`${home(page)}/joins`, { data: { clips, name, page: "test" } });
  for (const [clips, name, message] of [
    [[], "none", "Take the clips in hand"],
    [[picture.id], "seen", "is picture; sound alone is joined"],
    [[track.clips[0].id, track.clips[2].id], "apart", "lies between the clips"],
    [[track.clips[0].id], "  ", "needs a name"],
    [["c99999"], "gone", "There is no clip"],
  ] as const) {
    const got = await post([...clips], name);
    expect([400, 422]).toContain(got.status());
    expect((await got.json()).message).toContain(message);
  }
  const sources = async () =>
      Object.keys((await (await page.request.get(`${home(page)}/state`)).json()).sources).length,
    were = await sources();
  const job = await (await post([track.clips[0].id], "late")).json();
  await page.request.post(`${app.base}/jobs/${job.id}/stop`);
  expect((await sources()) - were).toBeLessThanOrEqual(1); // it may have been faster
  await page.keyboard.press("Alt+h");
  await expect(page.getByRole("alert")).toContainText("No clip in hand was joined");
});

test("with a range in hand the range is joined, and nothing beside it", async ({ page, app }) => {
  const s = await demo(page, app),
    track = s.tracks.find((t) => t.name === "Dialogue")!,
    c = track.clips[1];
  await page.locator("#timeline").focus();
  await page.keyboard.press("Home");
  for (let n = 0; n < Math.ceil(c.start / second) + 1; n++) await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("r");
  await page.keyboard.press("Shift+ArrowRight");
  await page.keyboard.press("Shift+R");
  await page.keyboard.press("Alt+j");
  const dialog = page.locator("dialog.ask");
  await dialog.getByRole("textbox").fill("A second of it");
  await dialog.getByRole("button", { name: "Join", exact: true }).click();
  await expect(page.locator(".card h2")).toHaveText("A second of it");
  const joined = (await stateOf(page)).tracks.flatMap((t) => t.clips).filter((x) => x.name === "A second of it");
  expect(joined.map((x) => x.length)).toEqual([second]);
});
