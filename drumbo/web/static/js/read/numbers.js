// Numbers: a calliper types one and Enter; it is kept, and the next empty field of the same step waits.
import { $, $$, held } from "../dom.js";

/** Listen on the reading's fields. Gives what the picture's callipers need of them, null where there are none. */
export function listenForNumbers(root, outbox) {
  const fields = $$("[data-measure]", root);
  return fields.length ? new Numbers(root, outbox, fields) : null;
}

/** The field to go on with: the next empty one, else the first empty one, else none. */
export const nextEmpty = (fields, at) =>
  fields.slice(fields.indexOf(at) + 1).find((field) => field.value === "") ??
  fields.find((field) => field.value === "");

class Numbers {
  #waits = null;

  constructor(root, outbox, fields) {
    this.root = root;
    this.outbox = outbox;
    this.fields = fields;
    this.jaws = JSON.parse(root.dataset.jaws);
    this.ordered = $(".rows-grid", root) ? fields : [...fields].sort((a, b) => a.dataset.step - b.dataset.step);
    for (const field of fields) this.#listenTo(field);
    this.#wait(nextEmpty(this.ordered) ?? this.ordered[0]);
    const others = JSON.parse(root.dataset.aspects).length || $("[data-first]", root);
    if (this.#waits.value === "" && !others) this.#waits.focus({ preventScroll: true });
  }

  /** Where on the picture the waiting field is measured: [z, tool], or undefined. */
  get place() {
    return this.jaws[this.#jaw(this.#waits)];
  }

  get name() {
    return this.#waits.getAttribute("aria-label") ?? "";
  }

  /** A number came from the picture. */
  take(number) {
    this.#waits.value = number;
    this.#keep(this.#waits);
    this.#onward(this.#waits);
  }

  focus() {
    if (this.#waits.offsetParent) this.#waits.focus();
  }

  #jaw({ dataset: { measure, step, site } }) {
    return `${measure} ${step} ${site}`;
  }

  #wait(field) {
    this.#waits = field;
    for (const other of this.fields) other.classList.toggle("waits", other === field);
    for (const jaw of $$(".jaw", this.root)) jaw.classList.toggle("now", jaw.dataset.jaw === this.#jaw(field));
  }

  #keep(field) {
    if (field.dataset.kept === field.value) return;
    const bad = field.nextElementSibling;
    const { measure, step, site } = field.dataset;
    field.dataset.kept = field.value;
    bad.hidden = true;
    field.removeAttribute("aria-invalid");
    this.outbox.put(
      this.root.dataset.measureUrl,
      { measure, step, site, number: field.value },
      {
        failed: (error) => {
          bad.textContent = error.message;
          bad.hidden = false;
          field.setAttribute("aria-invalid", "true");
          delete field.dataset.kept;
        },
      },
    );
  }

  #onward(field) {
    const next = nextEmpty(this.ordered, field);
    if (!next) {
      field.blur();
      return;
    }
    this.#wait(next);
    if (next.offsetParent && !$("#zoom")?.open) next.focus();
  }

  #listenTo(field) {
    field.dataset.kept = field.value;
    field.addEventListener("focus", () => {
      this.#wait(field);
      field.select();
    });
    field.addEventListener("change", () => this.#keep(field));
    field.addEventListener("keydown", (event) => {
      if (event.key === "Enter") {
        event.preventDefault();
        this.#keep(field);
        this.#onward(field);
      }
      // No number has a z in it: the picture opens from a waiting field too.
      if (event.key.toLowerCase() === "z" && !held(event)) {
        event.preventDefault();
        $("[data-zoom]")?.click();
      }
    });
  }
}
