import { zoomIdentity } from "d3-zoom";
import { useEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";
import type { Flag, Sheet } from "../api/client";
import { Button } from "../ui/Button";
import { Conductors } from "./Conductors";
import { Flags, placeFlags, SIDE } from "./Flags";
import { Halos, Hatch } from "./halo";
import { layout, type Placed, type Point } from "./layout";
import { Pins } from "./Pins";
import { Paint, type Painted } from "./paint";
import { NodeWords, PartSymbol } from "./Symbol";
import { useZoom } from "./useZoom";

/** A drawing that would have to shrink below this share of its size starts at it instead: its smallest
 * words are then 12 pixels high. */
const READABLE = 0.96;
/** What stands nearer than this to the edge is hardly seen, pixels. */
const NEAR = 140;
/** A small drawing is not blown up further than this. */
const LARGEST = 1.3;

interface Shown {
  sheet: Sheet;
  /** Where the buttons go. */
  tools: HTMLElement | null;
  /** The node that stands in the middle where not all of it can be read at once. */
  subject: string;
  halos: Record<string, number>;
  /** What a test proves, in place of what is suspected. */
  painted?: Painted | undefined;
  flags: Flag[];
  /** Points of the next check. */
  check: string[];
  chosen: string;
  choose: (id: string) => void;
  /** Shows a conductor from end to end. */
  followWire: (id: string) => void;
}

interface Size {
  width: number;
  height: number;
}

/** The circuit: conductors in their colours, suspicion as copper halos, readings as flags. */
export function Diagram(shown: Shown) {
  const { sheet } = shown;
  const [placed, setPlaced] = useState<{ key: string; placed: Placed }>();
  const frame = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState<Size>({ width: 800, height: 480 });
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
      if (!stale) setPlaced({ key, placed: p });
    });
    return () => {
      stale = true;
    };
  }, [key]);
  return (
    <div ref={frame} className="relative min-h-0">
      {placed ? (
        <Drawing {...shown} placed={placed.placed} anew={placed.key} size={size} />
      ) : (
        <p className="p-5 text-faint">Drawing …</p>
      )}
    </div>
  );
}

function Drawing({
  sheet,
  tools,
  subject,
  halos: suspected,
  painted,
  flags,
  check,
  chosen,
  choose,
  followWire,
  placed,
  anew,
  size,
}: Shown & { placed: Placed; anew: string; size: Size }) {
  const halos = painted ? {} : suspected;
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
  const fit = Math.min(size.width / full.w, size.height / full.h);
  // What the sheet is about stands in the middle where the whole would be too small to read.
  const middle = nodes.find((n) => n.node.id === subject);
  const around = (scale: number) => {
    const along = (at: number, whole: number, room: number) =>
      whole * scale <= room
        ? (room - whole * scale) / 2
        : Math.min(0, Math.max(room - whole * scale, room / 2 - at * scale));
    const x = middle ? middle.x + middle.width / 2 + margin.x : full.w / 2;
    // From the left edge, where flags are, as long as that still shows it.
    const fromLeft = full.w * scale > size.width && x * scale < size.width - NEAR;
    const y = middle ? middle.y + middle.height / 2 + margin.y : 0;
    return zoomIdentity
      .translate(fromLeft ? 0 : along(x, full.w, size.width), along(y, full.h, size.height))
      .scale(scale);
  };
  const start = around(fit >= READABLE ? Math.min(LARGEST, fit) : READABLE);
  const { setBox, seen, larger, smaller, all, keys } = useZoom(start, around(fit), anew);
  return (
    <>
      {tools &&
        createPortal(
          <>
            <Button aria-label="larger" onClick={larger}>
              +
            </Button>
            <Button aria-label="smaller" onClick={smaller}>
              −
            </Button>
            <Button onClick={all}>whole</Button>
          </>,
          tools,
        )}
      {/* biome-ignore lint/a11y/useSemanticElements: a fieldset cannot be a drawing */}
      <svg
        ref={setBox}
        role="group"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: keys move it and make it larger
        tabIndex={0}
        aria-label={`circuit of ${sheet.title}; arrows move it, plus and minus make it larger and smaller`}
        className="absolute inset-0 h-full w-full cursor-grab touch-none select-none active:cursor-grabbing"
        onKeyDown={(e) => {
          const does = keys[e.key];
          if (!does || e.ctrlKey || e.metaKey) return;
          e.preventDefault();
          e.nativeEvent.stopImmediatePropagation();
          does();
        }}
        color="var(--ink)"
        fill="currentColor"
      >
        <Hatch />
        <g transform={seen.toString()} data-scale={seen.k.toFixed(3)}>
          <g transform={`translate(${margin.x} ${margin.y})`}>
            {painted && <Paint lines={lines} nodes={nodes} painted={painted} />}
            <Halos lines={lines} nodes={nodes} halos={halos} />
            <Conductors lines={lines} followWire={followWire} />
            {nodes.map((n) => (
              <g key={n.node.id} data-part={n.node.id} opacity={n.node.context ? 0.5 : 1}>
                <PartSymbol placed={n} />
                <NodeWords placed={n} />
              </g>
            ))}
            <Pins nodes={nodes} halos={halos} check={check} chosen={chosen} choose={choose} />
            <Flags flagged={flagged} />
          </g>
        </g>
      </svg>
    </>
  );
}
