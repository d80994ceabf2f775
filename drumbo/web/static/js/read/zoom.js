// A picture, close: wheel and buttons, drag to move; callipers between two points picked; corners for it to be read by.
import { $, written } from "../dom.js";
import { inside, outside, zoomed } from "../frame.js";
import { post } from "../server.js";

const SCALES = [0.2, 16];
const A_DRAG_PX = 5;
const SHOWN_MS = 900;
const JAWS = 2;

/** Listen on the dialog. `numbers` takes what its callipers measure; null where no number is asked for. */
export function listenForZoom(dialog, numbers) {
  if (dialog) new Zoom(dialog, numbers);
}

class Zoom {
  #frame = { x: 0, y: 0, k: 1 };
  #ends = [];
  #drag = null;
  #moved = 0;
  #from = null;
  #corners = null;

  constructor(dialog, numbers) {
    this.dialog = dialog;
    this.numbers = numbers;
    this.image = $("img", dialog);
    this.stage = $(".stage", dialog);
    this.lines = $(".jaws", dialog);
    this.says = $("#calliper");
    this.ask = $(".scale-ask", dialog);
    document.addEventListener("click", (event) => this.#clicked(event.target));
    this.ask?.addEventListener("keydown", (event) => {
      if (event.key !== "Enter") return;
      event.preventDefault();
      this.#setScale();
    });
    this.stage.addEventListener("wheel", (event) => this.#wheel(event), { passive: false });
    this.stage.addEventListener("pointerdown", (event) => this.#down(event));
    this.stage.addEventListener("pointermove", (event) => this.#move(event));
    this.stage.addEventListener("pointerup", (event) => this.#up(event));
    dialog.addEventListener("keydown", (event) => {
      if (event.target.matches("input")) return;
      if (event.key === "+" || event.key === "=") this.#zoom(1.25);
      if (event.key === "-") this.#zoom(0.8);
    });
    dialog.addEventListener("close", () => {
      this.#mark([]);
      numbers?.focus();
    });
  }

  get #measures() {
    return this.dialog.classList.contains("measures");
  }

  #place(frame) {
    this.#frame = frame;
    this.image.style.transform = `translate(${frame.x}px, ${frame.y}px) scale(${frame.k})`;
    this.#mark(this.#ends);
  }

  #zoom(factor, about = [this.stage.clientWidth / 2, this.stage.clientHeight / 2]) {
    this.#place(zoomed(this.#frame, factor, about, SCALES));
  }

  #mark(ends) {
    this.#ends = ends;
    const at = ends.map((end) => outside(this.#frame, end));
    const line =
      at.length === JAWS && !this.#corners
        ? `<line x1="${at[0][0]}" y1="${at[0][1]}" x2="${at[1][0]}" y2="${at[1][1]}"/>`
        : "";
    this.lines.innerHTML = at.map(([cx, cy]) => `<circle cx="${cx}" cy="${cy}" r="6"/>`).join("") + line;
  }

  async #send(url, more) {
    const [[ax, ay], [bx, by]] = this.#ends;
    return JSON.parse((await post(url, { ax, ay, bx, by, ...more })).text);
  }

  #clicked(target) {
    const opener = target.closest("[data-zoom]");
    const step = target.closest("[data-by]");
    const tool = target.closest("[data-jaws-on]");
    if (opener) this.#open(opener);
    if (step) this.#zoom(Number(step.dataset.by));
    if (tool) this.#measure(tool);
    if (target.closest("[data-read-photo]")) this.#beginToRead();
    if (target.closest("[data-set-scale]")) this.#setScale();
  }

  #open(opener) {
    this.#from = opener;
    this.#ends = [];
    this.#corners = null;
    this.dialog.classList.remove("measures");
    $("[data-jaws-on]", this.dialog)?.setAttribute("aria-pressed", false);
    this.says.textContent = "";
    // A closing dialog gives focus back to the field that had it; by then another one may wait.
    if (document.activeElement?.matches("[data-measure]")) document.activeElement.blur();
    this.image.src = opener.dataset.zoom;
    this.dialog.showModal();
    const { stage, image } = this;
    const fit = () => {
      const k = Math.min(stage.clientWidth / image.naturalWidth, stage.clientHeight / image.naturalHeight);
      const [x, y] = [stage.clientWidth - image.naturalWidth * k, stage.clientHeight - image.naturalHeight * k];
      this.#place({ x: x / 2, y: y / 2, k });
    };
    image.decode().then(fit, fit);
  }

