// One key blends what is in hand: clips, a range, a free end; at a gap it says what would work. Actions are counted.
import type { Page } from "@playwright/test";
import { atDrop, demo, edits, expect, point, type SceneState, stateOf, take, test, track } from "./app.ts";

/** A plain cut of the demo's dialogue whose clips have handles, with those clips. */
function cutOf(s: SceneState, n: number) {
  const { clips, blends } = track(s, "dialogue");
  const plain = clips
    .slice(0, -1)
    .map((before, i) => ({ before, after: clips[i + 1] }))
    .filter(
      ({ before: a, after: b }) =>
        a.start + a.length === b.start && !blends?.some((x) => x.left === a.id) && b.in > 48000,
    );
  const { before, after } = plain[n];
  return { before, after, left: before.id, right: after.id, at: after.start };
}

const blendOf = (s: SceneState, left: string) => track(s, "dialogue").blends?.find((x) => x.left === left);

async function takeBoth(page: Page, s: SceneState, cut: ReturnType<typeof cutOf>): Promise<void> {
  await take(page, s, "dialogue", cut.before);
  await take(page, s, "dialogue", cut.after, "Shift");
  await expect(page.locator(".card h2").first()).toHaveText("2 clips in hand");
}

/** Draws a range on the ruler. */
async function range(page: Page, from: number, to: number, s: SceneState): Promise<void> {
  const a = await point(page, s, "picture", from, 0),
    b = await point(page, s, "picture", to, 0);
  await page.mouse.move(a.x, a.y - 26);
  await page.mouse.down();
  await page.mouse.move(b.x, b.y - 26, { steps: 4 });
  await page.mouse.up();
  await expect(page.locator(".card h2").first()).toContainText(" to ");
}

test("two clips in hand and one key are a blend; a range over a cut is filled by it", async ({ page, app }) => {
  let s = await demo(page, app);
  const cut = cutOf(s, 1);
  await takeBoth(page, s, cut);
  s = await edits(page, () => page.keyboard.press("b"));
  expect(blendOf(s, cut.left)).toMatchObject({ right: cut.right, law: "constant_power" });
  // It is there: the key says so, and does nothing.
  await page.keyboard.press("b");
  await expect(page.locator(".toast")).toContainText("this blend is there already");

  // A range over the next cut: a blend as long as that, from its start to its end, or as far as handles go.
  const next = cutOf(s, 2);
  await page.keyboard.press("Escape");
  await range(page, next.at - 30000, next.at + 30000, s);
  s = await edits(page, () => page.keyboard.press("b"));
  const b = blendOf(s, next.left)!;
  expect(b.before).toBeGreaterThan(26000);
  expect(b.before).toBeLessThan(34000);
  expect(s.undo).toContain("blend");
  // With a blend there that a hand has made, it is asked first; nothing is done without an answer.
  await takeBoth(page, s, next);
  await page.keyboard.press("b");
  const asks = page.getByRole("dialog", { name: /^Replace what is on/ });
  await expect(asks.getByRole("button", { name: "Replace it" })).toBeFocused();
  await page.keyboard.press("Escape");
  await expect(asks).toBeHidden();
  expect((await stateOf(page)).revision).toBe(s.revision);
  await page.keyboard.press("Control+z");
  await expect.poll(async () => blendOf(await stateOf(page), next.left)).toBeUndefined();
  // Twice as long by one key.
  const usual = blendOf(s, cut.left)!;
  s = await edits(page, () => page.keyboard.press("Control+Shift+b"));
  const long = blendOf(s, next.left)!;
  expect(long.before + long.after).toBe(2 * (usual.before + usual.after));
});

test("at a gap between the clips in hand it says how long it is, and what would work", async ({ page, app }) => {
  let s = await demo(page, app);
  const cut = cutOf(s, 1),
    length = (x: SceneState) => Math.max(...x.tracks.map((t) => t.clips.at(-1)!).map((c) => c.start + c.length));
  const whole = length(s);
  const trim = { edit: "trim", clip: cut.left, edge: "tail", to: cut.at - 12 * 1920 };
  const kept = await page.request.post(page.url() + "edits", { data: { revision: s.revision, edit: trim } });
  expect(kept.status()).toBe(200);
  await expect(page.locator(".kept")).toContainText(`edit ${s.revision + 1}`);
  s = await stateOf(page);
  await takeBoth(page, s, cut);
  await page.keyboard.press("b");
  const toast = page.locator(".toast");
  await expect(toast).toContainText("Gap of 12 frames. Nothing touches between");
  await expect(toast.getByRole("button", { name: /^Close up and blend/ })).toBeVisible();
  await expect(toast.getByRole("button", { name: /^Fill the gap with tone/ })).toBeVisible();
  s = await edits(page, () => toast.getByRole("button", { name: /^Draw both out/ }).click());
  expect(blendOf(s, cut.left)).toMatchObject({ right: cut.right });
  expect(length(s)).toBe(whole);
  // Taken back in one step; then the gap is filled with tone.
  s = await edits(page, () => page.keyboard.press("Control+z"));
  await takeBoth(page, s, cut);
  await page.keyboard.press("b");
  s = await edits(page, () => toast.getByRole("button", { name: /^Fill the gap with tone/ }).click());
  expect(s.undo).toMatch(/tone|patch/);
});

