import type { Flag } from "../api/client";
import { VERDICTS } from "../ui/verdict";
import type { Point } from "./layout";

const FLAG = { width: 212, height: 36 };
/** Room beside the drawing for the flags. */
export const SIDE = FLAG.width + 26;

/** Flags in the margin nearer to their point, level with it, moved apart where they would meet. */
export function placeFlags(flags: Flag[], at: Map<string, Point>, width: number) {
  const lowest = { left: Number.NEGATIVE_INFINITY, right: Number.NEGATIVE_INFINITY };
  return flags
    .flatMap((flag) => {
      const point = at.get(flag.at);
      return point ? [{ flag, point }] : [];
    })
    .sort((a, b) => a.point.y - b.point.y || a.flag.number - b.flag.number)
    .map(({ flag, point }) => {
      const left = point.x < width * 0.6;
      const side = left ? "left" : "right";
      const y = Math.max(point.y - FLAG.height / 2, lowest[side]);
      lowest[side] = y + FLAG.height + 4;
      return { flag, point, x: left ? -SIDE + 6 : width + 20, y, left };
    });
}

/** Readings at their points. */
export function Flags({ flagged }: { flagged: ReturnType<typeof placeFlags> }) {
  return (
    <>
      {flagged.map(({ flag, point, x, y, left }) => (
        <g key={flag.number} className={VERDICTS[flag.verdict].colour} data-flag={flag.number}>
          <line
            x1={point.x}
            y1={point.y}
            x2={left ? x + FLAG.width : x}
            y2={y + FLAG.height / 2}
            stroke="currentColor"
            strokeWidth="1.4"
          />
          <rect x={x} y={y} {...FLAG} fill="var(--sheet)" stroke="currentColor" strokeWidth="1.4" />
          <rect x={x} y={y} width="24" height={FLAG.height} fill="currentColor" />
          <text
            x={x + 12}
            y={y + 23}
            textAnchor="middle"
            fontSize="13"
            fill="var(--sheet)"
            className="num"
          >
            {flag.number}
          </text>
          <text x={x + 31} y={y + 15} fontSize="13.5" className="num" fill="var(--ink)">
            {flag.text} {VERDICTS[flag.verdict].sign} {VERDICTS[flag.verdict].word}
          </text>
          <text x={x + 31} y={y + 30} fontSize="12.5" className="num" fill="var(--faint)">
            {flag.expected}
          </text>
        </g>
      ))}
    </>
  );
}
