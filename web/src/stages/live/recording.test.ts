import { expect, test } from "vitest";
import { heading, parse, valuesOf } from "./recording";
import { csv, empty, read } from "./tracks";

test("what was kept comes back as it was read", () => {
  const value = (raw: number) => ({
    signal: "a",
    raw,
    meaning: { value: 10 * raw, name: null, unit: "km/h", real: true },
    expected: null,
    stands: null,
    why: "",
  });
  let a = read(empty(), value(1), 1000);
  a = read(a, value(2), 1500);
  const b = read(empty(), value(3), 1500);
  const text = csv(
    [
      { id: "a", heading: heading("a", "km/h") },
      { id: "b", heading: heading("b", "") },
    ],
    new Map([
      ["a", a],
      ["b", b],
    ]),
    [{ at: 1250, text: 'road, "fast"' }],
  );
  const back = parse("drive", text);
  expect(back.columns).toEqual([
    { id: "a", unit: "km/h" },
    { id: "b", unit: "" },
  ]);
  expect(back.lines.map((l) => [l.at, ...l.cells])).toEqual([
    [0, 10, null],
    [0.25, null, null],
    [0.5, 20, 30],
  ]);
  expect(back.marks).toEqual([{ at: 0.25, text: 'road, "fast"' }]);
  const last = back.lines[2];
  expect(last && valuesOf(back, last).map((v) => [v.signal, v.raw])).toEqual([
    ["a", 20],
    ["b", 30],
  ]);
});

test("an empty or broken text is a recording of nothing", () => {
  expect(parse("x", "").lines).toEqual([]);
  expect(parse("x", "Time (s),a,Mark\n1").lines).toEqual([{ at: 1, cells: [null] }]);
});
