// What is pressed while the page is still being read is done once the page listens. Loaded before anything is shown.
(() => {
  let pressed = null;
  const hold = (e) => {
    const at = e.target.closest("button, [hx-get], [hx-post]");
    if (!at) return;
    e.preventDefault(); e.stopImmediatePropagation();
    pressed = at;
  };
  document.addEventListener("click", hold, true);
  // A moment later, as the other scripts wait for the same event.
  document.addEventListener("DOMContentLoaded", () => setTimeout(() => {
    document.removeEventListener("click", hold, true);
    pressed?.click();
  }));
})();
