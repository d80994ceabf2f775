import assert from "node:assert/strict";
import { test } from "node:test";
import { columnAt, fitted, opened, rowAt, rowOf, valueAt } from "../../drumbo/web/static/js/check/cells.js";
import { box, ends, nearest, rulerLength, shade } from "../../drumbo/web/static/js/check/columns.js";
import { asked, LEFT, moved, share, stretch } from "../../drumbo/web/static/js/check/stretch.js";
import { inside, outside, whole, zoomed } from "../../drumbo/web/static/js/frame.js";
import { goesBy } from "../../drumbo/web/static/js/ledger.js";

const SQUARE = { laid: [1, 1, 0], x0: [10, 30, 0], y0: [10, 10, 0], x1: [30, 30, 500], y1: [10, 40, 500] };

test("all of a box fits into the frame, its middle in the middle", () => {
  const frame = whole({ width: 400, height: 200 }, { left: 10, top: -40, width: 20, height: 30 }, { room: 10 });
  assert.equal(frame.k, 6);
  assert.deepEqual(outside(frame, [20, -25]), [200, 100]);
  assert.equal(whole({ width: 400, height: 200 }, { width: 1, height: 1 }, { most: 40 }).k, 40);
});

test("zooming leaves the place under the pointer where it is, however far", () => {
  const before = { x: 12, y: -7, k: 2 };
  for (const factor of [0.01, 0.5, 3, 1000]) {
    const after = zoomed(before, factor, [100, 50], [0.2, 16]);
    const [was, is] = [inside(before, [100, 50]), inside(after, [100, 50])];
    assert.ok(Math.hypot(was[0] - is[0], was[1] - is[1]) < 1e-9);
    assert.ok(after.k >= 0.2 && after.k <= 16);
  }
});

test("the box is that of what is laid, not of travels; nothing laid has one too", () => {
  assert.deepEqual(box(SQUARE), { left: 10, top: -40, width: 20, height: 30 });
  assert.deepEqual(box({ laid: [0], x0: [5], y0: [5], x1: [9], y1: [9] }), { left: 0, top: 0, width: 1, height: 1 });
});

test("the nearest move within reach is found, travels where they are shown", () => {
  assert.equal(nearest(SQUARE, [20, 10.4], 1, false), 0);
  assert.equal(nearest(SQUARE, [30.3, 25], 1, false), 1);
  assert.equal(nearest(SQUARE, [200, 200.2], 1, false), -1);
  assert.equal(nearest(SQUARE, [200, 200.2], 1, true), 2);
});

test("colours range over nearly all, and what hardly differs gets none of it", () => {
  const flows = [
    ...Array(198)
      .fill(0)
      .map((_, k) => 5 + k / 100),
    0,
    90,
  ];
  const [low, high] = ends(flows, Array(200).fill(1));
  assert.ok(low >= 5 && high < 8);
  assert.deepEqual(ends([10, 10.01], [1, 1]).map(Math.round), [10, 10]);
  assert.ok(ends([10, 10.01], [1, 1])[1] - ends([10, 10.01], [1, 1])[0] >= 0.6);
  assert.deepEqual(ends([1, 2], [0, 0]), [0, 1]);
  assert.equal(shade(-3), shade(0));
  assert.equal(shade(7), shade(1));
});

test("a ruler is 1, 2 or 5 of its power of ten", () => {
  assert.deepEqual([0.3, 1, 3.9, 5, 70].map(rulerLength), [0.2, 1, 2, 5, 50]);
});

test("a stretch drawn either way asks for the same, a click for nothing", () => {
  const seen = { left: 100, width: 1080 };
  const [a, b] = [share(seen, 100 + 1080 * (LEFT + (1 - LEFT) * 0.25)), share(seen, 5000)];
  assert.ok(Math.abs(a - 0.25) < 1e-12);
  assert.equal(b, 1);
  assert.deepEqual(stretch(b, a), stretch(a, b));
  assert.equal(stretch(0.5, 0.501), null);
  assert.deepEqual(asked([0.25, 0.5], 0, 200), ["50.0", "100.0"]);
  assert.deepEqual(asked([0.25, 0.255], 0, 1), ["0.2500", "0.2550"]);
});

test("the ledger goes by every word typed", () => {
  assert.ok(goesBy("Z off", "z offset squashed foot"));
  assert.ok(goesBy("  ", "anything"));
  assert.ok(!goesBy("z strings", "z offset squashed foot"));
});

// Three rows of two layers each but for the last, two columns; what hangs stands in the middle row.
const CAME = {
  rows: 3,
  columns: 2,
  left: 10,
  right: 30,
  low: 2,
  high: 6,
  named: false,
  bottoms: [0, 0.4, 0.8],
  tops: [0.4, 0.8, 1.0],
  first: [1, 3, 5],
  shades: btoa(String.fromCharCode(1, 255, 0, 128, 0, 0)),
  marks: btoa(String.fromCharCode(0, 0, 0, 1, 0, 0)),
};

test("an elevation is read back: where a height, a layer and a place lie, and what is there", () => {
  const data = opened(CAME);
  assert.deepEqual([...data.marks], [0, 0, 0, 1, 0, 0]);
  assert.deepEqual(
    [0, 0.4, 0.41, 0.9, 9].map((mm) => rowAt(data, mm)),
    [0, 0, 1, 2, 2],
  );
  assert.deepEqual(
    [1, 2, 3, 4, 5, 99].map((layer) => rowOf(data, layer)),
    [0, 0, 1, 1, 2, 2],
  );
  assert.deepEqual(
    [9, 10, 19.9, 20, 30].map((mm) => columnAt(data, mm)),
    [-1, 0, 0, 1, -1],
  );
  assert.equal(valueAt(data, 0, 0), 2);
  assert.equal(valueAt(data, 0, 1), 6);
  assert.ok(Math.abs(valueAt(data, 1, 1) - 4) < 0.01);
  assert.equal(valueAt(data, 2, 0), null);
  assert.equal(valueAt({ ...data, named: true }, 0, 0), 0);
  assert.deepEqual(fitted([data, { ...data, right: 60 }], 540, [120, 400], 20), { k: 10, height: 120 });
});

test("keys zoom and move a stretch, which never begins before the start", () => {
  assert.deepEqual(moved("+", 10, 20), ["12.5", "17.5"]);
  assert.deepEqual(moved("-", 10, 20), ["5.0", "25.0"]);
  assert.deepEqual(moved("ArrowLeft", 1, 9), ["0.00", "7.00"]);
  assert.deepEqual(moved("0", 10, 20), ["", ""]);
  assert.equal(moved("x", 10, 20), null);
});