test("blends by name: from the command list, from the bench, kept, and used again by a key", async ({ page, app }) => {
  let s = await demo(page, app);
  const [first, second] = [cutOf(s, 1), cutOf(s, 2)],
    bench = page.getByLabel("Blend by name"),
    seam = (c: { left: string; right: string }) => page.locator(`[data-seam="cut:${c.left}:${c.right}"]`);
  await seam(first).click();
  await page.keyboard.press("/");
  await page.keyboard.type("with matched");
  s = await edits(page, () => page.keyboard.press("Enter"));
  expect(blendOf(s, first.left)!.law).toBe("matched");
  await expect(bench.locator("option:checked")).toHaveText("Matched");
  // The one used last, by a key, at the next cut.
  await seam(second).click();
  s = await edits(page, () => page.keyboard.press("0"));
  expect(blendOf(s, second.left)!.law).toBe("matched");
  // Another length makes it one by hand; it is kept under a name, and picked for the first cut.
  await page.getByLabel("Length", { exact: true }).fill("9");
  s = await edits(page, () => page.getByLabel("Length", { exact: true }).press("Enter"));
  await expect(bench.locator("option:checked")).toHaveText("by hand");
  for (const [name, said] of [
    ["Speech", "already"],
    [`Nine ${Date.now()}`, "kept as Nine"],
  ]) {
    await bench.selectOption({ label: "keep under a name …" });
    await page.getByRole("dialog", { name: "Keep this blend" }).getByLabel("Name").fill(name);
    await page.getByRole("button", { name: "Keep it" }).click();
    await expect(page.locator(said === "already" ? ".toast" : "body")).toContainText(said);
  }
  await seam(first).click();
  s = await edits(page, async () =>
    bench.selectOption({ label: (await bench.locator("option", { hasText: "Nine" }).textContent())! }),
  );
  const { before, after, law } = blendOf(s, second.left)!;
  expect(blendOf(s, first.left)).toMatchObject({ before, after, law });
});

test("the heads of five clips are faded by one key", async ({ page, app }) => {
  let s = await demo(page, app);
  await page.keyboard.press("Control+a");
  s = await edits(page, () => page.keyboard.press("8"));
  const all = s.tracks.filter((t) => t.kind === "sound").flatMap((t) => t.clips);
  expect(all.length).toBeGreaterThan(5);
  expect(all.filter((c) => !c.fade_in?.length)).toEqual([]);
  // One edit, taken back by one key.
  s = await edits(page, () => page.keyboard.press("Control+z"));
  await page.keyboard.press("Escape");
  await page.keyboard.press("8");
  await expect(page.locator(".toast")).toContainText("No head of a clip of sound is in hand");
});

test("at 29.97 drop, with sound alone: by keys, and fades at free ends at once", async ({ page, app }) => {
  let s = await atDrop(page, app);
  const [a, b] = track(s, "dialogue").clips;
  // The cut is reached by keys in the list, its clips by none: one key.
  await page.keyboard.press("Escape");
  const seam = page.locator(`[data-seam="cut:${a.id}:${b.id}"]`);
  await seam.click();
  s = await edits(page, () => page.keyboard.press("b"));
  expect(track(s, "dialogue").blends).toHaveLength(1);
  // At the head, where nothing touches, a fade.
  await page.locator(`[data-seam="head:${a.id}"]`).click();
  s = await edits(page, () => page.keyboard.press("b"));
  expect(track(s, "dialogue").clips[0].fade_in!.length).toBeGreaterThan(0);
  // In an empty scene the key says what to do.
  const made = await (
    await page.request.post(`${app.base}/scenes`, {
      data: { name: "Empty", rate: "25", sample_rate: 48000, channels: 2 },
    })
  ).json();
  await page.goto(`${app.base}/scenes/${made.id}/`);
  await expect(page.locator("h1")).toHaveText("Empty");
  await page.keyboard.press("b");
  await expect(page.locator(".toast")).toContainText("No seam is chosen");
});
