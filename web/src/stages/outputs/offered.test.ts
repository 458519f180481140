import { expect, test } from "vitest";
import { offered } from "./offered";

test("an output's own least and largest share are offered, and what lies between", () => {
  expect(offered([10, 100])).toEqual([10, 25, 50, 75, 100]);
  expect(offered([5, 95])).toEqual([5, 10, 25, 50, 75, 95]);
  expect(offered([30, 40])).toEqual([30, 40]);
});
