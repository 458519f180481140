import { expect, test } from "vitest";
import type { FrameRow, Levels } from "./api";
import { aligned, bands } from "./predicted";

const row = (
  span: number,
  sender: string | null,
  identifiers: string[],
  expected: number,
  under: number | null,
) => ({ span, sender, name: "", identifiers, frames: 1, measured: 0, expected, under });
const frame = (id: string, from_s: number, error = ""): FrameRow => ({
  number: 0,
  id,
  from_s,
  to_s: from_s + 1,
  data: "",
  error,
});
const lines = [
  { name: "a", role: "read as high", low: 0, high: 5 },
  { name: "b", role: "read as low", low: 0, high: 5 },
  { name: "c", role: "", low: 0, high: 5 },
];
const levels = {
  rows: [
    row(0, null, [], 0, 0.2),
    row(0, "A1", ["0C0", "0C4"], 2, 1.1),
    row(1, null, [], 2.5, 2.2),
    row(1, "A1", ["0C0", "0C4"], 3.5, 3),
  ],
} as Levels;

test("the high line is predicted as it is, the low one by what lies between them", () => {
  const all = bands({ bus: "can", lines }, levels, [frame("0C4", 3), frame("7FF", 5)], "sound");
  expect(all).toEqual([
    { channel: 0, rest: 2.5, frames: [{ from: 3, to: 4, driven: 3.5 }] },
    { channel: 1, rest: 2.5, frames: [{ from: 3, to: 4, driven: 1.5 }] },
  ]);
  const [high, low] = bands({ bus: "can", lines }, levels, [frame("0C0", 0)], "suspect");
  expect([high?.rest, high?.frames[0]?.driven]).toEqual([2.2, 3]);
  expect(low?.rest).toBeCloseTo(2);
  expect(low?.frames[0]?.driven).toBeCloseTo(1.9);
});

test("without a prediction there is no band", () => {
  const rows = levels.rows.filter((r) => r.span === 0).map((r) => ({ ...r, under: null }));
  const some = { ...levels, rows } as Levels;
  expect(bands({ bus: "can", lines }, some, [], "sound")).toEqual([]);
  expect(
    bands(
      { bus: "lin", lines: [{ name: "a", role: "read", low: 0, high: 12 }] },
      some,
      [],
      "suspect",
    ),
  ).toEqual([]);
});

test("another capture is laid with the first sound frame that both have", () => {
  const own = [frame("100", 5, "check"), frame("200", 6), frame("300", 7)];
  expect(aligned(own, [frame("100", 1), frame("300", 2), frame("200", 3, "x")])).toBe(-5);
  expect(aligned(own, [frame("400", 1)])).toBeUndefined();
});
