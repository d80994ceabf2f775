// One layer of a checked file, drawn to scale. The server sends columns; what is drawn and pointed at is here.
(() => {
  const box = document.querySelector("#layer");
  if (!box) return;
  const $ = (id) => document.getElementById(id);
  const canvas = $("layer-drawing"),
    pen = canvas.getContext("2d");
  const kept = document.createElement("canvas");
  // Lightness rises evenly from dark to pale, so that more looks like more to every eye.
  const STOPS = [
    [38, 24, 58],
    [112, 30, 84],
    [178, 70, 74],
    [219, 135, 72],
    [236, 199, 118],
    [250, 240, 205],
  ];
  const POINT = "Point at a road: its line stands here.";
  const COLOUR = Object.fromEntries(
    [...box.querySelectorAll("[data-role]")].map((e) => [
      e.dataset.role,
      getComputedStyle(e.firstElementChild).getPropertyValue("--role").trim(),
    ]),
  );
  const SAYS = Object.fromEntries(
    [...box.querySelectorAll("[data-role]")].map((e) => [e.dataset.role, e.textContent.trim()]),
  );
  const NEAREST = 400,
    AIR = 5;
  let data = null,
    place = null,
    whole = 1,
    nearer = false,
    wanted = 1,
    busy = false,
    waiting = false;

  function shade(share) {
    const at = Math.max(0, Math.min(0.9999, share)) * (STOPS.length - 1),
      k = Math.floor(at),
      part = at - k;
    return `rgb(${STOPS[k].map((c, i) => Math.round(c + (STOPS[k + 1][i] - c) * part)).join(",")})`;
  }

  function ends(values) {
    const seen = values.filter((_, k) => data.laid[k]).sort((a, b) => a - b);
    if (!seen.length) return [0, 1];
    const low = seen[Math.floor(seen.length * 0.01)],
      high = seen[Math.ceil(seen.length * 0.99) - 1];
    // What hardly differs is not painted as if it did.
    const least = Math.max(0.06 * Math.abs(high), 0.02),
      middle = (low + high) / 2;
    return high - low > least ? [low, high] : [middle - least / 2, middle + least / 2];
  }

  function fit() {
    let x0 = Infinity,
      x1 = -Infinity,
      y0 = Infinity,
      y1 = -Infinity;
    data.laid.forEach((laid, k) => {
      if (!laid) return;
      x0 = Math.min(x0, data.x0[k], data.x1[k]);
      x1 = Math.max(x1, data.x0[k], data.x1[k]);
      y0 = Math.min(y0, data.y0[k], data.y1[k]);
      y1 = Math.max(y1, data.y0[k], data.y1[k]);
    });
    const room = 16,
      scale = Math.min(
        (canvas.width - 2 * room) / Math.max(x1 - x0, 1),
        (canvas.height - 2 * room) / Math.max(y1 - y0, 1),
        40,
      );
    whole = scale;
    if (!nearer)
      put(
        scale,
        (canvas.width - scale * (x1 - x0)) / 2 - scale * x0,
        (canvas.height + scale * (y1 - y0)) / 2 + scale * y0,
      );
  }

  function put(scale, left, low) {
    place = { scale, left, low, x: (v) => left + scale * v, y: (v) => low - scale * v };
  }

  // Zoom about a place of the canvas, which stays where it is.
  function zoom(factor, x = canvas.width / 2, y = canvas.height / 2) {
    const scale = Math.min(place.scale * factor, NEAREST);
    nearer = scale > whole * 1.001;
    if (nearer) put(scale, x - (scale * (x - place.left)) / place.scale, y + (scale * (place.low - y)) / place.scale);
    else fit();
    soon();
  }

  function shift(x, y) {
    if (!nearer) return;
    put(place.scale, place.left + x, place.low + y);
    soon();
  }

  function soon() {
    canvas.classList.toggle("nearer", nearer);
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => {
      waiting = false;
      draw();
    });
  }

  function draw() {
    const name = $("layer-by").value,
      named = name === "role",
      by = data[name],
      [low, high] = ends(by),
      travels = $("layer-travels").checked;
    pen.clearRect(0, 0, canvas.width, canvas.height);
    pen.lineCap = named ? "butt" : "round";
    for (let k = 0; k < data.line.length; k += 1) {
      if (!data.laid[k] && !travels) continue;
      const ax = place.x(data.x0[k]),
        ay = place.y(data.y0[k]),
        bx = place.x(data.x1[k]),
        by_ = place.y(data.y1[k]);
      if (
        Math.max(ax, bx) < -40 ||
        Math.min(ax, bx) > canvas.width + 40 ||
        Math.max(ay, by_) < -40 ||
        Math.min(ay, by_) > canvas.height + 40
      )
        continue;
      pen.strokeStyle = !data.laid[k]
        ? "rgba(90,96,120,.55)"
        : named
          ? COLOUR[by[k]]
          : shade((by[k] - low) / (high - low));
      pen.lineWidth = data.laid[k] ? Math.max(0.8, data.width[k] * place.scale * 0.86) : 0.8;
      pen.setLineDash(!data.laid[k] ? [3, 3] : named && by[k] === AIR ? [Math.max(4, pen.lineWidth), 2] : []);
      pen.beginPath();
      pen.moveTo(ax, ay);
      pen.lineTo(bx, by_);
      pen.stroke();
    }
    pen.setLineDash([]);
    ruler();
    kept.width = canvas.width;
    kept.height = canvas.height;
    kept.getContext("2d").drawImage(canvas, 0, 0);
    const digits = high - low < 2 ? 2 : 1;
    $("layer-low").textContent = low.toFixed(digits);
    $("layer-high").textContent = high.toFixed(digits);
    $("layer-ramp").hidden = named;
    $("layer-ramp").classList.toggle("d-flex", !named);
    $("layer-roles").hidden = !named;
    $("layer-roles").classList.toggle("d-flex", named);
  }

  function ruler() {
    const most = canvas.width / 6 / place.scale,
      power = 10 ** Math.floor(Math.log10(most)),
      long = [5, 2, 1].map((n) => n * power).find((n) => n <= most);
    const x = 18,
      y = canvas.height - 16,
      wide = long * place.scale;
    pen.strokeStyle = pen.fillStyle = "#2a2530";
    pen.lineWidth = 1.5;
    pen.beginPath();
    pen.moveTo(x, y - 5);
    pen.lineTo(x, y);
    pen.lineTo(x + wide, y);
    pen.lineTo(x + wide, y - 5);
    pen.stroke();
    pen.font = "15px 'Atkinson Mono', monospace";
    pen.fillText(`${long} mm`, x + wide + 8, y + 1);
  }

  function mark(k) {
    pen.clearRect(0, 0, canvas.width, canvas.height);
    pen.drawImage(kept, 0, 0);
    if (k < 0) return;
    pen.strokeStyle = "#22303f";
    pen.lineWidth = 3;
    pen.beginPath();
    pen.moveTo(place.x(data.x0[k]), place.y(data.y0[k]));
    pen.lineTo(place.x(data.x1[k]), place.y(data.y1[k]));
    pen.stroke();
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
      $("layer-says").textContent =
        `Layer ${wanted} did not come. Is Drumbo still running? If it is, check the file again.`;
      return;
    } finally {
      busy = false;
    }
    $("layer-says").textContent = POINT;
    const cut = data.left_out ? `, ${data.left_out} more moves are not drawn` : "";
    $("layer-top").textContent = ` ${data.top.toFixed(2)} mm high${cut}`;
    box.dataset.drawn = data.layer;
    fit();
    draw();
  }

  function near(x, y) {
    let best = -1,
      least = 9;
    for (let k = 0; k < data.line.length; k += 1) {
      if (!data.laid[k] && !$("layer-travels").checked) continue;
      const ax = place.x(data.x0[k]),
        ay = place.y(data.y0[k]),
        bx = place.x(data.x1[k]) - ax,
        by = place.y(data.y1[k]) - ay;
      const along = Math.max(0, Math.min(1, ((x - ax) * bx + (y - ay) * by) / (bx * bx + by * by || 1)));
      const away = Math.hypot(ax + along * bx - x, ay + along * by - y);
      if (away < least) {
        least = away;
        best = k;
      }
    }
    return best;
  }

  function point(e) {
    if (!data || !place) return;
    const k = near(...spot(e));
    mark(k);
    $("layer-says").textContent =
      k < 0
        ? POINT
        : data.laid[k]
          ? `line ${data.line[k]}: ${data.flow[k].toFixed(1)} mm³/s, ${data.speed[k].toFixed(0)} mm/s, ${data.width[k].toFixed(2)} mm wide, ${data.nozzle[k].toFixed(0)} °C, ${SAYS[data.role[k]]}`
          : `line ${data.line[k]}: travel, ${data.speed[k].toFixed(0)} mm/s`;
  }

  const spot = (e) => [
    (e.offsetX * canvas.width) / canvas.clientWidth,
    (e.offsetY * canvas.height) / canvas.clientHeight,
  ];
  const fingers = new Map();
  canvas.addEventListener("pointerdown", (e) => {
    fingers.set(e.pointerId, spot(e));
    if (nearer) canvas.setPointerCapture(e.pointerId);
    point(e);
  });
  canvas.addEventListener("pointermove", (e) => {
    if (!data || !place) return;
    const before = fingers.get(e.pointerId),
      now = spot(e);
    if (!before) {
      point(e);
      return;
    }
    fingers.set(e.pointerId, now);
    if (fingers.size === 2) {
      const [other] = [...fingers].filter(([id]) => id !== e.pointerId).map(([, at]) => at);
      const span = (at) => Math.max(Math.hypot(at[0] - other[0], at[1] - other[1]), 1);
      zoom(span(now) / span(before), (now[0] + other[0]) / 2, (now[1] + other[1]) / 2);
    } else if (nearer) shift(now[0] - before[0], now[1] - before[1]);
  });
  for (const way of ["pointerup", "pointercancel", "pointerleave"])
    canvas.addEventListener(way, (e) => fingers.delete(e.pointerId));
  canvas.addEventListener("pointerleave", () => {
    if (data) mark(-1);
  });
  canvas.addEventListener(
    "wheel",
    (e) => {
      // The page scrolls as ever, until somebody has come nearer or holds Ctrl, as a pinch on a touchpad does.
      if (!data || !(nearer || e.ctrlKey)) return;
      e.preventDefault();
      zoom(Math.exp(-e.deltaY / 400), ...spot(e));
    },
    { passive: false },
  );
  canvas.addEventListener("dblclick", (e) => {
    if (data) zoom(2.5, ...spot(e));
  });
  const toWhole = () => {
    nearer = false;
    fit();
    soon();
  };
  canvas.addEventListener("keydown", (e) => {
    const step = canvas.width / 12,
      does = {
        "+": () => zoom(1.6),
        "=": () => zoom(1.6),
        "-": () => zoom(1 / 1.6),
        0: toWhole,
        ArrowLeft: () => shift(step, 0),
        ArrowRight: () => shift(-step, 0),
        ArrowUp: () => shift(0, step),
        ArrowDown: () => shift(0, -step),
      }[e.key];
    if (!data || !does || e.ctrlKey || e.metaKey || (e.key.startsWith("Arrow") && !nearer)) return;
    e.preventDefault();
    does();
  });
  box.addEventListener("click", (e) => {
    const way = data && e.target.closest("[data-zoom]")?.dataset.zoom;
    if (way) ({ in: () => zoom(1.6), out: () => zoom(1 / 1.6), whole: toWhole })[way]();
  });
  $("layer-at").addEventListener("input", (e) => load(Number(e.target.value)));
  for (const id of ["layer-by", "layer-travels"])
    $(id).addEventListener("change", () => {
      if (data) draw();
    });
  document.addEventListener("click", (e) => {
    const to = e.target.closest("[data-layer]");
    if (to) {
      $("layer-at").value = to.dataset.layer;
      load(Number(to.dataset.layer));
    }
  });
  load(1);
})();
