// The bench: the list is walked by keys; what mends a seam is heard and done; the figures and the samples say that it
// is better.
import type { Page } from "@playwright/test";
import { demo, edits, expect, kept, point, type SceneState, seams, stateOf, test, track } from "./app.ts";

interface Measured {
  id: string;
  kind: string;
  track_name: string;
  at: number;
  from: number;
  to: number;
  left: string;
  right: string;
  verdict: string;
  cause: string;
  why: string;
  accepted?: string;
  measures: Record<string, number | null>;
}

interface Curve {
  shape: string;
  bend?: number;
}

/** All seams as the server has measured them. */
async function measured(page: Page): Promise<Measured[]> {
  const base = page.url().replace(/(\/scenes\/[^/]+)\/.*$/, "$1");
  let got: { pending: number; set?: Measured[]; order?: string[] } = { pending: 1 };
  await expect.poll(async () => (got = await (await page.request.get(`${base}/seams`)).json()).pending).toBe(0);
  const by = new Map(got.set!.map((s) => [s.id, s]));
  return got.order!.map((id) => by.get(id)!);
}

/** Samples of the scene, or of a part of it, first channel. */
async function samples(page: Page, from: number, n: number, what = "scene"): Promise<Float32Array> {
  const r = await page.request.get(
    `${page.url().replace(/(\/scenes\/[^/]+)\/.*$/, "$1")}/pcm?from=${from}&n=${n}&what=${what}`,
  );
  const body = await r.body(),
    all = new Float32Array(body.buffer, body.byteOffset, body.byteLength / 4),
    channels = Number(r.headers()["blendseam-channels"]);
  return all.filter((_, i) => i % channels === 0);
}

/** The steepest third difference around a moment, against that of 10 ms to each side, in dB. */
function click(v: Float32Array, at: number): number {
  const steep = (a: number, z: number) => {
    let most = 1e-9;
    for (let i = Math.max(3, a); i < z; i++)
      most = Math.max(most, Math.abs(v[i] - 3 * v[i - 1] + 3 * v[i - 2] - v[i - 3]));
    return most;
  };
  return 20 * Math.log10(steep(at - 24, at + 24) / Math.max(steep(at - 528, at - 48), steep(at + 48, at + 528)));
}

const length = (s: SceneState) =>
  Math.max(...s.tracks.filter((t) => t.kind === "sound").flatMap((t) => t.clips.map((c) => c.start + c.length)));
const hearing = (page: Page) => page.locator(".hearing");

test("the list is walked by keys: next seam, audition, mend, next", async ({ page, app }) => {
  const begun = await demo(page, app),
    before = await measured(page);
  const wanted: Record<string, string> = {
    "Oda, take 1 → Pell, take 1": "background_step",
    "Pell, take 1 → Oda, take 1": "click",
    "Pell, take 2 ends": "abrupt_end",
    "evening tune ends": "abrupt_end",
  };
  /** The seam in hand: what its row in the list says, and what the card says of it. */
  const inHand = () =>
    page.evaluate(() => {
      const row = document.querySelector("#seams")!.getAttribute("aria-activedescendant") ?? "";
      return {
        id: row.replace(/^seam-/, ""),
        row: document.getElementById(row)?.textContent ?? "",
        title: document.querySelector(".card h2")?.textContent ?? "-",
      };
    });
  let mended = 0,
    id = "",
    title = "";
  for (let n = 0; n < before.length; n++) {
    await page.keyboard.press("ArrowDown");
    // the next one, in the list and on the card: several end at the same moment for the same cause
    await expect
      .poll(async () => {
        const now = await inHand();
        title = now.title;
        return now.id !== id && now.row.includes(title) && now.id;
      })
      .toBeTruthy();
    id = (await inHand()).id;
    if (!(title in wanted)) continue;
    const was = (await measured(page)).find((s) => s.id === id);
    if (!was || was.cause !== wanted[title]) continue;
    const cause = wanted[title];
    delete wanted[title];
    await expect(page.locator(".note h3").first()).toHaveText("What would mend it");
    const from = was.at - 4800,
      plain = await samples(page, from, 9600);
    if (cause === "click") expect(click(plain, 4800)).toBeGreaterThan(12);
    await page.keyboard.press("Enter");
    await expect(hearing(page)).toHaveText("You hear it blended");
    await page.keyboard.press("Enter");
    await expect(hearing(page)).toHaveText("");
    await edits(page, () => page.keyboard.press("m"));
    mended++;
    const now = (await measured(page)).find((s) => s.left === was.left && s.right === was.right)!;
    // of a peak the tune is guilty, and two rooms stay two whatever is done at the seam
    expect(["peak", "two_rooms"].includes(now.cause) ? "clean" : now.verdict, `${title}: ${now.why}`).toBe("clean");
    const after = await samples(page, from, 9600);
    expect(
      after.some((v, i) => v !== plain[i]),
      `${title} sounds as before`,
    ).toBe(true);
    if (cause === "click") expect(click(after, 4800)).toBeLessThan(6);
    await expect(page.locator(".card .why").first()).toContainText(/Clean|Peaks|Two rooms/);
  }
  expect(Object.keys(wanted)).toEqual([]);
  expect(length(await stateOf(page))).toBe(length(begun));
  for (let i = 0; i < mended; i++) await edits(page, () => page.keyboard.press("Control+z"));
  expect((await stateOf(page)).tracks).toEqual(begun.tracks);
});

