// A stretch of a checked file is drawn over its strips; the form beside them then asks for it.
import { $ } from "../dom.js";
import { asked, LEFT, share, stretch } from "./stretch.js";

let drawing = null;

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
  if (!room || event.button !== 0 || event.pointerType === "touch") return;
  event.preventDefault();
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
document.addEventListener("dblclick", (event) => {
  if (event.target.closest?.(".tracks-in")) ask("", "");
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-whole]")) ask("", "");
});
