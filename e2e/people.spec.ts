// People with accounts: who may come in, who is there, what they leave for each other, and whose edit is taken back.
import { execFileSync } from "node:child_process";
import type { Browser, Page } from "@playwright/test";
import { App, edits, expect, home, seams, stateOf, test } from "./app.ts";

const PASSWORD = "kiln-night-fires";

/** A program of its own, with people. */
async function withPeople(people: Record<string, string>): Promise<App> {
  const app = new App();
  await app.start("demo");
  for (const [name, role] of Object.entries(people)) {
    const user = ["user", "add", name.toLowerCase(), "--shown", name, "--role", role];
    execFileSync("bin/blendseam", user, { env: { ...process.env, BLENDSEAM_VAR: app.dir }, input: `${PASSWORD}\n` });
  }
  // The program looks once a second whether there is anybody to ask.
  await expect.poll(async () => (await fetch(`${app.base}/settings`, { redirect: "manual" })).status).not.toBe(200);
  return app;
}

async function signedIn(browser: Browser, app: App, name: string): Promise<Page> {
  const page = await (await browser.newContext()).newPage();
  await page.addInitScript(() =>
    localStorage.setItem("blendseam-notes-read", '["of-list","of-bench","of-card","of-time"]'),
  );
  await page.goto(app.base);
  await page.getByLabel("Name").fill(name.toLowerCase());
  await page.getByLabel("Password").fill(PASSWORD);
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByRole("heading", { name: "Scenes" })).toBeVisible();
  return page;
}

