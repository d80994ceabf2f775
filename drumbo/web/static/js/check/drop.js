// A file that is dropped anywhere on the page of the file check is brought; while it is read, the button says so.
import { $, $$ } from "../dom.js";

const input = $("#file");
const carries = (event) => event.dataTransfer?.types.includes("Files");
let over = 0;

function within(count) {
  over = Math.max(count, 0);
  document.documentElement.classList.toggle("dropping", over > 0);
}

document.addEventListener("dragenter", (event) => {
  if (carries(event)) within(over + 1);
});
document.addEventListener("dragleave", (event) => {
  if (carries(event)) within(over - 1);
});
document.addEventListener("dragover", (event) => {
  if (carries(event)) event.preventDefault();
});
document.addEventListener("drop", (event) => {
  if (!carries(event)) return;
  within(0);
  // The field for another file takes its own.
  if (event.target.closest("#beside")) return;
  event.preventDefault();
  input.files = event.dataTransfer.files;
  input.dispatchEvent(new Event("change", { bubbles: true }));
  const send = $("button", input.form);
  if (!send.disabled) input.form.requestSubmit(send);
});

document.addEventListener("submit", ({ target }) => {
  const send = target.matches("[enctype='multipart/form-data']") && $("button", target);
  if (!send) return;
  send.dataset.says = send.textContent;
  send.textContent = "Reading it …";
  send.setAttribute("aria-busy", "true");
});
addEventListener("pageshow", () => {
  for (const button of $$("[aria-busy]")) {
    button.textContent = button.dataset.says ?? button.textContent;
    button.removeAttribute("aria-busy");
  }
});
