// Who and what comes in: the secret that is asked for once, recordings of one name, samples that are none.
import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { App, bringAndLayOut, choose, expect, newScene, stateOf, test, track } from "./app.ts";

/** A mono WAV file of 32-bit floats at 48 kHz (RIFF, WAVE_FORMAT_IEEE_FLOAT). */
function floats(samples: Float32Array): Buffer {
  const head = Buffer.alloc(44);
  head.write("RIFF", 0);
  head.writeUInt32LE(36 + samples.byteLength, 4);
  head.write("WAVEfmt ", 8);
  head.writeUInt32LE(16, 16);
  head.writeUInt16LE(3, 20);
  head.writeUInt16LE(1, 22);
  head.writeUInt32LE(48000, 24);
  head.writeUInt32LE(192000, 28);
  head.writeUInt16LE(4, 32);
  head.writeUInt16LE(32, 34);
  head.write("data", 36);
  head.writeUInt32LE(samples.byteLength, 40);
  return Buffer.concat([head, Buffer.from(samples.buffer)]);
}

const tone = (seconds: number, hz: number) =>
  new Float32Array(48000 * seconds).map((_, i) => 0.1 * Math.sin((2 * Math.PI * hz * i) / 48000));

function put(dir: string, name: string, raw: Buffer | string): string {
  mkdirSync(dir, { recursive: true });
  writeFileSync(join(dir, name), raw);
  return join(dir, name);
}

test("samples that are none are said, and recordings of one name asked about", async ({ page, app }, info) => {
  await newScene(page, app, "Doubles");
  const scene = page.url(),
    bad = tone(2, 200);
  bad[5000] = NaN;
  bad[6000] = Infinity;
  await bringAndLayOut(page, [put(info.outputPath("a"), "double.wav", floats(bad))]);
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await expect(page.locator("table.sources")).toContainText("2 damaged samples read as silence");
  const second = put(info.outputPath("b"), "double.wav", floats(tone(2, 300)));
  await choose(page, [second]);
  await expect(page.locator("table.sources tbody tr", { hasText: "double" })).toHaveCount(2);
  await page.goto(scene);
  await expect(page.locator("#seams [data-seam]").first()).toContainText(/clean|audible|rough/);

  // A scene file of somebody else's, which has no checksums.
  const time = (n: number) => ({ OTIO_SCHEMA: "RationalTime.1", rate: 48000, value: n });
  const file = put(
    info.outputPath("c"),
    "theirs.otio",
    JSON.stringify({
      OTIO_SCHEMA: "Timeline.1",
      name: "theirs",
      tracks: {
        OTIO_SCHEMA: "Stack.1",
        children: [
          {
            OTIO_SCHEMA: "Track.1",
            kind: "Audio",
            children: [
              {
                OTIO_SCHEMA: "Clip.1",
                name: "a",
                source_range: { OTIO_SCHEMA: "TimeRange.1", start_time: time(0), duration: time(48000) },
                media_reference: { OTIO_SCHEMA: "ExternalReference.1", target_url: "double.wav" },
              },
            ],
          },
        ],
      },
    }),
  );
  await page.goto(app.base);
  await page.getByLabel("Scene file").setInputFiles(file);
  const dialog = page.getByRole("dialog", { name: "Which recording is meant?" });
  await expect(dialog).toBeVisible();
  const options = dialog.getByLabel("double.wav").locator("option");
  await expect(options).toHaveCount(2);
  await expect(options.first()).toContainText("2.00 s, 48000 Hz, mono");
  const chosen = (await options.nth(1).getAttribute("value"))!;
  await dialog.getByLabel("double.wav").selectOption(chosen);
  await dialog.getByRole("button", { name: "Bring the scene in" }).click();
  await expect(page).toHaveURL(/scenes\/[0-9a-f-]+\/$/);
  expect(track(await stateOf(page), "dialogue").clips[0].source).toBe(chosen);
});

test("a secret is asked for once, and then no more", async ({ browser }, info) => {
  const app = new App();
  try {
    await app.start("serve", "--token-file", put(info.outputPath("s"), "secret", "a secret of some length\n"));
    const context = await browser.newContext(),
      visitor = await context.newPage();
    await visitor.goto(`${app.base}/settings`);
    await expect(visitor.getByRole("heading", { name: "Blend Seam" })).toBeVisible();
    await visitor.getByLabel("Secret").fill("another one");
    await visitor.getByRole("button", { name: "Enter" }).click();
    await expect(visitor.getByRole("alert")).toHaveText(
      "That is not the secret. It is in the file that the program was started with.",
    );
    await visitor.getByLabel("Secret").fill("a secret of some length");
    await visitor.keyboard.press("Enter");
    await expect(visitor).toHaveURL(`${app.base}/settings`);
    await expect(visitor.getByRole("heading", { name: "Settings" })).toBeVisible();
    await visitor.goto(app.base); // also with events, scripts and all else that a page asks for
    await expect(visitor.getByRole("heading", { name: "Scenes" })).toBeVisible();
    await context.close();
  } finally {
    await app.stop();
    app.remove();
  }
});
