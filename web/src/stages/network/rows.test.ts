import { expect, test } from "vitest";
import type { BusTree, Limb } from "../../api/client";
import { rowsOf } from "./rows";

const limb = (name: string, limbs: Limb[] = []): Limb => ({
  items: [],
  through: [],
  connectors: [],
  module: limbs.length > 0 ? "" : name,
  name,
  terminated: false,
  splice: limbs.length > 0 ? name : "",
  limbs,
});

function drawn(limbs: Limb[]): string[] {
  const bus = { id: "b", name: "B", kind: "CAN", bit_rate: 1, head: "A1", head_terminated: true };
  const rail = (goes: boolean) => (goes ? "|" : ".");
  return rowsOf({ ...bus, limbs } as BusTree).map(
    (r) => `${r.rails.map(rail).join("")} ${r.limb.name}${r.goesOn ? " +" : ""}`,
  );
}

test("members come before what branches on, and rails go on as long as something follows", () => {
  const far = limb("J2", [limb("A5"), limb("A6")]);
  expect(drawn([far, limb("A3"), limb("J1", [limb("A4")])])).toEqual([
    "| A3",
    "| J1 +",
    "|. A4",
    ". J2 +",
    ".| A5",
    ".. A6",
  ]);
});

test("a bus without members has no rows", () => {
  expect(drawn([])).toEqual([]);
});
