import { type PointerEvent, useEffect, useRef, useState } from "react";
import { Button } from "../../../ui/Button";
import { type Content, type FrameRow, useVolts, type View } from "./api";
import { moved, type Stretch, ticks, told, zoomed } from "./stretch";

const HEIGHT = 260;
/** Room for the frames as a ruled line of text, and for the times below. */
const RULED = 26;
const TIMES = 20;
const LEFT = 46;
const INKS = ["--copper", "--verdigris", "--ink", "--ochre"];
const inkOf = (k: number) => INKS[k % INKS.length] ?? "--ink";
/** Samples that are shown at least. */
const LEAST = 20;

interface Drawn {
  context: CanvasRenderingContext2D;
  width: number;
  shown: Stretch;
  range: [number, number];
  colour: (name: string) => string;
}

const x = (d: Drawn, s: number) =>
  LEFT + ((s - d.shown.from) / (d.shown.to - d.shown.from)) * (d.width - LEFT);
const y = (d: Drawn, v: number) => {
  const [low, high] = d.range;
  return 8 + (1 - (v - low) / (high - low)) * (HEIGHT - RULED - TIMES - 16);
};

function grid(d: Drawn, length: number) {
  const { context: c } = d;
  c.fillStyle = d.colour("--faint");
  c.strokeStyle = d.colour("--rule");
  c.lineWidth = 1;
  const [low, high] = d.range;
  for (const v of ticks({ from: low, to: high }, 5)) {
    c.beginPath();
    c.moveTo(LEFT, y(d, v));
    c.lineTo(d.width, y(d, v));
    c.stroke();
    c.fillText(`${Number(v.toFixed(3))} V`, 2, y(d, v) + 4);
  }
  for (const s of ticks(d.shown, Math.floor(d.width / 120))) {
    c.beginPath();
    c.moveTo(x(d, s), HEIGHT - TIMES - 4);
    c.lineTo(x(d, s), HEIGHT - TIMES);
    c.stroke();
    c.fillText(told(s, length), x(d, s) + 3, HEIGHT - 6);
  }
}

/** A line as it is drawn: from its least to its largest value in every column. */
function line(d: Drawn, view: View, volts: number[], ink: string) {
  const { context: c } = d;
  const columns = volts.length / 2;
  if (columns === 0) return;
  const wide = view.to_s - view.from_s;
  const at = (k: number) => x(d, view.from_s + ((k + 0.5) / columns) * wide);
  c.strokeStyle = d.colour(ink);
  c.lineWidth = 1.25;
  c.beginPath();
  for (let k = 0; k < columns; k++) {
    c.lineTo(at(k), y(d, volts[2 * k] ?? 0));
    c.lineTo(at(k), y(d, volts[2 * k + 1] ?? 0));
  }
  c.stroke();
}

function ruled(d: Drawn, frames: FrameRow[]) {
  const { context: c } = d;
  const top = HEIGHT - TIMES - RULED + 2;
  for (const f of frames) {
    const from = Math.max(LEFT, x(d, f.from_s));
    const wide = Math.max(2, x(d, f.to_s) - from);
    c.fillStyle = d.colour(f.error ? "--oxide" : "--rule");
    c.fillRect(from, top, wide, 2);
    const text = `${f.id || "?"} ${f.data}`;
    c.fillStyle = d.colour(f.error ? "--oxide" : "--ink");
    for (const words of [text, f.id || "?"]) {
      if (c.measureText(words).width < wide - 2) {
        c.fillText(words, from + 1, top + 16);
        break;
      }
    }
  }
}

