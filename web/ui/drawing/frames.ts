// Frames of the screen, as long as something moves.

/** Does something for each frame, told the seconds since the last, from when it is woken until it says it is done. */
export function eachFrame(step: (seconds: number) => boolean): () => void {
  let last: number | undefined,
    going = false;
  const frame = (now: number) => {
    going = step(last === undefined ? 0 : (now - last) / 1000);
    last = going ? now : undefined;
    if (going) requestAnimationFrame(frame);
  };
  return () => {
    if (going) return;
    going = true;
    requestAnimationFrame(frame);
  };
}
