// When the browser drew what a page had marked: read from its own trace, because a timer in the page is put off until
// after the next frame wherever a key was pressed (Chromium holds timers back for input), and tells a frame too much.

const CATEGORIES = ["cc", "benchmark", "blink.user_timing"];

/** Begins to record the browser's frames, with the page's marks "press" and "outcome" among them. */
export const record = (page) => page.context().browser().startTracing(page, { categories: CATEGORIES });

/** Ends the record and returns for each mark "outcome" how long it took, in milliseconds, from the "press" before it
 *  until the compositor had drawn the first frame that has it: scripts run in a frame only before it is painted. */
export async function drawn(page) {
  const trace = String(await page.context().browser().stopTracing());
  const exact = trace.replace(/"main_frame_id":(\d+)/g, '"main_frame_id":"$1"'); // 64 bits, more than a number holds
  const events = JSON.parse(exact).traceEvents.sort((a, b) => a.ts - b.ts);
  const marks = (name) => events.filter((e) => e.name === name && e.cat.includes("blink.user_timing")).map((e) => e.ts);
  const frame = (e) => e.args.main_frame_pipeline?.main_frame_id;
  const whole = events.filter((e) => e.ph === "X");
  const begun = whole.filter((e) => e.name === "ProxyMain::BeginMainFrame");
  const shown = new Map(whole.filter((e) => e.name === "MainFrame.Draw").map((e) => [frame(e), e.ts + (e.dur ?? 0)]));
  const presses = marks("press");
  return marks("outcome").flatMap((outcome) => {
    const pressed = presses.filter((p) => p <= outcome).at(-1);
    const drew = begun.filter((f) => f.ts + f.dur >= outcome && shown.has(frame(f))).map((f) => shown.get(frame(f)));
    return pressed && drew.length ? [(drew[0] - pressed) / 1000] : [];
  });
}
