import { expect, test } from "vitest";
import type { BusTree } from "../../api/client";
import { membersOf } from "./buses";

const limb = (module: string, limbs: BusTree["limbs"] = []): BusTree["limbs"][number] => ({
  items: [],
  through: [],
  connectors: [],
  module,
  name: module,
  terminated: false,
  splice: "",
  limbs,
});

test("members are told once, the middle first, however deep they hang", () => {
  const limbs = [limb("", [limb("A3"), limb("A4", [limb("A5")])]), limb("A3")];
  const bus = { id: "body", name: "Body", kind: "CAN", bit_rate: 250_000, head: "A1" };
  const tree: BusTree = { ...bus, head_terminated: true, limbs };
  expect(membersOf(tree)).toEqual(["A1", "A3", "A4", "A5"]);
});
