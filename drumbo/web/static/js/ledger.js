// The ledger of a profile shows the lines that go by the words typed.
import { $, $$ } from "./dom.js";

/** Whether every typed word, or the beginning of one, stands in a line's words. */
export const goesBy = (typed, words) =>
  typed
    .toLowerCase()
    .split(/\s+/)
    .filter(Boolean)
    .every((word) => words.includes(word));

/** Sift it at each letter; somebody may have typed before this was there. */
export function listen() {
  const field = $("#ledger-find");
  if (!field) return;
  field.addEventListener("input", () => sift(field.value));
  if (field.value) sift(field.value);
}

function sift(typed) {
  let any = false;
  for (const table of $$("#ledger [data-group]")) {
    let some = false;
    for (const row of $$("tr[data-words]", table)) {
      const hit = goesBy(typed, row.dataset.words);
      row.hidden = row.nextElementSibling.hidden = !hit;
      some ||= hit;
    }
    table.hidden = table.previousElementSibling.hidden = !some;
    any ||= some;
  }
  for (const form of $$("#ledger .set-all")) form.hidden = typed.trim() !== "";
  $("#ledger-none").hidden = any;
}
