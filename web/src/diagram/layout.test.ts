import { readFileSync } from "node:fs";
import ELK from "elkjs/lib/elk.bundled.js";
import { expect, test, vi } from "vitest";
import type { Sheet } from "../api/client";

vi.mock("./elk", () => ({ elk: new ELK() }));
const { covered, LABEL, layout, meet, strokes } = await import("./layout");

/** Sheets that the program made, one after the other; who runs the tests says where they are. */
const sheets: Sheet[] = JSON.parse(readFileSync(process.env.SHEETS ?? "", "utf8"));

test("there are sheets enough to tell", () => {
  expect(sheets.length).toBeGreaterThanOrEqual(30);
});

test.each(sheets.map((s) => [s.about, s] as const))(
  "no words cover others or a conductor on the sheet of %s",
  async (_, sheet) => {
    const placed = await layout(sheet);
    const labels = placed.lines.map((l) => {
      const of = sheet.lines.find((x) => x.id === l.id);
      const text = `${of?.id} ${of?.colour} ${of?.area_mm2}`;
      return {
        id: l.id,
        x: l.label.x,
        y: l.label.y - 11,
        w: text.length * LABEL.perLetter,
        h: LABEL.height,
      };
    });
    const over: string[] = [];
    labels.forEach((a, k) => {
      for (const b of labels.slice(k + 1)) if (meet(a, b)) over.push(`${a.id} over ${b.id}`);
      for (const line of placed.lines)
        if (strokes([line]).some((s) => meet(a, s))) over.push(`${a.id} over conductor ${line.id}`);
      for (const n of placed.nodes)
        if (covered(n).some((c) => meet(a, c))) over.push(`${a.id} over ${n.node.id}`);
    });
    expect(over).toEqual([]);
  },
);
