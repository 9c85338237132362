// What a plate's drawing measures while pieces are moved, held against another way to the same answer.
import assert from "node:assert/strict";
import test from "node:test";

globalThis.document = { querySelector: () => null }; // no plate is on the page
const { turned, nearer } = await import("../bed.js");

// a small die with a seed: the same numbers each time.
function die(seed) {
  return () => {
    seed = (seed * 1664525 + 1013904223) >>> 0;
    return seed / 2 ** 32;
  };
}

const box = (rings) => {
  const all = rings.flat();
  return [Math.min(...all.map((p) => p[0])), Math.min(...all.map((p) => p[1])), Math.max(...all.map((p) => p[0])), Math.max(...all.map((p) => p[1]))];
};
const lies = (rings, x, y) => {
  const on = rings.map((ring) => ring.map(([px, py]) => [px + x, py + y]));
  return { on, box: box(on), edges: on.flatMap((ring) => ring.map((u, i) => [u, ring[(i + 1) % ring.length]])) };
};
const rectangle = (w, d) => [[[0, 0], [w, 0], [w, d], [0, d]]];
const area = (ring) => Math.abs(ring.reduce((sum, [x, y], i) => sum + x * ring[(i + 1) % ring.length][1] - ring[(i + 1) % ring.length][0] * y, 0)) / 2;

test("a quarter turn is exact", () => {
  assert.deepEqual(box(turned(rectangle(30, 10), 90)), [0, 0, 10, 30]);
  assert.deepEqual(box(turned(rectangle(30, 10), 180)), [0, 0, 30, 10]);
  assert.deepEqual(box(turned(rectangle(30, 10), 270)), [0, 0, 10, 30]);
});

test("turned, an outline keeps its area and its lower left", () => {
  const roll = die(7);
  for (let n = 0; n < 200; n++) {
    const outline = [Array.from({ length: 3 + Math.floor(roll() * 6) }, () => [roll() * 80 - 40, roll() * 80 - 40])];
    const now = turned(outline, roll() * 360);
    const [left, lower] = box(now);
    assert.ok(Math.abs(left) < 1e-9 && Math.abs(lower) < 1e-9);
    assert.ok(Math.abs(area(now[0]) - area(outline[0])) < 1e-6);
  }
});

// between is how far two rectangles with sides along the axes lie apart [any handbook of geometry].
function between(a, b) {
  const dx = Math.max(0, a.box[0] - b.box[2], b.box[0] - a.box[2]), dy = Math.max(0, a.box[1] - b.box[3], b.box[1] - a.box[3]);
  return Math.hypot(dx, dy);
}

test("nearer, as rectangles lie apart", () => {
  const roll = die(3);
  let yes = 0;
  for (let n = 0; n < 2000; n++) {
    const a = lies(rectangle(5 + roll() * 20, 5 + roll() * 20), roll() * 60, roll() * 60);
    const b = lies(rectangle(5 + roll() * 20, 5 + roll() * 20), roll() * 60, roll() * 60);
    const apart = between(a, b), mm = roll() * 15;
    if (Math.abs(apart - mm) < 1e-6 || mm < 1e-3) continue;
    assert.equal(nearer(a, b, mm), apart < mm, `${a.box} and ${b.box}, ${mm} mm`);
    assert.equal(nearer(b, a, mm), apart < mm, "either way round");
    yes += apart < mm;
  }
  assert.ok(yes > 300 && yes < 1900);
});

test("one in the hole of another lies free, in its flesh it does not", () => {
  const frame = lies([[[0, 0], [40, 0], [40, 40], [0, 40]], [[10, 10], [10, 30], [30, 30], [30, 10]]], 0, 0);
  assert.equal(nearer(frame, lies(rectangle(8, 8), 16, 16), 2), false);
  assert.equal(nearer(frame, lies(rectangle(8, 8), 11, 16), 2), true, "too near to its rim");
  assert.equal(nearer(frame, lies(rectangle(4, 4), 3, 3), 0.1), true, "within its flesh");
  assert.equal(nearer(lies(rectangle(40, 40), 0, 0), lies(rectangle(4, 4), 18, 18), 0.1), true, "within a whole one");
});
