// A rough scene refined by keys alone; what each step says, and the sound before and after it all was undone.
import { createHash } from "node:crypto";
import type { Page } from "@playwright/test";
import { demo, edits, expect, type SceneState, stateOf, test, track } from "./app.ts";

const F = 1920;

/** A digest of the whole scene as it sounds. */
async function sound(page: Page, s: SceneState): Promise<string> {
  const end = Math.max(
    ...s.tracks.filter((t) => t.kind === "sound").flatMap((t) => t.clips.map((c) => c.start + c.length)),
  );
  const hash = createHash("sha256"),
    base = page.url().replace(/(\/scenes\/[^/]+)\/.*$/, "$1");
  for (let at = 0; at < end; at += 1 << 20)
    hash.update(await (await page.request.get(`${base}/pcm?from=${at}&n=${Math.min(1 << 20, end - at)}`)).body());
  return hash.digest("hex");
}

async function press(page: Page, ...keys: string[]): Promise<void> {
  for (const k of keys) await page.keyboard.press(k);
}

/** Brings the playhead to a frame of the scene, by keys. */
async function to(page: Page, frame: number): Promise<void> {
  await press(
    page,
    "Home",
    ...Array(Math.floor(frame / 25)).fill("Shift+ArrowRight"),
    ...Array(frame % 25).fill("ArrowRight"),
  );
  const two = (n: number) => String(n).padStart(2, "0");
  await expect(page.locator("#timecode")).toHaveText(
    `01:${two(Math.floor(frame / 1500))}:${two(Math.floor(frame / 25) % 60)}:${two(frame % 25)}`,
  );
}

/** Goes down the seam list to a seam. */
async function toSeam(page: Page, words: string): Promise<void> {
  for (let n = 0; n < 40; n++) {
    if ((await page.locator(".card h2").textContent()) === words) return;
    await press(page, "ArrowDown");
  }
  throw new Error(`no seam ${words}`);
}

test("a rough scene is refined by keys alone, undone and done again", async ({ page, app }) => {
  const begun = await demo(page, app),
    before = await sound(page, begun);
  const did = page.locator(".did"),
    said: string[] = [];
  let s = begun;
  const dialogue = () => track(s, "dialogue").clips,
    at = (n: string, k = 0) => dialogue().filter((c) => c.name === n)[k];
  const step = async (keys: string[], words: string | RegExp) => {
    s = await edits(page, () => press(page, ...keys));
    await expect(did).toHaveText(words);
    said.push(s.undo);
  };

  // Pell speaks over the end of Oda's long take: those words go from the dialogue, a gap stays, the picture runs on.
  const long = dialogue().find((c) => c.name === "Oda, take 2" && c.length > 400_000)!,
    from = long.start / F + 222;
  const pictured = track(s, "picture").clips.length;
  await to(page, from);
  await press(page, "r"); // a range from here ...
  await to(page, from + 28);
  await press(page, "Shift+R", "q"); // ... to here, on the first track of sound that has something there
  await expect(page.locator(".card tr", { hasText: "Tracks" })).toContainText("Dialogue");
  await step(["Delete"], /^28 frames from 01:00:47:23 removed on track Dialogue, a gap left; Picture.* stays?$/);
  expect(track(s, "picture").clips.length).toBe(pictured);
  expect(dialogue().find((c) => c.id === long.id)!.length).toBe(222 * F);

  // A pause in it is closed up, picture and all.
  const pause = long.start / F + 164;
  await to(page, pause);
  await press(page, "Escape", "r");
  await to(page, pause + 12);
  await press(page, "Shift+R");
  await step(
    ["Shift+Delete"],
    "12 frames from 01:00:45:15 removed on Picture and Dialogue, closed up; scene 12 frames shorter",
  );
  expect(track(s, "picture").clips.length).toBe(pictured + 1);

  // A cut is rolled by five frames.
  const cut = at("Pell, take 1").start;
  await press(page, "Home");
  await toSeam(page, "Oda, take 1 → Pell, take 1");
  await step(["Shift+."], "cut from Oda, take 1 to Pell, take 1 rolled 5 frames later");
  expect(at("Pell, take 1").start).toBe(cut + 5 * F);

  // A clip is slipped.
  const was = at("Pell, take 1");
  await to(page, at("Pell, take 1").start / F + 10);
  await press(page, "Escape", "p");
  await expect(page.locator(".card h2")).toHaveText("Pell, take 1");
  await step(["Alt+,"], "Pell, take 1 slipped, shows its recording from 1 frame earlier");
  expect(at("Pell, take 1")).toMatchObject({ in: was.in - F, start: was.start, length: was.length });
  expect(track(s, "picture").clips.find((c) => c.link === was.link)!.in).toBe((was.in - F) / F);

  // One line leads by eight frames, one trails by five; the picture's cuts stay.
  const pictures = track(s, "picture").clips;
  await toSeam(page, "Pell, take 1 → Oda, take 1");
  for (const [k, n] of [
    ["Shift+[", 5],
    ["[", 6],
    ["[", 7],
    ["[", 8],
  ] as const)
    await step([k], `sound leads by ${n} frames from Pell, take 1 to Oda, take 1`);
  await expect(page.locator("#seams [aria-selected=true]")).toContainText("sound leads 8 f");
  await expect(page.locator(".bench-head p")).toContainText("sound leads 8 f");
  await expect(page.getByLabel("Sound leads", { exact: true })).toHaveValue("8 f");
  await press(page, "ArrowUp");
  await toSeam(page, "Oda, take 1 → Pell, take 1");
  await step(["Shift+]"], "sound trails by 5 frames from Oda, take 1 to Pell, take 1");
  expect(track(s, "picture").clips).toEqual(pictures);
  const end = s,
    after = await sound(page, end);
  expect(after).not.toBe(before);

  // All undone: the scene and its sound are what they were, to the bit; all done again: what they became.
  for (let n = said.length; n > 0; n--) {
    expect(s.undo).toBe(said[n - 1]);
    s = await edits(page, () => press(page, "Control+z"));
    await expect(did).toHaveText(`undone: ${said[n - 1]}`);
  }
  expect(s.tracks).toEqual(begun.tracks);
  expect(await sound(page, s)).toBe(before);
  for (const words of said) {
    s = await edits(page, () => press(page, "Control+Shift+z"));
    await expect(did).toHaveText(`done again: ${words}`);
  }
  expect(s.tracks).toEqual(end.tracks);
  expect(await sound(page, s)).toBe(after);
});

