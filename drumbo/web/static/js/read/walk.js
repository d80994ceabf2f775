// Where a key leads on a sheet of steps and aspects. Nothing here knows the page.
import { within } from "../dom.js";

const STANDING = { ArrowUp: [1, 0], ArrowDown: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] };
const LYING = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] };

/**
 * The place that an arrow leads to, or null for another key. A piece that lies has its steps from left to right,
 * one that stands from the bottom up.
 */
export function moved({ step, aspect }, key, { steps, aspects, lies }) {
  const way = (lies ? LYING : STANDING)[key];
  if (!way) return null;
  return { step: within(step + way[0], 0, steps - 1), aspect: within(aspect + way[1], 0, Math.max(aspects - 1, 0)) };
}

/** After a score: the next aspect, then the next step; on the last one it stays. */
export function onward({ step, aspect }, { steps, aspects }) {
  if (aspect < aspects - 1) return { step, aspect: aspect + 1 };
  return step < steps - 1 ? { step: step + 1, aspect: 0 } : { step, aspect };
}

/** First signs have one place more than there are steps ("none"), and go round. */
export function movedRound({ step, aspect }, key, { steps, aspects }) {
  const way = STANDING[key];
  if (!way) return null;
  const to = step + way[0];
  return { step: (to + steps + 1) % (steps + 1), aspect: within(aspect + way[1], 0, aspects - 1) };
}

/** What a press on the n-th pip means: pressed again, it takes one off. */
export const pressed = (n, before) => (before === n ? n - 1 : n);
