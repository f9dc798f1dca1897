// The commands that say what is heard, for the scene and for listening through a recording.

export const says = (correct: (kind: string) => void): Record<string, () => void> => ({
  say_word: () => correct("word"),
  say_breath: () => correct("breath"),
  say_pause: () => correct("pause"),
  say_other: () => correct("other"),
  say_nothing: () => correct(""),
});
