// Clips are fitted into lengths at the same pitch: by one key, by figure, a range alone; and take their own again.
import { clipOf, demo, edits, expect, home, stateOf, test } from "./app.ts";

const second = 48000;

test("narration is fitted to its picture by one key, out of its pauses, and takes its own length again", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    narrator = s.tracks.find((t) => t.name === "Narrator")!.clips[0],
    picture = s.tracks.find((t) => t.kind === "picture")!.clips[0].length * 1920,
    box = (await page.locator("#timeline").boundingBox())!,
    row = (await page.locator(".head", { has: page.getByRole("button", { name: "Track Narrator" }) }).boundingBox())!,
    end = Math.max(
      ...s.tracks.filter((t) => t.kind === "sound").flatMap((t) => t.clips.map((c) => c.start + c.length)),
    );
  expect(narrator.start + narrator.length).toBeGreaterThan(picture);
  const middle = box.x + (0.97 * box.width * (narrator.start + narrator.length / 2)) / end;
  await page.mouse.click(middle, row.y + 12);
  await expect(page.locator(".card h2")).toHaveText(narrator.name!);
  const fitted = await edits(page, () => page.keyboard.press("Alt+q")),
    now = clipOf(fitted, narrator.id);
  expect(now.start).toBe(narrator.start);
  expect(now.start + now.length).toBe(picture);
  // Its pauses are too short for all of it: no word is taken for one, so that the words go a little faster.
  await expect(page.locator(".card")).toContainText(/Fitted\s*words 1[0-4]\d %, \d+ pauses/);
  await expect(page.locator(".did")).toContainText(/pauses, words \d+(\.\d)? % faster/);
  // its wave is drawn from what it is now
  const wave = await page.request.get(`${home(page)}/tones/${now.source}/peaks/512/0`);
  expect([wave.status(), (await wave.body()).some((v) => v !== 0)]).toEqual([200, true]);
  await edits(page, () => page.getByRole("button", { name: "Its own length again" }).click());
  expect(clipOf(await stateOf(page), narrator.id)).toMatchObject({ source: narrator.source, length: narrator.length });
  // by figure: what it takes is said and heard first; no length is no edit
  await page.keyboard.press("Alt+w");
  const dialog = page.locator("dialog.ask");
  await dialog.getByRole("textbox").fill("90 %");
  await dialog.getByLabel("Taken from").selectOption("0");
  await dialog.getByRole("button", { name: "Measure" }).click();
  const list = page.locator("dialog.list-dialog");
  await expect(list).toContainText("words 11.1 % faster");
  await list.getByText("Hear then").click();
  await expect(page.locator("#play")).toContainText("Stop");
  const faster = await edits(page, () => list.getByRole("button", { name: "Do it" }).click());
  expect(clipOf(faster, narrator.id).length).toBe(Math.round(0.9 * narrator.length));
  await page.keyboard.press("Alt+w");
  await dialog.getByRole("textbox").fill("20 %");
  await dialog.getByRole("button", { name: "Measure" }).click();
  await expect(page.getByRole("alert")).toContainText(/cannot take \d+\.\d+ s.*can be reached/);
  // A reading that is slow in its words can be taken from the words alone, as a row of its own. No voice of the
  // demo reads so slowly: the answer is told so.
  await edits(page, () => page.keyboard.press("Control+z"));
  await page.route(/\/fit\?/, async (route) => {
    const answer = await route.fetch();
    await route.fulfill({ response: answer, json: { ...(await answer.json()), slow: true } });
  });
  await page.keyboard.press("Alt+w");
  await dialog.getByRole("textbox").fill("85 %");
  await dialog.getByRole("button", { name: "Measure" }).click();
  await expect(list).toContainText("The second row takes it from the words alone");
  const alone = list.getByRole("row").filter({ hasText: "words alone:" });
  await expect(alone).not.toContainText("pauses");
  await alone.getByRole("checkbox").check();
  await list.getByRole("checkbox", { name: "narrator" }).first().uncheck();
  const slow = clipOf(await stateOf(page), narrator.id).length;
  const quick = await edits(page, () => list.getByRole("button", { name: "Do it" }).click());
  expect(clipOf(quick, narrator.id).length).toBe(Math.round(0.85 * slow));
});

test("what a range has of a clip is fitted alone, and the clip freed of its picture if that is asked for", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    clip = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "Oda, take 2")!;
  expect(clip.link).toBeTruthy();
  const plan = async (q: object) => {
    const got = await page.request.get(
      `${home(page)}/clips/${clip.id}/fit?${new URLSearchParams(q as Record<string, string>)}`,
    );
    return { status: got.status(), ...(await got.json()) };
  };
  const from = clip.start + second,
    to = from + 2 * second,
    part = await plan({ from, to, length: Math.round(1.8 * second), pauses: 0 });
  expect(part).toMatchObject({ status: 200, was: 2 * second, pauses: 0 });
  expect(part.speed).toBeCloseTo(2 / 1.8, 3);
  const does = (edit: object) =>
    page.request.post(`${home(page)}/edits`, { data: { page: "test", revision: part.revision, edit } });
  expect(await (await does(part.edit)).json()).toMatchObject({
    message: expect.stringContaining("linked to its picture"),
  });
  expect((await does({ ...part.edit, unlink: true })).status()).toBe(200);
  const now = clipOf(await stateOf(page), clip.id);
  expect([now.length, now.link]).toEqual([clip.length - Math.round(0.2 * second), undefined]);
  expect(await plan({ from: 0, to: 10, length: 5 })).toMatchObject({ status: 400 });
  expect(await plan({ length: second, pauses: 7 })).toMatchObject({ status: 400 });
  expect(await plan({ length: 0 })).toMatchObject({ status: 400 });
});
