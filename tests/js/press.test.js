import assert from "node:assert/strict";
import { test } from "node:test";

globalThis.addEventListener = () => {};
globalThis.document = { addEventListener() {} };
const { Presses } = await import("../../drumbo/web/static/js/press.js");

test("a press is under way until a moment after it was let go", () => {
  const presses = new Presses();
  assert.equal(presses.underWay(0), false);
  presses.down(1000);
  assert.equal(presses.underWay(5000), true);
  presses.up(5000);
  assert.equal(presses.underWay(5500), true);
  assert.equal(presses.underWay(5700), false);
});

test("a finger that was never seen to come up holds nothing for ever", () => {
  const presses = new Presses();
  presses.down(1000);
  assert.equal(presses.underWay(11_001), false);
});

test("a form that was sent is waited for, and not for ever", () => {
  const presses = new Presses();
  presses.sent(1000);
  assert.equal(presses.underWay(20_000), true);
  assert.equal(presses.underWay(21_001), false);
});
