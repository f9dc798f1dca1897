// The tag beside the hand: what a drag does, in words.

/** Shows lines beside a place, left of an end; empty ones are left out. */
export function showTag(tag: HTMLElement, lines: string[], x: number, y: number, end: number): void {
  tag.replaceChildren(
    ...lines.filter(Boolean).map((text, i) => {
      const line = document.createElement("div");
      line.textContent = i ? `\n${text}` : text;
      return line;
    }),
  );
  tag.hidden = false;
  tag.style.left = `${Math.max(96, Math.min(x + 14, end - tag.offsetWidth - 4))}px`;
  tag.style.top = `${Math.max(2, y - 12 - tag.offsetHeight)}px`;
}