test("a cut by a lead is straight again by one key, and all cuts of the scene lead at once", async ({ page, app }) => {
  let s = await demo(page, app);
  const begun = s;
  await toSeam(page, "Oda, take 1 → Pell, take 1");
  s = await edits(page, () => press(page, "Shift+["));
  s = await edits(page, () => press(page, "s"));
  await expect(page.locator(".did")).toHaveText("a straight cut from Oda, take 1 to Pell, take 1");
  expect(s.tracks).toEqual(begun.tracks);
  await expect(page.getByLabel("Sound leads", { exact: true })).toHaveValue("0 f");
  s = await edits(page, async () => {
    await page.getByLabel("Sound leads", { exact: true }).fill("-3");
    await press(page, "Enter");
  });
  await expect(page.locator(".did")).toContainText("sound trails by 3 frames");
  await page.locator("#timeline").focus();
  await press(page, "Shift+S");
  await page.getByLabel("Frames by which the sound leads").fill("6");
  s = await edits(page, () => press(page, "Enter"));
  await expect(page.locator(".did")).toContainText(/^\d+ cuts: sound leads by 6 frames/);
  const pictures = track(s, "picture").clips,
    d = track(s, "dialogue").clips;
  const led = d.filter(
    (c, i) =>
      i > 0 &&
      d[i - 1].start + d[i - 1].length === c.start &&
      c.link &&
      pictures.find((p) => p.link === c.link)!.start * F - c.start === 6 * F,
  ).length;
  expect(led).toBeGreaterThan(8);

  // Too far is refused with figures, and with what would work.
  await toSeam(page, "Oda, take 1 → Pell, take 1");
  await press(page, "Alt+s");
  await page.getByLabel("Frames by which the sound leads").fill("900");
  await press(page, "Enter");
  await expect(page.getByRole("alert")).toContainText(
    /has \d+ frames .*, and .* (is|are) needed|nothing would be left/,
  );
  await expect(page.getByRole("alert").getByRole("button", { name: "A straight cut" })).toBeVisible();
  s = await edits(page, () =>
    page
      .getByRole("alert")
      .getByRole("button", { name: /Sound leads by/ })
      .click(),
  );
  await expect(page.locator(".did")).toContainText("sound leads by");
});

test("unlinked sound that has moved wears its offset and is brought back", async ({ page, app }) => {
  let s = await demo(page, app);
  const begun = s;
  const tail = track(s, "dialogue").clips.at(-1)!;
  await to(page, tail.start / F + 20);
  await press(page, "p");
  await expect(page.locator(".card h2")).toHaveText("Pell, take 2");
  s = await edits(page, () => press(page, "y"));
  s = await edits(page, async () => {
    await page.getByLabel("Begins", { exact: true }).fill("01:01:18:00");
    await press(page, "Enter");
  });
  const off = (track(s, "dialogue").clips.at(-1)!.start - tail.start) / F;
  expect(off).toBeGreaterThan(0);
  await expect(page.locator(".card tr", { hasText: "Out of sync" })).toContainText(`${off} f late`);
  await page.locator("#timeline").focus();
  s = await edits(page, () => press(page, "Shift+Y"));
  await expect(page.locator(".did")).toContainText(`Pell, take 2 moved back into sync, ${off} frames earlier`);
  expect(track(s, "dialogue").clips.at(-1)!.start).toBe(tail.start);
  s = await edits(page, () => press(page, "Control+z"));
  s = await edits(page, () => press(page, "Alt+y"));
  expect(track(s, "dialogue").clips.at(-1)!).toMatchObject({ start: tail.start + off * F, in: tail.in + off * F });
  await expect(page.locator(".card tr", { hasText: "Out of sync" })).toHaveCount(0);
  expect(begun.revision).toBe(0);
});

