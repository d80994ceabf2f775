// A frame that shows a part of something larger: x, y of its corner and k, how many pixels one of its units takes.
import { within } from "./dom.js";

/** All of a box, in the middle of the frame, but no nearer than `most`. */
export function whole(frame, { left = 0, top = 0, width, height }, { room = 0, most = Infinity } = {}) {
  const k = Math.min((frame.width - 2 * room) / width, (frame.height - 2 * room) / height, most);
  return { x: (frame.width - width * k) / 2 - left * k, y: (frame.height - height * k) / 2 - top * k, k };
}

/** Nearer or farther about a point of the frame, which stays where it is. */
export function zoomed({ x, y, k }, factor, [cx, cy], [least, most]) {
  const next = within(k * factor, least, most);
  return { x: cx - ((cx - x) * next) / k, y: cy - ((cy - y) * next) / k, k: next };
}

/** From a point of the frame to one of what it shows, and back. */
export const inside = ({ x, y, k }, [px, py]) => [(px - x) / k, (py - y) / k];
export const outside = ({ x, y, k }, [px, py]) => [px * k + x, py * k + y];
