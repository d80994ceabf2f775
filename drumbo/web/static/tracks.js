// A stretch of a checked file is drawn over its strips; the form beside them then asks for it.
(() => {
  const LEFT = 56,
    WIDE = 1080;
  let from = null;

  const parts = (target) => {
    const room = target.closest?.(".tracks-in");
    return (
      room && {
        room,
        box: room.closest("#strips"),
        band: room.querySelector(".stretch"),
        form: document.querySelector("#tracks form"),
      }
    );
  };
  const share = (room, x) => {
    const seen = room.getBoundingClientRect(),
      left = LEFT / WIDE;
    return Math.max(0, Math.min(1, ((x - seen.left) / seen.width - left) / (1 - left)));
  };

  function ask(form, low, high) {
    form.elements.from.value = low;
    form.elements.to.value = high;
    form.requestSubmit();
  }

  // Minutes are no millimetres: along something else, what was typed before means nothing.
  document.addEventListener(
    "change",
    (e) => {
      if (e.target.name !== "along") return;
      const { from: first, to: last } = e.target.form.elements;
      first.value = last.value = "";
    },
    true,
  );
  document.addEventListener("pointerdown", (e) => {
    const at = e.button === 0 && e.pointerType !== "touch" && parts(e.target);
    if (at) {
      from = { ...at, share: share(at.room, e.clientX) };
      e.preventDefault();
    }
  });
  document.addEventListener("pointermove", (e) => {
    if (!from) return;
    const to = share(from.room, e.clientX),
      left = LEFT / WIDE,
      [a, b] = [Math.min(from.share, to), Math.max(from.share, to)];
    from.band.hidden = b - a < 0.004;
    from.band.style.left = `${100 * (left + (1 - left) * a)}%`;
    from.band.style.width = `${100 * (1 - left) * (b - a)}%`;
  });
  document.addEventListener("pointerup", (e) => {
    if (!from) return;
    const { box, form, room, share: begun } = from,
      ended = share(room, e.clientX);
    from.band.hidden = true;
    from = null;
    const [a, b] = [Math.min(begun, ended), Math.max(begun, ended)],
      low = Number(box.dataset.low),
      wide = Number(box.dataset.high) - low;
    if (b - a < 0.004) return;
    const digits = Math.max(1, Math.ceil(2 - Math.log10(wide * (b - a))));
    ask(form, (low + wide * a).toFixed(Math.min(digits, 4)), (low + wide * b).toFixed(Math.min(digits, 4)));
  });
  document.addEventListener("dblclick", (e) => {
    const at = parts(e.target);
    if (at) ask(at.form, "", "");
  });
  document.addEventListener("click", (e) => {
    if (e.target.closest("[data-whole]")) ask(document.querySelector("#tracks form"), "", "");
  });
})();
