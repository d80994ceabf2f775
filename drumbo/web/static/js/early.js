// Light or dark as the system is, unless somebody has chosen; paper is always light.
(() => {
  const page = document.documentElement;
  const dark = matchMedia("(prefers-color-scheme: dark)");
  const dress = () => {
    page.dataset.bsTheme = page.dataset.theme || (dark.matches ? "dark" : "light");
  };
  dress();
  dark.addEventListener("change", dress);
  addEventListener("beforeprint", () => {
    page.dataset.bsTheme = "light";
  });
  addEventListener("afterprint", dress);
})();

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
