// What a hand does on the timeline.

export type Gesture =
  | "move"
  | "slip"
  | "slide"
  | "trim_gap"
  | "trim_close"
  | "roll"
  | "split"
  | "fade"
  | "lull"
  | "lull_fade"
  | "point"
  | "line"
  | "gain"
  | "bend";
