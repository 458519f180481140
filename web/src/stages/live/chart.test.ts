import { expect, test } from "vitest";
import { at, ohms, rounded, step } from "./chart";

const point = (felt: number, volts: number, own: number | null = null) => ({
  felt,
  ohms: own,
  sensor_volts: volts,
  module_volts: volts,
});

test("steps are round and make no more than asked for", () => {
  expect([170, 100, 3, 1080].map((range) => step(range, 9))).toEqual([20, 20, 0.5, 200]);
});

test("between two points volts follow a line and ohms a bent one", () => {
  const middle = at([point(0, 4, 10_000), point(10, 2, 100)], 5);
  expect(middle?.module_volts).toBe(3);
  // The geometric mean: the square root of 10 000 times 100.
  expect(middle?.ohms).toBeCloseTo(1000);
  expect(at([point(0, 4), point(10, 2)], 11)).toBeNull();
});

test("a chart is told at round values within its ends", () => {
  const felt = rounded([point(-40, 5), point(45, 2.5), point(130, 0)], 9).map((p) => p.felt);
  expect(felt).toEqual([-40, -20, 0, 20, 40, 60, 80, 100, 120]);
});

test("resistances are said in the unit that fits", () => {
  expect([323.4, 1660, 5e6].map(ohms)).toEqual(["323 Ω", "1.66 kΩ", "open"]);
});
