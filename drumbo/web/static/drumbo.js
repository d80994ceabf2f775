// What every page needs beside htmx: search by /, forms that follow what is typed, trouble said in a corner.
(() => {
  "use strict";
  const $ = (s, at = document) => at.querySelector(s);
  const $$ = (s, at = document) => [...at.querySelectorAll(s)];
  const typing = (e) => e.target.closest("input, textarea, select, [contenteditable]");

  document.addEventListener("keydown", (e) => {
    if (e.key === "/" && !typing(e)) {
      e.preventDefault();
      $("#find")?.focus();
    }
    if (e.key === "Escape" && e.target.id === "find") {
      e.target.value = "";
      $("#hits").replaceChildren();
      e.target.blur();
    }
    if (e.key === "Enter" && e.target.id === "find") {
      const hit = $("#hits a");
      if (hit) location.href = hit.href;
    }
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
        row.hidden = !hit;
        row.nextElementSibling.hidden = !hit;
        some ||= hit;
      }
      table.hidden = table.previousElementSibling.hidden = !some;
      any ||= some;
    }
    $$("#ledger .set-all").forEach((form) => {
      form.hidden = words.length > 0;
    });
    $("#ledger-none").hidden = any;
  }
  // Somebody may have typed before this was there.
  if (seek) {
    seek.addEventListener("input", sift);
    if (seek.value) sift();
  }
  // The label as it will be, with the code that was picked.
  document.addEventListener("change", (e) => {
    if (e.target.name !== "code" || !e.target.closest("#spool-label")) return;
    const shot = $("#label-shot"),
      opens = e.target.value === "opens",
      told = $("#label-local");
    shot.src = `${shot.dataset.label}?code=${e.target.value}`;
    if (told) told.hidden = !opens;
  });
  // What is typed into a field of its own asks the form around it nothing.
  for (const said of ["input", "change"])
    document.addEventListener(
      said,
      (e) => {
        if (e.target.matches("[data-own]")) e.stopPropagation();
      },
      true,
    );
  document.addEventListener("change", (e) => {
    if (e.target.matches("[data-submit]")) e.target.form.submit();
  });
  document.addEventListener("submit", (e) => {
    if (!e.target.matches("[data-goto]")) return;
    e.preventDefault();
    location.href = $("select", e.target).value;
  });
  // A file too large to be read is told at once, not after it went over.
  document.addEventListener("change", (e) => {
    if (!e.target.matches("[data-largest]")) return;
    const over = [...e.target.files].some((f) => f.size > Number(e.target.dataset.largest));
    document.getElementById(`${e.target.id}-large`).hidden = !over;
    $("button", e.target.form).disabled = over;
  });
  document.addEventListener(
    "click",
    (e) => {
      if (e.target.closest("[data-print]")) window.print();
      const fill = e.target.closest("[data-fill]");
      if (fill)
        for (const [key, value] of new URLSearchParams(fill.dataset.fill)) {
          const field = document.getElementById(`f-${key}`);
          if (field) {
            field.value = value;
            field.dispatchEvent(new Event("input", { bubbles: true }));
          }
        }
      const opener = e.target.closest("[data-opens]");
      if (opener && opener.getAttribute("aria-expanded") === "true") {
        e.preventDefault();
        e.stopImmediatePropagation();
        document.getElementById(opener.getAttribute("aria-controls")).replaceChildren();
        opener.setAttribute("aria-expanded", "false");
      } else if (opener) opener.setAttribute("aria-expanded", "true");
    },
    true,
  );

  // Trouble that htmx meets is said in a corner, and what was on the page stays.
  document.addEventListener("htmx:sendError", () =>
    say("Drumbo does not answer. What you see is kept; try again in a moment."),
  );
  document.addEventListener("htmx:responseError", (e) => {
    if (e.detail.xhr.status >= 500) say("Something went wrong here. Nothing was half saved.");
  });
  function say(text) {
    const box = document.createElement("div");
    box.className = "note-band warn";
    box.setAttribute("role", "alert");
    box.textContent = text;
    $("#toasts").replaceChildren(box);
    setTimeout(() => box.remove(), 8000);
  }

  // A family's usual range fills empty fields of a label, never one that was typed in.
  const label = $("#label-form");
  if (label) {
    const starts = JSON.parse(label.dataset.starts);
    const fill = () => {
      for (const [key, value] of Object.entries(starts[$("#f-family").value] || {})) {
        const input = $(`#f-${key}`);
        if (input && (input.value === "" || input.dataset.filled === input.value)) {
          input.value = value;
          input.dataset.filled = String(value);
        }
      }
    };
    $("#f-family").addEventListener("change", fill);
    fill();
  }

  // The planner: a part goes up as soon as it is chosen; the address holds what was filled in.
  document.addEventListener("change", (e) => {
    const part = e.target.closest("[data-part-url]");
    if (!part || !part.files.length) return;
    part.form.action = part.dataset.partUrl + location.search;
    part.form.submit();
  });

  window.drumbo = { $, $$, typing, say };
})();
