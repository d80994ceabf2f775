// A print from one side as cells, the lowest row first: what the server sends, and where things are in it.
// Nothing here knows the page.
import { within } from "../dom.js";

export const HANGS = 1;
export const LOOSE = 2;

/** Bytes of a text in base 64. */
export const bytes = (text) => Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));

/** What came, with its cells as bytes. */
export const opened = (data) => ({ ...data, shades: bytes(data.shades), marks: bytes(data.marks) });

/** The row that a height lies in, or the nearest one. */
export function rowAt({ tops, rows }, mm) {
  const row = tops.findIndex((top) => mm <= top);
  return row < 0 ? rows - 1 : row;
}

/** The row that holds a layer. */
export function rowOf({ first, rows }, layer) {
  const after = first.findIndex((each) => each > layer);
  return after < 0 ? rows - 1 : within(after - 1, 0, rows - 1);
}

/** The column that a place along the side lies in; -1 beside it. */
export function columnAt({ left, right, columns }, mm) {
  const column = Math.floor(((mm - left) / (right - left || 1)) * columns);
  return column >= 0 && column < columns ? column : -1;
}

/** What a cell says: a number between low and high, or a name's number; null for one with nothing in it. */
export function valueAt({ shades, columns, named, low, high }, row, column) {
  const cell = shades[row * columns + column];
  if (!cell) return null;
  return named ? cell - 1 : low + ((cell - 1) / 254) * (high - low);
}

/** How to draw several sides to one scale in frames of one width: pixels a mm, and how high the frames are then. */
export function fitted(sides, width, [least, most], room) {
  const wide = Math.max(...sides.map(({ left, right }) => Math.max(right - left, 1)));
  const tall = Math.max(...sides.map(({ tops }) => Math.max(tops.at(-1) ?? 1, 1)));
  const k = Math.min((width - 2 * room) / wide, (most - 2 * room) / tall);
  return { k, height: Math.round(within(tall * k + 2 * room, least, most)) };
}
