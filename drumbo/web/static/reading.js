// Reading a trial: scores by keyboard and thumb, beginnings, numbers that a calliper types.
(() => {
  "use strict";
  const { $, $$, typing, say } = drumbo,
    root = $("#reading");
  const aspects = JSON.parse(root.dataset.aspects),
    lies = root.dataset.lies === "1",
    words = JSON.parse(root.dataset.words);
  const count = Number(root.dataset.steps);
  const open = $$("[data-cell]", root).filter((c) => c.dataset.score === "");
  let step = open.length ? Math.min(...open.map((c) => Number(c.dataset.step))) : 0,
    aspect = 0;
  const cell = (s, a) => $(`[data-cell][data-step="${s}"][data-aspect="${aspects[a]}"]`, root);

  function show(focus) {
    $$("[data-row]", root).forEach((r) => r.classList.toggle("now", r.dataset.row === String(step)));
    $$(".band", root).forEach((r) => r.classList.toggle("now", r.dataset.step === String(step)));
    $$(".pips", root).forEach((p) => {
      p.classList.remove("now");
      p.tabIndex = -1;
    });
    const here = cell(step, aspect);
    if (here) {
      here.classList.add("now");
      here.tabIndex = 0;
      if (focus && here.offsetParent) here.focus({ preventScroll: false });
    }
    $$("[data-one]", root).forEach((s) => {
      s.hidden = s.dataset.one !== String(step);
    });
    $$(".strip button", root).forEach((b) => {
      const s = b.dataset.jump;
      b.classList.toggle("now", s === String(step));
      b.setAttribute("aria-selected", s === String(step));
      b.classList.toggle(
        "full",
        $$(`[data-cell][data-step="${s}"]`, root).every((c) => c.dataset.score !== ""),
      );
      if (s === String(step) && b.offsetParent) b.scrollIntoView({ block: "nearest", inline: "nearest" });
    });
  }

  function paint(s, key, score) {
    const box = $(`[data-cell][data-step="${s}"][data-aspect="${key}"]`, root);
    box.dataset.score = score ?? "";
    box.classList.toggle("unset", score === null);
    box.classList.toggle("zero", score === 0);
    box.setAttribute(
      "aria-label",
      box
        .getAttribute("aria-label")
        .replace(/: .*/, ": " + (score === null ? "not scored" : `${score}, ${words[key][score]}`)),
    );
    $$(".pip", box).forEach((p) => p.classList.toggle("on", score !== null && score >= Number(p.dataset.n)));
    const said = $(`[data-says="${key}"]`, root);
    if (said) said.textContent = score === null ? "how did it come out?" : words[key][score];
    const big = $(`[data-big][data-step="${s}"][data-aspect="${key}"]`, root);
    $$("button", big).forEach((b) => {
      const n = Number(b.dataset.n);
      b.classList.toggle("on", score !== null && score >= n && (n > 0 || score === 0));
    });
    if (score !== null) $("[data-said]", big.parentElement).textContent = words[key][score];
  }

  // Scores go out one after the other, in the order in which they were given, and are kept even if the page closes.
  const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
  let chain = Promise.resolve(),
    waiting = 0;
  function queue(url, body, failed, kept) {
    waiting += 1;
    chain = chain
      .then(() => post(url, body, kept))
      .then(
        (page) => {
          waiting -= 1;
          if (!waiting) renew(page);
        },
        (error) => {
          waiting -= 1;
          failed(error);
        },
      );
  }
  function score(s, key, value) {
    const before = $(`[data-cell][data-step="${s}"][data-aspect="${key}"]`, root).dataset.score;
    paint(s, key, value);
    queue(root.dataset.url, { step: s, aspect: key, score: value ?? "" }, (error) => {
      paint(s, key, before === "" ? null : Number(before));
      say(error.message);
    });
  }
  function pick(s) {
    const on = $(`[data-pick="${s}"]`, root)?.getAttribute("aria-pressed") === "true";
    const paintPick = (which) =>
      $$("[data-pick]", root).forEach((b) => {
        const here = which !== null && b.dataset.pick === String(which);
        b.classList.toggle("on", here);
        b.setAttribute("aria-pressed", here);
      });
    paintPick(on ? null : s);
    queue(root.dataset.pickUrl, { step: on ? "" : s }, (error) => {
      paintPick(on ? s : null);
      say(error.message);
    });
  }
  async function post(url, values, kept) {
    const answer = await fetch(url, {
      method: "POST",
      body: new URLSearchParams(values),
      keepalive: true,
      headers: { "X-CSRFToken": token, "HX-Request": "true" },
    }).catch(() => {
      throw new Error("Drumbo does not answer; that was not kept. Try it again in a moment.");
    });
    const text = await answer.text();
    if (!answer.ok)
      throw new Error(
        new DOMParser().parseFromString(text, "text/html").body.textContent.trim() || "That was not kept.",
      );
    kept?.(answer);
    return text;
  }
  function renew(page) {
    const fresh = new DOMParser().parseFromString(page, "text/html");
    for (const id of ["leaves", "verdict", "fit", "spreads", "charts"]) {
      const part = fresh.getElementById(id);
      if (part) document.getElementById(id)?.replaceWith(part);
    }
  }

  // Beginnings: a click says at which step a sign is seen first; it is there from that step on.
  const firstUrl = root.dataset.firstUrl,
    signs = [...new Set($$("[data-first]", root).map((b) => b.dataset.first))];
  const begun = (key) => {
    const on = $(`[data-first="${key}"].on`, root);
    return on ? on.dataset.at : "";
  };
  function paintFirst(key, at) {
    $$(`[data-first="${key}"]`, root).forEach((b) => {
      const here = at !== "" && b.dataset.at === String(at);
      b.classList.toggle("on", here);
      b.setAttribute("aria-pressed", here);
      b.classList.toggle("since", at !== "" && Number(b.dataset.at) > Number(at) && Number(b.dataset.at) < count);
    });
  }
  function begin(key, typed) {
    const before = begun(key),
      bad = $("#first-bad", root),
      height = String(typed).endsWith("mm");
    bad.hidden = true;
    if (!height) paintFirst(key, typed);
    queue(
      firstUrl,
      { first: key, step: typed },
      (error) => {
        paintFirst(key, before);
        bad.textContent = error.message;
        bad.hidden = false;
      },
      height ? (answer) => paintFirst(key, answer.headers.get("X-Step")) : undefined,
    );
  }
  let row = 0,
    column = 0;
  function showFirst(focus) {
    $$(".begins", root).forEach((b) => {
      const here = b.dataset.at === String(row) && b.dataset.first === signs[column];
      b.tabIndex = here ? 0 : -1;
      b.classList.toggle("now", here);
      if (here && focus) b.focus({ preventScroll: false });
    });
    $$(".firsts [data-row]", root).forEach((r) => r.classList.toggle("now", r.dataset.row === String(row)));
    $$(".band", root).forEach((r) => r.classList.toggle("now", r.dataset.step === String(row)));
  }
  if (signs.length) {
    $$(".begins", root).forEach((b) =>
      b.addEventListener("click", () => {
        row = Number(b.dataset.at);
        column = signs.indexOf(b.dataset.first);
        begin(b.dataset.first, b.classList.contains("on") ? "" : b.dataset.at);
        showFirst();
      }),
    );
    for (const field of $$("[data-height]", root)) {
      field.addEventListener("keydown", (e) => {
        if (e.key === "Enter") {
          e.preventDefault();
          field.blur();
        }
      });
      field.addEventListener("change", () => {
        if (field.value.trim()) begin(field.dataset.height, `${field.value.trim().replace(/\s*mm$/, "")} mm`);
        field.value = "";
      });
    }
    document.addEventListener("keydown", (e) => {
      if (typing(e) || e.metaKey || e.ctrlKey || e.altKey || $("#zoom")?.open) return;
      const move = { ArrowUp: [1, 0], ArrowDown: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] }[e.key];
      const at = (r) => (r < 0 ? count : r > count ? 0 : r);
      if (move) {
        row = at(row + move[0]);
        column = Math.max(0, Math.min(signs.length - 1, column + move[1]));
      } else if ((e.key === " " || e.key === "Enter") && !e.target.closest("a, button:not(.begins), select, summary")) {
        begin(signs[column], String(row));
        if (column < signs.length - 1) column += 1;
      } else if (e.key === "Backspace" || e.key === "Delete") begin(signs[column], "");
      else return;
      e.preventDefault();
      showFirst(true);
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
    bad.hidden = true;
    field.removeAttribute("aria-invalid");
    const { measure, step: s, site } = field.dataset;
    queue(root.dataset.measureUrl, { measure, step: s, site, number: field.value }, (error) => {
      bad.textContent = error.message;
      bad.hidden = false;
      field.setAttribute("aria-invalid", "true");
      delete field.dataset.kept;
    });
  }
  function onward(field) {
    const next =
      ordered.slice(ordered.indexOf(field) + 1).find((f) => f.value === "") || ordered.find((f) => f.value === "");
    if (next) {
      wait(next);
      if (next.offsetParent && !$("#zoom")?.open) {
        next.focus();
      }
    } else field.blur();
  }
  for (const field of fields) {
    field.dataset.kept = field.value;
    field.addEventListener("focus", () => {
      wait(field);
      field.select();
    });
    field.addEventListener("change", () => keepNumber(field));
    field.addEventListener("keydown", (e) => {
      if (e.key === "Enter") {
        e.preventDefault();
        keepNumber(field);
        onward(field);
      }
      // No number has a z in it: the picture opens from a waiting field too.
      if (e.key.toLowerCase() === "z" && !e.metaKey && !e.ctrlKey && !e.altKey) {
        e.preventDefault();
        $("[data-zoom]")?.click();
      }
    });
  }
  if (fields.length) {
    wait(waits);
    if (waits.value === "" && !aspects.length) waits.focus({ preventScroll: true });
  }
  root.addEventListener("drumbo:number", (e) => {
    if (!waits) return;
    waits.value = e.detail;
    keepNumber(waits);
    onward(waits);
  });
  root.waitingPlace = () => {
    const jaws = JSON.parse(root.dataset.jaws);
    return waits ? jaws[`${waits.dataset.measure} ${waits.dataset.step} ${waits.dataset.site}`] : undefined;
  };
  root.backToWaiting = () => {
    if (waits?.offsetParent) waits.focus();
  };
  root.waitingName = () => waits?.getAttribute("aria-label") ?? "";

  root.addEventListener("click", (e) => {
    const picked = e.target.closest("[data-pick]");
    if (picked) {
      step = Number(picked.dataset.pick);
      pick(step);
      show();
      return;
    }
    const pip = e.target.closest(".pip"),
      big = e.target.closest(".bigkeys button"),
      jump = e.target.closest("[data-jump]"),
      box = e.target.closest("[data-cell]"),
      band = e.target.closest(".band");
    if (jump) {
      step = Number(jump.dataset.jump);
      show();
      if ($("#phone").offsetParent) $("#phone").scrollIntoView({ block: "start" });
      return;
    }
    if (band) {
      step = Number(band.dataset.step);
      show(true);
      return;
    }
    const holder = pip?.parentElement || big?.parentElement || box;
    if (!holder) return;
    step = Number(holder.dataset.step);
    aspect = aspects.indexOf(holder.dataset.aspect);
    if (pip || big) {
      const n = Number((pip || big).dataset.n),
        now = $(`[data-cell][data-step="${step}"][data-aspect="${aspects[aspect]}"]`, root).dataset.score;
      score(step, aspects[aspect], pip && now === String(n) ? n - 1 : n);
    }
    show(!big);
  });

  document.addEventListener("keydown", (e) => {
    if (
      typing(e) ||
      (!aspects.length && e.key.toLowerCase() !== "z") ||
      e.metaKey ||
      e.ctrlKey ||
      e.altKey ||
      $("#zoom")?.open
    )
      return;
    const move = (
      lies
        ? { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowDown: [0, 1], ArrowUp: [0, -1] }
        : { ArrowUp: [1, 0], ArrowDown: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] }
    )[e.key];
    if (move) {
      step = Math.max(0, Math.min(count - 1, step + move[0]));
      aspect = Math.max(0, Math.min(aspects.length - 1, aspect + move[1]));
    } else if (/^[0-4]$/.test(e.key)) {
      score(step, aspects[aspect], Number(e.key));
      if (aspect < aspects.length - 1) aspect += 1;
      else if (step < count - 1) {
        aspect = 0;
        step += 1;
      }
    } else if (e.key === "Backspace" || e.key === "Delete") score(step, aspects[aspect], null);
    else if (e.key === "Enter" && !e.target.closest("a, button")) {
      aspect = 0;
      step = Math.min(count - 1, step + 1);
    } else if (e.key.toLowerCase() === "p" && root.querySelector("[data-pick]")) pick(step);
    else if (e.key.toLowerCase() === "z") {
      $("[data-zoom]")?.click();
      return;
    } else return;
    e.preventDefault();
    show(true);
  });
  show(false);
})();
