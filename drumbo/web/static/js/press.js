// A press that is under way. What renews itself waits for it: a button that is gone when it is let go was not pressed,
// and a page that comes anew would call back what a form has just sent.
const AFTER_MS = 600;
const LONGEST_MS = 10_000;
const SENT_MS = 20_000;

/** How presses stand, by a clock in ms. */
export class Presses {
  #down = Number.NEGATIVE_INFINITY;
  #up = Number.NEGATIVE_INFINITY;
  #sent = Number.NEGATIVE_INFINITY;

  /** A finger, a mouse or a key goes down. */
  down(now) {
    this.#down = now;
  }

  /** It comes up again; what it does comes a moment later. */
  up(now) {
    this.#down = Number.NEGATIVE_INFINITY;
    this.#up = now;
  }

  /** A form is on its way. */
  sent(now) {
    this.#sent = now;
  }

  /** Whether one is under way. A finger that was never seen to come up does not hold a page for ever. */
  underWay(now) {
    return now - this.#down < LONGEST_MS || now - this.#up < AFTER_MS || now - this.#sent < SENT_MS;
  }
}

const presses = new Presses();

/** Whether one is under way now. */
export const underWay = () => presses.underWay(performance.now());

/** Listen for them on the whole page. */
export function listen() {
  for (const kind of ["pointerdown", "keydown"]) {
    addEventListener(
      kind,
      (event) => {
        // A key that something lies on repeats itself for ever.
        if (!event.repeat) presses.down(performance.now());
      },
      true,
    );
  }
  for (const kind of ["pointerup", "pointercancel", "keyup"]) {
    addEventListener(kind, () => presses.up(performance.now()), true);
  }
  // Of the window itself: a press takes the focus from a field, and that is no end of it.
  addEventListener("blur", () => presses.up(performance.now()));
  document.addEventListener("submit", (event) => {
    if (!event.defaultPrevented) presses.sent(performance.now());
  });
}
