// Starts the program as a user would, and talks to it as a page would.
import { type ChildProcess, spawn } from "node:child_process";
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test as base, expect, type Locator, type Page } from "@playwright/test";

export class App {
  url = "";
  log = "";
  private process?: ChildProcess;
  readonly gone: string[] = []; // recordings whose files a test has taken away
  readonly dir: string;

  /** With what prepare.ts has made: a database that is set up, and the demo's recordings, known and analysed. */
  constructor(dir?: string) {
    this.dir = dir ?? mkdtempSync(join(tmpdir(), "blendseam-e2e-"));
    if (!dir) cpSync(process.env.BLENDSEAM_PREPARED!, this.dir, { recursive: true });
  }

  async start(what = "serve", ...more: string[]): Promise<void> {
    const child = (this.process = spawn("bin/blendseam", [what, "--listen", "127.0.0.1:0", ...more], {
      env: { ...process.env, BLENDSEAM_VAR: this.dir },
      stdio: ["ignore", "pipe", "pipe"],
    }));
    this.url = await new Promise<string>((resolve, reject) => {
      let out = "";
      child.stdout!.on("data", (d) => {
        out += d;
        const m = /http:\/\/\S+/.exec(out);
        if (m) resolve(m[0]);
      });
      child.stderr!.on("data", (d) => (this.log += d));
      child.on("exit", (code) => reject(new Error(`the program ended with ${code}: ${this.log}`)));
    });
  }

  get base(): string {
    return new URL(this.url).origin;
  }

  async stop(signal: NodeJS.Signals = "SIGTERM"): Promise<void> {
    const child = this.process;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const gone = new Promise((done) => child.on("exit", done));
    child.kill(signal);
    await gone;
  }

  remove(): void {
    rmSync(this.dir, { recursive: true, force: true });
  }
}

/** Each worker has one program of its own. */
export const test = base.extend<{ quiet: undefined }, { app: App }>({
  app: [
    // biome-ignore lint/correctness/noEmptyPattern: what is wanted of a fixture is read from its pattern
    async ({}, use) => {
      const app = new App();
      await app.start();
      await use(app);
      await app.stop();
      app.remove();
    },
    { scope: "worker" },
  ],
  // No page may complain to its console or ask for anything that is not there.
  quiet: [
    async ({ page, app }, use, info) => {
      const complaints: string[] = [];
      page.on(
        "console",
        (m) =>
          m.type() === "error" &&
          !(
            /status of (409|422|400)/.test(m.text()) ||
            m.location().url.includes("nobody") ||
            app.gone.some((id) => m.location().url.includes(id))
          ) &&
          complaints.push(`${m.text()} (${m.location().url})`),
      );
      page.on("pageerror", (e) => complaints.push(String(e)));
      // the notes of a first visit have been read
      const read = ["of-list", "of-bench", "of-card", "of-time"];
      await page.addInitScript((n) => {
        if (origin !== "null") localStorage.setItem("blendseam-notes-read", JSON.stringify(n));
      }, read);
      await use(undefined);
      if (info.status !== info.expectedStatus) {
        // what the program was about is said: the runtime prints all goroutines when it is ended so
        await app.stop("SIGQUIT");
        await info.attach("program", { body: app.log, contentType: "text/plain" });
        writeFileSync(info.outputPath("program.txt"), app.log);
      }
      expect(complaints).toEqual([]);
    },
    { auto: true },
  ],
});

export { expect };

export interface SceneState {
  revision: number;
  sample_rate: number;
  undo: string;
  sources: Record<string, { name: string }>;
  markers?: { name: string; at: number; length?: number }[];
  tracks: {
    id: string;
    name: string;
    kind: string;
    purpose: string;
    mute?: boolean;
    ducks?: { under: string[]; db: number }[];
    clips: {
      id: string;
      name: string;
      source: string;
      in: number;
      start: number;
      length: number;
      gain_db?: number;
      level?: { at: number; db: number }[];
      like?: { thirds_db: number[]; gain_db: number };
      link?: string;
      fade_in?: { length: number; curve?: { shape: string; bend?: number } };
      lulls?: { id: string; depth_db?: number }[];
      takes?: { number: number; others: { number: number }[] };
      fade_out?: { length: number };
    }[];
    blends?: { left: string; right: string; before: number; after: number; law: string }[];
  }[];
}

