// What went wrong is said in a corner; what was on the page stays.
import { $ } from "./dom.js";

const SHOWN_MS = 8000;

/** Show a sentence for some seconds. */
export function say(text) {
  const box = document.createElement("div");
  box.className = "note-band warn";
  box.setAttribute("role", "alert");
  box.textContent = text;
  $("#toasts").replaceChildren(box);
  setTimeout(() => box.remove(), SHOWN_MS);
}

/** Say it when htmx gets no answer, or a bad one. */
export function sayTrouble() {
  document.addEventListener("htmx:sendError", () =>
    say("Drumbo does not answer. What you see is kept; try again in a moment."),
  );
  document.addEventListener("htmx:responseError", (event) => {
    if (event.detail.xhr.status >= 500) say("Something went wrong here. Nothing was half saved.");
  });
}
