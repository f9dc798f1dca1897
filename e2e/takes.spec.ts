// Other takes of a line: found, put under it in step, stepped through in place, and a line composed of several.
import { execFileSync } from "node:child_process";
import { join } from "node:path";
import { choose, clipOf, demo, edits, expect, home, stateOf, test } from "./app.ts";

const second = 48000;

test("another reading is found and put in step; keys step through the takes, a range takes its words from one", async ({
  page,
  app,
}) => {
  const s = await demo(page, app),
    track = s.tracks.find((t) => t.name === "Narrator")!,
    clip = track.clips[0],
    file = join(app.dir, "narrator again.wav");
  // the line said again, a second and a half later, a little slower and higher, by another microphone
  execFileSync("ffmpeg", [
    ...["-v", "error", "-y", "-i", "demo/recordings/narrator.flac"],
    ...["-af", "asetrate=48960,aresample=48000,atempo=0.95,lowpass=f=9000,volume=0.7,adelay=1500:all=1,apad=pad_dur=1"],
    file,
  ]);
  await page.goto(`${home(page)}/sources`);
  await choose(page, [file]);
  await expect(page.locator(".arrivals li", { hasText: "narrator again" })).toContainText("here");
  await page.getByRole("navigation").getByRole("link", { name: "Scene", exact: true }).click();
  const select = async () => {
    for (const k of ["Escape", "Escape", "Home"]) await page.keyboard.press(k);
    const box = (await page.locator("#timeline").boundingBox())!,
      row = (await page.locator(".head", { has: page.getByRole("button", { name: "Track Narrator" }) }).boundingBox())!,
      end = Math.max(
        ...s.tracks
          .filter((t) => t.kind === "sound")
          .map((t) => t.clips.at(-1)!)
          .map((c) => c.start + c.length),
      );
    await page.mouse.click(box.x + (0.97 * box.width * (clip.start + clip.length / 2)) / end, row.y + 12);
    await expect(page.locator(".card h2")).toHaveText(clip.name);
  };
  await select();
  await page.keyboard.press("Alt+d");
  const list = page.locator("dialog.list-dialog");
  await expect(list).toContainText("Other takes of");
  await expect(list).toContainText("said again");
  const two = await edits(page, () => list.getByRole("button", { name: /Do/ }).click());
  expect(two.tracks.find((t) => t.id === track.id)!.clips[0].takes!.others).toHaveLength(1);
  await expect(page.locator(".card")).toContainText("1 of 2");
  const again = await edits(page, () => page.keyboard.press("Alt+c")),
    now = clipOf(again, clip.id);
  expect([now.start, now.length, now.takes!.number]).toEqual([clip.start, clip.length, 2]);
  expect(again.sources[now.source].name).toBe("narrator again");
  // in step: what was said 1.5 s later, 1.02 / 0.95 as slow, begins where the first reading does
  const words = clip.in + second,
    shift = now.in - clip.in;
  expect(Math.abs(shift - 1.5 * second)).toBeLessThan(0.2 * words + 0.5 * second);
  await edits(page, () => page.keyboard.press("Alt+z"));
  expect(clipOf(await stateOf(page), clip.id)).toMatchObject({
    source: clip.source,
    in: clip.in,
    takes: { number: 1 },
  });
  // part of it from the other take: three pieces, blended where they meet; and back
  const part = `from=${clip.start + 3 * second}&to=${clip.start + 5 * second}`,
    plan = await (await page.request.get(`${home(page)}/clips/${clip.id}/take?number=2&${part}`)).json(),
    does = await page.request.post(`${home(page)}/edits`, {
      data: { page: "test", revision: plan.revision, edit: plan.edit },
    });
  expect(does.status()).toBe(200);
  const pieces = (await stateOf(page)).tracks.find((t) => t.id === track.id)!;
  expect(pieces.clips.map((c) => c.takes!.number)).toEqual([1, 2, 1]);
  expect(pieces.blends?.length ?? 0).toBeGreaterThan(0);
  const back = await (
    await page.request.get(
      `${home(page)}/clips/${clip.id}/take?number=1&from=${clip.start}&to=${clip.start + clip.length}`,
    )
  ).json();
  await page.request.post(`${home(page)}/edits`, { data: { page: "test", revision: back.revision, edit: back.edit } });
  const whole = (await stateOf(page)).tracks.find((t) => t.id === track.id)!;
  expect(whole.clips).toMatchObject([{ id: clip.id, source: clip.source, in: clip.in, length: clip.length }]);
  // of a clip between others, only the new cuts are blended
  const dialogue = s.tracks.find((t) => t.name === "Dialogue")!,
    oda = dialogue.clips.find((c) => c.name === "Oda, take 2" && c.length > 6 * second)!,
    other = dialogue.clips.find((c) => c.name === "Oda, take 1")!.source,
    does2 = async (edit: object) => {
      const { revision } = await stateOf(page);
      return page.request.post(`${home(page)}/edits`, { data: { page: "test", revision, edit } });
    };
  expect((await does2({ edit: "add_take", clip: oda.id, source: other, shift: 0 })).status()).toBe(200);
  const were = (await stateOf(page)).tracks.find((t) => t.id === dialogue.id)!.blends?.length ?? 0,
    middle = `from=${oda.start + 2 * second}&to=${oda.start + 4 * second}`,
    third = await (await page.request.get(`${home(page)}/clips/${oda.id}/take?number=2&${middle}`)).json();
  expect((await does2(third.edit)).status()).toBe(200);
  const three = (await stateOf(page)).tracks.find((t) => t.id === dialogue.id)!,
    first = three.clips.findIndex((c) => c.id === oda.id);
  expect(three.clips.slice(first, first + 3).map((c) => c.takes?.number)).toEqual([1, 2, 1]);
  const inner = (three.blends ?? []).filter((b) => [1, 2].some((k) => b.right === three.clips[first + k].id));
  expect((three.blends?.length ?? 0) - were).toBe(inner.length);
  for (const [q, message] of [
    ["number=9", "has no take 9"],
    ["number=1", "is the one that sounds"],
  ]) {
    const got = await page.request.get(`${home(page)}/clips/${clip.id}/take?${q}`);
    expect([got.status(), (await got.json()).message]).toEqual([422, expect.stringContaining(message)]);
  }
});
