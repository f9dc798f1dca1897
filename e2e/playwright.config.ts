import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: ".",
  outputDir: "results/output",
  workers: 1,
  timeout: 90_000,
  retries: process.env.CI ? 1 : 0, // a shared machine may stall; what passed only the second time is listed as flaky
  reporter: [["list"]],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: process.env.BLENDSEAM_CHROMIUM ?? "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--autoplay-policy=no-user-gesture-required"],
    },
  },
});
