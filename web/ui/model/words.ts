// Words as they are shown. Pure functions.

/** A text with its first letter as a capital. */
export const capital = (text: string): string => (text ? text[0].toUpperCase() + text.slice(1) : "");

/** Names in a sentence, the first three of many. */
export function namesIn(names: string[]): string {
  const more = names.length - 3;
  if (more > 0) return `${names.slice(0, 3).join(", ")} and ${more} ${more === 1 ? "other" : "others"}`;
  return names.length > 1 ? `${names.slice(0, -1).join(", ")} and ${names.at(-1)}` : (names[0] ?? "");
}
