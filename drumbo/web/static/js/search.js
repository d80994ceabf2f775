// The search of the top bar: / goes there, Enter opens the first hit, Escape leaves it.
import { $, typing } from "./dom.js";

/** Listen for its keys. */
export function listen() {
  document.addEventListener("keydown", (event) => {
    if (event.key === "/" && !typing(event)) {
      event.preventDefault();
      $("#find")?.focus();
    }
    if (event.target.id !== "find") return;
    if (event.key === "Escape") {
      event.target.value = "";
      $("#hits").replaceChildren();
      event.target.blur();
    }
    if (event.key === "Enter") {
      const hit = $("#hits a");
      if (hit) location.href = hit.href;
    }
  });
}
