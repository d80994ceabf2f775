// What a page asks for every few seconds. It changes nothing beneath a press, which would be lost; and a page that is
// being left asks for nothing more: on a slow machine every further answer would begin the leaving anew.
import { underWay } from "./press.js";

const LEAVING_MS = 20_000;
let left = Number.NEGATIVE_INFINITY;

/** Whether it is of such a question. */
function polls({ detail }) {
  const asks = detail.requestConfig?.elt ?? detail.elt;
  return asks.getAttribute("hx-trigger")?.includes("every");
}

export function listen() {
  // Downloads seem to leave the page as well, so this does not hold for ever.
  addEventListener("beforeunload", () => {
    left = performance.now();
  });
  document.addEventListener("htmx:beforeRequest", (event) => {
    if (polls(event) && performance.now() - left < LEAVING_MS) event.preventDefault();
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (polls(event) && underWay()) event.detail.shouldSwap = false;
  });
}
