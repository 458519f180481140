import type { PlacedNode } from "./layout";

/** The symbol of a part, after IEC 60617, in its placed box. */
export function PartSymbol({ placed }: { placed: PlacedNode }) {
  const { node, x, y, width: w, height: h } = placed;
  const ink = { fill: "none", stroke: "currentColor", strokeWidth: 1.6 } as const;
  switch (node.kind) {
    case "rail":
      return (
        <g>
          <line x1={x} x2={x + w} y1={y + 3} y2={y + 3} stroke="currentColor" strokeWidth="3" />
          <text x={x} y={y - 8} className="num" fontSize="14">
            30
          </text>
          <text x={x + 24} y={y - 8} fontSize="13" opacity="0.75">
            {node.name}
          </text>
        </g>
      );
    case "splice":
      return (
        <g>
          <line x1={x} x2={x + w} y1={y + 4} y2={y + 4} stroke="currentColor" strokeWidth="3" />
        </g>
      );
    case "fuse":
      return (
        <g {...ink}>
          <rect x={x} y={y} width={w} height={h} fill="var(--sheet)" />
          <line x1={x + w / 2} x2={x + w / 2} y1={y} y2={y + h} />
        </g>
      );
    case "motor":
      return (
        <g {...ink}>
          <circle cx={x + w / 2} cy={y + h / 2} r={w / 2} fill="var(--sheet)" />
          <text
            x={x + w / 2}
            y={y + h / 2 + 6}
            textAnchor="middle"
            fontSize="17"
            fontWeight="700"
            fill="currentColor"
            stroke="none"
          >
            M
          </text>
        </g>
      );
    case "lamp": {
      const [cx, cy, r] = [x + w / 2, y + h / 2, w / 2];
      const d = r * Math.SQRT1_2;
      return (
        <g {...ink}>
          <circle cx={cx} cy={cy} r={r} fill="var(--sheet)" />
          <line x1={cx - d} x2={cx + d} y1={cy - d} y2={cy + d} />
          <line x1={cx - d} x2={cx + d} y1={cy + d} y2={cy - d} />
        </g>
      );
    }
    case "ground": {
      const c = x + w / 2;
      return (
        <g {...ink} strokeWidth={2}>
          <line x1={x} x2={x + w} y1={y} y2={y} />
          <line x1={c} x2={c} y1={y} y2={y + 10} />
          <line x1={c - 20} x2={c + 20} y1={y + 10} y2={y + 10} />
          <line x1={c - 13} x2={c + 13} y1={y + 17} y2={y + 17} />
          <line x1={c - 6} x2={c + 6} y1={y + 24} y2={y + 24} />
        </g>
      );
    }
    case "connector":
      return (
        <g>
          <rect x={x} y={y} width={w} height={h} {...ink} fill="var(--sheet)" />
        </g>
      );
    case "relay":
      return (
        <g {...ink}>
          <rect x={x} y={y} width={w} height={h} strokeDasharray="6 4" fill="var(--sheet)" />
          <line x1={x + 34} x2={x + 34} y1={y} y2={y + 32} />
          <rect x={x + 19} y={y + 32} width={30} height={20} />
          <line x1={x + 19} x2={x + 49} y1={y + 52} y2={y + 32} />
          <line x1={x + 34} x2={x + 34} y1={y + 52} y2={y + h} />
          <line x1={x + 49} x2={x + 122} y1={y + 42} y2={y + 42} strokeDasharray="3 3" />
          <line x1={x + 132} x2={x + 132} y1={y} y2={y + 26} />
          <line x1={x + 132} x2={x + 116} y1={y + 60} y2={y + 28} />
          <line x1={x + 132} x2={x + 132} y1={y + 60} y2={y + h} />
        </g>
      );
    default:
      return (
        <g>
          <rect x={x} y={y} width={w} height={h} {...ink} fill="var(--ground)" />
          <text x={x + 10} y={y + 33} fontSize="14" fontWeight="700">
            {node.name}
          </text>
          <text x={x + 10} y={y + 49} fontSize="12.5" className="num" opacity="0.8">
            {node.id}
          </text>
        </g>
      );
  }
}

/** Name and second line beside the symbol. */
export function NodeWords({ placed }: { placed: PlacedNode }) {
  const { node, textX, y, height } = placed;
  // A plain box has its name inside.
  const beside = ["fuse", "motor", "lamp", "relay", "connector", "ground", "splice"];
  if (!beside.includes(node.kind)) return null;
  const middle = y + height / 2;
  if (node.kind === "ground") {
    const centre = placed.x + placed.width / 2;
    return (
      <g textAnchor="middle">
        <text x={centre} y={y + 42} fontSize="14" fontWeight="700">
          {node.id} {node.name}
        </text>
        <text x={centre} y={y + 57} fontSize="12.5" className="num" opacity="0.75">
          {node.note}
        </text>
      </g>
    );
  }
  if (node.kind === "splice") {
    return (
      <text x={textX} y={middle + 4} fontSize="12.5" opacity="0.7">
        {node.id} {node.name}
      </text>
    );
  }
  return (
    <g>
      <text x={textX} y={middle - 2} fontSize="14" fontWeight="700">
        {node.id} {node.name}
      </text>
      <text x={textX} y={middle + 14} fontSize="12.5" className="num" opacity="0.75">
        {node.note}
      </text>
    </g>
  );
}
