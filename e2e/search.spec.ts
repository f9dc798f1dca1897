// Every command is found by the words that people have for it.
import { demo, expect, test } from "./app.ts";

test("the search knows the trade's other words, and says what comes nearest", async ({ page, app }) => {
  await demo(page, app);
  await page.keyboard.press("/");
  const typed = page.getByRole("combobox", { name: "Find a command" }),
    found = page.locator("#found li").first();
  for (const [word, first] of [
    ["normalise", /dB|loud/],
    ["volume", /dB/],
    ["fade out", /Blend the cut/],
    ["go to", /^Go to/],
    ["history", /Undo list/],
    ["overwrite", /Lay the last stretch over/],
    ["import", /sources/],
    ["export", /hand over|scene file/],
    ["EDL", /scene file/],
    ["new scene", /scenes/],
    ["timecode", /[Tt]ime/],
  ] as [string, RegExp][]) {
    await typed.fill(word);
    await expect(found, word).toContainText(first);
  }
  // There is no join yet: what comes nearest is said to be no more than that.
  await typed.fill("joining together");
  await expect(page.getByText("these come nearest")).toBeVisible();
  await expect(found).toBeVisible();
  await typed.fill("xyzzy");
  await expect(page.getByText("No command has these words.")).toBeVisible();
});
