// A stretch drawn over strips, as shares of their width. Nothing here knows the page.
import { within } from "../dom.js";

/** How much of a strip's drawing its marks take on the left. */
export const LEFT = 56 / 1080;
/** What is drawn in less than this was a click. */
const LEAST = 0.004;

/** Where along a strip a place of the screen lies, 0 to 1. */
export const share = (seen, x) => within(((x - seen.left) / seen.width - LEFT) / (1 - LEFT), 0, 1);

/** The stretch between two places, the lower first; null for a click. */
export function stretch(a, b) {
  const [low, high] = [Math.min(a, b), Math.max(a, b)];
  return high - low < LEAST ? null : [low, high];
}

/** What to ask for: both ends as text, with as many digits as tell them apart. */
export function asked([a, b], low, high) {
  const wide = high - low;
  const digits = Math.min(Math.max(1, Math.ceil(2 - Math.log10(wide * (b - a)))), 4);
  return [a, b].map((at) => (low + wide * at).toFixed(digits));
}

/** What a key asks for of a stretch: both ends as text, empty for the whole; null for a key that means nothing here. */
export function moved(key, low, high) {
  const wide = high - low;
  const to = {
    "+": [0.25, 0.75],
    "=": [0.25, 0.75],
    "-": [-0.5, 1.5],
    ArrowLeft: [-0.25, 0.75],
    ArrowRight: [0.25, 1.25],
    0: null,
  }[key];
  if (to === null) return ["", ""];
  if (!to) return null;
  const digits = Math.min(Math.max(1, Math.ceil(2 - Math.log10(wide))), 4);
  return to.map((share) => Math.max(low + share * wide, 0).toFixed(digits));
}
