// One way to send something outside of htmx's forms.

/** The words of an answer in HTML, without its marks. */
export const plainWords = (html) => new DOMParser().parseFromString(html, "text/html").body.textContent.trim();

/**
 * Post values; it arrives even when the page is left. Gives the answer with its `text`; throws an Error whose message
 * can be shown as it is where Drumbo refused or did not answer.
 */
export async function post(url, values) {
  const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
  const answer = await fetch(url, {
    method: "POST",
    body: new URLSearchParams(values),
    keepalive: true,
    headers: { "X-CSRFToken": token, "HX-Request": "true" },
  }).catch(() => {
    throw new Error("Drumbo does not answer; that was not kept. Try it again in a moment.");
  });
  const text = await answer.text();
  if (!answer.ok) throw new Error(plainWords(text) || "That was not kept.");
  return { text, headers: answer.headers };
}