test("while it plays, plain and blended change places at the same moment", async ({ page, app }) => {
  await demo(page, app);
  const cut = (await measured(page)).find((s) => s.cause === "click" && s.kind === "cut")!;
  await page.locator(`[data-seam="${cut.id}"]`).click();
  await edits(page, () => page.keyboard.press("b"));
  await page.getByRole("button", { name: "Loop" }).click();
  const asked: string[] = [];
  page.on("request", (r) => r.url().includes("/pcm") && asked.push(new URL(r.url()).search));
  await page.keyboard.press("1");
  await expect(hearing(page)).toHaveText("You hear the plain cut, in a loop");
  const at = async () => (await page.locator("#timecode").textContent())!;
  const t0 = await at();
  await page.keyboard.press("2");
  await expect(hearing(page)).toHaveText("You hear it blended, in a loop");
  await page.keyboard.press("5");
  await expect(hearing(page)).toHaveText("You hear the difference alone, in a loop");
  await expect.poll(at).not.toBe(t0); // it plays on, into a second round and a third
  for (let round = 1, last = await at(); round < 3; ) {
    const now = await at();
    if (now < last) round++;
    last = now;
  }
  await expect(hearing(page)).toContainText("You hear the difference alone, in a loop");
  // Five parts run side by side, and each piece of each is asked for once: neither changing over nor another round
  // fetches any.
  expect(new Set(asked.map((q) => new URLSearchParams(q).get("what"))).size).toBe(5);
  expect(asked.filter((q, i) => asked.indexOf(q) !== i)).toEqual([]);
  await page.keyboard.press("Control+Enter");
  await expect(hearing(page)).toContainText("at half speed");
  await expect.poll(() => asked.filter((q) => q.includes("slow=1")).length).toBeGreaterThan(5); // at the same pitch
  await page.keyboard.press(" ");
  // The difference is what the blend changes, to the sample.
  const [whole, plain, difference] = await Promise.all(
    ["scene", "plain", "difference"].map((w) => samples(page, cut.at - 2400, 4800, w)),
  );
  for (let i = 0; i < 4800; i += 7) expect(Math.abs(whole[i] - plain[i] - difference[i])).toBeLessThan(1e-6);
  expect(Math.max(...difference.map(Math.abs))).toBeGreaterThan(0.001);
});

