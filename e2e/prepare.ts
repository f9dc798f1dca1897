// Before all tests: one program makes its database and loads the demo; each worker begins with a copy of that.
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { App } from "./app.ts";

export default async function prepare(): Promise<() => void> {
  const dir = (process.env.BLENDSEAM_PREPARED = mkdtempSync(join(tmpdir(), "blendseam-prepared-")));
  const app = new App(dir);
  await app.start("demo");
  for (let pending = 1; pending; )
    pending = ((await (await fetch(`${app.url}seams`)).json()) as { pending: number }).pending;
  await app.stop();
  return () => rmSync(dir, { recursive: true, force: true });
}
