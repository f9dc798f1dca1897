// Words as they are shown. Pure functions.

/** A text with its first letter as a capital. */
export const capital = (text: string): string => (text ? text[0].toUpperCase() + text.slice(1) : "");
