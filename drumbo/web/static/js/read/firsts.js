// First signs: a press says at which step a sign is seen first; it is there from that step on.
import { $, $$, held, typing } from "../dom.js";
import { movedRound } from "./walk.js";

/** Listen on the reading, where it asks for first signs. */
export function listenForFirsts(root, outbox) {
  const signs = [...new Set($$("[data-first]", root).map((button) => button.dataset.first))];
  if (signs.length) new FirstSigns(root, outbox, signs).listen();
}

class FirstSigns {
  constructor(root, outbox, signs) {
    this.root = root;
    this.outbox = outbox;
    this.signs = signs;
    this.size = { steps: Number(root.dataset.steps), aspects: signs.length };
    this.at = { step: 0, aspect: 0 };
  }

  listen() {
    for (const button of $$(".begins", this.root)) button.addEventListener("click", () => this.#clicked(button));
    for (const field of $$("[data-height]", this.root)) this.#listenTo(field);
    document.addEventListener("keydown", (event) => this.#key(event));
    this.#show();
  }

  #begun(sign) {
    return $(`[data-first="${sign}"].on`, this.root)?.dataset.at ?? "";
  }

  #paint(sign, at) {
    for (const button of $$(`[data-first="${sign}"]`, this.root)) {
      const step = Number(button.dataset.at);
      const here = at !== "" && button.dataset.at === String(at);
      button.classList.toggle("on", here);
      button.setAttribute("aria-pressed", here);
      button.classList.toggle("since", at !== "" && step > Number(at) && step < this.size.steps);
    }
  }

  /** Say where a sign begins: a step, nothing for none, or a height ("12.5 mm"), whose step the answer tells. */
  #begin(sign, typed) {
    const before = this.#begun(sign);
    const bad = $("#first-bad", this.root);
    const height = typed.endsWith("mm");
    bad.hidden = true;
    if (!height) this.#paint(sign, typed);
    this.outbox.put(
      this.root.dataset.firstUrl,
      { first: sign, step: typed },
      {
        kept: ({ headers }) => {
          if (height) this.#paint(sign, headers.get("X-Step"));
        },
        failed: (error) => {
          this.#paint(sign, before);
          bad.textContent = error.message;
          bad.hidden = false;
        },
      },
    );
  }

  #clicked(button) {
    const { first, at } = button.dataset;
    this.at = { step: Number(at), aspect: this.signs.indexOf(first) };
    this.#begin(first, button.classList.contains("on") ? "" : at);
    this.#show();
  }

  #listenTo(field) {
    field.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      field.blur();
    });
    field.addEventListener("change", () => {
      const typed = field.value.trim();
      if (typed) this.#begin(field.dataset.height, `${typed.replace(/\s*mm$/, "")} mm`);
      field.value = "";
    });
  }

  #key(event) {
    if (typing(event) || held(event) || $("#zoom")?.open) return;
    const sign = this.signs[this.at.aspect];
    const to = movedRound(this.at, event.key, this.size);
    const elsewhere = event.target.closest("a, button:not(.begins), select, summary");
    if (to) this.at = to;
    else if ((event.key === " " || event.key === "Enter") && !elsewhere) {
      this.#begin(sign, String(this.at.step));
      this.at.aspect = Math.min(this.at.aspect + 1, this.signs.length - 1);
    } else if (event.key === "Backspace" || event.key === "Delete") this.#begin(sign, "");
    else return;
    event.preventDefault();
    this.#show(true);
  }

  #show(focus) {
    const now = String(this.at.step);
    for (const button of $$(".begins", this.root)) {
      const here = button.dataset.at === now && button.dataset.first === this.signs[this.at.aspect];
      button.tabIndex = here ? 0 : -1;
      button.classList.toggle("now", here);
      if (here && focus) button.focus({ preventScroll: false });
    }
    for (const row of $$(".firsts [data-row]", this.root)) row.classList.toggle("now", row.dataset.row === now);
    for (const band of $$(".band", this.root)) band.classList.toggle("now", band.dataset.step === now);
  }
}
