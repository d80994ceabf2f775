// A file that is dropped anywhere on the page of the file check is brought; while it is read, the button says so.
(() => {
  const input = document.getElementById("file"),
    page = document.documentElement;
  const carries = (e) => e.dataTransfer?.types.includes("Files");
  let over = 0;

  const within = (count) => {
    over = count;
    page.classList.toggle("dropping", over > 0);
  };
  document.addEventListener("dragenter", (e) => {
    if (carries(e)) within(over + 1);
  });
  document.addEventListener("dragleave", (e) => {
    if (carries(e)) within(Math.max(over - 1, 0));
  });
  document.addEventListener("dragover", (e) => {
    if (carries(e)) e.preventDefault();
  });
  document.addEventListener("drop", (e) => {
    if (!carries(e)) return;
    within(0);
    // The field for another file takes its own.
    if (e.target.closest("#beside")) return;
    e.preventDefault();
    input.files = e.dataTransfer.files;
    input.dispatchEvent(new Event("change", { bubbles: true }));
    const send = input.form.querySelector("button");
    if (!send.disabled) input.form.requestSubmit(send);
  });

  document.addEventListener("submit", (e) => {
    const send = e.target.matches("[enctype='multipart/form-data']") && e.target.querySelector("button");
    if (!send) return;
    send.dataset.says = send.textContent;
    send.textContent = "Reading it …";
    send.setAttribute("aria-busy", "true");
  });
  addEventListener("pageshow", () =>
    document.querySelectorAll("[aria-busy]").forEach((b) => {
      b.textContent = b.dataset.says ?? b.textContent;
      b.removeAttribute("aria-busy");
    }),
  );
})();