test("ranges are copied and pasted, clips swapped, duplicated and muted, tracks and markers made, by keys", async ({
  page,
  app,
}) => {
  let s = await demo(page, app);
  const did = page.locator(".did"),
    dialogue = () => track(s, "dialogue").clips;
  const a = dialogue()[1],
    b = dialogue()[2];
  await to(page, a.start / F + 5);
  await press(page, "p", "Alt+r", "Control+c");
  await expect(did).toHaveText("1 clip copied");
  await press(page, "End");
  const length = s.tracks.flatMap((t) => t.clips).length;
  s = await edits(page, () => press(page, "Control+v"));
  await expect(did).toContainText("1 clip pasted at 01:01:");
  expect(s.tracks.flatMap((t) => t.clips).length).toBe(length + 1);
  s = await edits(page, () => press(page, "Control+z"));

  await to(page, a.start / F + 5);
  await press(page, "Escape", "p");
  s = await edits(page, () => press(page, "w"));
  await expect(did).toHaveText("Oda, take 1 and Pell, take 1 swapped");
  expect([dialogue()[1].id, dialogue()[2].id]).toEqual([b.id, a.id]);
  s = await edits(page, () => press(page, "Control+z"));
  s = await edits(page, () => press(page, "Control+d"));
  await expect(did).toContainText("Oda, take 1 duplicated");
  expect(dialogue()[2]).toMatchObject({ name: "Oda, take 1", in: a.in, length: a.length, start: a.start + a.length });
  s = await edits(page, () => press(page, "Control+z"));
  s = await edits(page, () => press(page, "Alt+m"));
  await expect(did).toHaveText("Oda, take 1 muted");

  // A track, renamed, moved, locked; nothing can be done on it until it is unlocked.
  await press(page, "Alt+t");
  await page.getByRole("dialog").getByRole("textbox", { name: "Name", exact: true }).fill("Bell");
  await page.getByLabel("Purpose").selectOption("effects");
  s = await edits(page, () => press(page, "Enter"));
  expect(s.tracks.at(-1)).toMatchObject({ name: "Bell", purpose: "effects" });
  await page.getByRole("button", { name: "Track Bell" }).focus();
  await press(page, "Enter");
  await expect(page.locator(".card h2")).toHaveText("Bell");
  s = await edits(page, () => press(page, "Control+ArrowUp"));
  await expect(did).toHaveText("track Bell moved up");
  s = await edits(page, () => page.getByLabel("Colour").selectOption("walnut"));
  await expect(did).toHaveText("track Bell has the colour brown");
  s = await edits(page, async () => {
    await page.getByLabel("Name", { exact: true }).first().fill("Far bell");
    await press(page, "Enter");
  });
  await expect(did).toHaveText("track Bell renamed Far bell");
  const heads = page.locator("#heads .head");
  const before = await heads.count();
  await page.locator("#timeline").focus();
  await press(page, "Shift+H");
  await expect(heads).toHaveCount(before - 1);
  await press(page, "Control+Shift+H");
  await expect(heads).toHaveCount(before);
  await press(page, "Shift+F");
  await expect(heads.filter({ hasText: "Far bell" })).toHaveClass(/folded/);
  await press(page, "Escape");
  await to(page, a.start / F + 5);
  await press(page, "p");
  s = await edits(page, () => press(page, "Shift+L"));
  await press(page, "d");
  await expect(page.getByRole("alert")).toContainText("Track Dialogue is locked.");
  s = await edits(page, () => page.getByRole("alert").getByRole("button", { name: "Unlock track Dialogue" }).click());

  // Markers and gaps are gone to; an edge is moved by a figure in samples.
  await press(page, "Home", "PageDown");
  await expect(page.locator(".card h2")).toHaveText("rain begins");
  await press(page, "Home", "Alt+PageDown");
  await expect(page.locator(".card .over, .card p").first()).toContainText("Gap");
  await press(page, "Escape");
  await to(page, a.start / F + 5);
  await press(page, "p", "y");
  s = await stateOf(page);
  await expect.poll(async () => track(await stateOf(page), "dialogue").clips[1].link ?? "").toBe("");
  await press(page, "e", "e", "Alt+e");
  await page.getByLabel("By how much; less than 0 is earlier").fill("-7 samples");
  s = await edits(page, () => press(page, "Enter"));
  expect(dialogue()[1].length).toBe(a.length - 7);
});
