// Scores of every step's aspects, by pips, keys and the phone's big buttons; and the pick of the best step.
import { $, $$, held, typing } from "../dom.js";
import { say } from "../say.js";
import { moved, onward, pressed } from "./walk.js";

/** Listen on the reading; what is scored goes into the outbox. */
export function listenForScores(root, outbox) {
  const sheet = new ScoreSheet(root, outbox);
  root.addEventListener("click", (event) => sheet.clicked(event.target));
  document.addEventListener("keydown", (event) => sheet.key(event));
  sheet.show(false);
}

class ScoreSheet {
  constructor(root, outbox) {
    this.root = root;
    this.outbox = outbox;
    this.aspects = JSON.parse(root.dataset.aspects);
    this.words = JSON.parse(root.dataset.words);
    const steps = Number(root.dataset.steps);
    this.size = { steps, aspects: this.aspects.length, lies: root.dataset.lies === "1" };
    const open = $$("[data-cell]", root).filter((cell) => cell.dataset.score === "");
    this.at = { step: open.length ? Math.min(...open.map((cell) => Number(cell.dataset.step))) : 0, aspect: 0 };
  }

  cell(step, key) {
    return $(`[data-cell][data-step="${step}"][data-aspect="${key}"]`, this.root);
  }

  show(focus) {
    const { step, aspect } = this.at;
    const now = String(step);
    for (const row of $$("[data-row]", this.root)) row.classList.toggle("now", row.dataset.row === now);
    for (const band of $$(".band", this.root)) band.classList.toggle("now", band.dataset.step === now);
    for (const pips of $$(".pips", this.root)) {
      pips.classList.remove("now");
      pips.tabIndex = -1;
    }
    const here = this.cell(step, this.aspects[aspect]);
    if (here) {
      here.classList.add("now");
      here.tabIndex = 0;
      if (focus && here.offsetParent) here.focus({ preventScroll: false });
    }
    for (const one of $$("[data-one]", this.root)) one.hidden = one.dataset.one !== now;
    for (const button of $$(".strip button", this.root)) this.#showJump(button, now);
  }

  #showJump(button, now) {
    const here = button.dataset.jump === now;
    const cells = $$(`[data-cell][data-step="${button.dataset.jump}"]`, this.root);
    button.classList.toggle("now", here);
    button.setAttribute("aria-selected", here);
    button.classList.toggle(
      "full",
      cells.every((cell) => cell.dataset.score !== ""),
    );
    if (here && button.offsetParent) button.scrollIntoView({ block: "nearest", inline: "nearest" });
  }

  paint(step, key, score) {
    const cell = this.cell(step, key);
    const says = score === null ? null : this.words[key][score];
    cell.dataset.score = score ?? "";
    cell.classList.toggle("unset", score === null);
    cell.classList.toggle("zero", score === 0);
    const name = cell.getAttribute("aria-label").replace(/: .*/, "");
    cell.setAttribute("aria-label", `${name}: ${score === null ? "not scored" : `${score}, ${says}`}`);
    for (const pip of $$(".pip", cell)) pip.classList.toggle("on", score !== null && score >= Number(pip.dataset.n));
    const said = $(`[data-says="${key}"]`, this.root);
    if (said) said.textContent = says ?? "how did it come out?";
    const big = $(`[data-big][data-step="${step}"][data-aspect="${key}"]`, this.root);
    for (const button of $$("button", big)) {
      const n = Number(button.dataset.n);
      button.classList.toggle("on", score !== null && score >= n && (n > 0 || score === 0));
    }
    if (score !== null) $("[data-said]", big.parentElement).textContent = says;
  }

  score(step, key, score) {
    const before = this.cell(step, key).dataset.score;
    this.paint(step, key, score);
    // The focus moves on; what was scored is said to those who do not see it.
    $("#scored").textContent = this.cell(step, key).getAttribute("aria-label");
    this.outbox.put(
      this.root.dataset.url,
      { step, aspect: key, score: score ?? "" },
      {
        failed: (error) => {
          this.paint(step, key, before === "" ? null : Number(before));
          say(error.message);
        },
      },
    );
  }

  pick(step) {
    const on = $(`[data-pick="${step}"]`, this.root)?.getAttribute("aria-pressed") === "true";
    this.#paintPick(on ? null : step);
    this.outbox.put(
      this.root.dataset.pickUrl,
      { step: on ? "" : step },
      {
        failed: (error) => {
          this.#paintPick(on ? step : null);
          say(error.message);
        },
      },
    );
  }

  #paintPick(which) {
    for (const button of $$("[data-pick]", this.root)) {
      const here = which !== null && button.dataset.pick === String(which);
      button.classList.toggle("on", here);
      button.setAttribute("aria-pressed", here);
    }
  }

  clicked(target) {
    const picked = target.closest("[data-pick]");
    const jump = target.closest("[data-jump]");
    const band = target.closest(".band");
    if (picked) {
      this.at.step = Number(picked.dataset.pick);
      this.pick(this.at.step);
      this.show();
    } else if (jump) {
      this.at.step = Number(jump.dataset.jump);
      this.show();
      if ($("#phone").offsetParent) $("#phone").scrollIntoView({ block: "start" });
    } else if (band) {
      this.at.step = Number(band.dataset.step);
      this.show(true);
    } else this.#pressed(target);
  }

  #pressed(target) {
    const pip = target.closest(".pip");
    const big = target.closest(".bigkeys button");
    const holder = pip?.parentElement ?? big?.parentElement ?? target.closest("[data-cell]");
    if (!holder) return;
    const key = holder.dataset.aspect;
    this.at = { step: Number(holder.dataset.step), aspect: this.aspects.indexOf(key) };
    if (pip) {
      const before = this.cell(this.at.step, key).dataset.score;
      this.score(this.at.step, key, pressed(Number(pip.dataset.n), before === "" ? null : Number(before)));
    } else if (big) this.score(this.at.step, key, Number(big.dataset.n));
    this.show(!big);
  }

  key(event) {
    const zooms = event.key.toLowerCase() === "z";
    if (typing(event) || held(event) || $("#zoom")?.open || (!this.aspects.length && !zooms)) return;
    if (zooms) {
      $("[data-zoom]")?.click();
      return;
    }
    if (!this.#does(event)) return;
    event.preventDefault();
    this.show(true);
  }

  #does({ key, target }) {
    const { step, aspect } = this.at;
    const to = moved(this.at, key, this.size);
    if (to) this.at = to;
    else if (/^[0-4]$/.test(key)) {
      this.score(step, this.aspects[aspect], Number(key));
      this.at = onward(this.at, this.size);
    } else if (key === "Backspace" || key === "Delete") this.score(step, this.aspects[aspect], null);
    else if (key === "Enter" && !target.closest("a, button, summary")) {
      this.at = { step: Math.min(this.size.steps - 1, step + 1), aspect: 0 };
    } else if (key.toLowerCase() === "p" && $("[data-pick]", this.root)) this.pick(step);
    else return false;
    return true;
  }
}
