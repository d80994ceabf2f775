// One layer of a checked file, drawn to scale. The server sends columns; what is drawn and pointed at is here.
(() => {
  const box = document.querySelector("#layer");
  if (!box) return;
  const $ = (id) => document.getElementById(id);
  const canvas = $("layer-drawing"), pen = canvas.getContext("2d");
  const kept = document.createElement("canvas");
  // Lightness rises evenly from dark to pale, so that more looks like more to every eye.
  const STOPS = [[38, 24, 58], [112, 30, 84], [178, 70, 74], [219, 135, 72], [236, 199, 118], [250, 240, 205]];
  const POINT = "Point at a road: its line stands here.";
  let data = null, place = null, wanted = 1, busy = false;

  function shade(share) {
    const at = Math.max(0, Math.min(0.9999, share)) * (STOPS.length - 1), k = Math.floor(at), part = at - k;
    return `rgb(${STOPS[k].map((c, i) => Math.round(c + (STOPS[k + 1][i] - c) * part)).join(",")})`;
  }

  function ends(values) {
    const seen = values.filter((_, k) => data.laid[k]).sort((a, b) => a - b);
    if (!seen.length) return [0, 1];
    const low = seen[Math.floor(seen.length * 0.01)], high = seen[Math.ceil(seen.length * 0.99) - 1];
    return high > low ? [low, high] : [low - 0.5, high + 0.5];
  }

  function fit() {
    let x0 = Infinity, x1 = -Infinity, y0 = Infinity, y1 = -Infinity;
    data.laid.forEach((laid, k) => {
      if (!laid) return;
      x0 = Math.min(x0, data.x0[k], data.x1[k]); x1 = Math.max(x1, data.x0[k], data.x1[k]);
      y0 = Math.min(y0, data.y0[k], data.y1[k]); y1 = Math.max(y1, data.y0[k], data.y1[k]);
    });
    const room = 16, scale = Math.min((canvas.width - 2 * room) / Math.max(x1 - x0, 1), (canvas.height - 2 * room) / Math.max(y1 - y0, 1), 40);
    const left = (canvas.width - scale * (x1 - x0)) / 2 - scale * x0, low = (canvas.height + scale * (y1 - y0)) / 2 + scale * y0;
    place = { scale, x: (v) => left + scale * v, y: (v) => low - scale * v };
  }

  function draw() {
    const by = data[$("layer-by").value], [low, high] = ends(by), travels = $("layer-travels").checked;
    pen.clearRect(0, 0, canvas.width, canvas.height);
    pen.lineCap = "round";
    for (let k = 0; k < data.line.length; k += 1) {
      if (!data.laid[k] && !travels) continue;
      pen.strokeStyle = data.laid[k] ? shade((by[k] - low) / (high - low)) : "rgba(90,96,120,.55)";
      pen.lineWidth = data.laid[k] ? Math.max(0.8, data.width[k] * place.scale * 0.86) : 0.8;
      pen.setLineDash(data.laid[k] ? [] : [3, 3]);
      pen.beginPath(); pen.moveTo(place.x(data.x0[k]), place.y(data.y0[k])); pen.lineTo(place.x(data.x1[k]), place.y(data.y1[k])); pen.stroke();
    }
    pen.setLineDash([]);
    kept.width = canvas.width; kept.height = canvas.height;
    kept.getContext("2d").drawImage(canvas, 0, 0);
    const digits = high - low < 2 ? 2 : 1;
    $("layer-low").textContent = low.toFixed(digits); $("layer-high").textContent = high.toFixed(digits);
  }

  function mark(k) {
    pen.clearRect(0, 0, canvas.width, canvas.height);
    pen.drawImage(kept, 0, 0);
    if (k < 0) return;
    pen.strokeStyle = "#22303f"; pen.lineWidth = 3;
    pen.beginPath(); pen.moveTo(place.x(data.x0[k]), place.y(data.y0[k])); pen.lineTo(place.x(data.x1[k]), place.y(data.y1[k])); pen.stroke();
  }

  async function load(number) {
    wanted = number;
    $("layer-no").textContent = number;
    if (busy) return;
    busy = true;
    try {
      while (!data || data.layer !== wanted) {
        const answer = await fetch(box.dataset.url.replace("/layers/0", `/layers/${wanted}`));
        if (!answer.ok) throw new Error(answer.status);
        data = await answer.json();
      }
    } catch {
      $("layer-says").textContent = `Layer ${wanted} did not come. Is Drumbo still running? If it is, check the file again.`;
      return;
    } finally {
      busy = false;
    }
    $("layer-says").textContent = POINT;
    const cut = data.left_out ? `, ${data.left_out} more moves are not drawn` : "";
    $("layer-top").textContent = ` ${data.top.toFixed(2)} mm high${cut}`;
    box.dataset.drawn = data.layer;
    fit(); draw();
  }

  function near(x, y) {
    let best = -1, least = 9;
    for (let k = 0; k < data.line.length; k += 1) {
      if (!data.laid[k] && !$("layer-travels").checked) continue;
      const ax = place.x(data.x0[k]), ay = place.y(data.y0[k]), bx = place.x(data.x1[k]) - ax, by = place.y(data.y1[k]) - ay;
      const along = Math.max(0, Math.min(1, ((x - ax) * bx + (y - ay) * by) / (bx * bx + by * by || 1)));
      const away = Math.hypot(ax + along * bx - x, ay + along * by - y);
      if (away < least) { least = away; best = k; }
    }
    return best;
  }

  function point(e) {
    if (!data || !place) return;
    const k = near(e.offsetX * canvas.width / canvas.clientWidth, e.offsetY * canvas.height / canvas.clientHeight);
    mark(k);
    $("layer-says").textContent = k < 0 ? POINT : data.laid[k]
      ? `line ${data.line[k]}: ${data.flow[k].toFixed(1)} mm³/s, ${data.speed[k].toFixed(0)} mm/s, ${data.width[k].toFixed(2)} mm wide, ${data.nozzle[k].toFixed(0)} °C`
      : `line ${data.line[k]}: travel, ${data.speed[k].toFixed(0)} mm/s`;
  }
  for (const way of ["pointermove", "pointerdown"]) canvas.addEventListener(way, point);
  canvas.addEventListener("pointerleave", () => { if (data) mark(-1); });
  $("layer-at").addEventListener("input", (e) => load(Number(e.target.value)));
  for (const id of ["layer-by", "layer-travels"]) $(id).addEventListener("change", () => { if (data) draw(); });
  document.addEventListener("click", (e) => {
    const to = e.target.closest("[data-layer]");
    if (to) { $("layer-at").value = to.dataset.layer; load(Number(to.dataset.layer)); }
  });
  load(1);
})();
