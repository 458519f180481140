import { FAINTEST } from "./halo";
import type { Placed } from "./layout";

/** Points that a probe can touch, with what they should read. */
export function Pins({
  nodes,
  halos,
  check,
  chosen,
  choose,
}: {
  nodes: Placed["nodes"];
  halos: Record<string, number>;
  check: string[];
  chosen: string;
  choose: (id: string) => void;
}) {
  return (
    <>
      {nodes.flatMap((n) =>
        n.node.pins.map((pin) => {
          const at = n.pins[pin.id];
          if (!at) return null;
          const p = halos[pin.item] ?? 0;
          const asked = check.includes(pin.id);
          const inline = n.node.kind === "connector";
          const bare = ["fuse", "motor", "lamp", "ground"].includes(n.node.kind);
          const reads = !pin.top && pin.id.includes(".");
          // What can be read there comes first in its name, for whoever speaks to the screen.
          const volts = `${pin.volts.toFixed(2)} V`;
          const seen = `${inline || !bare ? pin.no : ""}${reads ? volts : ""}`;
          const y = inline ? n.y + n.height / 2 : at.y;
          return (
            // biome-ignore lint/a11y/useSemanticElements: a button cannot stand in a drawing
            <g
              key={pin.id}
              role="button"
              tabIndex={0}
              aria-label={`${seen} at ${pin.id}, expected ${volts}`}
              data-pin={pin.id}
              className="cursor-pointer"
              onClick={() => choose(pin.id)}
              onKeyDown={(e) => {
                if (e.key === "Enter") choose(pin.id);
              }}
            >
              {p > FAINTEST && (
                <circle cx={at.x} cy={y} r={10 + 26 * Math.sqrt(p)} fill="url(#hatch)" />
              )}
              <circle cx={at.x} cy={at.y} r="16" fill="transparent" />
              {inline ? (
                <g opacity={n.node.context ? 0.6 : 1}>
                  <circle
                    cx={at.x}
                    cy={y}
                    r="11"
                    fill="var(--sheet)"
                    stroke={asked || p > 0.3 ? "var(--copper)" : "var(--ink)"}
                    strokeWidth={asked || p > 0.3 ? 3 : 1.6}
                  />
                  <text x={at.x} y={y + 5} textAnchor="middle" fontSize="13" className="num">
                    {pin.no}
                  </text>
                </g>
              ) : (
                <circle
                  cx={at.x}
                  cy={at.y}
                  r={asked ? 6 : 3.6}
                  fill={asked ? "var(--copper)" : "var(--ink)"}
                />
              )}
              {chosen === pin.id && (
                <circle
                  cx={at.x}
                  cy={y}
                  r="15"
                  fill="none"
                  stroke="var(--verdigris)"
                  strokeWidth="2.5"
                />
              )}
              {!inline && pin.no && !bare && (
                <text
                  x={at.x + 7}
                  y={at.y + (pin.top ? 15 : -6)}
                  fontSize="12.5"
                  className="num"
                  opacity="0.75"
                >
                  {pin.no}
                </text>
              )}
              {reads && (
                <text
                  x={at.x + (at.x > n.x + n.width / 2 + 1 ? 8 : -8)}
                  y={at.y + (inline ? 24 : 15)}
                  textAnchor={at.x > n.x + n.width / 2 + 1 ? "start" : "end"}
                  fontSize="12.5"
                  className="num"
                  fill="var(--faint)"
                  opacity={n.node.context ? 0.5 : 1}
                >
                  {volts}
                </text>
              )}
              {pin.under != null && Math.abs(pin.under - pin.volts) > pin.tolerance && (
                <text
                  x={at.x + (at.x > n.x + n.width / 2 + 1 ? 8 : -8)}
                  y={at.y + (inline ? 38 : pin.top ? -8 : 29)}
                  textAnchor={at.x > n.x + n.width / 2 + 1 ? "start" : "end"}
                  fontSize="12.5"
                  fontWeight="700"
                  className="num"
                  fill="var(--copper)"
                >
                  {pin.under.toFixed(2)} V
                </text>
              )}
            </g>
          );
        }),
      )}
    </>
  );
}
