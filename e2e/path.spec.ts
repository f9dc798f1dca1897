// The whole path, through the real interface: two voices are brought in, laid out, blended, heard, handed over,
// measured; the program is killed and started again, and everything is there.
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { bringAndLayOut, choose, edits, expect, kept, newScene, seams, stateOf, test, track } from "./app.ts";
import { ebur128, samples } from "./ffmpeg.ts";

// Recorded voices of Debian's alsa-utils, 48 kHz mono.
const VOICES = ["/usr/share/sounds/alsa/Front_Left.wav", "/usr/share/sounds/alsa/Rear_Right.wav"];

/** The first channel of a file. */
const decode = (file: string) => samples(file, "-af", "pan=mono|c0=c0");

const rms = (v: Float32Array) => Math.sqrt(v.reduce((s, x) => s + x * x, 0) / v.length);

test("from two recordings to a measured mixdown, and back after a kill", async ({ page, app }, info) => {
  await newScene(page, app, "Two voices");
  await bringAndLayOut(page, VOICES);
  await expect(page.locator("h1")).toHaveText("Two voices");

  const [left, right] = VOICES.map(decode);
  let s = await stateOf(page);
  const [a, b] = track(s, "dialogue").clips;
  expect(a.length).toBe(left.length);
  expect(b.start).toBe(left.length);

  // Three seams: the head, the cut, the tail. The cut, in the middle, is blended; there is no handle, so the page is
  // told.
  await expect(seams(page)).toHaveCount(3);
  await seams(page).nth(1).click();
  await expect(page.locator(".card h2")).toHaveText("Front_Left → Rear_Right");
  await page.keyboard.press("b");
  await expect(page.getByRole("alert")).toContainText("0 frames of handle");
  const together = page.getByRole("alert").getByRole("button", { name: /Pull the clips together/ });
  s = await edits(page, () => together.click());
  const t = track(s, "dialogue");
  expect(t.blends).toHaveLength(1);
  expect(t.blends![0].law).toBe("constant_power");
  const cut = t.clips[1].start,
    { before, after } = t.blends![0];
  expect(before + after).toBe(4 * 1920);

  // What the page receives when it auditions is the formula, sample by sample: not silence, not the plain cut.
  const heard = page.waitForResponse((r) => /\/pcm\?.*what=scene$/.test(r.url()));
  await page.keyboard.press("2");
  const response = await heard,
    from = Number(new URL(response.url()).searchParams.get("from"));
  const body = await response.body(),
    channels = Number(response.headers()["blendseam-channels"]);
  expect(channels).toBe(2);
  const got = new Float32Array(body.buffer.slice(body.byteOffset, body.byteOffset + body.length));
  expect(rms(got)).toBeGreaterThan(0.001);
  const expected = (n: number) => {
    let v = 0;
    const x = (n - (cut - before) + 0.5) / (before + after);
    if (n < cut + after)
      v += (left[n - t.clips[0].start + t.clips[0].in] ?? 0) * (n < cut - before ? 1 : Math.cos((Math.PI / 2) * x));
    if (n >= cut - before)
      v += (right[n - cut + t.clips[1].in] ?? 0) * (n >= cut + after ? 1 : Math.sin((Math.PI / 2) * x));
    return v;
  };
  const off = (v: Float32Array, step: number, at: number) => {
    let most = 0;
    for (let i = 0; i < v.length / step; i++) most = Math.max(most, Math.abs(v[step * i] - expected(at + i)));
    return most;
  };
  expect(off(got, 2, from)).toBeLessThan(1e-6);
  await expect(page.locator("#play")).toContainText("Play"); // it ends by itself

  // The four auditions ask for four different sounds.
  const sounds = new Set<string>();
  for (const [key, what] of [
    ["1", "plain"],
    ["2", "scene"],
    ["3", t.clips[0].id],
    ["4", t.clips[1].id],
  ]) {
    const wait = page.waitForResponse((r) => r.url().includes(`from=${from}&`) && r.url().endsWith(`what=${what}`));
    await page.keyboard.press(key);
    sounds.add((await wait).headers()["content-length"] + what);
    await expect(page.locator("#play")).toContainText("Stop");
    await page.keyboard.press(" ");
  }
  expect(sounds.size).toBe(4);

  // Handing over.
  await page.getByRole("navigation").getByRole("link", { name: "Hand over" }).click();
  await page.getByRole("combobox", { name: "Bits" }).selectOption("32f");
  await page.getByRole("button", { name: "Make it" }).click();
  const made = page.getByRole("region", { name: "Made so far" }).locator(".made > li").first();
  await expect(made.locator("a")).toHaveText("Two voices.wav");
  const download = page.waitForEvent("download");
  await made.locator("a").click();
  const file = join(info.outputDir, "two.wav");
  await (await download).saveAs(file);
  const mix = decode(file);
  const length = t.clips[1].start + t.clips[1].length;
  expect(mix.length).toBe(length);
  expect(off(mix, 1, 0)).toBeLessThan(1e-6);

  // The loudness that the page shows is ffmpeg's, to a tenth.
  const { lufs } = ebur128(file);
  const shown = Number(/(-?[\d.]+) LUFS/.exec((await made.locator("p.mono").textContent())!)![1]);
  expect(Math.abs(shown - lufs)).toBeLessThanOrEqual(0.11);

  // FLAC and MP3 too.
  for (const kind of ["FLAC", "MP3"]) {
    await page.getByRole("combobox", { name: "Kind" }).selectOption(kind.toLowerCase());
    await page.getByRole("button", { name: "Make it" }).click();
    await expect(
      page.getByRole("region", { name: "Made so far" }).locator(".made > li").first().locator("a"),
    ).toHaveText(`Two voices.${kind.toLowerCase()}`);
  }

  // The browser goes, the program is killed; started again, it has everything, and undo still works.
  const url = new URL(page.url()).pathname.replace("hand-over", "");
  await page.goto("about:blank");
  await app.stop("SIGKILL");
  await app.start();
  await page.goto(app.base + url);
  const again = await stateOf(page);
  expect(again).toEqual(s);
  await kept(page, s.revision);
  await expect(page.locator(".card .undo")).toBeVisible();
  const undone = await edits(page, () => page.keyboard.press("Control+z"));
  expect(track(undone, "dialogue").blends ?? []).toHaveLength(0);
  const redone = await edits(page, () => page.keyboard.press("Control+Shift+z"));
  expect(redone.tracks).toEqual(s.tracks);
  await page.getByRole("navigation").getByRole("link", { name: "Hand over" }).click();
  await expect(page.getByRole("region", { name: "Made so far" }).locator(".made > li")).toHaveCount(3);
  expect(readFileSync(file).length).toBeGreaterThan(100_000);
});

