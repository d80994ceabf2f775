import assert from "node:assert/strict";
import { test } from "node:test";
import { split, whole } from "../../drumbo/web/static/js/live/course.js";
import { frame, path, recent, spanSays } from "../../drumbo/web/static/js/live/strip.js";

const LAYER = { line: [10, 11, 12, 13], x: [0, 1000, 0, 1000], y: [0, 0, 500, 500], laid: [0, 1, 0, 1] };

test("a layer parts at the line that is done, and the head stands at its end", () => {
  const { laid, toLay, head } = split(LAYER, 12);
  assert.equal(laid, "M0 0L10 0");
  assert.equal(toLay, "M0 -5L10 -5");
  assert.deepEqual(head, [0, -5]);
});

test("before it begins nothing is laid; after it all of it is", () => {
  assert.deepEqual(split(LAYER, 9), { laid: "", toLay: "M0 0L10 0M0 -5L10 -5", head: null });
  assert.equal(whole(LAYER), "M0 0L10 0M0 -5L10 -5");
});

test("lines that join are one path", () => {
  const corner = { line: [1, 2, 3], x: [0, 1000, 1000], y: [0, 0, 1000], laid: [0, 1, 1] };
  assert.equal(split(corner, 3).laid, "M0 0L10 0L10 -10");
});

test("temperatures: hotter is higher, what was not told is a gap, old rows go", () => {
  const rows = [
    [0, 20, 215, 20, null],
    [300, 120, 215, null, null],
    [900, 215, 215, 60, null],
  ];
  const where = frame(rows);
  assert.ok(where.y(215) < where.y(60));
  assert.ok(where.x(900) > where.x(300));
  assert.equal(path(rows, 3, where).match(/M/g).length, 2);
  assert.equal(path(rows, 4, where), "");
  assert.deepEqual(
    recent(rows).map(([at]) => at),
    [300, 900],
  );
  assert.equal(spanSays(42.4), "last 42 s");
  assert.equal(spanSays(590), "last 10 min");
});
