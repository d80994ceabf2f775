// The Print leaf while its print goes on: asks every two seconds, and draws what it is told.
import { $, $$, written } from "../dom.js";
import { underWay } from "../press.js";
import { split, whole } from "./course.js";
import { frame, path, recent, SIZE, spanSays } from "./strip.js";
import { listen, tell } from "./tell.js";

const EVERY_MS = 2000;
const SOON_MS = 700;
const CAMERA_MS = 10_000;
const FIRST_LOOK_MS = 4000;
const ANSWERS_MS = 15_000;
const OVER = "over";

const home = $("#live");
const title = document.title.replace(/^[^·]*· /, "");
let told = JSON.parse(home.dataset.told);
let heats = JSON.parse(home.dataset.heats ?? "[]");

const degrees = (heat) => (heat === null || heat === undefined ? "–" : String(Math.round(heat)));

/** What stands where, as text, and behind it what it is out of. */
function texts({ name, percent, says, left, message, nozzle, bed, fan, flow, height, layer, layers, resin }) {
  const target = (of) => (of && of[1] !== null && of[1] !== undefined ? ` / ${degrees(of[1])}` : "");
  return {
    shown: {
      name,
      percent: Math.round(percent),
      says: says ?? "",
      left: left ?? "",
      message: message ?? "",
      nozzle: degrees(nozzle?.[0]),
      bed: degrees(bed?.[0]),
      fan: fan ?? "–",
      flow: typeof flow === "number" ? written(flow, 1) : "–",
      height: typeof height === "number" ? written(height, 2) : "–",
      layers: layer ?? "–",
      resin: resin ?? "–",
    },
    of: { nozzle: target(nozzle), bed: target(bed), layers: layers ? ` of ${layers}` : "" },
  };
}

function write() {
  const { shown, of } = texts(told);
  for (const [key, text] of Object.entries(shown)) {
    for (const place of $$(`[data-live="${key}"]`, home))
      if (place.textContent !== String(text)) place.textContent = text;
  }
  for (const [key, text] of Object.entries(of))
    for (const place of $$(`[data-of="${key}"]`, home)) place.textContent = text;
  const band = $('[data-live="message"]', home);
  band.hidden = !told.message;
  const bar = $(".bar", home);
  bar.setAttribute("aria-valuenow", shown.percent);
  $("i", bar).style.width = `${told.percent}%`;
  const left = told.left ? ` · ${told.left}` : "";
  document.title = `${told.state === "paused" ? "Waiting for you" : `${shown.percent} %${left}`} · ${title}`;
}

/** The piece as far as it stands, and the step that is being made. One that lies is shown by its lines alone. */
function fill() {
  const veil = $("#to-come", home);
  const line = $("#front-line", home);
  for (const band of $$(".piece .band", home)) band.classList.toggle("now", Number(band.dataset.step) === told.step);
  for (const piece of $$("[data-turn]", home)) {
    const turn = Number(piece.dataset.turn);
    piece.classList.toggle("printed", told.printed?.includes(turn) ?? false);
    piece.classList.toggle("to-come", told.to_come?.includes(turn) ?? true);
  }
  if (!line) return;
  const top = Number(veil.getAttribute("y"));
  const high = told.height ?? (-top * (told.layer ?? 0)) / (told.layers || 1);
  veil.setAttribute("height", Math.max(-high - top, 0));
  line.setAttribute("transform", `translate(0 ${-high})`);
}

const layers = new Map();

/** A layer's lines; the last few are kept. */
async function linesOf(layer) {
  if (!layer) return null;
  if (!layers.has(layer)) {
    const answer = await fetch(home.dataset.layers.replace(/0$/, layer));
    if (!answer.ok) return null;
    layers.set(layer, await answer.json());
    for (const old of [...layers.keys()].slice(0, -3)) layers.delete(old);
  }
  return layers.get(layer);
}

async function drawLayer() {
  const drawing = $("#layer-lines", home);
  if (!drawing || !told.line) return;
  const below = layers.get(told.layer - 1);
  const lines = await linesOf(told.layer);
  if (!lines) return;
  const { laid, toLay, head } = split(lines, told.line);
  $(".below", drawing).setAttribute("d", below ? whole(below) : "");
  $(".to-lay", drawing).setAttribute("d", toLay);
  $(".laid", drawing).setAttribute("d", laid);
  const dot = $(".head", drawing);
  dot.setAttribute("visibility", head ? "visible" : "hidden");
  if (head) {
    dot.setAttribute("cx", head[0]);
    dot.setAttribute("cy", head[1]);
  }
  home.dataset.drawn = told.layer;
}

function drawHeats() {
  const strip = $(".heat-strip svg", home);
  if (!strip || heats.length < 2) return;
  const where = frame(heats);
  for (const [k, name] of ["nozzle", "nozzle-target", "bed", "bed-target"].entries()) {
    $(`path.${name}`, strip).setAttribute("d", path(heats, k + 1, where));
  }
  $(".grid", strip).innerHTML = where.grid
    .map((heat) => {
      const y = where.y(heat).toFixed(1);
      return `<path d="M${SIZE.left} ${y}H${SIZE.width}"/><text x="${SIZE.left - 5}" y="${y}">${heat}</text>`;
    })
    .join("");
  $('[data-live="span"]', home).textContent = spanSays(where.span);
}

function show() {
  write();
  fill();
  drawHeats();
  drawLayer();
}

function keepHeat() {
  if (!told.nozzle || (heats.length && told.at <= heats.at(-1)[0])) return;
  heats.push([told.at, told.nozzle[0], told.nozzle[1] ?? null, told.bed?.[0] ?? null, told.bed?.[1] ?? null]);
  heats = recent(heats);
}

/** One question at a time; and none more once the page is to come anew, or it would be asked for again and again. */
let asking = false;
let leaving = false;

/** Another state has other buttons, so the page comes anew; first somebody is told who is not looking. */
function turned(next) {
  leaving = true;
  const what = home.dataset.what;
  if (next.state === OVER && next.ended) tell(`${next.ended}: ${what}.`);
  if (next.state === "paused") tell(`The printer waits for you: ${what}.`);
  location.reload();
}

async function answered() {
  const answer = await fetch(home.dataset.url, { signal: AbortSignal.timeout(ANSWERS_MS) }).catch(() => null);
  return answer?.ok ? answer.json().catch(() => null) : null;
}

async function ask() {
  if (asking || leaving) return;
  asking = true;
  const next = await answered();
  asking = false;
  // Nothing moves away from under a finger; another question soon follows.
  if (!next || underWay()) return;
  if (next.state !== told.state) {
    turned(next);
    return;
  }
  told = next;
  if (told.percent === undefined) return;
  keepHeat();
  show();
}

/** The camera's latest picture, as long as somebody looks. One that does not come leaves the last. */
function look() {
  const camera = $("#live-camera", home);
  if (!camera || document.hidden) return;
  const next = new Image();
  next.addEventListener("load", () => {
    camera.src = next.src;
    camera.hidden = false;
  });
  next.src = `${camera.dataset.src}?${Date.now()}`;
}

if (told.percent !== undefined) {
  // Not at once: whoever only comes by needs no picture.
  setTimeout(look, FIRST_LOOK_MS);
  setInterval(look, CAMERA_MS);
  const button = $("#tell-me", home);
  if (button) listen(button);
  keepHeat();
  show();
}
// What was just pressed shows soon.
setTimeout(ask, SOON_MS);
setInterval(ask, EVERY_MS);
