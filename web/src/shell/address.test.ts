import { expect, test } from "vitest";
import { addressOf } from "./address";

test("an address keeps what it knows and drops the rest", () => {
  expect(addressOf({ about: "part:M7", at: "C4.7:cabin", other: "x" })).toEqual({
    about: "part:M7",
    at: "C4.7:cabin",
  });
});

test("what is no text is dropped", () => {
  expect(addressOf({ about: 7, face: ["C4"], under: null })).toEqual({});
});
