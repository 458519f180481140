import type { Value } from "../../api/client";
import type { Mark } from "./tracks";

/** Live values as they were kept. */
export interface Recording {
  name: string;
  /** Signals with the unit of what is drawn of them. */
  columns: { id: string; unit: string }[];
  /** Readings in their order: seconds, and a number for each column that was read then. */
  lines: { at: number; cells: (number | null)[] }[];
  /** What the hand did; when, seconds. */
  marks: Mark[];
}

/** The heading under which a signal is kept. */
export const heading = (id: string, unit: string) => `${id} [${unit}]`;

/** The fields of a line of CSV (RFC 4180); the quotes around a field are taken off. */
function fields(line: string): string[] {
  const out: string[] = [];
  const field = /(?:"((?:[^"]|"")*)"|([^,]*))(,|$)/y;
  while (field.lastIndex <= line.length) {
    const found = field.exec(line);
    if (!found) break;
    out.push(found[1]?.replaceAll('""', '"') ?? found[2] ?? "");
    if (found[3] === "") break;
  }
  return out;
}

/** Reads a recording. */
export function parse(name: string, text: string): Recording {
  const [head = "", ...rest] = text.split("\n").filter((line) => line !== "");
  const headings = fields(head).slice(1, -1);
  const columns = headings.map((h) => {
    const [, id = h, unit = ""] = /^(.*) \[(.*)\]$/.exec(h) ?? [];
    return { id, unit };
  });
  const marks: Mark[] = [];
  const lines = rest.map((line) => {
    const all = fields(line);
    const at = Number(all[0] ?? 0);
    const mark = all[columns.length + 1];
    if (mark) marks.push({ at, text: mark });
    const cells = columns.map((_, k) => {
      const cell = all[k + 1] ?? "";
      return cell === "" ? null : Number(cell);
    });
    return { at, cells };
  });
  return { name, columns, lines, marks };
}

/** What was read of each column in a line. */
export function valuesOf(recording: Recording, line: Recording["lines"][number]): Value[] {
  return recording.columns.flatMap(({ id, unit }, k) => {
    const value = line.cells[k];
    if (value == null) return [];
    const meaning = { value, name: null, unit, real: true };
    return [{ signal: id, raw: value, meaning, expected: null, stands: null, why: "" }];
  });
}