test("all is mended from a list, in one edit", async ({ page, app }) => {
  const begun = await demo(page, app),
    before = await measured(page);
  await page.keyboard.press("Control+m");
  const dialog = page.getByRole("dialog", { name: "Mend all" });
  await expect(dialog.locator("tbody tr").first()).toBeVisible({ timeout: 90_000 });
  const ticks = dialog.locator("tbody input:checked"),
    n = await ticks.count();
  expect(n).toBeGreaterThan(12);
  await ticks.first().uncheck(); // the first is left as it is
  await dialog.getByRole("button", { name: `Do these ${n - 1}` }).click();
  await kept(page, 1);
  await expect(page.locator(".did")).toHaveText(`${n - 1} seams mended`);
  const now = await stateOf(page),
    after = await measured(page);
  expect(length(now)).toBe(length(begun));
  const count = (list: Measured[], v: string) => list.filter((s) => s.verdict === v).length;
  expect(count(after, "rough")).toBeLessThan(count(before, "rough") / 3);
  const rank = { clean: 0, audible: 1, rough: 2 } as Record<string, number>,
    was = new Map(before.map((s) => [s.id, s]));
  for (const s of after)
    if (was.has(s.id))
      expect(rank[s.verdict], `${s.track_name} ${s.id}: ${s.why}`).toBeLessThanOrEqual(rank[was.get(s.id)!.verdict]);
  // What a blend or a fade can cure is cured: the click, the dead silence, the ends that stop dead, the word that was
  // cut into.
  for (const cause of ["click", "dead_silence", "abrupt_end", "word_cut"])
    expect(
      after.filter((s) => s.cause === cause),
      cause,
    ).toEqual([]);
  const s = await edits(page, () => page.keyboard.press("Control+z"));
  expect(s.tracks).toEqual(begun.tracks);
});

test("blends by name go onto every cut from a list, and off again", async ({ page, app }) => {
  const begun = await demo(page, app);
  await page.goto(`${app.base}/settings`);
  const row = page.locator(".blend-table tbody tr").first();
  await expect(row.getByLabel("Name")).toHaveValue("Speech");
  await row.getByLabel("Length").fill("6 frames");
  await row.getByLabel("Length").press("Enter");
  await row.getByLabel("Lean, from -1").fill("-1");
  await row.getByLabel("Lean, from -1").press("Enter");
  await page.getByRole("button", { name: "Another blend" }).click();
  const other = page
    .locator(".blend-table tbody tr", { has: page.locator("input[aria-label=Name]") })
    .filter({ has: page.locator('button[aria-label="Forget Blend 1"]') });
  await other.getByLabel("Shape of the outgoing side").selectOption("raised_cosine");
  await expect(page.getByRole("button", { name: "Forget Speech" })).toBeVisible();
  await page.getByRole("button", { name: "Forget Speech" }).click();
  await expect(page.getByRole("alert")).toContainText("make another one the default first");
  await page.goBack();
  await expect(page.locator(".list-head")).toContainText("rough");
  await page.keyboard.press("Shift+B");
  const dialog = page.getByRole("dialog", { name: "Blend all cuts" }),
    rows = dialog.locator("tbody tr");
  const cuts = track(begun, "dialogue").clips.filter(
    (c, i, all) => i > 0 && all[i - 1].start + all[i - 1].length === c.start,
  ).length;
  await expect(rows).toHaveCount(cuts);
  await expect(dialog).toContainText("6 frames");
  await dialog.getByRole("button", { name: /Do these/ }).click();
  await kept(page, 1);
  let blends = track(await stateOf(page), "dialogue").blends!;
  expect(blends.length).toBe(cuts);
  expect(blends.filter((b) => b.before === 11520 && b.after === 0).length).toBeGreaterThan(cuts / 2);
  await page.keyboard.press("Shift+B");
  await page.locator("#list-which").selectOption("off");
  await expect(page.getByRole("dialog", { name: "Take blends off" }).locator("tbody tr")).toHaveCount(cuts);
  await page.getByRole("button", { name: /Do these/ }).click();
  await kept(page, 2);
  blends = track(await stateOf(page), "dialogue").blends ?? [];
  expect(blends).toEqual([]);
  // Other tests have the same program: the default is as it began again.
  const back = await page.request.post(`${app.base}/blends`, {
    data: { was: "Speech", blend: { name: "Speech", law: "constant_power", frames: 4, lean: 0, default: true } },
    headers: { Origin: app.base },
  });
  expect(((await back.json()) as { name: string; frames?: number }[])[0]).toMatchObject({ name: "Speech", frames: 4 });
});

