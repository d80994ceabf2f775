// A button that is pressed while the page is still being read does its work once the page listens. Runs before anything shows.
(() => {
  let pressed = null;
  const hold = (e) => {
    const at = e.target.closest("button");
    if (!at) return;
    e.preventDefault();
    e.stopImmediatePropagation();
    pressed = at;
  };
  document.addEventListener("click", hold, true);
  // A moment later, as the other scripts wait for the same event.
  document.addEventListener("DOMContentLoaded", () =>
    setTimeout(() => {
      document.removeEventListener("click", hold, true);
      pressed?.click();
    }),
  );
})();
