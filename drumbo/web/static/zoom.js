// A picture, close: wheel and buttons, drag to move; and callipers between two points picked.
(() => {
  "use strict";
  const { $ } = drumbo,
    zoom = $("#zoom"),
    reading = $("#reading");
  const image = $("img", zoom),
    stage = $(".stage", zoom),
    lines = $(".jaws", zoom),
    says = $("#calliper"),
    ask = $(".scale-ask", zoom);
  let x = 0,
    y = 0,
    k = 1,
    drag = null,
    from = null,
    ends = [];
  const place = () => {
    image.style.transform = `translate(${x}px, ${y}px) scale(${k})`;
    draw();
  };
  const by = (f, cx = stage.clientWidth / 2, cy = stage.clientHeight / 2) => {
    const next = Math.max(0.2, Math.min(16, k * f));
    x = cx - ((cx - x) * next) / k;
    y = cy - ((cy - y) * next) / k;
    k = next;
    place();
  };
  const measures = () => zoom.classList.contains("measures");
  function draw() {
    const at = ends.map(([px, py]) => [px * k + x, py * k + y]);
    lines.innerHTML =
      at.map(([cx, cy]) => `<circle cx="${cx}" cy="${cy}" r="6"/>`).join("") +
      (at.length === 2 ? `<line x1="${at[0][0]}" y1="${at[0][1]}" x2="${at[1][0]}" y2="${at[1][1]}"/>` : "");
  }
  async function ask_for(url, more) {
    const [[ax, ay], [bx, by_]] = ends;
    const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
    const answer = await fetch(url, {
      method: "POST",
      body: new URLSearchParams({ ax, ay, bx, by: by_, ...more }),
      headers: { "X-CSRFToken": token, "HX-Request": "true" },
    });
    const text = await answer.text();
    if (!answer.ok) throw new Error(new DOMParser().parseFromString(text, "text/html").body.textContent.trim());
    return JSON.parse(text);
  }
  async function close_jaws() {
    if (!from.dataset.pxMm) {
      says.textContent = "How far apart are they?";
      ask.hidden = false;
      $("input", ask).focus();
      return;
    }
    const [z, tool] = reading?.waitingPlace?.() ?? [],
      name = reading?.waitingName?.();
    try {
      const { number } = await ask_for(from.dataset.calliper, z === undefined ? {} : { z, tool });
      says.textContent = `${number.toFixed(2)} mm`;
      says.title = name;
      reading?.dispatchEvent(new CustomEvent("drumbo:number", { detail: number.toFixed(2) }));
      setTimeout(() => {
        ends = [];
        draw();
      }, 900);
    } catch (error) {
      says.textContent = error.message;
      ends = [];
      draw();
    }
  }
  document.addEventListener("click", (e) => {
    const opener = e.target.closest("[data-zoom]");
    if (opener) {
      from = opener;
      ends = [];
      // A closing dialog gives focus back to the field that had it; by then another one may wait.
      if (document.activeElement?.matches("[data-measure]")) document.activeElement.blur();
      image.src = from.dataset.zoom;
      zoom.showModal();
      const fit = () => {
        k = Math.min(stage.clientWidth / image.naturalWidth, stage.clientHeight / image.naturalHeight);
        x = (stage.clientWidth - image.naturalWidth * k) / 2;
        y = 0;
        place();
      };
      image.decode().then(fit, fit);
    }
    const step = e.target.closest("[data-by]");
    if (step) by(Number(step.dataset.by));
    const tool = e.target.closest("[data-jaws-on]");
    if (tool) {
      const on = zoom.classList.toggle("measures");
      tool.setAttribute("aria-pressed", on);
      ends = [];
      draw();
      says.textContent = !on
        ? ""
        : from.dataset.pxMm
          ? `pick two points: ${reading?.waitingName?.() ?? ""}`
          : "pick two points of known distance";
      ask.hidden = true;
    }
    if (e.target.closest("[data-set-scale]")) set_scale();
  });
  async function set_scale() {
    try {
      const { px_per_mm } = await ask_for(from.dataset.scale, { length: $("input", ask).value });
      from.dataset.pxMm = px_per_mm;
      ask.hidden = true;
      ends = [];
      draw();
      says.textContent = "scale set; pick two points to measure";
    } catch (error) {
      says.textContent = error.message;
    }
  }
  ask?.addEventListener("keydown", (e) => {
    if (e.key === "Enter") {
      e.preventDefault();
      set_scale();
    }
  });
  stage.addEventListener(
    "wheel",
    (e) => {
      e.preventDefault();
      const r = stage.getBoundingClientRect();
      by(e.deltaY < 0 ? 1.15 : 1 / 1.15, e.clientX - r.left, e.clientY - r.top);
    },
    { passive: false },
  );
  let moved = 0;
  stage.addEventListener("pointerdown", (e) => {
    drag = [e.clientX - x, e.clientY - y];
    moved = 0;
    stage.setPointerCapture(e.pointerId);
  });
  stage.addEventListener("pointermove", (e) => {
    if (!drag) return;
    moved += Math.abs(e.movementX) + Math.abs(e.movementY);
    if (measures() && moved < 5) return;
    x = e.clientX - drag[0];
    y = e.clientY - drag[1];
    place();
  });
  stage.addEventListener("pointerup", (e) => {
    drag = null;
    if (!measures() || moved >= 5) return;
    const r = stage.getBoundingClientRect();
    if (ends.length === 2) ends = [];
    ends.push([(e.clientX - r.left - x) / k, (e.clientY - r.top - y) / k]);
    draw();
    if (ends.length === 2) close_jaws();
  });
  zoom.addEventListener("keydown", (e) => {
    if (e.target.matches("input")) return;
    if (e.key === "+" || e.key === "=") by(1.25);
    if (e.key === "-") by(0.8);
  });
  zoom.addEventListener("close", () => {
    ends = [];
    draw();
    reading?.backToWaiting?.();
  });
})();