test("files that cannot be used are refused in one line, and nothing of them stays", async ({ page, app }) => {
  await newScene(page, app, "Refusals");
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  const wav = readFileSync(VOICES[0]);
  await choose(page, [
    { name: "empty.wav", mimeType: "audio/wav", buffer: Buffer.alloc(0) },
    { name: "cut short.wav", mimeType: "audio/wav", buffer: wav.subarray(0, 5000) },
    { name: "notes.txt", mimeType: "text/plain", buffer: Buffer.from("not a recording at all, only words") },
  ]);
  const line = (name: string) => page.locator(".arrivals li", { hasText: name });
  await expect(line("empty.wav")).toContainText("is empty");
  await expect(line("cut short.wav")).toContainText("truncated");
  await expect(line("notes.txt")).toContainText("not a recording");
  await expect(page.locator("table.sources tr", { hasText: "notes" })).toHaveCount(0);
  expect((await stateOf(page)).revision).toBe(0);
  const incoming = join(app.dir, "media/incoming"),
    own = readdirSync(incoming).filter((d) => d !== "lock");
  expect(own.flatMap((d) => readdirSync(join(incoming, d)))).toEqual(["owner"]); // of the one program that runs
});

test("the same file brought in twice is one source", async ({ page, app }) => {
  await newScene(page, app, "Twice");
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  const before = await page.locator("table.sources tbody tr").count();
  const file = {
    name: "noise of mine.wav",
    mimeType: "audio/wav",
    buffer: readFileSync("/usr/share/sounds/alsa/Noise.wav"),
  };
  await choose(page, [file, { ...file, name: "the same again.wav" }]);
  await expect(page.locator(".arrivals li", { hasText: "the same again" })).toContainText("here");
  await expect(page.locator("table.sources tbody tr")).toHaveCount(before + 1);
});
