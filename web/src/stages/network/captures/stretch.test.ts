import { expect, test } from "vitest";
import { around, moved, ticks, told, zoomed } from "./stretch";

const whole = { from: 0, to: 10 };

test("what is pointed at stays where it is", () => {
  const near = zoomed(whole, whole, 0.001, 0.5, 8);
  expect(near).toEqual({ from: 4, to: 9 });
  // 8 s was at 80 % of the way and is so still.
  expect((8 - near.from) / (near.to - near.from)).toBeCloseTo(0.8);
  expect(zoomed(near, whole, 0.001, 100, 8)).toEqual(whole);
});

test("nothing lies outside, and nothing is shorter than a few samples", () => {
  expect(moved({ from: 0, to: 4 }, whole, -1)).toEqual({ from: 0, to: 4 });
  expect(moved({ from: 4, to: 8 }, whole, 1)).toEqual({ from: 6, to: 10 });
  const least = zoomed(whole, whole, 0.5, 1e-9, 5);
  expect(least.to - least.from).toBeCloseTo(0.5);
  expect(around(9.9, 2, whole)).toEqual({ from: 8, to: 10 });
});

test("ticks are round and few", () => {
  expect(ticks(whole, 10)).toEqual([0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10]);
  expect(ticks({ from: 0.21, to: 0.39 }, 4).map((t) => t.toFixed(2))).toEqual([
    "0.25",
    "0.30",
    "0.35",
  ]);
  expect(ticks({ from: 1, to: 1 }, 4)).toEqual([]);
});

test("times are told in a unit that suits them", () => {
  expect(told(0.00125)).toBe("1.250 ms");
  expect(told(2)).toBe("2.000 s");
  expect(told(3e-7)).toBe("300.0 ns");
  expect(told(0.5, 0.00002)).toBe("500000.00 µs");
});
