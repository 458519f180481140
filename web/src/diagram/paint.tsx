import type { SheetLine } from "../api/client";
import { path } from "./halo";
import type { Placed, PlacedLine } from "./layout";

/** What a test has to do with repair items: how much of each a pass proves, and what it does not touch. */
export interface Painted {
  /** Share of an item's ways to fail that would have shown, 0 to 1. */
  proven: Record<string, number>;
  untouched: Set<string>;
}

interface Look {
  stroke: string;
  opacity: number;
  dashes?: string;
}

function look(item: string, painted: Painted): Look | null {
  const share = painted.proven[item];
  if (share !== undefined) return { stroke: "var(--verdigris)", opacity: 0.2 + 0.5 * share };
  if (painted.untouched.has(item)) return { stroke: "var(--ochre)", opacity: 0.9, dashes: "3 7" };
  return null;
}

/** Width of a band along a conductor, and how far it stands off a part, pixels. */
const BAND = 13;
const OFF = 8;

/** What a test proves as bands of verdigris, what it does not touch as ochre dots; behind everything else. */
export function Paint({
  lines,
  nodes,
  painted,
}: {
  lines: { at: PlacedLine; line: SheetLine }[];
  nodes: Placed["nodes"];
  painted: Painted;
}) {
  const bands = lines.flatMap(({ at, line }) => {
    const l = look(line.item, painted);
    return l ? [{ id: at.id, at, ...l }] : [];
  });
  const around = nodes.flatMap((n) => {
    const l = look(n.node.item, painted);
    return l ? [{ id: n.node.id, n, ...l }] : [];
  });
  const pins = nodes.flatMap((n) =>
    n.node.pins.flatMap((pin) => {
      const l = look(pin.item, painted);
      const at = n.pins[pin.id];
      const y = n.node.kind === "connector" ? n.y + n.height / 2 : at?.y;
      return l && at && y !== undefined ? [{ id: pin.id, x: at.x, y, ...l }] : [];
    }),
  );
  return (
    <g aria-hidden data-painted={bands.length + around.length + pins.length}>
      {bands.map((b) => (
        <path
          key={b.id}
          d={path(b.at.points)}
          fill="none"
          stroke={b.stroke}
          strokeWidth={BAND}
          strokeDasharray={b.dashes}
          opacity={b.opacity}
        />
      ))}
      {around.map((a) => (
        <rect
          key={a.id}
          x={a.n.x - OFF}
          y={a.n.y - OFF}
          width={a.n.width + 2 * OFF}
          height={(a.n.node.kind === "ground" ? 26 : a.n.height) + 2 * OFF}
          rx={OFF}
          fill={a.dashes ? "none" : a.stroke}
          stroke={a.stroke}
          strokeWidth={a.dashes ? 5 : 0}
          strokeDasharray={a.dashes}
          opacity={a.opacity}
        />
      ))}
      {pins.map((p) => (
        <circle
          key={p.id}
          cx={p.x}
          cy={p.y}
          r="16"
          fill={p.dashes ? "none" : p.stroke}
          stroke={p.stroke}
          strokeWidth={p.dashes ? 4 : 0}
          strokeDasharray={p.dashes}
          opacity={p.opacity}
        />
      ))}
    </g>
  );
}
