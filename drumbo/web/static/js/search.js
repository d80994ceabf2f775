// The search of the top bar: / goes there, the arrows walk over what was found, Enter opens it, Escape leaves it.
import { $, typing } from "./dom.js";

const hits = () => [...document.querySelectorAll("#hits a")];

/** Away from the search, with nothing of it left; an answer that comes later finds nobody there. */
function leave() {
  $("#find").value = "";
  $("#hits").replaceChildren();
  document.activeElement?.blur();
}

/** The arrows: from the field to the first hit, from hit to hit, and back into the field. */
function walk(step) {
  const stops = [$("#find"), ...hits()];
  const next = stops.indexOf(document.activeElement) + step;
  stops[(next + stops.length) % stops.length].focus();
}

/** Listen for its keys. */
export function listen() {
  const search = $("[role=search]");
  if (!search) return;
  document.addEventListener("keydown", (event) => {
    if (event.key === "/" && !typing(event)) {
      event.preventDefault();
      $("#find").focus();
    }
  });
  search.addEventListener("keydown", (event) => {
    if (event.key === "Escape") leave();
    if (event.key === "Enter" && event.target.id === "find") hits()[0]?.click();
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      walk(event.key === "ArrowDown" ? 1 : -1);
    }
  });
  // Whoever comes without a word in mind sees what was changed last.
  $("#find").addEventListener("focus", ({ target }) => {
    if (!target.value) target.dispatchEvent(new Event("recent"));
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.target.id === "hits" && !search.contains(document.activeElement)) event.detail.shouldSwap = false;
  });
  // Some browsers do not give a link that is pressed the focus, and the next lines would take it away unclicked.
  $("#hits").addEventListener("mousedown", (event) => event.preventDefault());
  // What was found goes away with whoever leaves: it would hide what is beneath it.
  search.addEventListener("focusout", (event) => {
    if (!search.contains(event.relatedTarget)) $("#hits").replaceChildren();
  });
}