test("people sign in, see who is here, leave notes, and take back what they did themselves", async ({ browser }) => {
  const app = await withPeople({ Anna: "owner", Per: "editor", Liv: "listener" });
  try {
    // Nobody comes in without a name and its password.
    const stranger = await (await browser.newContext()).newPage();
    await stranger.goto(`${app.base}/settings`);
    await expect(stranger).toHaveURL(/\/sign-in\?to=%2Fsettings/);
    await stranger.getByLabel("Name").fill("anna");
    await stranger.getByLabel("Password").fill("not her password");
    await stranger.getByRole("button", { name: "Sign in" }).click();
    await expect(stranger.getByRole("alert")).toContainText("do not go together");
    await expect(stranger.getByLabel("Name")).toHaveValue("anna");

    const [anna, per, liv] = [
      await signedIn(browser, app, "Anna"),
      await signedIn(browser, app, "Per"),
      await signedIn(browser, app, "Liv"),
    ];

    // Two editors see each other, and which seam each has in hand.
    for (const page of [anna, per]) {
      await page.getByRole("link", { name: "Kiln Night" }).click();
      await expect(page.locator(".list-head")).toContainText("rough");
    }
    await expect(anna.locator(".present")).toHaveText("Per is here");
    await seams(per).filter({ hasText: "wide → Oda, take 1" }).first().click();
    await expect(seams(anna).filter({ hasText: "Per has it in hand" })).toContainText("wide → Oda, take 1");

    // A listener listens, approves and asks again, and changes nothing.
    await liv.getByRole("link", { name: "Kiln Night" }).click();
    await expect(liv).toHaveURL(/\/listen$/);
    await expect(liv.getByRole("navigation").getByRole("link", { name: "Sources" })).toHaveCount(0);
    await liv
      .getByRole("button", { name: /^Ask again for wide → Oda, take 1/ })
      .first()
      .click();
    await liv.getByLabel("Note", { exact: true }).fill("The kiln drops away.");
    await liv.keyboard.press("Enter");
    await expect(liv.locator(".listen-seams")).toContainText("Liv: The kiln drops away.");
    await liv
      .getByRole("button", { name: /^Approve Pell, take 1 → Oda, take 1/ })
      .first()
      .click();
    await expect(liv.getByRole("button", { name: /^Approve Pell, take 1 → Oda, take 1/ }).first()).toHaveText(
      "Approved",
    );
    const played = liv.waitForResponse((r) => r.url().includes("/pcm"));
    await liv
      .getByRole("button", { name: /^Hear wide → Oda/ })
      .first()
      .click();
    expect((await played).status()).toBe(200);
    const refused = await liv.request.post(`${home(anna)}/edits`, { data: { revision: 0, edit: { edit: "gain" } } });
    expect(refused.status()).toBe(403);

    // Its seam and its card show the note; both editors work on their seams, and what each did stays.
    await expect(seams(per).filter({ hasText: "1 note" })).toContainText("wide → Oda, take 1");
    await expect(per.locator(".card")).toContainText("Liv: The kiln drops away.");
    await expect(seams(anna).filter({ hasText: "approved" })).toContainText("Pell, take 1 → Oda, take 1");
    const cuts = async (page: Page) =>
      (await stateOf(page)).tracks.find((t) => t.purpose === "dialogue")!.blends?.length ?? 0;
    const before = await cuts(anna);
    await edits(per, () => per.locator("body").press("b"));
    await seams(anna).filter({ hasText: "Pell, take 1 → Oda, take 1" }).first().click();
    await edits(anna, () => anna.locator("body").press("b"));
    await expect.poll(() => cuts(anna)).toBe(before + 2);
    await expect(per.locator(".kept")).toHaveText("All kept · edit 2");
    await edits(per, () => per.locator("body").press("Control+z")); // the last edit is Anna's
    await expect.poll(() => cuts(per)).toBe(before + 1);
    await per.getByRole("button", { name: "Past" }).click();
    const past = per.getByRole("dialog", { name: "Past and versions" });
    await expect(past.locator(".past-list li").nth(0)).toContainText("taken back");
    await expect(past.locator(".past-list li").nth(0)).toContainText("Per");
    await expect(past.locator(".past-list li").nth(1)).toContainText("Anna");
    await past.getByRole("button", { name: "Close" }).click();

    // The notes have a page: answered, settled.
    await anna.goto(`${home(anna)}/remarks`);
    const note = anna.locator(".notes > li").filter({ hasText: "The kiln drops away." });
    await note.getByRole("button", { name: "Answer" }).click();
    await anna.getByLabel("Words").fill("A bed lies under it now.");
    await anna.keyboard.press("Enter");
    await expect(note).toContainText("Anna A bed lies under it now.");
    await note.getByRole("button", { name: "Settle" }).click();
    await expect(note).toContainText("settled by Anna");
    await expect(liv.locator(".listen-seams")).toContainText("Anna: A bed lies under it now.");
    await anna.goto(`${home(anna)}/report`);
    await expect(anna.locator(".noted").first()).toContainText("The kiln drops away.");

    // The owner says who may what; a session of somebody who was taken out sees nothing any more.
    await anna.goto(`${app.base}/people`);
    await anna.getByLabel("What Liv may do in Main").selectOption("editor");
    await anna.getByLabel("What Anna may do in Main").selectOption("editor");
    await expect(anna.getByRole("alert")).toContainText("Nobody else owns Main");
    anna.on("dialog", (d) => void d.accept());
    await anna.getByRole("row", { name: /^Per / }).getByRole("button", { name: "Take out" }).click();
    await expect(anna.getByRole("row", { name: /^Per / })).toHaveCount(0);
    await per.goto(app.base);
    await expect(per.locator("main")).toContainText("no production with scenes yet");
    // A scene moves to another production; who is not in that sees it no more.
    const made = await anna.request.post(`${app.base}/productions`, { data: { name: "The Ferry" } });
    expect(made.status()).toBe(201);
    await anna.goto(app.base);
    await anna.getByRole("button", { name: "Move Kiln Night to another production" }).click();
    const moving = anna.getByRole("dialog", { name: "Move Kiln Night" });
    await moving.getByLabel("To the production").selectOption("The Ferry");
    await moving.getByRole("button", { name: "Move it" }).click();
    await expect(anna.locator(".scene-row")).toContainText("The Ferry");
    await liv.goto(app.base);
    await expect(liv.locator("main")).toContainText("No scene yet");
    await liv.getByRole("button", { name: "Sign out" }).click();
    await expect(liv.getByLabel("Password")).toBeVisible();
  } finally {
    await app.stop();
    app.remove();
  }
});
