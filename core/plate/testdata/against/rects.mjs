// Lays the boxes of outlines with maxrects-packer, to measure our own plates against. In: as for
// nest.cpp. Out: plates.
import fs from "node:fs";
import { MaxRectsPacker } from "maxrects-packer/dist/maxrects-packer.mjs";

const [[width, depth, spacing], ...outlines] = fs.readFileSync(0, "utf8").trim().split("\n").map((l) => l.split(" ").map(Number));
const span = (list) => Math.max(...list) - Math.min(...list);
const packer = new MaxRectsPacker(width + spacing, depth + spacing, 0, { smart: false, pot: false, square: false, allowRotation: true });
packer.addArray(
  outlines.map(([, ...xy]) => ({
    width: span(xy.filter((_, i) => i % 2 === 0)) + spacing,
    height: span(xy.filter((_, i) => i % 2 === 1)) + spacing,
  })),
);
console.log(packer.bins.length);
