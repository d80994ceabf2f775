import assert from "node:assert/strict";
import { afterEach, test } from "node:test";
import { rewritten, written } from "../../drumbo/web/static/js/dom.js";

const writes = (decimal) => {
  globalThis.document = { documentElement: { dataset: { decimal } } };
};
afterEach(() => {
  globalThis.document = undefined;
});

test("numbers have the sign that this browser writes, and only numbers change", () => {
  assert.equal(written(0.4, 2), "0.40", "a point where nobody chose");
  writes("comma");
  assert.equal(written(0.4, 2), "0,40");
  assert.deepEqual([1.24, -0.5, 12, "a.b", "1.2.3", ""].map(rewritten), ["1,24", "-0,5", "12", "a.b", "1.2.3", ""]);
  writes("point");
  assert.equal(rewritten(1.24), "1.24");
});
