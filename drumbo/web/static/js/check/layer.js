// One layer of a checked file, drawn to scale. The server sends columns; what is drawn and pointed at is here.
import { $, $$, inks, written } from "../dom.js";
import { inside, whole, zoomed } from "../frame.js";
import { box, ends, nearest, rulerLength, shade } from "./columns.js";

const POINT = "Point at a line: where it stands in the file is said here.";
const ROOM_PX = 16;
const WIDEST = 40;
const NEAREST = 400;
const REACH_PX = 9;
const BEYOND_PX = 40;
const UNSUPPORTED = 5;
const STEP = 1.6;
const INK = inks({ travel: "ink-3", ruler: "ink", mark: "ink" });

/** Colours and names by number. */
class Legend {
  constructor(entries) {
    const all = (of) => Object.fromEntries(entries.map((one) => [one.dataset.key, of(one)]));
    this.colours = all((one) => getComputedStyle(one.firstElementChild).getPropertyValue("--role").trim());
    this.names = all((one) => one.textContent.trim());
  }
}

class LayerDrawing {
  #data = null;
  #frame = null;
  #whole = 1;
  #nearer = false;
  #drawsSoon = false;
  #kept = document.createElement("canvas");

  constructor(home) {
    this.home = home;
    this.canvas = $("#layer-drawing", home);
    this.pen = this.canvas.getContext("2d");
    this.says = $("#layer-says", home);
    this.by = $("#layer-by", home);
    this.travels = $("#layer-travels", home);
    this.legends = Object.fromEntries(
      $$("[data-legend]", home).map((each) => [each.dataset.legend, new Legend($$("[data-key]", each))]),
    );
  }

  get shown() {
    return this.#data;
  }

  get nearer() {
    return this.#nearer;
  }

  show(data) {
    this.#data = data;
    this.says.textContent = POINT;
    this.home.dataset.drawn = data.layer;
    this.#fit();
    this.draw();
  }

