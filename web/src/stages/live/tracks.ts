import type { Value } from "../../api/client";

/** A mark on the time axis: what the hand did. */
export interface Mark {
  at: number;
  text: string;
}

/** What was read of one signal. */
export interface Track {
  /** When, milliseconds since 1970. */
  at: number[];
  /** What is drawn of it; null leaves a gap. */
  values: (number | null)[];
  /** The last answer, and when the last value came. */
  last: Value | null;
  fresh: number | null;
  /** The last answer that had a value. */
  known: Value | null;
  /** Least and largest since the mark. */
  least: number | null;
  most: number | null;
  /** How often its name changed since the mark. */
  changes: number;
  name: string | null;
}

/** Readings kept of a signal: half an hour at three a second. */
export const MOST = 6000;

export const empty = (): Track => ({
  at: [],
  values: [],
  last: null,
  fresh: null,
  known: null,
  least: null,
  most: null,
  changes: 0,
  name: null,
});

/**
 * What is drawn of a value, in one unit all along: the number it stands for, or the pin's own where that has a
 * name. A gap while its chart is still being worked out, and where the value is not real.
 */
export function drawn(v: Value): number | null {
  if (v.raw == null || !v.meaning) return null;
  if (v.meaning.name != null) return v.raw;
  return v.meaning.real ? (v.meaning.value ?? null) : null;
}

/** A track with one more answer; what was not read leaves a gap. */
export function read(track: Track, value: Value, at: number): Track {
  const number = drawn(value);
  const cut = track.at.length >= MOST ? MOST / 2 : 0;
  const name = value.meaning?.name ?? null;
  const turned = number !== null && track.name !== null && name !== null && name !== track.name;
  return {
    at: [...track.at.slice(cut), at],
    values: [...track.values.slice(cut), number],
    last: value,
    fresh: value.raw == null ? track.fresh : at,
    known: value.raw == null ? track.known : value,
    least: number === null ? track.least : Math.min(track.least ?? number, number),
    most: number === null ? track.most : Math.max(track.most ?? number, number),
    changes: track.changes + (turned ? 1 : 0),
    name: name ?? track.name,
  };
}

/** From now on least and largest count anew. */
export function since(track: Track): Track {
  return { ...track, least: null, most: null, changes: 0 };
}

/** Rounds after which what is not on the screen is read, too. */
const REST = 4;

/** What is read in a round: what is on the screen each time, the rest now and then. */
export function due(watched: string[], seen: Set<string>, round: number): string[] {
  if (seen.size === 0 || round % REST === 0) return watched;
  return watched.filter((id) => seen.has(id));
}

/** Text that no spreadsheet takes for more than one field. */
const field = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);

/** Everything read as CSV, a line for each time; the marks in a column of their own. */
export function csv(
  columns: { id: string; heading: string }[],
  tracks: Map<string, Track>,
  marks: Mark[],
): string {
  const lines = new Map<number, (string | undefined)[]>();
  columns.forEach(({ id }, k) => {
    const track = tracks.get(id);
    track?.at.forEach((at, i) => {
      const line = lines.get(at) ?? [];
      const value = track.values[i];
      line[k] = value == null ? undefined : String(value);
      lines.set(at, line);
    });
  });
  for (const mark of marks) {
    const line = lines.get(mark.at) ?? [];
    line[columns.length] = field(mark.text);
    lines.set(mark.at, line);
  }
  const times = [...lines.keys()].sort((a, b) => a - b);
  const first = times[0] ?? 0;
  const body = times.map((at) => {
    const line = lines.get(at) ?? [];
    const cells = Array.from({ length: columns.length + 1 }, (_, k) => line[k] ?? "");
    return [((at - first) / 1000).toFixed(3), ...cells].join(",");
  });
  const head = ["Time (s)", ...columns.map((c) => field(c.heading)), "Mark"].join(",");
  return `${[head, ...body].join("\n")}\n`;
}

/** The points of a small picture, gaps left out, within a box; one list for each stretch without a gap. */
export function stretches(track: Track, wide: number, high: number, seconds: number): string[] {
  const end = track.at[track.at.length - 1];
  if (end === undefined) return [];
  const begin = end - 1000 * seconds;
  const from = track.at.findIndex((at) => at >= begin);
  const shown = track.values.slice(from);
  const numbers = shown.filter((v): v is number => v !== null);
  const [least, most] = [Math.min(...numbers), Math.max(...numbers)];
  const x = (at: number) => (wide * (at - begin)) / (1000 * seconds);
  const y = (v: number) => (most > least ? high * (1 - (v - least) / (most - least)) : high / 2);
  const out: string[] = [];
  let line = "";
  shown.forEach((v, k) => {
    if (v === null) {
      if (line) out.push(line);
      line = "";
    } else {
      const at = track.at[from + k] ?? 0;
      line += `${line ? "L" : "M"}${x(at).toFixed(1)} ${y(v).toFixed(1)}`;
    }
  });
  if (line) out.push(line);
  return out;
}