/** The address of the scene that a page shows. */
export const home = (page: Page): string => page.url().replace(/(\/scenes\/[^/]+)\/.*$/, "$1");

/** So much of the scene's sound as the page would play, or of what an edit would make of it: both channels in turn. */
export async function sound(page: Page, from: number, n: number, edit?: unknown): Promise<Float32Array> {
  const q = new URLSearchParams({ from: String(from), n: String(n), ...(edit ? { edit: JSON.stringify(edit) } : {}) }),
    raw = await (await page.request.get(`${home(page)}/pcm?${q}`)).body();
  return new Float32Array(raw.buffer.slice(raw.byteOffset, raw.byteOffset + raw.byteLength));
}

export async function stateOf(page: Page): Promise<SceneState> {
  return (await page.request.get(page.url().replace(/(\/scenes\/[^/]+)\/.*$/, "$1/state"))).json();
}

export const track = (s: SceneState, purpose: string) => s.tracks.find((t) => t.purpose === purpose)!;

/** Makes a scene through the interface and stays on its page. */
export async function newScene(page: Page, app: App, name: string): Promise<void> {
  await page.goto(app.base);
  await page.getByRole("button", { name: "New scene" }).click();
  await page.getByLabel("Name").fill(name);
  await page.getByRole("button", { name: "Make it" }).click();
  await expect(page).toHaveURL(/scenes\/[0-9a-f-]+\/$/);
  await expect(page.locator(".kept")).toHaveText(/All kept/); // its scripts say so: keys are listened to
}

/** Chooses recordings on the page of sources, once it listens: an empty list of what comes in is hidden then. */
export async function choose(page: Page, files: Parameters<Locator["setInputFiles"]>[0]): Promise<void> {
  await expect(page.locator("ul.arrivals:not(:has(li))").filter({ visible: true })).toHaveCount(0);
  await page.getByLabel("Recordings", { exact: true }).setInputFiles(files);
}

/** Brings files in on the page of sources, and lays each out. */
export async function bringAndLayOut(page: Page, files: string[]): Promise<void> {
  await page.getByRole("navigation").getByRole("link", { name: "Sources" }).click();
  await choose(page, files);
  for (const f of files)
    await expect(page.locator(".arrivals li", { hasText: f.split("/").pop()! })).toContainText("here");
  for (const f of files) {
    const row = page.locator("table.sources tr", {
      hasText: f
        .split("/")
        .pop()!
        .replace(/\.\w+$/, ""),
    });
    await row.getByRole("button", { name: "Lay out at the end" }).click();
    await expect(row).toContainText("1 clip");
  }
  await page.getByRole("navigation").getByRole("link", { name: "Scene", exact: true }).click();
}

export const seams = (page: Page) => page.locator("#seams [data-seam]");

/** Waits until the page has kept an edit. */
export async function kept(page: Page, edit: number): Promise<void> {
  await expect(page.locator(".kept")).toHaveText(`All kept · edit ${edit}`);
}

/** Does something by key or pointer, and waits until the next edit is kept. */
export async function edits(page: Page, act: () => Promise<unknown>): Promise<SceneState> {
  const before = (await stateOf(page)).revision;
  await act();
  await kept(page, before + 1);
  return stateOf(page);
}

/** Loads the demo and waits until its seams are measured. The view is that of the whole scene; nothing is in hand. */
export async function demo(page: Page, app: App): Promise<SceneState> {
  const made = (await (await page.request.post(`${app.base}/scenes/demo`)).json()) as { id: string };
  await page.goto(`${app.base}/scenes/${made.id}/`);
  await expect(page.locator("h1")).toHaveText("Kiln Night");
  await expect(page.locator(".list-head")).toContainText("rough");
  await expect(page.locator(".bench-head h2")).toContainText("Seam"); // the worst
  for (const k of ["Escape", "Escape", "Home"]) await page.keyboard.press(k);
  await expect(page.locator(".bench-head h2")).toHaveText("Bench");
  const s = await stateOf(page);
  await measure(page, s);
  return s;
}

