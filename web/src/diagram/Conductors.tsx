import type { SheetLine } from "../api/client";
import { strands } from "./colours";
import { path } from "./halo";
import type { PlacedLine } from "./layout";

function Conductor({ line, colour, dim }: { line: PlacedLine; colour: string; dim: boolean }) {
  const { base, stripe } = strands(colour);
  const d = path(line.points);
  return (
    <g fill="none" strokeLinejoin="round" opacity={dim ? 0.4 : 1}>
      <path d={d} stroke="var(--ink)" strokeWidth="6.5" />
      <path d={d} stroke={base} strokeWidth="4.5" />
      {stripe && <path d={d} stroke={stripe} strokeWidth="2" strokeDasharray="5 4" />}
    </g>
  );
}

/** Conductors in their colours, with their names; one can be followed from end to end. */
export function Conductors({
  lines,
  followWire,
}: {
  lines: { at: PlacedLine; line: SheetLine }[];
  followWire: (id: string) => void;
}) {
  return (
    <>
      {lines.map(({ at, line }) => (
        // biome-ignore lint/a11y/useSemanticElements: a button cannot stand in a drawing
        <g
          key={at.id}
          data-wire={line.id}
          role="button"
          tabIndex={0}
          aria-label={`${line.id} ${line.colour} ${line.area_mm2}: follow this conductor, ${line.from} to ${line.to}`}
          className="cursor-pointer"
          onDoubleClick={() => followWire(line.id)}
          onKeyDown={(e) => {
            if (e.key === "Enter") followWire(line.id);
          }}
        >
          <Conductor line={at} colour={line.colour} dim={line.context} />
          <text
            x={at.label.x}
            y={at.label.y}
            fontSize="12.5"
            className="num"
            opacity={line.context ? 0.55 : 0.85}
          >
            {line.id} {line.colour} {line.area_mm2}
          </text>
        </g>
      ))}
    </>
  );
}
