import { expect, test } from "vitest";
import type { Value } from "../../api/client";
import { csv, due, empty, MOST, read, since, stretches } from "./tracks";

const value = (raw: number | null, felt?: number, name?: string): Value => ({
  signal: "s",
  raw,
  meaning:
    raw === null ? null : { value: felt ?? null, name: name ?? null, unit: "°C", real: true },
  expected: null,
  stands: null,
  why: raw === null ? "its module is silent" : "",
});

test("least and largest run since the mark, and what could not be read leaves a gap", () => {
  let track = empty();
  [1.5, 1.2, null, 1.9].forEach((raw, k) => {
    track = read(track, value(raw, raw === null ? undefined : 10 * raw), 1000 * k);
  });
  expect(track.values).toEqual([15, 12, null, 19]);
  expect([track.least, track.most, track.fresh]).toEqual([12, 19, 3000]);
  expect(stretches(track, 60, 10, 60)).toHaveLength(2);
  track = read(since(track), value(1.3, 13), 4000);
  expect([track.least, track.most]).toEqual([13, 13]);
});

test("one unit all along: neither volts before the chart is there nor a substitute are drawn", () => {
  const early: Value = { ...value(2.6), meaning: null };
  const substitute: Value = {
    ...value(0.02),
    meaning: { value: 60, name: null, unit: "°C", real: false },
  };
  let track = empty();
  [early, value(2.6, 23), substitute].forEach((v, k) => {
    track = read(track, v, 1000 * k);
  });
  expect(track.values).toEqual([null, 23, null]);
  expect([track.least, track.most]).toEqual([23, 23]);
  // It was read all the same.
  expect(track.fresh).toBe(2000);
  expect(track.known).toBe(substitute);
});

test("a name that changes is counted, also over a gap", () => {
  let track = empty();
  for (const v of [
    value(12, undefined, "shut"),
    value(null),
    value(0, undefined, "open"),
    value(0, undefined, "open"),
  ]) {
    track = read(track, v, 0);
  }
  expect(track.changes).toBe(1);
});

test("what is on the screen is read each time, the rest now and then", () => {
  const all = ["a", "b", "c"];
  const seen = new Set(["b"]);
  expect([0, 1, 2, 3, 4].map((round) => due(all, seen, round).length)).toEqual([3, 1, 1, 1, 3]);
  expect(due(all, new Set(), 1)).toEqual(all);
});

test("readings go out as CSV with their marks", () => {
  const tracks = new Map([
    ["a", read(read(empty(), value(1, 20), 1000), value(null), 1500)],
    ["b", read(empty(), value(2, 30.5), 1500)],
  ]);
  const columns = [
    { id: "a", heading: "Coolant, °C" },
    { id: "b", heading: "Intake" },
  ];
  expect(csv(columns, tracks, [{ at: 1500, text: "door opened" }])).toBe(
    'Time (s),"Coolant, °C",Intake,Mark\n0.000,20,,\n0.500,,30.5,door opened\n',
  );
});

test("a long watch does not grow for ever", () => {
  let track = empty();
  for (let k = 0; k <= MOST; k += 1) track = read(track, value(1, k), k);
  expect(track.at.length).toBe(MOST / 2 + 1);
  expect(track.values.at(-1)).toBe(MOST);
});
