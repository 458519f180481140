import { expect, test } from "vitest";
import type { Signal } from "../../api/client";
import { groups, spread } from "./agree";
import { empty, read } from "./tracks";

const signal = (id: string, felt: string, unit: string): Signal => ({
  id,
  name: id,
  module: "A10",
  module_name: "Engine",
  unit: "V",
  physical_unit: unit,
  sort: "felt",
  source: "",
  felt,
  sensor: null,
  codes: [],
  functions: [],
  weighs: true,
  unreadable: "",
});

const said = (id: string, raw: number, felt: number, known = false) => {
  const meaning = { value: felt, name: null, unit: "", real: true };
  const value = {
    signal: id,
    raw,
    meaning,
    expected: known ? meaning : null,
    stands: null,
    why: "",
  };
  return [id, read(empty(), value, 0)] as const;
};

test("what feels one thing is held together, and thermometers after a night", () => {
  const signals = [
    signal("app1", "Pedal", "%"),
    signal("app2", "Pedal", "%"),
    signal("cts", "Coolant", "°C"),
    signal("iat", "Intake air", "°C"),
    signal("oil", "Oil pressure", "kPa"),
  ];
  const tracks = new Map([
    said("app1", 1, 12),
    said("app2", 0.5, 15),
    said("cts", 2, 4),
    said("iat", 2, 5),
    said("oil", 1, 100),
  ]);
  const found = groups(signals, tracks);
  expect(found.map((g) => [g.what, g.apart, g.members.length])).toEqual([
    ["Pedal", 0, 2],
    ["After a night outside", 2, 2],
  ]);
  expect(found.map(spread)).toEqual([3, 1]);
  // What the state says is compared with that instead.
  tracks.set(...said("app2", 0.5, 15, true));
  expect(groups(signals, tracks).map((g) => g.what)).toEqual(["After a night outside"]);
});
