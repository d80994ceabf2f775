// The guide's sheet at the side: ? opens and closes it, Escape closes it; the focus goes there and back.
import { $, typing } from "./dom.js";

/** Listen for its key, and for what comes into the sheet. */
export function listen() {
  const side = $("#side");
  const mark = $("#help");
  if (!side || !mark) return;
  mark.setAttribute("aria-expanded", "false");
  const close = () => {
    side.hidden = true;
    mark.setAttribute("aria-expanded", "false");
    mark.focus();
  };
  side.addEventListener("htmx:afterSwap", () => {
    side.hidden = false;
    mark.setAttribute("aria-expanded", "true");
    $("h2", side).focus();
  });
  side.addEventListener("click", (event) => {
    if (event.target.closest("[data-close-side]")) close();
  });
  document.addEventListener("keydown", (event) => {
    if (event.key === "Escape" && !side.hidden) close();
    if (event.key !== "?" || typing(event)) return;
    event.preventDefault();
    if (side.hidden) mark.click();
    else close();
  });
}
