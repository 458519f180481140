import { expect, test } from "vitest";
import { heights } from "./watch";

test("looks stand by the strongest, and what was silent has no height", () => {
  const look = (weakest: number | null) => ({ frames: 1, wrong: 0, weak: false, weakest });
  expect(heights([look(2), null, look(1), look(null)])).toEqual([1, null, 0.5, null]);
  expect(heights([])).toEqual([]);
});
