import type { Content, FrameRow, Levels } from "./api";

/** A line as it is predicted: its level at rest, and while each frame is sent. */
export interface Band {
  channel: number;
  rest: number;
  frames: { from: number; to: number; driven: number }[];
}

type Row = Levels["rows"][number];

/**
 * What each line of a capture would show on a sound vehicle, or with the suspect that the levels were asked
 * for; lines that were not read, or whose levels are not known, have none.
 */
export function bands(
  content: Pick<Content, "bus" | "lines">,
  levels: Levels,
  frames: FrameRow[],
  which: "sound" | "suspect",
): Band[] {
  const of = (r?: Row) => (which === "sound" ? r?.expected : (r?.under ?? undefined));
  const at = (span: number, is: (r: Row) => boolean) =>
    of(levels.rows.find((r) => r.span === span && is(r)));
  // Of CAN the first span is between the lines, and the second the high one alone.
  const line = (role: string, is: (r: Row) => boolean): number | undefined => {
    if (content.bus === "lin") return at(0, is);
    const [across, high] = [at(0, is), at(1, is)];
    if (across === undefined || high === undefined) return undefined;
    return role === "read as low" ? high - across : high;
  };
  const out: Band[] = [];
  content.lines.forEach(({ role }, channel) => {
    if (role === "") return;
    const rest = line(role, (r) => !r.sender);
    if (rest === undefined) return;
    const sent = frames.flatMap((f) => {
      const driven = line(role, (r) => r.identifiers.includes(f.id));
      return driven === undefined ? [] : [{ from: f.from_s, to: f.to_s, driven }];
    });
    out.push({ channel, rest, frames: sent });
  });
  return out;
}

/** How far another capture is off in time, so that the same frame lies over itself. */
export function aligned(own: FrameRow[], other: FrameRow[]): number | undefined {
  for (const f of own) {
    const same = f.id && !f.error ? other.find((o) => o.id === f.id && !o.error) : undefined;
    if (same) return same.from_s - f.from_s;
  }
  return undefined;
}
