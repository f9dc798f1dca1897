// What hands do in the timeline beyond moving and trimming: slips, slides, leads, several at once, ranges, gaps,
// markers; and what the page shows meanwhile.
import type { Page } from "@playwright/test";
import { clipOf, demo, drag, edits, expect, point, seams, shown, stateOf, test, track } from "./app.ts";

const F = 1920;
const end = (c: { start: number; length: number }) => c.start + c.length;
const figures = (page: Page) => page.locator(".bench-top figcaption").allTextContents();

test("Alt slips, Ctrl slides, Alt on a cut splits sound from picture; the pictures follow the hand", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  await page.keyboard.press("t");
  const clip = track(s, "dialogue").clips.find((c) => c.name === "Oda, take 2" && c.length > 400_000)!;
  const [before, after] = [-1, 1].map((d) => {
    const all = track(s, "dialogue").clips;
    return all[all.findIndex((c) => c.id === clip.id) + d];
  });
  const body = await point(page, s, "dialogue", clip.start + clip.length / 2, 0.6);

  // A slip: the clip lies where it lay; the two pictures are its first and last.
  await page.mouse.move(body.x, body.y);
  await page.keyboard.down("Alt");
  await page.mouse.down();
  await page.keyboard.up("Alt");
  await page.mouse.move(body.x + 6, body.y, { steps: 4 });
  await expect(page.locator("#tag")).toContainText(
    /shows its recording from \d+ frames earlier; \d+ frames of handle left/,
  );
  await expect.poll(() => figures(page)).toHaveLength(2);
  expect((await figures(page)).join()).toMatch(/first,.*last/);
  const still = () => page.locator("[data-still='0']").evaluate((c: HTMLCanvasElement) => c.toDataURL());
  const first = await still();
  await page.mouse.move(body.x + 9, body.y, { steps: 4 });
  await expect.poll(still).not.toBe(first); // live
  s = await edits(page, () => page.mouse.up());
  const slipped = clipOf(s, clip.id);
  expect([slipped.start, slipped.length]).toEqual([clip.start, clip.length]);
  expect(slipped.in).toBeLessThan(clip.in);
  expect(track(s, "picture").clips.find((c) => c.link === clip.link)!.in * F).toBe(slipped.in);
  s = await edits(page, () => page.keyboard.press("Control+z"));

  // A slide: four pictures; the neighbours give and take, all that follows stays.
  await page.mouse.move(body.x, body.y);
  await page.keyboard.down("Control");
  await page.mouse.down();
  await page.keyboard.up("Control");
  await page.mouse.move(body.x - 4, body.y, { steps: 4 });
  await expect(page.locator("#tag")).toContainText(/frames earlier between its neighbours/);
  await expect.poll(() => figures(page)).toHaveLength(4);
  s = await edits(page, () => page.mouse.up());
  const by = clipOf(s, clip.id).start - clip.start;
  expect(by).toBeLessThan(0);
  expect(clipOf(s, before.id).length).toBe(before.length + by);
  expect(clipOf(s, after.id)).toMatchObject({ start: after.start + by, length: after.length - by, in: after.in + by });
  s = await edits(page, () => page.keyboard.press("Control+z"));

  // Alt on the middle grip: the sound's cut moves against the picture's.
  const words = await drag(page, await point(page, s, "dialogue", after.start, 0.5), -4, 0, "Alt");
  expect(words).toMatch(/sound leads by \d+ frames/);
  await expect(page.locator(".did")).toContainText("sound leads by");
  s = await stateOf(page);
  expect(clipOf(s, after.id).start).toBeLessThan(after.start);
  expect(track(s, "picture").clips.find((c) => c.link === after.link)!.start * F).toBe(after.start);
  await expect(page.locator("#seams [aria-selected=true]")).toContainText(/sound leads \d+ f/);
});

