import { expect, test } from "vitest";
import { offered, shares } from "./offered";

test("an output's own least and largest share are offered, and what lies between", () => {
  expect(offered([10, 100])).toEqual([10, 25, 50, 75, 100]);
  expect(offered([5, 95])).toEqual([5, 10, 25, 50, 75, 95]);
  expect(offered([30, 40])).toEqual([30, 40]);
});

test("steps are offered by their number, and what is only on or off offers nothing", () => {
  expect(shares({ steps: [30, 70] })).toEqual([
    [30, "1 · 30 %"],
    [70, "2 · 70 %"],
  ]);
  expect(shares({ percent: [30, 40], steps: [] })).toEqual([
    [30, "30 %"],
    [40, "40 %"],
  ]);
  expect(shares({ percent: null })).toEqual([]);
});
