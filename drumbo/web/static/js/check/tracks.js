// A stretch of a checked file is drawn over its strips; the form beside them then asks for it.
import { $ } from "../dom.js";
import { asked, LEFT, moved, share, stretch } from "./stretch.js";

let drawing = null;
let refocus = false;

function ask(low, high) {
  const form = $("#tracks form");
  form.elements.from.value = low;
  form.elements.to.value = high;
  form.requestSubmit();
}

// Minutes are no millimetres: along something else, what was typed before means nothing.
document.addEventListener(
  "change",
  ({ target }) => {
    if (target.name !== "along") return;
    target.form.elements.from.value = target.form.elements.to.value = "";
  },
  true,
);
document.addEventListener("pointerdown", (event) => {
  const room = event.target.closest?.(".tracks-in");
  if (!room || event.button !== 0) return;
  // A finger that goes down the page scrolls it; the browser then takes the pointer away.
  if (event.pointerType !== "touch") event.preventDefault();
  drawing = { room, band: $(".stretch", room), from: share(room.getBoundingClientRect(), event.clientX) };
});
document.addEventListener("pointermove", (event) => {
  if (!drawing) return;
  const { room, band, from } = drawing;
  const drawn = stretch(from, share(room.getBoundingClientRect(), event.clientX));
  band.hidden = !drawn;
  if (!drawn) return;
  band.style.left = `${100 * (LEFT + (1 - LEFT) * drawn[0])}%`;
  band.style.width = `${100 * (1 - LEFT) * (drawn[1] - drawn[0])}%`;
});
document.addEventListener("pointerup", (event) => {
  if (!drawing) return;
  const { room, band, from } = drawing;
  drawing = null;
  band.hidden = true;
  const drawn = stretch(from, share(room.getBoundingClientRect(), event.clientX));
  const { low, high } = room.closest("#strips").dataset;
  if (drawn) ask(...asked(drawn, Number(low), Number(high)));
});
document.addEventListener("pointercancel", () => {
  if (drawing) drawing.band.hidden = true;
  drawing = null;
});
document.addEventListener("keydown", (event) => {
  const room = event.target.closest?.(".tracks-in");
  if (!room || event.ctrlKey || event.metaKey) return;
  const { low, high } = room.closest("#strips").dataset;
  const next = moved(event.key, Number(low), Number(high));
  if (!next) return;
  event.preventDefault();
  refocus = true;
  ask(...next);
});
// Strips that come anew keep the keys that the old ones had.
document.addEventListener("htmx:beforeSwap", () => {
  refocus ||= Boolean(document.activeElement?.closest(".tracks-in"));
});
document.addEventListener("htmx:afterSettle", () => {
  if (refocus) $(".tracks-in")?.focus();
  refocus = false;
});
document.addEventListener("dblclick", (event) => {
  if (event.target.closest?.(".tracks-in")) ask("", "");
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-whole]")) ask("", "");
});