/** Notes how many samples a pixel of the timeline shows, where the view is that of the whole scene. */
export async function measure(page: Page, s: SceneState): Promise<void> {
  const width = (await page.locator("#timeline").boundingBox())!.width;
  const end = Math.max(
    10 * s.sample_rate, // it is no shorter than that
    ...s.tracks.map((t) => {
      const c = t.clips.at(-1);
      return c ? (c.start + c.length) * (t.kind === "picture" ? 1920 : 1) : 0;
    }),
  );
  shown.perPixel = (end * 1.03) / width;
}

/** How many samples a pixel of the timeline shows, as the page opens. */
export const shown = { perPixel: 1 };

const HEIGHTS: Record<string, number> = { picture: 44, dialogue: 50 };

/** Where on the screen a moment of a track is, in the view of the whole scene; part is how far down its row. */
export async function point(
  page: Page,
  s: SceneState,
  purpose: string,
  sample: number,
  part: number,
): Promise<{ x: number; y: number }> {
  const box = (await page.locator("#timeline").boundingBox())!;
  let top = 36;
  for (const t of s.tracks) {
    const h = HEIGHTS[t.purpose] ?? 38;
    if (t.purpose === purpose) return { x: box.x + sample / shown.perPixel, y: box.y + top + part * h };
    top += h + 4;
  }
  throw new Error(`no ${purpose}`);
}

/** Clicks a clip in its middle, with a key held if one is named. */
export async function take(
  page: Page,
  s: SceneState,
  purpose: string,
  clip: { start: number; length: number },
  held?: "Shift",
): Promise<void> {
  const at = await point(page, s, purpose, clip.start + clip.length / 2, 0.6);
  if (held) await page.keyboard.down(held);
  await page.mouse.click(at.x, at.y);
  if (held) await page.keyboard.up(held);
}

/** Drags on the timeline, with a key held as it begins, and gives what the tag said before the hand let go. */
export async function drag(
  page: Page,
  from: { x: number; y: number },
  dx: number,
  dy = 0,
  held?: string,
): Promise<string> {
  await page.mouse.move(from.x, from.y);
  if (held) await page.keyboard.down(held);
  await page.mouse.down();
  if (held) await page.keyboard.up(held);
  await page.mouse.move(from.x + dx / 2, from.y + dy / 2, { steps: 3 });
  await page.mouse.move(from.x + dx, from.y + dy, { steps: 3 });
  await expect(page.locator("#timeline")).not.toHaveAttribute("data-waits", "true");
  const words = (await page.locator("#tag").textContent()) ?? "";
  await page.mouse.up();
  return words;
}

export const clipOf = (s: SceneState, id: string) => s.tracks.flatMap((t) => t.clips).find((c) => c.id === id)!;

/** A scene at 29.97 drop of two voices that touch, with half a second of handle at the cut, and none linked. */
export async function atDrop(page: Page, app: App): Promise<SceneState> {
  const ask = async (path: string, data?: unknown) => {
    const a = await page.request.post(app.base + path, { data });
    expect(a.status(), await a.text()).toBeLessThan(300);
    return a.json();
  };
  const { id } = await ask("/scenes", { name: "At drop", rate: "29.97 drop", sample_rate: 48000, channels: 1 });
  const state = async () => (await page.request.get(`${app.base}/scenes/${id}/state`)).json() as Promise<SceneState>;
  for (const name of ["Front_Left", "Front_Right"]) {
    const had = Object.keys((await state()).sources).length;
    await page.request.post(`${app.base}/scenes/${id}/sources`, {
      data: readFileSync(`/usr/share/sounds/alsa/${name}.wav`),
      headers: { "Blendseam-Name": `${name}.wav` },
    });
    await expect.poll(async () => Object.keys((await state()).sources).length).toBe(had + 1);
    const source = Object.values((await state()).sources).find((x) => x.name === name) as unknown as { id: string };
    await ask(`/scenes/${id}/sources/${source.id}/lay?purpose=dialogue`);
  }
  const half = 24000;
  for (let [n, now] = [0, await state()]; n < 2; n++, now = await state()) {
    const c = track(now, "dialogue").clips[n];
    const to = n ? c.start + half : c.start + c.length - half;
    const edit = { edit: "trim", clip: c.id, edge: n ? "head" : "tail", to, close: true };
    await ask(`/scenes/${id}/edits`, { revision: now.revision, edit });
  }
  await page.goto(`${app.base}/scenes/${id}/`);
  await expect(page.locator(".list-head")).toContainText("seam");
  return state();
}