test("the tag says beforehand what closing up leaves behind, and why it cannot be done", async ({ page, app }) => {
  let s = await demo(page, app);
  await page.keyboard.press("t");
  const wet = track(s, "dialogue").clips.at(-3)!; // under rain and music
  const grip = await point(page, s, "dialogue", end(wet) - 2 * shown.perPixel, 0.15);
  await page.mouse.move(grip.x, grip.y);
  await page.mouse.down();
  await page.mouse.move(grip.x - 4, grip.y, { steps: 4 });
  await expect(page.locator("#tag")).toContainText("rain on Rain, evening tune on Music lie over it and stay");
  await page.keyboard.press("Escape");
  await page.mouse.up();
  // The card of a clip says it too.
  const body = await point(page, s, "dialogue", wet.start + wet.length / 2, 0.6);
  await page.mouse.click(body.x, body.y);
  await expect(page.locator(".card .hint")).toContainText("If it is closed up: rain on Rain");

  // With the music locked in the way, the drag says so, and nothing is done.
  await page.getByRole("button", { name: "Track Effects" }).click();
  s = await edits(page, () => page.keyboard.press("Shift+L"));
  const early = track(s, "dialogue").clips[1],
    at = await point(page, s, "dialogue", end(early) - 2 * shown.perPixel, 0.15);
  await page.mouse.move(at.x, at.y);
  await page.mouse.down();
  await page.mouse.move(at.x - 4, at.y, { steps: 4 });
  await expect(page.locator("#tag")).toContainText("Track Effects is locked, and its 2 clips after");
  await page.mouse.up();
  await expect(page.getByRole("alert").getByRole("button", { name: "Trim and leave a gap" })).toBeVisible();
  expect((await stateOf(page)).revision).toBe(s.revision);
});

test("several clips move together, several cuts are trimmed together, all that is to the right is taken", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  await page.keyboard.press("t");
  const roars = track(s, "effects").clips;
  for (const [i, c] of roars.slice(0, 2).entries()) {
    const p = await point(page, s, "effects", c.start + c.length / 2, 0.6);
    await page.mouse.move(p.x, p.y);
    if (i) await page.keyboard.down("Shift");
    await page.mouse.click(p.x, p.y);
    await page.keyboard.up("Shift");
  }
  await expect(page.locator(".card h2")).toHaveText("2 clips in hand");
  s = await edits(page, async () => {
    const words = await drag(page, await point(page, s, "effects", roars[1].start + roars[1].length / 2, 0.6), 6);
    expect(words).toContain("2 clips");
  });
  const by = clipOf(s, roars[1].id).start - roars[1].start;
  expect(by).toBeGreaterThan(0);
  expect(clipOf(s, roars[0].id).start).toBe(roars[0].start + by);
  expect(clipOf(s, roars[2].id).start).toBe(roars[2].start);

  // Two cuts in hand, rolled by one key.
  const d = track(s, "dialogue").clips,
    cuts = [d[1], d[2]];
  for (const [i, c] of cuts.entries()) {
    const p = await point(page, s, "dialogue", c.start, 0.5);
    await page.mouse.move(p.x, p.y);
    if (i) await page.keyboard.down("Shift");
    await page.mouse.click(p.x, p.y);
    await page.keyboard.up("Shift");
  }
  await expect(page.locator(".card h2")).toHaveText("2 edges in hand");
  s = await edits(page, () => page.keyboard.press("."));
  await expect(page.locator(".did")).toHaveText("2 edges moved 1 frame later");
  for (const c of cuts) expect(clipOf(s, c.id).start).toBe(c.start + F);

  // All to the right of the playhead.
  await page.keyboard.press("End");
  await page.keyboard.press("Control+ArrowLeft");
  await page.keyboard.press("Control+ArrowLeft");
  await page.keyboard.press("Control+Shift+ArrowRight");
  await expect(page.locator(".card")).toContainText(/clips in hand|Clip · /);
});

