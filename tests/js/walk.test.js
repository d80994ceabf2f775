import assert from "node:assert/strict";
import { test } from "node:test";
import { nextEmpty } from "../../drumbo/web/static/js/read/numbers.js";
import { moved, movedRound, onward, pressed } from "../../drumbo/web/static/js/read/walk.js";

const TOWER = { steps: 9, aspects: 4, lies: false };

test("up is the next step on a tower, right is the next step on a strip", () => {
  const at = { step: 3, aspect: 1 };
  assert.deepEqual(moved(at, "ArrowUp", TOWER), { step: 4, aspect: 1 });
  assert.deepEqual(moved(at, "ArrowRight", TOWER), { step: 3, aspect: 2 });
  assert.deepEqual(moved(at, "ArrowRight", { ...TOWER, lies: true }), { step: 4, aspect: 1 });
  assert.deepEqual(moved(at, "ArrowUp", { ...TOWER, lies: true }), { step: 3, aspect: 0 });
  assert.equal(moved(at, "Enter", TOWER), null);
});

test("arrows stop at the edges of the sheet, also where nothing is scored", () => {
  assert.deepEqual(moved({ step: 8, aspect: 3 }, "ArrowUp", TOWER), { step: 8, aspect: 3 });
  assert.deepEqual(moved({ step: 0, aspect: 0 }, "ArrowLeft", TOWER), { step: 0, aspect: 0 });
  assert.deepEqual(moved({ step: 0, aspect: 0 }, "ArrowRight", { ...TOWER, aspects: 0 }), { step: 0, aspect: 0 });
});

test("scoring walks through every cell once and stays on the last", () => {
  let at = { step: 0, aspect: 0 };
  const seen = new Set();
  for (let k = 0; k < TOWER.steps * TOWER.aspects; k += 1) {
    seen.add(`${at.step} ${at.aspect}`);
    at = onward(at, TOWER);
  }
  assert.equal(seen.size, TOWER.steps * TOWER.aspects);
  assert.deepEqual(at, { step: 8, aspect: 3 });
});

test("first signs go round through the place for none", () => {
  const size = { steps: 5, aspects: 2 };
  assert.equal(movedRound({ step: 4, aspect: 0 }, "ArrowUp", size).step, 5);
  assert.equal(movedRound({ step: 5, aspect: 0 }, "ArrowUp", size).step, 0);
  assert.equal(movedRound({ step: 0, aspect: 0 }, "ArrowDown", size).step, 5);
  assert.equal(movedRound({ step: 0, aspect: 1 }, "ArrowRight", size).aspect, 1);
});

test("a pip that is pressed again takes one off", () => {
  assert.equal(pressed(3, null), 3);
  assert.equal(pressed(3, 3), 2);
  assert.equal(pressed(1, 3), 1);
});

test("after a number the next empty field waits, then those left out before, then none", () => {
  const fields = ["12.1", "", "12.3", "", "12.5"].map((value) => ({ value }));
  assert.equal(nextEmpty(fields, fields[0]), fields[1]);
  assert.equal(nextEmpty(fields, fields[2]), fields[3]);
  assert.equal(nextEmpty(fields, fields[4]), fields[1]);
  for (const field of fields) field.value ||= "1";
  assert.equal(nextEmpty(fields, fields[0]), undefined);
});