  #fit() {
    const all = whole(this.canvas, box(this.#data), { room: ROOM_PX, most: WIDEST });
    this.#whole = all.k;
    if (!this.#nearer) this.#frame = all;
  }

  /** About a place of the canvas, which stays where it is. */
  zoom(factor, about = [this.canvas.width / 2, this.canvas.height / 2]) {
    const next = zoomed(this.#frame, factor, about, [0, NEAREST]);
    this.#nearer = next.k > this.#whole * 1.001;
    if (this.#nearer) this.#frame = next;
    else this.#fit();
    this.#soon();
  }

  shift(dx, dy) {
    if (!this.#nearer) return;
    const { x, y, k } = this.#frame;
    this.#frame = { x: x + dx, y: y + dy, k };
    this.#soon();
  }

  toWhole() {
    this.#nearer = false;
    this.#fit();
    this.#soon();
  }

  #soon() {
    this.canvas.classList.toggle("nearer", this.#nearer);
    if (this.#drawsSoon) return;
    this.#drawsSoon = true;
    requestAnimationFrame(() => {
      this.#drawsSoon = false;
      this.draw();
    });
  }

  /** Both ends of a move on the canvas. */
  #ends(k) {
    const { x, y, k: scale } = this.#frame;
    const { x0, y0, x1, y1 } = this.#data;
    return [x + scale * x0[k], y - scale * y0[k], x + scale * x1[k], y - scale * y1[k]];
  }

  #outside([ax, ay, bx, by]) {
    const { width, height } = this.canvas;
    return (
      Math.max(ax, bx) < -BEYOND_PX ||
      Math.min(ax, bx) > width + BEYOND_PX ||
      Math.max(ay, by) < -BEYOND_PX ||
      Math.min(ay, by) > height + BEYOND_PX
    );
  }

  draw() {
    const { canvas, pen } = this;
    const column = this.#data[this.by.value];
    const named = this.legends[this.by.value];
    const range = ends(column, this.#data.laid);
    pen.clearRect(0, 0, canvas.width, canvas.height);
    pen.lineCap = named ? "butt" : "round";
    for (let k = 0; k < this.#data.line.length; k += 1) {
      if (this.#data.laid[k]) this.#drawLaid(k, column[k], named, range);
      else if (this.travels.checked) this.#drawTravel(k);
    }
    pen.setLineDash([]);
    this.#drawRuler();
    this.#kept.width = canvas.width;
    this.#kept.height = canvas.height;
    this.#kept.getContext("2d").drawImage(canvas, 0, 0);
    this.#showLegend(named, range);
  }

  #drawLaid(k, value, named, [low, high]) {
    const { pen } = this;
    pen.strokeStyle = named ? named.colours[value] : shade((value - low) / (high - low));
    pen.lineWidth = Math.max(0.8, this.#data.width[k] * this.#frame.k * 0.86);
    pen.setLineDash(this.by.value === "role" && value === UNSUPPORTED ? [Math.max(4, pen.lineWidth), 2] : []);
    this.#stroke(k);
  }

  #drawTravel(k) {
    this.pen.strokeStyle = INK.travel;
    this.pen.lineWidth = 0.8;
    this.pen.setLineDash([3, 3]);
    this.#stroke(k);
  }

  #stroke(k) {
    const at = this.#ends(k);
    if (this.#outside(at)) return;
    this.pen.beginPath();
    this.pen.moveTo(at[0], at[1]);
    this.pen.lineTo(at[2], at[3]);
    this.pen.stroke();
  }

  #showLegend(named, [low, high]) {
    const digits = high - low < 2 ? 2 : 1;
    $("#layer-low").textContent = written(low, digits);
    $("#layer-high").textContent = written(high, digits);
    for (const legend of [$("#layer-ramp"), ...$$("[data-legend]", this.home)]) {
      const shown = named ? legend.dataset.legend === this.by.value : !legend.dataset.legend;
      legend.hidden = !shown;
      legend.classList.toggle("d-flex", shown);
    }
  }

  #drawRuler() {
    const { pen, canvas } = this;
    const length = rulerLength(canvas.width / 6 / this.#frame.k);
    const [x, y, wide] = [18, canvas.height - 16, length * this.#frame.k];
    pen.strokeStyle = pen.fillStyle = INK.ruler;
    pen.lineWidth = 1.5;
    pen.beginPath();
    pen.moveTo(x, y - 5);
    pen.lineTo(x, y);
    pen.lineTo(x + wide, y);
    pen.lineTo(x + wide, y - 5);
    pen.stroke();
    pen.font = "15px 'Atkinson Mono', monospace";
    pen.fillText(`${length} mm`, x + wide + 8, y + 1);
  }

  mark(k) {
    if (!this.#data) return;
    this.pen.clearRect(0, 0, this.canvas.width, this.canvas.height);
    this.pen.drawImage(this.#kept, 0, 0);
    if (k < 0) return;
    this.pen.strokeStyle = INK.mark;
    this.pen.lineWidth = 3;
    this.#stroke(k);
  }

  /** The move at a place of the canvas: marked, and said. */
  point(spot) {
    if (!this.#data) return;
    const [x, y] = inside(this.#frame, spot);
    const k = nearest(this.#data, [x, -y], REACH_PX / this.#frame.k, this.travels.checked);
    this.mark(k);
    this.says.textContent = this.#told(k);
  }

  #told(k) {
    if (k < 0) return POINT;
    const { line, laid, flow, speed, width, nozzle, role } = this.#data;
    const moves = `${written(speed[k], 0)} mm/s`;
    if (!laid[k]) return `line ${line[k]}: travel, ${moves}`;
    const how = `${written(flow[k], 1)} mm³/s, ${moves}, ${written(width[k], 2)} mm wide, ${written(nozzle[k], 0)} °C`;
    return `line ${line[k]}: ${how}, ${this.legends.role.names[role[k]]}`;
  }
}

/** Ask for a layer; while one is on its way, only the newest wish is kept. */
function loader(home, drawing) {
  let wanted = 1;
  let busy = false;
  return async (number) => {
    wanted = number;
    $("#layer-no").textContent = number;
    if (busy) return;
    busy = true;
    try {
      let data = drawing.shown;
      while (data?.layer !== wanted) {
        const answer = await fetch(home.dataset.url.replace("/layers/0", `/layers/${wanted}`));
        if (!answer.ok) throw new Error(answer.status);
        data = await answer.json();
      }
      const cut = data.left_out ? `, ${data.left_out} more moves are not drawn` : "";
      $("#layer-top").textContent = ` ${written(data.top, 2)} mm high${cut}`;
      drawing.show(data);
      home.dispatchEvent(new CustomEvent("layer-shown", { detail: data.layer }));
    } catch {
      drawing.says.textContent = `Layer ${wanted} did not come. Is Drumbo still running? If it is, check the file again.`;
    } finally {
      busy = false;
    }
  };
}

function listenToPointers(drawing) {
  const { canvas } = drawing;
  const fingers = new Map();
  const spot = (event) => [
    (event.offsetX * canvas.width) / canvas.clientWidth,
    (event.offsetY * canvas.height) / canvas.clientHeight,
  ];
  canvas.addEventListener("pointerdown", (event) => {
    fingers.set(event.pointerId, spot(event));
    if (drawing.nearer) canvas.setPointerCapture(event.pointerId);
    drawing.point(spot(event));
  });
  canvas.addEventListener("pointermove", (event) => {
    if (!drawing.shown) return;
    const before = fingers.get(event.pointerId);
    const now = spot(event);
    if (!before) {
      drawing.point(now);
      return;
    }
    fingers.set(event.pointerId, now);
    if (fingers.size === 2) {
      const [[, other]] = [...fingers].filter(([id]) => id !== event.pointerId);
      const span = (at) => Math.max(Math.hypot(at[0] - other[0], at[1] - other[1]), 1);
      drawing.zoom(span(now) / span(before), [(now[0] + other[0]) / 2, (now[1] + other[1]) / 2]);
    } else drawing.shift(now[0] - before[0], now[1] - before[1]);
  });
  for (const way of ["pointerup", "pointercancel", "pointerleave"]) {
    canvas.addEventListener(way, (event) => fingers.delete(event.pointerId));
  }
  canvas.addEventListener("pointerleave", () => drawing.mark(-1));
  canvas.addEventListener(
    "wheel",
    (event) => {
      // The page scrolls as ever, until somebody has come nearer or holds Ctrl, as a pinch on a touchpad does.
      if (!drawing.shown || !(drawing.nearer || event.ctrlKey)) return;
      event.preventDefault();
      drawing.zoom(Math.exp(-event.deltaY / 400), spot(event));
    },
    { passive: false },
  );
  canvas.addEventListener("dblclick", (event) => {
    if (drawing.shown) drawing.zoom(2.5, spot(event));
  });
}

function listenToKeys(drawing) {
  const step = drawing.canvas.width / 12;
  const does = {
    "+": () => drawing.zoom(STEP),
    "=": () => drawing.zoom(STEP),
    "-": () => drawing.zoom(1 / STEP),
    0: () => drawing.toWhole(),
    ArrowLeft: () => drawing.shift(step, 0),
    ArrowRight: () => drawing.shift(-step, 0),
    ArrowUp: () => drawing.shift(0, step),
    ArrowDown: () => drawing.shift(0, -step),
  };
  drawing.canvas.addEventListener("keydown", (event) => {
    const scrolls = event.key.startsWith("Arrow") && !drawing.nearer;
    if (!drawing.shown || !does[event.key] || event.ctrlKey || event.metaKey || scrolls) return;
    event.preventDefault();
    does[event.key]();
  });
  const buttons = { in: does["+"], out: does["-"], whole: does[0] };
  drawing.home.addEventListener("click", (event) => {
    const way = event.target.closest("[data-zoom]")?.dataset.zoom;
    if (drawing.shown && way) buttons[way]();
  });
}

function listen(home) {
  const drawing = new LayerDrawing(home);
  const load = loader(home, drawing);
  const slider = $("#layer-at");
  listenToPointers(drawing);
  listenToKeys(drawing);
  slider.addEventListener("input", () => load(Number(slider.value)));
  for (const choice of [drawing.by, drawing.travels]) {
    choice.addEventListener("change", () => {
      if (drawing.shown) drawing.draw();
    });
  }
  document.addEventListener("click", (event) => {
    const to = event.target.closest("[data-layer]");
    if (!to) return;
    slider.value = to.dataset.layer;
    load(Number(to.dataset.layer));
  });
  load(1);
}

const home = $("#layer");
if (home) listen(home);