  #beginToRead() {
    this.#corners = JSON.parse(this.#from.dataset.corners);
    this.dialog.classList.toggle("measures", this.#corners.length > 0);
    this.#mark([]);
    this.#nextCorner();
  }

  #nextCorner() {
    const done = this.#ends.length;
    if (done === this.#corners.length) this.#readPhoto();
    else this.says.textContent = `${done + 1} of ${this.#corners.length}: mark the ${this.#corners[done]}`;
  }

  async #readPhoto() {
    this.says.textContent = "reading it…";
    try {
      await post(this.#from.dataset.read, { corners: this.#ends.map((end) => end.join(",")).join(" ") });
      location.reload();
    } catch (error) {
      this.says.textContent = error.message;
      this.dialog.classList.remove("measures");
      this.#mark([]);
      this.#corners = null;
    }
  }

  #measure(tool) {
    this.#corners = null;
    const on = this.dialog.classList.toggle("measures");
    tool.setAttribute("aria-pressed", on);
    this.#mark([]);
    this.ask.hidden = true;
    if (!on) this.says.textContent = "";
    else if (this.#from.dataset.pxMm) this.says.textContent = `pick two points: ${this.numbers?.name ?? ""}`;
    else this.says.textContent = "pick two points of known distance";
  }

  async #closeJaws() {
    if (!this.#from.dataset.pxMm) {
      this.says.textContent = "How far apart are they?";
      this.ask.hidden = false;
      $("input", this.ask).focus();
      return;
    }
    const place = this.numbers?.place;
    try {
      const { number } = await this.#send(this.#from.dataset.calliper, place ? { z: place[0], tool: place[1] } : {});
      this.says.textContent = `${written(number, 2)} mm`;
      this.says.title = this.numbers?.name;
      this.numbers?.take(written(number, 2));
      setTimeout(() => this.#mark([]), SHOWN_MS);
    } catch (error) {
      this.says.textContent = error.message;
      this.#mark([]);
    }
  }

  async #setScale() {
    try {
      const { px_per_mm } = await this.#send(this.#from.dataset.scale, { length: $("input", this.ask).value });
      this.#from.dataset.pxMm = px_per_mm;
      this.ask.hidden = true;
      this.#mark([]);
      this.says.textContent = "scale set; pick two points to measure";
    } catch (error) {
      this.says.textContent = error.message;
    }
  }

  #spot({ clientX, clientY }) {
    const seen = this.stage.getBoundingClientRect();
    return [clientX - seen.left, clientY - seen.top];
  }

  #wheel(event) {
    event.preventDefault();
    this.#zoom(event.deltaY < 0 ? 1.15 : 1 / 1.15, this.#spot(event));
  }

  #down(event) {
    this.#drag = [event.clientX - this.#frame.x, event.clientY - this.#frame.y];
    this.#moved = 0;
    this.stage.setPointerCapture(event.pointerId);
  }

  #move(event) {
    if (!this.#drag) return;
    this.#moved += Math.abs(event.movementX) + Math.abs(event.movementY);
    if (this.#measures && this.#moved < A_DRAG_PX) return;
    const [x, y] = [event.clientX - this.#drag[0], event.clientY - this.#drag[1]];
    this.#place({ x, y, k: this.#frame.k });
  }

  #up(event) {
    this.#drag = null;
    if (!this.#measures || this.#moved >= A_DRAG_PX) return;
    const before = this.#ends.length === JAWS && !this.#corners ? [] : this.#ends;
    this.#mark([...before, inside(this.#frame, this.#spot(event))]);
    if (this.#corners) this.#nextCorner();
    else if (this.#ends.length === JAWS) this.#closeJaws();
  }
}