/** The lines of a capture over time: wheel, drag and keys move it, a press sets a mark. */
export function Trace({
  job,
  number,
  content,
  whole,
  shown,
  setShown,
  found,
  frames,
}: {
  job: number;
  number: number;
  content: Content;
  whole: Stretch;
  shown: Stretch;
  setShown: (s: Stretch) => void;
  /** Where something was found that one went to, seconds. */
  found?: number;
  frames: FrameRow[];
}) {
  const box = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const [marks, setMarks] = useState<number[]>([]);
  const held = useRef<{ at: number; from: Stretch; moved: boolean } | null>(null);
  const volts = useVolts(job, number, shown, Math.max(0, Math.floor(width - LEFT)));
  const least = LEAST * content.step_s;
  const low = Math.min(...content.lines.map((l) => l.low));
  const high = Math.max(...content.lines.map((l) => l.high));
  const room = Math.max(0.1, 0.06 * (high - low));
  useEffect(() => {
    const canvas = box.current;
    if (!canvas) return;
    const watch = new ResizeObserver(() => setWidth(canvas.clientWidth));
    watch.observe(canvas);
    return () => watch.disconnect();
  }, []);
  useEffect(() => {
    const canvas = box.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context || width === 0) return;
    const dense = window.devicePixelRatio || 1;
    canvas.width = width * dense;
    canvas.height = HEIGHT * dense;
    context.scale(dense, dense);
    context.font = "12px 'Sometype Mono Variable', monospace";
    context.lineJoin = "round";
    const style = getComputedStyle(canvas);
    const d: Drawn = {
      context,
      width,
      shown,
      range: [low - room, high + room],
      colour: (name) => style.getPropertyValue(name),
    };
    grid(d, shown.to - shown.from);
    volts.data?.lines.forEach((v, k) => {
      line(d, volts.data, v, inkOf(k));
    });
    ruled(d, frames);
    if (found !== undefined) {
      context.fillStyle = d.colour("--oxide");
      context.beginPath();
      context.moveTo(x(d, found) - 6, 0);
      context.lineTo(x(d, found) + 6, 0);
      context.lineTo(x(d, found), 9);
      context.fill();
    }
    context.strokeStyle = d.colour("--ink");
    context.setLineDash([4, 3]);
    for (const mark of marks) {
      context.beginPath();
      context.moveTo(x(d, mark), 0);
      context.lineTo(x(d, mark), HEIGHT - TIMES);
      context.stroke();
    }
  }, [width, shown, volts.data, frames, marks, found, low, high, room]);
  const time = (clientX: number) => {
    const left = box.current?.getBoundingClientRect().left ?? 0;
    const share = (clientX - left - LEFT) / Math.max(1, width - LEFT);
    return shown.from + share * (shown.to - shown.from);
  };
  // The page scrolls with the wheel where React listens; here it makes the stretch longer or shorter.
  useEffect(() => {
    const canvas = box.current;
    if (!canvas) return;
    const wheel = (e: WheelEvent) => {
      e.preventDefault();
      setShown(zoomed(shown, whole, least, 1.0015 ** e.deltaY, time(e.clientX)));
    };
    canvas.addEventListener("wheel", wheel, { passive: false });
    return () => canvas.removeEventListener("wheel", wheel);
  });
  const down = (e: PointerEvent) => {
    box.current?.setPointerCapture(e.pointerId);
    held.current = { at: e.clientX, from: shown, moved: false };
  };
  const move = (e: PointerEvent) => {
    const h = held.current;
    if (!h) return;
    const by = (h.at - e.clientX) / Math.max(1, width - LEFT);
    if (Math.abs(h.at - e.clientX) > 4) h.moved = true;
    if (h.moved) setShown(moved(h.from, whole, by));
  };
  const up = (e: PointerEvent) => {
    const h = held.current;
    held.current = null;
    if (h && !h.moved) setMarks([...marks, time(e.clientX)].slice(-2));
  };
  const middle = (shown.from + shown.to) / 2;
  const keys: Record<string, () => void> = {
    "+": () => setShown(zoomed(shown, whole, least, 0.5, middle)),
    "-": () => setShown(zoomed(shown, whole, least, 2, middle)),
    "0": () => setShown(whole),
    ArrowLeft: () => setShown(moved(shown, whole, -0.2)),
    ArrowRight: () => setShown(moved(shown, whole, 0.2)),
    Escape: () => setMarks([]),
  };
  const [first, second] = marks;
  const apart = first === undefined || second === undefined ? 0 : Math.abs(second - first);
  const bits = content.bit_rate ? `, ${(apart * content.bit_rate).toFixed(1)} bits` : "";
  return (
    <figure className="mt-2">
      <figcaption className="flex flex-wrap items-center gap-x-5 text-[14px]">
        {content.lines.map(({ name, role }, k) => (
          <span key={name} className="flex items-center gap-2">
            <svg width="18" height="4" aria-hidden="true">
              <path d="M0 2h18" stroke={`var(${inkOf(k)})`} strokeWidth="2.5" />
            </svg>
            {name}
            {role && <span className="text-faint">{role}</span>}
          </span>
        ))}
        <span className="grow" />
        <span className="num" role="status">
          {first !== undefined &&
            second === undefined &&
            `mark at ${told(first, shown.to - shown.from)}`}
          {apart > 0 && `${told(apart)} between the marks${bits}`}
        </span>
        <Button aria-label="a shorter stretch" onClick={keys["+"]}>
          +
        </Button>
        <Button aria-label="a longer stretch" onClick={keys["-"]}>
          −
        </Button>
        <Button onClick={keys["0"]}>whole</Button>
      </figcaption>
      <canvas
        ref={box}
        role="img"
        aria-label={`${content.lines.map((l) => l.name).join(" and ")} from ${told(shown.from)} to ${told(shown.to)}`}
        tabIndex={0}
        className="mt-1 w-full touch-none border border-rule bg-sheet"
        style={{ height: HEIGHT }}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={() => {
          held.current = null;
        }}
        onKeyDown={(e) => {
          const act = keys[e.key];
          if (!act || e.ctrlKey || e.metaKey) return;
          e.preventDefault();
          // Digits are stages elsewhere.
          e.nativeEvent.stopImmediatePropagation();
          act();
        }}
      />
      {volts.error && (
        <p role="alert" className="text-oxide">
          {volts.error.message}
        </p>
      )}
    </figure>
  );
}
