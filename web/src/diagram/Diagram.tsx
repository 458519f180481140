import { type PointerEvent, useEffect, useRef, useState, type WheelEvent } from "react";
import type { Flag, Sheet } from "../api/client";
import { VERDICTS } from "../ui/verdict";
import { strands } from "./colours";
import { layout, type Placed, type PlacedLine, type Point } from "./layout";
import { NodeWords, PartSymbol } from "./Symbol";

const path = (points: Point[]) => points.map((p, i) => `${i ? "L" : "M"}${p.x} ${p.y}`).join("");

/** Width of a halo: the probability made visible, from a trace to a broad band. */
const halo = (p: number) => 10 + 30 * Math.sqrt(p);
const FAINTEST = 0.01;
const FLAG = { width: 204, height: 36 };
/** Room beside the drawing for the flags. */
const SIDE = FLAG.width + 26;

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

interface ViewBox {
  x: number;
  y: number;
  zoom: number;
}
const WHOLE: ViewBox = { x: 0, y: 0, zoom: 1 };
/** A drawing that would have to shrink below the least share of its size starts at a readable one. */
const READABLE = 0.72;
const LEAST = 0.62;
/** A small drawing is not blown up further than this. */
const LARGEST = 1.3;

/** Flags in the margin nearer to their point, level with it, moved apart where they would meet. */
function placeFlags(flags: Flag[], at: Map<string, Point>, width: number) {
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

/** The circuit: conductors in their colours, suspicion as copper halos, readings as flags. */
export function Diagram({
  sheet,
  halos,
  flags,
  check,
  chosen,
  choose,
  followWire,
}: {
  sheet: Sheet;
  halos: Record<string, number>;
  flags: Flag[];
  check: string[];
  chosen: string;
  choose: (id: string) => void;
  /** Shows a conductor from end to end. */
  followWire: (id: string) => void;
}) {
  const [placed, setPlaced] = useState<Placed>();
  const [chosenView, setView] = useState<ViewBox>();
  const drag = useRef<{ x: number; y: number } | null>(null);
  const box = useRef<SVGSVGElement>(null);
  const frame = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 800, height: 480 });
  useEffect(() => {
    const watch = new ResizeObserver(([entry]) => {
      if (entry) setSize({ width: entry.contentRect.width, height: entry.contentRect.height });
    });
    if (frame.current) watch.observe(frame.current);
    return () => watch.disconnect();
  }, []);
  const key = sheet.lines.map((l) => `${l.id}${l.from}`).join();
  useEffect(() => {
    let stale = false;
    layout(sheet).then((p) => {
      if (!stale) {
        setPlaced(p);
        setView(undefined);
      }
    });
    return () => {
      stale = true;
    };
  }, [key]);
  if (!placed)
    return (
      <div ref={frame} className="relative min-h-0">
        <p className="p-5 text-faint">Drawing …</p>
      </div>
    );

  // Places are as they were laid out; values as they are now.
  const nodes = placed.nodes.map((n) => ({
    ...n,
    node: sheet.nodes.find((x) => x.id === n.node.id) ?? n.node,
  }));
  const pins = new Map<string, Point>();
  for (const n of nodes) for (const [id, p] of Object.entries(n.pins)) pins.set(id, p);
  for (const l of placed.lines) {
    const middle = l.points[Math.floor(l.points.length / 2)];
    if (middle) pins.set(l.id, middle);
  }
  const flagged = placeFlags(flags, pins, placed.width);
  const room = {
    left: Math.max(flagged.some((f) => f.left) ? SIDE : 24, placed.out.left + 12),
    right: Math.max(flagged.some((f) => !f.left) ? SIDE : 24, placed.out.right + 12),
  };
  const margin = { x: room.left, y: 34 };
  const full = { w: placed.width + room.left + room.right, h: placed.height + 2 * margin.y };
  const lines = placed.lines.flatMap((at) => {
    const line = sheet.lines.find((l) => l.id === at.id);
    return line ? [{ at, line }] : [];
  });
  // What the sheet is about stands in the middle when the whole would be too small to read.
  const fit = Math.min(size.width / full.w, size.height / full.h);
  const subject = nodes.find((n) => n.node.id === sheet.about.split(":")[1]);
  // From the middle of the drawing, without showing much beyond its edge.
  const towards = (at: number, whole: number, seen: number) => {
    const most = Math.max(0, (whole - seen) / 2);
    return Math.max(-most, Math.min(most, at - whole / 2));
  };
  const start: ViewBox =
    fit >= LEAST
      ? { ...WHOLE, zoom: Math.min(1, LARGEST / fit) }
      : {
          x: towards(
            subject ? subject.x + subject.width / 2 + margin.x : full.w / 2,
            full.w,
            size.width / READABLE,
          ),
          y: towards(subject ? subject.y + margin.y : 0, full.h, size.height / READABLE),
          zoom: READABLE / fit,
        };
  const view = chosenView ?? start;
  const zoomBy = (by: number) =>
    setView({ ...view, zoom: Math.min(8, Math.max(0.5, view.zoom * by)) });
  function wheel(e: WheelEvent) {
    zoomBy(e.deltaY < 0 ? 1.12 : 1 / 1.12);
  }
  function move(e: PointerEvent) {
    if (!drag.current || !box.current) return;
    const scale = 1 / (fit * view.zoom);
    const [dx, dy] = [e.clientX - drag.current.x, e.clientY - drag.current.y];
    drag.current = { x: e.clientX, y: e.clientY };
    setView({ ...view, x: view.x - dx * scale, y: view.y - dy * scale });
  }
  return (
    <div ref={frame} className="relative min-h-0">
      <div className="no-print absolute right-3 bottom-2 z-10 flex gap-1">
        <button type="button" className="plain" aria-label="larger" onClick={() => zoomBy(1.25)}>
          +
        </button>
        <button type="button" className="plain" aria-label="smaller" onClick={() => zoomBy(0.8)}>
          −
        </button>
        <button type="button" className="plain" onClick={() => setView(WHOLE)}>
          whole
        </button>
      </div>
      <svg
        ref={box}
        role="img"
        aria-label={`circuit of ${sheet.title}`}
        className="absolute inset-0 h-full w-full touch-none select-none"
        viewBox={`${view.x - margin.x + (full.w * (1 - 1 / view.zoom)) / 2} ${view.y - margin.y + (full.h * (1 - 1 / view.zoom)) / 2} ${full.w / view.zoom} ${full.h / view.zoom}`}
        onWheel={wheel}
        onPointerDown={(e) => {
          drag.current = { x: e.clientX, y: e.clientY };
        }}
        onPointerMove={move}
        onPointerUp={() => {
          drag.current = null;
        }}
        onPointerLeave={() => {
          drag.current = null;
        }}
        color="var(--ink)"
        fill="currentColor"
      >
        <defs>
          <pattern
            id="hatch"
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <rect width="6" height="6" fill="var(--copper)" opacity="0.22" />
            <line
              x1="0"
              x2="0"
              y1="0"
              y2="6"
              stroke="var(--copper)"
              strokeWidth="1.6"
              opacity="0.7"
            />
          </pattern>
        </defs>
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
        {lines.map(({ at, line }) => (
          // biome-ignore lint/a11y/useSemanticElements: a button cannot stand in a drawing
          <g
            key={at.id}
            data-wire={line.id}
            role="button"
            tabIndex={-1}
            aria-label={`follow conductor ${line.id}`}
            className="cursor-pointer"
            onDoubleClick={() => followWire(line.id)}
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
        {nodes.map((n) => (
          <g key={n.node.id} data-part={n.node.id} opacity={n.node.context ? 0.5 : 1}>
            <PartSymbol placed={n} />
            <NodeWords placed={n} />
          </g>
        ))}
        {nodes.flatMap((n) =>
          n.node.pins.map((pin) => {
            const at = n.pins[pin.id];
            if (!at) return null;
            const p = halos[pin.item] ?? 0;
            const asked = check.includes(pin.id);
            const inline = n.node.kind === "connector";
            const y = inline ? n.y + n.height / 2 : at.y;
            return (
              // biome-ignore lint/a11y/useSemanticElements: a button cannot stand in a drawing
              <g
                key={pin.id}
                role="button"
                tabIndex={0}
                aria-label={`${pin.id}, expected ${pin.volts.toFixed(2)} V`}
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
                {!inline &&
                  pin.no &&
                  !["fuse", "motor", "lamp", "ground"].includes(n.node.kind) && (
                    <text
                      x={at.x + 7}
                      y={at.y + (pin.top ? 15 : -6)}
                      fontSize="12"
                      className="num"
                      opacity="0.75"
                    >
                      {pin.no}
                    </text>
                  )}
                {!pin.top && pin.id.includes(".") && (
                  <text
                    x={at.x + (at.x > n.x + n.width / 2 + 1 ? 8 : -8)}
                    y={at.y + (inline ? 24 : 15)}
                    textAnchor={at.x > n.x + n.width / 2 + 1 ? "start" : "end"}
                    fontSize="11.5"
                    className="num"
                    fill="var(--faint)"
                    opacity={n.node.context ? 0.5 : 1}
                  >
                    {pin.volts.toFixed(2)} V
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
            <rect
              x={x}
              y={y}
              {...FLAG}
              fill="var(--sheet)"
              stroke="currentColor"
              strokeWidth="1.4"
            />
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
            <text x={x + 31} y={y + 30} fontSize="11.5" className="num" fill="var(--faint)">
              {flag.expected}
            </text>
          </g>
        ))}
      </svg>
    </div>
  );
}
