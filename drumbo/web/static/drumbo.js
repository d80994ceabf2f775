// What a page needs beside htmx: search by /, the reading by keyboard and thumb, zoom, small conveniences.
(() => {
  "use strict";
  const $ = (s, at = document) => at.querySelector(s);
  const $$ = (s, at = document) => [...at.querySelectorAll(s)];
  const typing = (e) => e.target.closest("input, textarea, select, [contenteditable]");

  document.addEventListener("keydown", (e) => {
    if (e.key === "/" && !typing(e)) { e.preventDefault(); $("#find")?.focus(); }
    if (e.key === "Escape" && e.target.id === "find") { e.target.value = ""; $("#hits").replaceChildren(); e.target.blur(); }
    if (e.key === "Enter" && e.target.id === "find") { const hit = $("#hits a"); if (hit) location.href = hit.href; }
  });
  // The ledger shows the lines that go by the words typed.
  const seek = $("#ledger-find");
  function sift() {
    const words = seek.value.toLowerCase().split(/\s+/).filter(Boolean);
    let any = false;
    for (const table of $$("#ledger [data-group]")) {
      let some = false;
      for (const row of $$("tr[data-words]", table)) {
        const hit = words.every((word) => row.dataset.words.includes(word));
        row.hidden = !hit; row.nextElementSibling.hidden = !hit; some ||= hit;
      }
      table.hidden = table.previousElementSibling.hidden = !some; any ||= some;
    }
    $$("#ledger .set-all").forEach((form) => { form.hidden = words.length > 0; });
    $("#ledger-none").hidden = any;
  }
  // Somebody may have typed before this was there.
  if (seek) { seek.addEventListener("input", sift); if (seek.value) sift(); }
  // The label as it will be, with the code that was picked.
  document.addEventListener("change", (e) => {
    if (e.target.name !== "code" || !e.target.closest("#spool-label")) return;
    const shot = $("#label-shot"), opens = e.target.value === "opens", told = $("#label-local");
    shot.src = `${shot.dataset.label}?code=${e.target.value}`;
    if (told) told.hidden = !opens;
  });
  // What is typed into a field of its own asks the form around it nothing.
  for (const said of ["input", "change"]) document.addEventListener(said, (e) => { if (e.target.matches("[data-own]")) e.stopPropagation(); }, true);
  document.addEventListener("change", (e) => { if (e.target.matches("[data-submit]")) e.target.form.submit(); });
  document.addEventListener("submit", (e) => {
    if (!e.target.matches("[data-goto]")) return;
    e.preventDefault(); location.href = $("select", e.target).value;
  });
  // A file too large to be read is told at once, not after it went over.
  document.addEventListener("change", (e) => {
    if (!e.target.matches("[data-largest]")) return;
    const over = [...e.target.files].some((f) => f.size > Number(e.target.dataset.largest));
    document.getElementById(`${e.target.id}-large`).hidden = !over;
    $("button", e.target.form).disabled = over;
  });
  document.addEventListener("click", (e) => {
    if (e.target.closest("[data-print]")) window.print();
    const opener = e.target.closest("[data-opens]");
    if (opener && opener.getAttribute("aria-expanded") === "true") {
      e.preventDefault(); e.stopImmediatePropagation();
      document.getElementById(opener.getAttribute("aria-controls")).replaceChildren();
      opener.setAttribute("aria-expanded", "false");
    } else if (opener) opener.setAttribute("aria-expanded", "true");
  }, true);

  // Trouble that htmx meets is said in a corner, and what was on the page stays.
  document.addEventListener("htmx:sendError", () => say("Drumbo does not answer. What you see is kept; try again in a moment."));
  document.addEventListener("htmx:responseError", (e) => { if (e.detail.xhr.status >= 500) say("Something went wrong here. Nothing was half saved."); });
  function say(text) {
    const box = document.createElement("div");
    box.className = "note-band warn"; box.setAttribute("role", "alert"); box.textContent = text;
    $("#toasts").replaceChildren(box); setTimeout(() => box.remove(), 8000);
  }

  // A family's usual range fills empty fields of a label, never one that was typed in.
  const label = $("#label-form");
  if (label) {
    const starts = JSON.parse(label.dataset.starts);
    const fill = () => {
      for (const [key, value] of Object.entries(starts[$("#f-family").value] || {})) {
        const input = $(`#f-${key}`);
        if (input && (input.value === "" || input.dataset.filled === input.value)) { input.value = value; input.dataset.filled = String(value); }
      }
    };
    $("#f-family").addEventListener("change", fill); fill();
  }

  // The planner: a part goes up as soon as it is chosen; the address holds what was filled in.
  document.addEventListener("change", (e) => {
    const part = e.target.closest("[data-part-url]");
    if (!part || !part.files.length) return;
    part.form.action = part.dataset.partUrl + location.search; part.form.submit();
  });

  const reading = $("#reading");
  if (reading) startReading(reading);

  function startReading(root) {
    const aspects = JSON.parse(root.dataset.aspects), lies = root.dataset.lies === "1", words = JSON.parse(root.dataset.words);
    const count = Number(root.dataset.steps);
    const open = $$("[data-cell]", root).filter((c) => c.dataset.score === "");
    let step = open.length ? Math.min(...open.map((c) => Number(c.dataset.step))) : 0, aspect = 0;
    const cell = (s, a) => $(`[data-cell][data-step="${s}"][data-aspect="${aspects[a]}"]`, root);

    function show(focus) {
      $$("[data-row]", root).forEach((r) => r.classList.toggle("now", r.dataset.row === String(step)));
      $$(".band", root).forEach((r) => r.classList.toggle("now", r.dataset.step === String(step)));
      $$(".pips", root).forEach((p) => { p.classList.remove("now"); p.tabIndex = -1; });
      const here = cell(step, aspect);
      if (here) { here.classList.add("now"); here.tabIndex = 0; if (focus && here.offsetParent) here.focus({ preventScroll: false }); }
      $$("[data-one]", root).forEach((s) => { s.hidden = s.dataset.one !== String(step); });
      $$(".strip button", root).forEach((b) => {
        const s = b.dataset.jump;
        b.classList.toggle("now", s === String(step)); b.setAttribute("aria-selected", s === String(step));
        b.classList.toggle("full", $$(`[data-cell][data-step="${s}"]`, root).every((c) => c.dataset.score !== ""));
        if (s === String(step) && b.offsetParent) b.scrollIntoView({ block: "nearest", inline: "nearest" });
      });
    }

    function paint(s, key, score) {
      const box = $(`[data-cell][data-step="${s}"][data-aspect="${key}"]`, root);
      box.dataset.score = score ?? "";
      box.classList.toggle("unset", score === null); box.classList.toggle("zero", score === 0);
      box.setAttribute("aria-label", box.getAttribute("aria-label").replace(/: .*/, ": " + (score === null ? "not scored" : `${score}, ${words[key][score]}`)));
      $$(".pip", box).forEach((p) => p.classList.toggle("on", score !== null && score >= Number(p.dataset.n)));
      const said = $(`[data-says="${key}"]`, root);
      if (said) said.textContent = score === null ? "how did it come out?" : words[key][score];
      const big = $(`[data-big][data-step="${s}"][data-aspect="${key}"]`, root);
      $$("button", big).forEach((b) => { const n = Number(b.dataset.n); b.classList.toggle("on", score !== null && score >= n && (n > 0 || score === 0)); });
      if (score !== null) $("[data-said]", big.parentElement).textContent = words[key][score];
    }

    // Scores go out one after the other, in the order in which they were given, and are kept even if the page closes.
    const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
    let chain = Promise.resolve(), waiting = 0;
    function queue(url, body, failed, kept) {
      waiting += 1;
      chain = chain.then(() => post(url, body, kept)).then(
        (page) => { waiting -= 1; if (!waiting) renew(page); },
        (error) => { waiting -= 1; failed(error); });
    }
    function score(s, key, value) {
      const before = $(`[data-cell][data-step="${s}"][data-aspect="${key}"]`, root).dataset.score;
      paint(s, key, value);
      queue(root.dataset.url, { step: s, aspect: key, score: value ?? "" },
        (error) => { paint(s, key, before === "" ? null : Number(before)); say(error.message); });
    }
    function pick(s) {
      const on = $(`[data-pick="${s}"]`, root)?.getAttribute("aria-pressed") === "true";
      const paintPick = (which) => $$("[data-pick]", root).forEach((b) => {
        const here = which !== null && b.dataset.pick === String(which);
        b.classList.toggle("on", here); b.setAttribute("aria-pressed", here);
      });
      paintPick(on ? null : s);
      queue(root.dataset.pickUrl, { step: on ? "" : s }, (error) => { paintPick(on ? s : null); say(error.message); });
    }
    async function post(url, values, kept) {
      const answer = await fetch(url, { method: "POST", body: new URLSearchParams(values), keepalive: true, headers: { "X-CSRFToken": token, "HX-Request": "true" } })
        .catch(() => { throw new Error("Drumbo does not answer; that was not kept. Try it again in a moment."); });
      const text = await answer.text();
      if (!answer.ok) throw new Error(new DOMParser().parseFromString(text, "text/html").body.textContent.trim() || "That was not kept.");
      kept?.(answer);
      return text;
    }
    function renew(page) {
      const fresh = new DOMParser().parseFromString(page, "text/html");
      for (const id of ["verdict", "fit", "spreads", "charts"]) { const part = fresh.getElementById(id); if (part) document.getElementById(id)?.replaceWith(part); }
    }

    // Beginnings: a click says at which step a sign is seen first; it is there from that step on.
    const firstUrl = root.dataset.firstUrl, signs = [...new Set($$("[data-first]", root).map((b) => b.dataset.first))];
    const begun = (key) => { const on = $(`[data-first="${key}"].on`, root); return on ? on.dataset.at : ""; };
    function paintFirst(key, at) {
      $$(`[data-first="${key}"]`, root).forEach((b) => {
        const here = at !== "" && b.dataset.at === String(at);
        b.classList.toggle("on", here); b.setAttribute("aria-pressed", here);
        b.classList.toggle("since", at !== "" && Number(b.dataset.at) > Number(at) && Number(b.dataset.at) < count);
      });
    }
    function begin(key, typed) {
      const before = begun(key), bad = $("#first-bad", root), height = String(typed).endsWith("mm");
      bad.hidden = true;
      if (!height) paintFirst(key, typed);
      queue(firstUrl, { first: key, step: typed }, (error) => { paintFirst(key, before); bad.textContent = error.message; bad.hidden = false; },
        height ? (answer) => paintFirst(key, answer.headers.get("X-Step")) : undefined);
    }
    let row = 0, column = 0;
    function showFirst(focus) {
      $$(".begins", root).forEach((b) => {
        const here = b.dataset.at === String(row) && b.dataset.first === signs[column];
        b.tabIndex = here ? 0 : -1; b.classList.toggle("now", here);
        if (here && focus) b.focus({ preventScroll: false });
      });
      $$(".firsts [data-row]", root).forEach((r) => r.classList.toggle("now", r.dataset.row === String(row)));
      $$(".band", root).forEach((r) => r.classList.toggle("now", r.dataset.step === String(row)));
    }
    if (signs.length) {
      $$(".begins", root).forEach((b) => b.addEventListener("click", () => {
        row = Number(b.dataset.at); column = signs.indexOf(b.dataset.first);
        begin(b.dataset.first, b.classList.contains("on") ? "" : b.dataset.at); showFirst();
      }));
      for (const field of $$("[data-height]", root)) {
        field.addEventListener("keydown", (e) => { if (e.key === "Enter") { e.preventDefault(); field.blur(); } });
        field.addEventListener("change", () => { if (field.value.trim()) begin(field.dataset.height, `${field.value.trim().replace(/\s*mm$/, "")} mm`); field.value = ""; });
      }
      document.addEventListener("keydown", (e) => {
        if (typing(e) || e.metaKey || e.ctrlKey || e.altKey || $("#zoom")?.open) return;
        const move = { ArrowUp: [1, 0], ArrowDown: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] }[e.key];
        const at = (r) => (r < 0 ? count : r > count ? 0 : r);
        if (move) { row = at(row + move[0]); column = Math.max(0, Math.min(signs.length - 1, column + move[1])); }
        else if ((e.key === " " || e.key === "Enter") && !e.target.closest("a, button:not(.begins), select, summary")) { begin(signs[column], String(row)); if (column < signs.length - 1) column += 1; }
        else if (e.key === "Backspace" || e.key === "Delete") begin(signs[column], "");
        else return;
        e.preventDefault(); showFirst(true);
      });
      showFirst();
    }

    // Numbers: a calliper types one and Enter; it is kept, and the next empty field of the same step waits.
    const fields = $$("[data-measure]", root);
    const ordered = $(".rows-grid", root) ? fields : [...fields].sort((a, b) => a.dataset.step - b.dataset.step);
    let waits = ordered.find((f) => f.value === "") || ordered[0];
    function wait(field) {
      waits = field;
      fields.forEach((f) => f.classList.toggle("waits", f === field));
      const jaw = field && `${field.dataset.measure} ${field.dataset.step} ${field.dataset.site}`;
      $$(".jaw", root).forEach((j) => j.classList.toggle("now", j.dataset.jaw === jaw));
    }
    function keepNumber(field) {
      if (field.dataset.kept === field.value) return;
      field.dataset.kept = field.value;
      const bad = field.nextElementSibling;
      bad.hidden = true; field.removeAttribute("aria-invalid");
      const { measure, step: s, site } = field.dataset;
      queue(root.dataset.measureUrl, { measure, step: s, site, number: field.value }, (error) => {
        bad.textContent = error.message; bad.hidden = false; field.setAttribute("aria-invalid", "true"); delete field.dataset.kept;
      });
    }
    function onward(field) {
      const next = ordered.slice(ordered.indexOf(field) + 1).find((f) => f.value === "") || ordered.find((f) => f.value === "");
      if (next) { wait(next); if (next.offsetParent && !$("#zoom")?.open) { next.focus(); } } else field.blur();
    }
    for (const field of fields) {
      field.dataset.kept = field.value;
      field.addEventListener("focus", () => { wait(field); field.select(); });
      field.addEventListener("change", () => keepNumber(field));
      field.addEventListener("keydown", (e) => {
        if (e.key === "Enter") { e.preventDefault(); keepNumber(field); onward(field); }
        // No number has a z in it: the picture opens from a waiting field too.
        if (e.key.toLowerCase() === "z" && !e.metaKey && !e.ctrlKey && !e.altKey) { e.preventDefault(); $("[data-zoom]")?.click(); }
      });
    }
    if (fields.length) { wait(waits); if (waits.value === "" && !aspects.length) waits.focus({ preventScroll: true }); }
    root.addEventListener("drumbo:number", (e) => {
      if (!waits) return;
      waits.value = e.detail; keepNumber(waits); onward(waits);
    });
    root.waitingPlace = () => {
      const jaws = JSON.parse(root.dataset.jaws);
      return waits ? jaws[`${waits.dataset.measure} ${waits.dataset.step} ${waits.dataset.site}`] : undefined;
    };
    root.backToWaiting = () => { if (waits?.offsetParent) waits.focus(); };
    root.waitingName = () => waits?.getAttribute("aria-label") ?? "";

    root.addEventListener("click", (e) => {
      const picked = e.target.closest("[data-pick]");
      if (picked) { step = Number(picked.dataset.pick); pick(step); show(); return; }
      const pip = e.target.closest(".pip"), big = e.target.closest(".bigkeys button"), jump = e.target.closest("[data-jump]"), box = e.target.closest("[data-cell]"), band = e.target.closest(".band");
      if (jump) { step = Number(jump.dataset.jump); show(); if ($("#phone").offsetParent) $("#phone").scrollIntoView({ block: "start" }); return; }
      if (band) { step = Number(band.dataset.step); show(true); return; }
      const holder = pip?.parentElement || big?.parentElement || box;
      if (!holder) return;
      step = Number(holder.dataset.step); aspect = aspects.indexOf(holder.dataset.aspect);
      if (pip || big) {
        const n = Number((pip || big).dataset.n), now = $(`[data-cell][data-step="${step}"][data-aspect="${aspects[aspect]}"]`, root).dataset.score;
        score(step, aspects[aspect], pip && now === String(n) ? n - 1 : n);
      }
      show(!big);
    });

    document.addEventListener("keydown", (e) => {
      if (typing(e) || !aspects.length && e.key.toLowerCase() !== "z" || e.metaKey || e.ctrlKey || e.altKey || $("#zoom")?.open) return;
      const move = (lies
        ? { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }
        : { ArrowUp: [1, 0], ArrowDown: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] })[e.key];
      if (move) {
        step = Math.max(0, Math.min(count - 1, step + move[0]));
        aspect = Math.max(0, Math.min(aspects.length - 1, aspect + move[1]));
      } else if (/^[0-4]$/.test(e.key)) {
        score(step, aspects[aspect], Number(e.key));
        if (aspect < aspects.length - 1) aspect += 1; else if (step < count - 1) { aspect = 0; step += 1; }
      } else if (e.key === "Backspace" || e.key === "Delete") score(step, aspects[aspect], null);
      else if (e.key === "Enter" && !e.target.closest("a, button")) { aspect = 0; step = Math.min(count - 1, step + 1); }
      else if (e.key.toLowerCase() === "p" && root.querySelector("[data-pick]")) pick(step);
      else if (e.key.toLowerCase() === "z") { $("[data-zoom]")?.click(); return; }
      else return;
      e.preventDefault(); show(true);
    });
    show(false);
  }

  // Zoom: wheel, pinch by two buttons, drag to move; and callipers between two points picked.
  const zoom = $("#zoom");
  if (zoom) {
    const image = $("img", zoom), stage = $(".stage", zoom), lines = $(".jaws", zoom), says = $("#calliper"), ask = $(".scale-ask", zoom);
    let x = 0, y = 0, k = 1, drag = null, from = null, ends = [];
    const place = () => { image.style.transform = `translate(${x}px, ${y}px) scale(${k})`; draw(); };
    const by = (f, cx = stage.clientWidth / 2, cy = stage.clientHeight / 2) => {
      const next = Math.max(.2, Math.min(16, k * f));
      x = cx - (cx - x) * next / k; y = cy - (cy - y) * next / k; k = next; place();
    };
    const measures = () => zoom.classList.contains("measures");
    function draw() {
      const at = ends.map(([px, py]) => [px * k + x, py * k + y]);
      lines.innerHTML = at.map(([cx, cy]) => `<circle cx="${cx}" cy="${cy}" r="6"/>`).join("")
        + (at.length === 2 ? `<line x1="${at[0][0]}" y1="${at[0][1]}" x2="${at[1][0]}" y2="${at[1][1]}"/>` : "");
    }
    async function ask_for(url, more) {
      const [[ax, ay], [bx, by_]] = ends;
      const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
      const answer = await fetch(url, { method: "POST", body: new URLSearchParams({ ax, ay, bx, by: by_, ...more }), headers: { "X-CSRFToken": token, "HX-Request": "true" } });
      const text = await answer.text();
      if (!answer.ok) throw new Error(new DOMParser().parseFromString(text, "text/html").body.textContent.trim());
      return JSON.parse(text);
    }
    async function close_jaws() {
      if (!from.dataset.pxMm) { says.textContent = "How far apart are they?"; ask.hidden = false; $("input", ask).focus(); return; }
      const [z, tool] = reading?.waitingPlace?.() ?? [], name = reading?.waitingName?.();
      try {
        const { number } = await ask_for(from.dataset.calliper, z === undefined ? {} : { z, tool });
        says.textContent = `${number.toFixed(2)} mm`; says.title = name;
        reading?.dispatchEvent(new CustomEvent("drumbo:number", { detail: number.toFixed(2) }));
        setTimeout(() => { ends = []; draw(); }, 900);
      } catch (error) { says.textContent = error.message; ends = []; draw(); }
    }
    document.addEventListener("click", (e) => {
      const opener = e.target.closest("[data-zoom]");
      if (opener) {
        from = opener; ends = [];
        // A closing dialog gives focus back to the field that had it; by then another one may wait.
        if (document.activeElement?.matches("[data-measure]")) document.activeElement.blur();
        image.src = from.dataset.zoom; zoom.showModal();
        const fit = () => { k = Math.min(stage.clientWidth / image.naturalWidth, stage.clientHeight / image.naturalHeight); x = (stage.clientWidth - image.naturalWidth * k) / 2; y = 0; place(); };
        image.decode().then(fit, fit);
      }
      const step = e.target.closest("[data-by]");
      if (step) by(Number(step.dataset.by));
      const tool = e.target.closest("[data-jaws-on]");
      if (tool) {
        const on = zoom.classList.toggle("measures");
        tool.setAttribute("aria-pressed", on); ends = []; draw();
        says.textContent = !on ? "" : from.dataset.pxMm ? `pick two points: ${reading?.waitingName?.() ?? ""}` : "pick two points of known distance";
        ask.hidden = true;
      }
      if (e.target.closest("[data-set-scale]")) set_scale();
    });
    async function set_scale() {
      try {
        const { px_per_mm } = await ask_for(from.dataset.scale, { length: $("input", ask).value });
        from.dataset.pxMm = px_per_mm; ask.hidden = true; ends = []; draw();
        says.textContent = "scale set; pick two points to measure";
      } catch (error) { says.textContent = error.message; }
    }
    ask?.addEventListener("keydown", (e) => { if (e.key === "Enter") { e.preventDefault(); set_scale(); } });
    stage.addEventListener("wheel", (e) => { e.preventDefault(); const r = stage.getBoundingClientRect(); by(e.deltaY < 0 ? 1.15 : 1 / 1.15, e.clientX - r.left, e.clientY - r.top); }, { passive: false });
    let moved = 0;
    stage.addEventListener("pointerdown", (e) => { drag = [e.clientX - x, e.clientY - y]; moved = 0; stage.setPointerCapture(e.pointerId); });
    stage.addEventListener("pointermove", (e) => {
      if (!drag) return;
      moved += Math.abs(e.movementX) + Math.abs(e.movementY);
      if (measures() && moved < 5) return;
      x = e.clientX - drag[0]; y = e.clientY - drag[1]; place();
    });
    stage.addEventListener("pointerup", (e) => {
      drag = null;
      if (!measures() || moved >= 5) return;
      const r = stage.getBoundingClientRect();
      if (ends.length === 2) ends = [];
      ends.push([(e.clientX - r.left - x) / k, (e.clientY - r.top - y) / k]); draw();
      if (ends.length === 2) close_jaws();
    });
    zoom.addEventListener("keydown", (e) => { if (e.target.matches("input")) return; if (e.key === "+" || e.key === "=") by(1.25); if (e.key === "-") by(.8); });
    zoom.addEventListener("close", () => { ends = []; draw(); reading?.backToWaiting?.(); });
  }
})();
