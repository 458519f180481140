import { expect, test } from "vitest";
import { exact, matches } from "./search";

const PARTS = [
  { id: "part:K9", text: "K9 Rear washer relay", sort: "component" },
  { id: "part:K90", text: "K90 Horn relay", sort: "component" },
  { id: "wire:9", text: "conductor 9 BN/RD, K9.85 to X2.14", sort: "conductor" },
  { id: "wire:10", text: "conductor 10 BK, broad strip", sort: "conductor" },
];

const ids = (typed: string, most = 9) => matches(PARTS, typed, most).map((c) => c.id);

test("an id typed whole comes first", () => {
  expect(ids("k9")[0]).toBe("part:K9");
  expect(ids("9")[0]).toBe("wire:9");
});

test("every word must be somewhere, in any order", () => {
  expect(ids("relay horn")).toEqual(["part:K90"]);
  expect(ids("relay bulb")).toEqual([]);
});

test("a colour's name finds its code and not letters inside a word", () => {
  expect(ids("red")).toEqual(["wire:9"]);
  expect(ids("black")).toEqual(["wire:10"]);
});

test("no more than asked for, and all of them while nothing is typed", () => {
  expect(ids("", 2)).toEqual(["part:K9", "part:K90"]);
  expect(ids("relay", 1)).toHaveLength(1);
});

test("exact means the whole id or the whole name", () => {
  expect(exact(PARTS, " K9 ")?.id).toBe("part:K9");
  expect(exact(PARTS, "k90 horn relay")?.id).toBe("part:K90");
  expect(exact(PARTS, "horn")).toBeUndefined();
  expect(exact(PARTS, "")).toBeUndefined();
});
