// Forms that follow what is typed or chosen in them.
import { $, rewritten } from "./dom.js";

/** Listen on the whole page, for forms that come later too. */
export function listen() {
  document.addEventListener("change", changed);
  document.addEventListener("submit", goThere);
  document.addEventListener("click", clicked, true);
  // What is typed into a field of its own asks the form around it nothing.
  for (const kind of ["input", "change"]) {
    document.addEventListener(
      kind,
      (event) => {
        if (event.target.matches("[data-own]")) event.stopPropagation();
      },
      true,
    );
  }
  fillLabel($("#label-form"));
}

function changed({ target }) {
  if (target.name === "code" && target.closest("#spool-label")) showLabel(target.value);
  if (target.matches("[data-submit]")) target.form.submit();
  if (target.matches("[data-largest]")) refuseLarge(target);
  if (target.matches("[data-part-url]") && target.files.length) {
    // A part for the planner goes up as soon as it is chosen; the address holds what was filled in.
    target.form.action = target.dataset.partUrl + location.search;
    target.form.submit();
  }
}

/** The label as it will be, with the code that was picked. */
function showLabel(code) {
  const shot = $("#label-shot");
  const told = $("#label-local");
  shot.src = `${shot.dataset.label}?code=${code}`;
  if (told) told.hidden = code !== "opens";
}

/** A file too large to be read is told at once, not after it went over. */
function refuseLarge(input) {
  const over = [...input.files].some((file) => file.size > Number(input.dataset.largest));
  document.getElementById(`${input.id}-large`).hidden = !over;
  $("button", input.form).disabled = over;
}

function goThere(event) {
  if (!event.target.matches("[data-goto]")) return;
  event.preventDefault();
  location.href = $("select", event.target).value;
}

function clicked(event) {
  if (event.target.closest("[data-print]")) window.print();
  const filler = event.target.closest("[data-fill]");
  if (filler) fill(new URLSearchParams(filler.dataset.fill));
  const opener = event.target.closest("[data-opens]");
  if (!opener) return;
  if (opener.getAttribute("aria-expanded") === "true") {
    event.preventDefault();
    event.stopImmediatePropagation();
    document.getElementById(opener.getAttribute("aria-controls")).replaceChildren();
    opener.setAttribute("aria-expanded", "false");
  } else opener.setAttribute("aria-expanded", "true");
}

function fill(values) {
  for (const [key, value] of values) {
    const field = document.getElementById(`f-${key}`);
    if (!field) continue;
    field.value = field.inputMode === "decimal" ? rewritten(value) : value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
}

/** A family's usual range fills empty fields of a label, never one that was typed in. */
function fillLabel(form) {
  if (!form) return;
  const starts = JSON.parse(form.dataset.starts);
  const family = $("#f-family");
  const follow = () => {
    for (const [key, value] of Object.entries(starts[family.value] ?? {})) {
      const input = document.getElementById(`f-${key}`);
      if (!input || (input.value !== "" && input.dataset.filled !== input.value)) continue;
      input.value = rewritten(value);
      input.dataset.filled = input.value;
    }
  };
  family.addEventListener("change", follow);
  follow();
  showColour(JSON.parse(form.dataset.colours));
}

/** What is shown follows the colour's name, until somebody chooses it: “slate blue” is a blue. */
function showColour(named) {
  const shown = $("#f-colour_hex");
  let chosen = false;
  shown.addEventListener("input", () => {
    chosen = true;
  });
  $("#f-colour").addEventListener("input", ({ target }) => {
    const words = target.value.toLowerCase().split(/[\s-]+/);
    const known = words.filter((word) => Object.hasOwn(named, word)).pop();
    if (known && !chosen) shown.value = named[known];
  });
}
