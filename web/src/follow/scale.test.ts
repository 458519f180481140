import { describe, expect, it } from "vitest";
import { onLine, wanted } from "./scale";

describe("a band on a line", () => {
  it("has room on both sides, and holds the value at its ends", () => {
    // From 14 to 60 is 46 wide: 34.5 beside it, so the line is 115 long and the band begins at 0.3.
    const { band, at } = onLine(14, 60, 37);
    expect(band[0]).toBeCloseTo(0.3);
    expect(band[1]).toBeCloseTo(0.7);
    expect(at).toBeCloseTo(0.5);
    expect(onLine(14, 60, 500).at).toBe(1);
  });

  it("begins at nothing where only the least is asked for", () => {
    // From 0 to 45 and 60 % past it: 72 long.
    const { band, at } = onLine(45, null, 36);
    expect(band[0]).toBeCloseTo(0.625);
    expect(band[1]).toBe(1);
    expect(at).toBeCloseTo(0.5);
    expect(onLine(null, 0, 0).band[1]).toBeGreaterThan(0);
  });

  it("is told in words", () => {
    expect(wanted(14, 60, "km/h")).toBe("14 to 60 km/h");
    expect(wanted(70, null, "°C")).toBe("at least 70 °C");
    expect(wanted(null, 4, "%")).toBe("at most 4 %");
  });
});
