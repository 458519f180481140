import type { SheetLine } from "../api/client";
import type { Placed, PlacedLine, Point } from "./layout";

/** A way over points, for a drawing. */
export const path = (points: Point[]) =>
  points.map((p, i) => `${i ? "L" : "M"}${p.x} ${p.y}`).join("");

/** Below this no halo is drawn. */
export const FAINTEST = 0.01;

/** Width of a halo: the probability made visible, from a trace to a broad band. */
const halo = (p: number) => 10 + 30 * Math.sqrt(p);

/** The pattern that halos are filled with. */
export function Hatch() {
  return (
    <defs>
      <pattern
        id="hatch"
        width="6"
        height="6"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
      >
        <rect width="6" height="6" fill="var(--copper)" opacity="0.22" />
        <line x1="0" x2="0" y1="0" y2="6" stroke="var(--copper)" strokeWidth="1.6" opacity="0.7" />
      </pattern>
    </defs>
  );
}

/** Suspicion on conductors and parts, behind everything else. */
export function Halos({
  lines,
  nodes,
  halos,
}: {
  lines: { at: PlacedLine; line: SheetLine }[];
  nodes: Placed["nodes"];
  halos: Record<string, number>;
}) {
  return (
    <g aria-hidden>
      {lines.map(({ at, line }) => {
        const p = halos[line.item] ?? 0;
        return p > FAINTEST ? (
          <path
            key={at.id}
            d={path(at.points)}
            fill="none"
            stroke="url(#hatch)"
            strokeWidth={halo(p)}
          />
        ) : null;
      })}
      {nodes.map((n) => {
        const p = halos[n.node.item] ?? 0;
        const r = halo(p) / 2;
        return p > FAINTEST ? (
          <rect
            key={n.node.id}
            x={n.x - r}
            y={n.y - r}
            width={n.width + 2 * r}
            height={(n.node.kind === "ground" ? 26 : n.height) + 2 * r}
            rx={r}
            fill="url(#hatch)"
          />
        ) : null;
      })}
    </g>
  );
}