test("shapes, pulling together, places and accepting", async ({ page, app }) => {
  const begun = await demo(page, app),
    list = await measured(page);
  const cut = list.find(
    (s) => s.kind === "cut" && s.cause === "background_step" && s.measures.handle_before! > 20_000,
  )!;
  await page.locator(`[data-seam="${cut.id}"]`).click();
  let s = await edits(page, () => page.keyboard.press("b"));
  const blend = () => track(s, "dialogue").blends![0] as { curve_out?: Curve; curve_in?: Curve };
  const shapes = () => [blend().curve_out, blend().curve_in].map((c) => c && `${c.shape} ${c.bend ?? 0}`);
  // Linked, a shape is taken for both sides; unlinked for one.
  s = await edits(page, () => page.locator("#curve-out").selectOption("raised_cosine"));
  expect(shapes()).toEqual(["raised_cosine 0", "raised_cosine 0"]);
  await page.getByRole("button", { name: "Linked", exact: true }).click();
  s = await edits(page, () => page.locator("#curve-in").selectOption("exponential"));
  s = await edits(page, async () => {
    await page.locator("#bend-in").fill("0.5");
    await page.locator("#bend-in").press("Enter");
  });
  expect(shapes()).toEqual(["raised_cosine 0", "exponential 0.5"]);
  s = await edits(page, () => page.getByRole("button", { name: "Take the blend off" }).click());

  // Pulled together the scene gets shorter by the blend, and says so.
  await page.getByRole("button", { name: "Keep length" }).click();
  s = await edits(page, () => page.getByRole("button", { name: "Constant gain" }).click());
  await expect(page.locator(".did")).toContainText(
    /pulled together and blended over (\d+) frames, Constant gain; scene \1 frames shorter/,
  );
  expect(length(s)).toBe(length(begun) - Number(/scene (\d+)/.exec(s.undo)![1]) * 1920);
  await page.getByRole("button", { name: "Pull together" }).click();
  s = await edits(page, () => page.keyboard.press("Control+z"));
  expect(length(s)).toBe(length(begun));

  // Places for the cut are searched for, stepped through, and one is taken: the sound's cut moves there, the picture's
  // stays.
  await page.keyboard.press("k");
  await expect(page.locator(".picks button").first()).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("k");
  await expect(page.locator(".picks button").nth(1)).toHaveAttribute("aria-pressed", "true");
  const pictures = track(s, "picture").clips;
  s = await edits(page, () => page.keyboard.press("Alt+k"));
  expect(track(s, "picture").clips).toEqual(pictures);
  expect(s.undo).toMatch(/sound's cut from .* placed/);
  await expect(hearing(page)).toHaveText("You hear it blended");

  // A rough seam is accepted with a note, and not any more once its sound changes.
  const rough = (await measured(page)).find((x) => x.verdict === "rough" && x.kind === "cut")!;
  await page.locator(`[data-seam="${rough.id}"]`).click();
  await page.keyboard.press("a");
  await page.getByLabel("Note").fill("a change of place");
  await edits(page, () => page.getByRole("button", { name: "Accept it" }).click());
  await expect(page.locator(`[data-seam="${rough.id}"] .why`)).toContainText("accepted");
  expect((await measured(page)).find((x) => x.id === rough.id)!.accepted).toBe("a change of place");
  // The blend that is there is not replaced unasked.
  await page.keyboard.press("b");
  await edits(page, () => page.getByRole("button", { name: "Replace it" }).click());
  expect((await measured(page)).find((x) => x.id === rough.id)!.accepted).toBeUndefined();
});

test("two clips of two tracks are one over into the other, shaped like a blend", async ({ page, app }) => {
  // The narrator goes on over Oda's first line: taken in hand together, one fades out while the other fades in.
  let s = await demo(page, app);
  const narrator = s.tracks.find((t) => t.name === "Narrator")!.clips[0],
    oda = track(s, "dialogue").clips[1];
  const a = await row(page, s, "Narrator", narrator.start + narrator.length / 3),
    b = await row(page, s, "Dialogue", oda.start + oda.length * 0.8);
  await page.mouse.click(a.x, a.y);
  await page.keyboard.down("Shift");
  await page.mouse.click(b.x, b.y);
  await page.keyboard.up("Shift");
  await expect(page.locator(".card h2").first()).toHaveText("2 clips in hand");
  // With one of them in hand the other is found, or asked for where there are several.
  await page.mouse.click(a.x, a.y);
  await page.keyboard.press("Alt+b");
  const which = page.getByRole("dialog", { name: "Which clip does narrator go over into?" });
  await which.getByRole("combobox").selectOption({ label: "Oda, take 1 on Dialogue" });
  await which.getByRole("button", { name: "This one" }).click();
  await expect(page.getByRole("dialog", { name: "One clip over into the other" })).toBeVisible();
  await page.keyboard.press("Escape");
  await page.keyboard.down("Shift");
  await page.mouse.click(b.x, b.y);
  await page.keyboard.up("Shift");
  // What would go is said first: in the middle of what both have, or over all of it, where nothing goes.
  const overlap = narrator.start + narrator.length - oda.start;
  await page.keyboard.press("Alt+b");
  const asked = page.getByRole("dialog", { name: "One clip over into the other" });
  await expect(asked.getByRole("option")).toHaveCount(2);
  const ways = await asked.getByRole("option").allTextContents();
  expect(ways[0]).toMatch(
    /^narrator over into Oda, take 1 within 4 frames: [\d.]+ s of the tail of narrator and [\d.]+ s of/,
  );
  expect(ways[1]).toContain("nothing goes");
  await page.keyboard.press("Escape");
  expect((await stateOf(page)).revision).toBe(s.revision);
  await page.keyboard.press("Alt+b");
  await asked.getByRole("combobox").selectOption("1");
  s = await edits(page, () => asked.getByRole("button", { name: "Go over" }).click());
  expect(s.tracks.find((t) => t.name === "Narrator")!.clips[0].fade_out!.length).toBe(overlap);
  expect(track(s, "dialogue").clips[1].fade_in!.length).toBe(overlap);
  const pair = seams(page).filter({ hasText: "narrator → Oda" });
  await expect(pair).toBeVisible({ timeout: 10_000 });
  await pair.click();
  await expect(page.locator("#curve-out")).toBeVisible();
  // Made a second long, with the bench's own field: the narrator's tail moves in.
  s = await edits(page, async () => {
    await page.getByLabel("Length", { exact: true }).fill("1 s");
    await page.getByLabel("Length", { exact: true }).press("Enter");
  });
  expect(track(s, "dialogue").clips[1].fade_in!.length).toBe(48000);
  await edits(page, () => page.getByRole("button", { name: "Take the blend off" }).click());
});

/** Where on the screen a moment of a track, by its name, is. */
async function row(page: Page, s: SceneState, name: string, sample: number): Promise<{ x: number; y: number }> {
  const t = s.tracks.find((x) => x.name === name)!,
    same = s.tracks.filter((x) => x.purpose === t.purpose),
    at = await point(page, s, t.purpose, sample, 0.6);
  return { x: at.x, y: at.y + same.indexOf(t) * 54 };
}

test("the report has every seam with its wave, and goes out as CSV", async ({ page, app }) => {
  await demo(page, app);
  const n = (await measured(page)).length;
  await page.getByRole("navigation").getByRole("link", { name: "Report" }).click();
  await expect(page.locator("h1")).toHaveText("Seam report of Kiln Night");
  await expect(page.locator(".report-seam")).toHaveCount(n);
  await expect(page.locator(".report-seam svg.wave")).toHaveCount(n);
  const csv = await (await page.request.get(page.url() + ".csv")).text();
  expect(csv.trim().split("\n")).toHaveLength(n + 1);
  expect(csv.split("\n")[0]).toMatch(
    /^at_tc,at_s,track,kind,left,right,verdict,cause,why,accepted,click_db,.*background_step_db_after/,
  );
});
