// Tells somebody who is not looking: by a notification where the browser allows that, by a tone elsewhere.
const KEPT = "drumbo-tells";
const TONES = [660, 880];
const TONE_S = 0.22;

const mayNotify = () => window.isSecureContext && "Notification" in window;

function sound() {
  const place = new AudioContext();
  TONES.forEach((pitch, k) => {
    const tone = place.createOscillator();
    const volume = place.createGain();
    tone.frequency.value = pitch;
    volume.gain.value = 0.15;
    tone.connect(volume).connect(place.destination);
    tone.start(place.currentTime + k * TONE_S);
    tone.stop(place.currentTime + (k + 1) * TONE_S);
  });
}

/** Whether somebody wants to be told. */
export const wanted = () => localStorage.getItem(KEPT) === "yes";

/** The button: pressed while somebody wants to be told. */
export function listen(button) {
  const show = () => {
    button.setAttribute("aria-pressed", String(wanted()));
    button.textContent = wanted() ? "You will be told" : "Tell me when done";
  };
  button.addEventListener("click", async () => {
    localStorage.setItem(KEPT, wanted() ? "no" : "yes");
    show();
    if (!wanted()) return;
    if (mayNotify()) await Notification.requestPermission();
    else sound();
  });
  show();
}

/** Say it, if somebody wants that. */
export function tell(text) {
  if (!wanted()) return;
  if (mayNotify() && Notification.permission === "granted") new Notification("Drumbo", { body: text });
  else sound();
}
