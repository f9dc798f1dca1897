// Where words could lie over music: stepped through by a key, each named and in hand as a range.
import { execFileSync } from "node:child_process";
import { join } from "node:path";
import { bringAndLayOut, expect, newScene, stateOf, test } from "./app.ts";

test("quiet places of music are stepped through, and an empty scene says what to take in hand", async ({
  page,
  app,
}, info) => {
  await newScene(page, app, "Tune");
  const step = () => page.keyboard.press("Control+Shift+w");
  await step();
  await expect(page.locator(".toast")).toContainText("No clip of music or effects is in hand");
  const file = join(info.outputDir, "tune.wav"),
    sound = "(0.2*sin(440*2*PI*t)+0.1*sin(660*2*PI*t))*if(between(t\\,4\\,7)+between(t\\,12\\,14.5)\\,0.2\\,1)";
  execFileSync("mkdir", ["-p", info.outputDir]);
  execFileSync("ffmpeg", ["-v", "error", "-f", "lavfi", "-i", `aevalsrc=${sound}:s=48000:d=20`, "-y", file]);
  await bringAndLayOut(page, [file]);
  const s = await stateOf(page),
    clip = s.tracks.flatMap((t) => t.clips)[0];
  const on = s.tracks.find((t) => t.clips.length)!;
  if (on.purpose !== "music")
    await page.request.post(page.url() + "edits", {
      data: { revision: s.revision, edit: { edit: "set_track", track: on.id, purpose: "music" } },
    });
  await expect.poll(async () => (await stateOf(page)).tracks.find((t) => t.id === on.id)!.purpose).toBe("music");
  expect(clip.start).toBe(0);
  await page.reload();
  await expect(page.locator("#timeline")).toBeVisible();
  const card = page.locator(".card h2").first();
  await step();
  await expect(page.locator(".did")).toContainText(
    /Words could lie here, 1 of 2: 1[34]\.\d dB softer than the rest of tune for 2\.\d s/,
  );
  await expect(card).toContainText("01:00:04:");
  await step();
  await expect(page.locator(".did")).toContainText(/2 of 2/);
  await expect(card).toContainText("01:00:12:");
  await step();
  await expect(page.locator(".did")).toContainText(/1 of 2/);
});
