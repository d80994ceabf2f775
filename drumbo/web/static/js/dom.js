// The few words that every script here says to the page.

/** The first element that goes by a selector, or null. */
export const $ = (selector, at = document) => at.querySelector(selector);

/** All elements that go by a selector, as an array. */
export const $$ = (selector, at = document) => [...at.querySelectorAll(selector)];

/** Whether a key went into a field: then it is no command. */
export const typing = (event) => Boolean(event.target.closest("input, textarea, select, [contenteditable]"));

/** Whether a key came with one that makes it the browser's own. */
export const held = (event) => event.metaKey || event.ctrlKey || event.altKey;

/** Colours of the page's theme by the names of theirs, for what is drawn on a canvas. */
export const inks = (names) => {
  const style = getComputedStyle(document.documentElement);
  return Object.fromEntries(
    Object.entries(names).map(([use, name]) => [use, style.getPropertyValue(`--${name}`).trim()]),
  );
};

/** A number in plain digits as this browser writes them; anything else as it is. */
export const rewritten = (text) =>
  globalThis.document?.documentElement.dataset.decimal === "comma"
    ? String(text).replace(/^(-?\d+)\.(\d+)$/, "$1,$2")
    : String(text);

/** A number as this browser writes them. */
export const written = (number, digits) => rewritten(number.toFixed(digits));

/** A number between two ends. */
export const within = (number, low, high) => Math.max(low, Math.min(high, number));