test("ranges by dragging, gaps by clicking, markers by their flags", async ({ page, app }) => {
  let s = await demo(page, app);
  await page.keyboard.press("t");
  const box = (await page.locator("#timeline").boundingBox())!;
  await page.mouse.move(box.x + 100, box.y + 6);
  await page.mouse.down();
  await page.mouse.move(box.x + 160, box.y + 6, { steps: 4 });
  await page.mouse.up();
  await expect(page.locator(".card tr", { hasText: "Tracks" })).toContainText("all");
  await page.getByRole("button", { name: "Track Narrator" }).click();
  await expect(page.locator(".card tr", { hasText: "Tracks" })).toContainText("Narrator");
  await page.locator(".card").getByLabel("From", { exact: true }).fill("01:00:02:00");
  await page.keyboard.press("Enter");
  await page.locator(".card").getByLabel("To", { exact: true }).fill("01:00:03:00");
  await page.keyboard.press("Enter");
  s = await edits(page, () =>
    page
      .locator(".card")
      .getByRole("button", { name: /Leave gap/ })
      .click(),
  );
  await expect(page.locator(".did")).toHaveText(
    /^25 frames from 01:00:02:00 removed on track Narrator, a gap left; Picture, Dialogue and \w+ stay$/,
  );

  // The dead silence in the dialogue is a gap; it is clicked and closed up.
  const d = track(s, "dialogue").clips,
    i = d.findIndex((c, k) => k > 0 && end(d[k - 1]) < c.start),
    gap = d[i].start - end(d[i - 1]);
  expect(gap).toBe(17 * F);
  const inGap = await point(page, s, "dialogue", end(d[i - 1]) + gap / 2, 0.5);
  await page.mouse.click(inGap.x, inGap.y);
  await expect(page.locator(".card h2")).toHaveText("Nothing for 17 f");
  s = await edits(page, () =>
    page
      .locator(".card")
      .getByRole("button", { name: /Close the gap up/ })
      .click(),
  );
  await expect(page.locator(".did")).toContainText("gap of 17 frames on Dialogue closed up");
  expect(clipOf(s, d[i].id).start).toBe(end(d[i - 1]));

  // A marker is dragged, and renamed on its card.
  const m = ((await stateOf(page)) as unknown as { markers: { at: number; name: string; id: string }[] }).markers[0];
  const flag = { x: box.x + m.at / shown.perPixel, y: box.y + 29 };
  s = await edits(page, () => drag(page, flag, 20));
  await expect(page.locator(".did")).toContainText("marker rain begins moved to");
  await page.mouse.click(flag.x + 20, flag.y);
  await expect(page.locator(".card h2")).toHaveText("rain begins");
  s = await edits(page, async () => {
    await page.getByLabel("Name", { exact: true }).first().fill("first drops");
    await page.keyboard.press("Enter");
  });
  await expect(page.locator(".card h2")).toHaveText("first drops");
  await expect(seams(page).first()).toBeVisible();
});

test("tracks and waveforms are made taller, the picture larger; a scene of sound alone has the space", async ({
  page,
  app,
}) => {
  await demo(page, app);
  const height = () =>
    page
      .locator("#heads .head")
      .nth(1)
      .evaluate((e) => e.clientHeight);
  const was = await height();
  await page.keyboard.press("Control+=");
  await expect.poll(height).toBeGreaterThan(was);
  await page.keyboard.press("Control+-");
  await expect.poll(height).toBe(was);
  const look = () => page.locator("#timeline").evaluate((c: HTMLCanvasElement) => c.toDataURL());
  const low = await look();
  await page.keyboard.press("Alt+=");
  await expect.poll(look).not.toBe(low);
  await page.keyboard.press("v");
  await expect(page.locator(".large")).toBeVisible();
  await page.keyboard.press("ArrowRight");
  await expect(page.locator(".large .mono")).toHaveText("01:00:00:01");
  await expect(page.locator("#large-picture")).toHaveAttribute("data-frame", "1");
  await page.getByRole("button", { name: "Close the picture" }).click();
  await expect(page.locator(".large")).toBeHidden();

  const space = () =>
    page.evaluate(() => [
      document.querySelector("#bench")!.clientHeight,
      document.querySelector("#seams")!.clientHeight,
    ]);
  const with_ = await space();
  await page.goto(app.base);
  await page.getByRole("button", { name: "New scene" }).click();
  await page.getByLabel("Name").fill("Sound alone");
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page.locator("h1")).toHaveText("Sound alone");
  const without = await space();
  expect(without[0]).toBeGreaterThan(with_[0]);
  expect(without[1]).toBeGreaterThan(with_[1] + 100);
});
