// Every command is found by the words that people have for it.
import { demo, edits, expect, seams, test } from "./app.ts";

test("the search knows the trade's other words, and says what comes nearest", async ({ page, app }) => {
  await demo(page, app);
  await page.keyboard.press("/");
  const typed = page.getByRole("combobox", { name: "Find a command" }),
    found = page.locator("#found li").first();
  for (const [word, first] of [
    ["normalise", /dB|loud/],
    ["volume", /dB/],
    ["fade out", /^Fade out what is in hand/],
    ["go to", /^Go to/],
    ["history", /Undo list/],
    ["overwrite", /Lay the last stretch over/],
    ["import", /sources/],
    ["export", /hand over|scene file/],
    ["EDL", /scene file/],
    ["new scene", /scenes/],
    ["timecode", /[Tt]ime/],
    ["keyframe", /^Set a level point/],
    ["automation", /^Set a level point/],
    ["pen", /^Set a level point/],
    ["ramp", /^Turn the range up or down/],
    ["razor", /^Divide/],
    ["blade", /^Divide/],
    ["ripple", /close up/],
    ["time selection", /^Range begins/],
    ["trim to playhead", /^Trim start to the playhead/],
    ["monitor", /^Solo/],
    ["ambience", /tone library/],
    ["fade in", /^Fade in what is in hand/],
    ["gate", /^Treat it/],
    ["compressor", /^Treat it/],
    ["reverb", /^Treat it/],
    ["reverse", /^Speed/],
    ["effects into voice", /^Blend with Effects into voice/],
  ] as [string, RegExp][]) {
    await typed.fill(word);
    await expect(found, word).toContainText(first);
  }
  // What there is no command for: what comes nearest is said to be no more than that.
  for (const [word, first] of [["joining together", /./]] as [string, RegExp][]) {
    await typed.fill(word);
    await expect(page.getByText("these come nearest"), word).toBeVisible();
    await expect(found, word).toContainText(first);
  }
  await typed.fill("xyzzy");
  await expect(page.getByText("No command has these words.")).toBeVisible();
});

test("the seam list shows those that have the words that are typed, and says how many", async ({ page, app }) => {
  await demo(page, app);
  await expect(page.locator(".list-head")).not.toContainText("being measured");
  const all = await seams(page).count();
  const field = page.getByRole("searchbox", { name: "Show seams that have these words" });
  await field.fill("rough dialogue");
  await expect(page.locator(".list-head").getByRole("status")).toHaveText(/^\d+ shown$/);
  const n = Number.parseInt((await page.locator(".list-head").getByRole("status").textContent())!, 10);
  await expect(seams(page)).toHaveCount(Math.min(n, await seams(page).count()));
  await expect(seams(page).locator(".sr-only", { hasNotText: "rough" })).toHaveCount(0);
  for (const row of await seams(page).all()) {
    expect(await row.getAttribute("title")).toContain("Dialogue");
    await expect(row.locator(".sr-only")).toHaveText("rough");
  }
  // Keys walk what is shown.
  await seams(page).first().click();
  await page.keyboard.press("ArrowDown");
  await expect(page.locator(".card .why")).toContainText("Rough");
  await field.fill("click");
  await expect(seams(page).first()).toContainText("click");
  await field.fill("");
  await expect(seams(page)).toHaveCount(all);
});

test("a row that is drawn anew, or put elsewhere, while it is pressed is chosen all the same", async ({
  page,
  app,
}) => {
  await demo(page, app);
  await expect(page.locator(".list-head")).not.toContainText("being measured");
  const changes: [number, (row: Element) => void][] = [
    [3, (r) => r.replaceWith(r.cloneNode(true))],
    [4, (r) => r.parentElement!.replaceChildren(...r.parentElement!.children)],
  ];
  for (const [n, change] of changes) {
    const row = seams(page).nth(n),
      box = (await row.boundingBox())!;
    await page.mouse.move(box.x + 60, box.y + 20);
    await page.mouse.down();
    await row.evaluate(change);
    await page.mouse.up();
    await expect(page.locator(".bench-head h2")).toContainText(`Seam ${n + 1} `);
  }
});

test("the past shows those edits that have the words that are typed, and says how many of all", async ({
  page,
  app,
}) => {
  await demo(page, app);
  await page.keyboard.press("p");
  await page.keyboard.press("Escape");
  const row = seams(page).filter({ hasText: "Oda, take 1 → Pell, take 1" }).first();
  await row.click();
  await edits(page, () => page.keyboard.press("b"));
  for (let n = 0; n < 3; n++) await edits(page, () => page.keyboard.press("."));
  await page.getByRole("button", { name: "Past" }).click();
  const past = page.getByRole("dialog", { name: "Past and versions" }),
    rows = past.getByRole("list", { name: "Everything done" }).getByRole("listitem");
  await expect(rows).toHaveCount(5); // four edits, and the beginning
  const all = await rows.count();
  await past.getByRole("searchbox").fill("BLENDED oda");
  await expect(rows).toHaveCount(1);
  await expect(past.getByRole("status")).toHaveText(`1 of ${all} shown`);
  await past.getByRole("searchbox").fill("");
  await expect(rows).toHaveCount(all);
  await expect(past.getByRole("status")).toHaveText("");
});
