import { expect, test } from "vitest";
import { heights, sure } from "./watch";

test("looks stand by the strongest, and what was silent has no height", () => {
  const look = (weakest: number | null) => ({ frames: 1, wrong: 0, weak: false, weakest });
  expect(heights([look(2), null, look(1), look(null)])).toEqual([1, null, 0.5, null]);
  expect(heights([])).toEqual([]);
});

test("nothing is quite sure", () => {
  expect([0.42, 0.966, 0.9962, 0.99999].map(sure)).toEqual([
    "42 %",
    "97 %",
    "99.6 %",
    "more than 99.9 %",
  ]);
});
