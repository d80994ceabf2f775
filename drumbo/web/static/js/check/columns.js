// One layer of a file as columns, one row a move: x0, y0, x1, y1 (mm), laid (0 for a travel), line, width, and more.
// Nothing here knows the page.
import { within } from "../dom.js";

// Lightness rises evenly from dark to pale, so that more looks like more to every eye.
const STOPS = [
  [38, 24, 58],
  [112, 30, 84],
  [178, 70, 74],
  [219, 135, 72],
  [236, 199, 118],
  [250, 240, 205],
];

/** Red, green and blue for a share between 0 and 1. */
export function tone(share) {
  const at = within(share, 0, 0.9999) * (STOPS.length - 1);
  const k = Math.floor(at);
  return STOPS[k].map((low, i) => Math.round(low + (STOPS[k + 1][i] - low) * (at - k)));
}

/** The same as a colour. */
export const shade = (share) => `rgb(${tone(share).join(",")})`;

/** What counts as low and as high in a column: nearly all of it lies between. What hardly differs keeps one colour. */
export function ends(values, laid) {
  const seen = values.filter((_, k) => laid[k]).sort((a, b) => a - b);
  if (!seen.length) return [0, 1];
  const low = seen[Math.floor(seen.length * 0.01)];
  const high = seen[Math.ceil(seen.length * 0.99) - 1];
  const least = Math.max(0.06 * Math.abs(high), 0.02);
  const middle = (low + high) / 2;
  if (high - low > least) return [low, high];
  const from = Math.max(middle - least / 2, Math.min(low, 0));
  return [from, from + least];
}

/** The box round all that is laid, as a picture has it: top is where Y is largest. At least 1 mm a side. */
export function box({ laid, x0, x1, y0, y1 }) {
  let [left, right, low, high] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let k = 0; k < laid.length; k += 1) {
    if (!laid[k]) continue;
    left = Math.min(left, x0[k], x1[k]);
    right = Math.max(right, x0[k], x1[k]);
    low = Math.min(low, y0[k], y1[k]);
    high = Math.max(high, y0[k], y1[k]);
  }
  if (left > right) return { left: 0, top: 0, width: 1, height: 1 };
  return { left, top: -high, width: Math.max(right - left, 1), height: Math.max(high - low, 1) };
}

/** The move nearest to a point, within a reach of it (mm); -1 where there is none. */
export function nearest({ laid, x0, x1, y0, y1 }, [x, y], reach, travels) {
  let best = -1;
  let least = reach;
  for (let k = 0; k < laid.length; k += 1) {
    if (!laid[k] && !travels) continue;
    const [dx, dy] = [x1[k] - x0[k], y1[k] - y0[k]];
    const along = within(((x - x0[k]) * dx + (y - y0[k]) * dy) / (dx * dx + dy * dy || 1), 0, 1);
    const away = Math.hypot(x0[k] + along * dx - x, y0[k] + along * dy - y);
    if (away < least) [best, least] = [k, away];
  }
  return best;
}

/** A round length for a ruler: 1, 2 or 5 times a power of ten, at most so long. */
export function rulerLength(most) {
  const power = 10 ** Math.floor(Math.log10(most));
  return [5, 2, 1].map((n) => n * power).find((n) => n <= most);
}
