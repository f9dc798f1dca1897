// What is heard in a recording: shown, corrected on both pages, kept with the scene, and taken back.
import { demo, edits, expect, stateOf, test } from "./app.ts";

interface Part {
  from: number;
  to: number;
  kind: string;
  sure: number;
  corrected?: boolean;
}

test("what is heard is shown and corrected while a recording is listened through", async ({ page, app }) => {
  await demo(page, app);
  const scene = page.url();
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await page
    .getByRole("row", { name: /Oda, take 2/ })
    .getByRole("link", { name: "Listen through" })
    .click();
  const panel = page.getByRole("region", { name: "What is heard" });
  await expect(panel).toContainText(/Background -5\d\.\d dBFS\./);
  await expect(panel).toContainText("Here is a pause");
  const heard = async () =>
    (await (await page.request.get(new URL("heard", page.url()).href)).json()) as {
      parts: Part[];
      background_db: number;
      background_is_sure: boolean;
    };
  const before = await heard();
  expect(before.background_is_sure).toBe(true);
  // The parts cover the recording; a shovel that falls in a pause is no word.
  let at = 0;
  for (const p of before.parts) {
    expect(p.from).toBe(at);
    at = p.to;
  }
  const shovel = before.parts.find((p) => p.kind === "other")!;
  expect(shovel.to - shovel.from).toBeGreaterThan(0.3 * 48000);

  // The part that is heard now is corrected by a button, and what was said wins.
  await panel.getByRole("button", { name: "a breath" }).click();
  await expect(page.locator(".source-side [aria-live]")).toContainText("is a breath");
  await expect(panel).toContainText("Here is a breath, as somebody said");
  const after = await heard();
  expect(after.parts[0]).toMatchObject({ from: 0, kind: "breath", corrected: true });

  // A part that nobody corrected has nothing to be forgotten.
  await page.locator("#source-wave").focus();
  await page.keyboard.press("End");
  await panel.getByRole("button", { name: "As it was heard" }).click();
  await expect(page.getByRole("alert").filter({ hasText: "Nothing was corrected" })).toBeVisible();

  // The scene file keeps it, and it is taken back like any edit.
  const file = await (await page.request.get(`${scene}scene.otio`)).json();
  expect(file.metadata.blendseam.heard).toEqual([
    expect.objectContaining({ kind: "breath", from: expect.objectContaining({ value: 0 }) }),
  ]);
  await page.goto(scene);
  await expect(page.locator("#seams, .seams, [data-seam]").first()).toBeVisible();
  await page.locator("#timeline").focus();
  await page.keyboard.press("Control+z");
  await expect
    .poll(async () =>
      Object.values((await stateOf(page)).sources as Record<string, { corrections?: unknown[] }>).some(
        (s) => s.corrections?.length,
      ),
    )
    .toBe(false);
});

test("what is heard in the clip in hand is corrected at the playhead", async ({ page, app }) => {
  await demo(page, app);
  const s = await stateOf(page),
    clip = s.tracks.find((t) => t.name === "Dialogue")!.clips.find((c) => c.name === "Oda, take 2")!;
  await page.goto(`${page.url().split("?")[0]}?clip=${clip.id}`);
  const card = page.getByRole("complementary", { name: "Card of what is selected" });
  await expect(card).toContainText("Heard in it");
  await expect(card).toContainText("Other sounds");
  const say = async (words: string) => {
    await page.keyboard.press("/");
    await page.keyboard.type(words);
    await page.keyboard.press("Enter");
  };
  await page.locator("#timeline").focus();
  await edits(page, () => say("this is another sound"));
  await expect(page.locator(".did")).toContainText("is another sound");
  const source = (await stateOf(page)).sources as Record<string, { corrections?: { kind: string }[] }>;
  expect(Object.values(source).flatMap((x) => x.corrections ?? [])).toEqual([
    expect.objectContaining({ kind: "other" }),
  ]);
});
