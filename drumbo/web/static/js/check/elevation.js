// The whole print from the front and from the side, above the layer that is looked at.
import { $, $$, inks, within, written } from "../dom.js";
import { columnAt, fitted, HANGS, LOOSE, opened, rowAt, rowOf, valueAt } from "./cells.js";
import { tone } from "./columns.js";

const ROOM_PX = 18;
const HEIGHTS = [120, 400];
const SIGN_PX = 14;
const SIGNS = { bad: "✕", odd: "△" };
const INK = inks({ bed: "ink", hangs: "road-1", loose: "mulberry", line: "mulberry", odd: "ochre" });
const UNITS = { flow: "mm³/s", speed: "mm/s", width: "mm wide", nozzle: "°C", fan: "% fan" };
const RAMP = Array.from({ length: 255 }, (_, k) => tone(k / 254));

class SideDrawing {
  data = null;
  #kept = document.createElement("canvas");

  constructor(canvas, legends) {
    this.canvas = canvas;
    this.pen = canvas.getContext("2d");
    this.says = $(".elevation-says", canvas.parentElement);
    this.legends = legends;
  }

  /** Where millimetres are on the canvas: x of 0, y of the bed, pixels a mm. */
  #frame() {
    const { left, right } = this.data;
    const k = this.k;
    return { x: (this.canvas.width - (left + right) * k) / 2, y: this.canvas.height - ROOM_PX, k };
  }

  draw(faults) {
    const { canvas, pen, data } = this;
    const { x, y, k } = this.#frame();
    pen.clearRect(0, 0, canvas.width, canvas.height);
    const cells = this.#picture();
    pen.imageSmoothingEnabled = false;
    const [from, wide] = [x + data.left * k, Math.max((data.right - data.left) * k, 1)];
    for (let row = 0; row < data.rows; row += 1) {
      const [low, high] = [y - data.bottoms[row] * k, y - data.tops[row] * k];
      // A hair more than its own height, so that no line of paper shows between two.
      pen.drawImage(cells, 0, row, data.columns, 1, from, high, wide, low - high + 0.6);
    }
    this.#drawMarks(from, wide, y, k);
    pen.fillStyle = INK.bed;
    pen.fillRect(ROOM_PX / 2, y, canvas.width - ROOM_PX, 2);
    this.#drawFaults(faults, y, k);
    this.#kept.width = canvas.width;
    this.#kept.height = canvas.height;
    this.#kept.getContext("2d").drawImage(canvas, 0, 0);
  }

  #picture() {
    const { rows, columns, shades, named, by } = this.data;
    const cells = document.createElement("canvas");
    cells.width = columns;
    cells.height = rows;
    const pen = cells.getContext("2d");
    const image = pen.createImageData(columns, rows);
    const colours = named ? this.legends[by].tones : null;
    for (let k = 0; k < shades.length; k += 1) {
      if (!shades[k]) continue;
      const [r, g, b] = named ? (colours[shades[k] - 1] ?? [120, 120, 120]) : RAMP[shades[k] - 1];
      image.data.set([r, g, b, 255], 4 * k);
    }
    pen.putImageData(image, 0, 0);
    return cells;
  }

  /** What hangs has a line below it; what begins in the air is framed. */
  #drawMarks(from, wide, y, k) {
    const { pen } = this;
    const { rows, columns, marks, bottoms, tops } = this.data;
    const each = wide / columns;
    for (let row = 0; row < rows; row += 1) {
      for (let column = 0; column < columns; column += 1) {
        const mark = marks[row * columns + column];
        if (!mark) continue;
        const [x, low, high] = [from + column * each, y - bottoms[row] * k, y - tops[row] * k];
        pen.fillStyle = mark & LOOSE ? INK.loose : INK.hangs;
        if (mark & LOOSE) pen.fillRect(x, high - 1, each + 0.5, Math.max(low - high + 2, 3));
        else if (mark & HANGS) pen.fillRect(x, low - 0.5, each + 0.5, 1.5);
      }
    }
  }

  #drawFaults(faults, y, k) {
    const { pen, canvas, data } = this;
    pen.font = "700 13px Atkinson, sans-serif";
    pen.textAlign = "right";
    const taken = [];
    for (const { layer, weight } of faults) {
      const at = y - data.tops[rowOf(data, layer)] * k + 4;
      // What stands at the same height stands beside each other.
      const beside = taken.filter((other) => Math.abs(other - at) < SIGN_PX).length;
      taken.push(at);
      pen.fillStyle = weight === "bad" ? INK.loose : INK.odd;
      pen.fillText(SIGNS[weight] ?? "?", canvas.width - 4 - beside * SIGN_PX, at);
    }
  }

  /** The layer that is looked at. */
  mark(layer) {
    if (!this.data) return;
    const { canvas, pen, data } = this;
    const { y, k } = this.#frame();
    const row = rowOf(data, layer);
    const at = y - ((data.bottoms[row] + data.tops[row]) / 2) * k;
    pen.clearRect(0, 0, canvas.width, canvas.height);
    pen.drawImage(this.#kept, 0, 0);
    pen.strokeStyle = INK.line;
    pen.lineWidth = 1.5;
    pen.setLineDash([6, 4]);
    pen.beginPath();
    pen.moveTo(4, at);
    pen.lineTo(canvas.width - 20, at);
    pen.stroke();
    pen.setLineDash([]);
  }

  /** The layer at a place of the canvas, and what its cell says. */
  at([px, py]) {
    const { x, y, k } = this.#frame();
    const mm = (y - py) / k;
    const row = rowAt(this.data, Math.max(mm, 0));
    const column = columnAt(this.data, (px - x) / k);
    const value = column < 0 || mm > this.data.tops.at(-1) ? null : valueAt(this.data, row, column);
    const { named, by, first, tops } = this.data;
    const told = `layer ${first[row]}, ${written(tops[row], 2)} mm`;
    if (value === null) return { layer: first[row], told };
    const what = named ? this.legends[by].names[value] : `${written(value, value < 10 ? 2 : 0)} ${UNITS[by]}`;
    return { layer: first[row], told: `${told}: ${what}` };
  }
}

