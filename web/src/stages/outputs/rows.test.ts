import { expect, test } from "vitest";
import { grouped, guards, type Output, rowsOf } from "./rows";

const output = (id: string, module: string, other: string | null = null): Output => ({
  id,
  name: id,
  module,
  module_name: module,
  load: "M1",
  effect: "moves",
  limit_s: 5,
  guard: "",
  needs: [],
  steps: [],
  other_way: other,
  at_pin: null,
  state: {} as Output["state"],
});

test("two that move the same load either way stand in one row, where the first of them stands", () => {
  const [up, down, horn] = [
    output("up", "A1", "down"),
    output("down", "A1", "up"),
    output("horn", "A2"),
  ];
  expect(rowsOf([up, horn, down]).map((o) => o.id)).toEqual(["up", "horn"]);
  // One whose other way was not found stands alone.
  expect(rowsOf([down]).map((o) => o.id)).toEqual(["down"]);
  expect(grouped([up, horn, down]).map(([m, all]) => [m, all.length])).toEqual([
    ["A1", 2],
    ["A2", 1],
  ]);
});

test("what is to be minded is said once", () => {
  const [open, close] = [output("open", "A1", "close"), output("close", "A1", "open")];
  open.guard = "The door moves.";
  close.guard = "The door moves: nobody in its way.";
  expect(guards([open, close])).toEqual(["The door moves: nobody in its way."]);
  close.guard = "Loud.";
  expect(guards([open, close])).toEqual(["The door moves.", "Loud."]);
});
