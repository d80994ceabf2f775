// A page that is being left asks for nothing more: on a slow machine every further answer would begin the leaving anew.
const LEAVING_MS = 20_000;
let left = Number.NEGATIVE_INFINITY;

export function listen() {
  // Downloads seem to leave the page as well, so this does not hold for ever.
  addEventListener("beforeunload", () => {
    left = performance.now();
  });
  document.addEventListener("htmx:beforeRequest", (event) => {
    const polls = event.detail.elt.getAttribute("hx-trigger")?.includes("every");
    if (polls && performance.now() - left < LEAVING_MS) event.preventDefault();
  });
}