/** Colours and names of a legend by number. */
function legendOf(home) {
  const told = { tones: {}, names: {} };
  for (const one of $$("[data-key]", home)) {
    const ink = getComputedStyle(one.firstElementChild).getPropertyValue("--role").trim();
    told.tones[one.dataset.key] = [1, 3, 5].map((k) => Number.parseInt(ink.slice(k, k + 2), 16));
    told.names[one.dataset.key] = one.textContent.trim();
  }
  return told;
}

function listen(home) {
  const slider = $("#layer-at", home);
  const by = $("#layer-by", home);
  const legends = Object.fromEntries($$("[data-legend]", home).map((each) => [each.dataset.legend, legendOf(each)]));
  const drawings = $$("[data-side]", home).map((canvas) => new SideDrawing(canvas, legends));
  const faults = (home.dataset.faults || "")
    .split(" ")
    .filter(Boolean)
    .map((each) => ({ layer: Number(each.split(":")[0]), weight: each.split(":")[1] }));
  let wanted = "";

  async function load() {
    wanted = by.value;
    const asked = wanted;
    try {
      const came = await Promise.all(
        drawings.map(async ({ canvas }) => {
          const url = home.dataset.elevation.replace("SIDE", canvas.dataset.side).replace("BY", asked);
          const answer = await fetch(url);
          if (!answer.ok) throw new Error(answer.status);
          return opened(await answer.json());
        }),
      );
      if (asked !== wanted) return;
      const { k, height } = fitted(came, drawings[0].canvas.width, HEIGHTS, ROOM_PX);
      drawings.forEach((drawing, n) => {
        drawing.data = came[n];
        if (drawing.canvas.height !== height) drawing.canvas.height = height;
        drawing.k = k;
        drawing.draw(faults);
        drawing.mark(Number(slider.value));
        drawing.canvas.dataset.drawn = asked;
      });
    } catch {
      for (const { says } of drawings) says.textContent = "did not come; check the file again";
    }
  }

  function go(layer) {
    slider.value = within(layer, 1, Number(slider.max));
    slider.dispatchEvent(new Event("input", { bubbles: true }));
  }

  for (const drawing of drawings) {
    const { canvas, says } = drawing;
    const spot = (event) => [
      (event.offsetX * canvas.width) / canvas.clientWidth,
      (event.offsetY * canvas.height) / canvas.clientHeight,
    ];
    canvas.addEventListener("pointermove", (event) => {
      if (!drawing.data) return;
      const here = drawing.at(spot(event));
      says.textContent = here.told;
      if (event.buttons === 1 && event.pointerType === "mouse") go(here.layer);
    });
    canvas.addEventListener("pointerleave", () => {
      says.textContent = "";
    });
    canvas.addEventListener("click", (event) => {
      if (!drawing.data) return;
      const here = drawing.at(spot(event));
      says.textContent = here.told;
      go(here.layer);
    });
    canvas.addEventListener("keydown", (event) => {
      const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
      if (!by || event.ctrlKey || event.metaKey) return;
      event.preventDefault();
      go(Number(slider.value) + by);
    });
  }
  by.addEventListener("change", load);
  home.addEventListener("layer-shown", ({ detail }) => {
    for (const drawing of drawings) drawing.mark(detail);
  });
  load();
}

const home = $("#layer");
if (home) listen(home);
