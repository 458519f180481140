import { type PointerEvent, useEffect, useRef, useState } from "react";
import { Button } from "../../../ui/Button";
import { type Content, type FrameRow, useBits, useVolts, type View } from "./api";
import { band, type Drawn, grid, HEIGHT, inkOf, LEFT, line, place, ruled, upright } from "./draw";
import type { Band } from "./predicted";
import { moved, type Stretch, told, zoomed } from "./stretch";

/** Samples that are shown at least. */
const LEAST = 20;

/** Another capture laid over this one: its voltages, and how far it is off in time. */
export interface Ghost {
  view: View;
  off: number;
}

/** The volts of a line at a time: the middle of its column. */
function voltsAt(view: View, volts: number[], at: number): number | undefined {
  const columns = volts.length / 2;
  const k = Math.floor(((at - view.from_s) / (view.to_s - view.from_s)) * columns);
  const [low, high] = [volts[2 * k], volts[2 * k + 1]];
  return low === undefined || high === undefined ? undefined : (low + high) / 2;
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
  bands,
  ghost,
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
  /** What is predicted, behind the lines. */
  bands: Band[];
  /** Another capture over them. */
  ghost?: Ghost;
}) {
  const box = useRef<HTMLCanvasElement>(null);
  const [width, setWidth] = useState(0);
  const [marks, setMarks] = useState<number[]>([]);
  const [cursor, setCursor] = useState<number>();
  const under = frames.find((f) => cursor !== undefined && f.from_s <= cursor && cursor < f.to_s);
  const bits = useBits(job, number, under?.number).data ?? [];
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
    grid(d);
    for (const b of bands) band(d, b);
    if (ghost) {
      context.globalAlpha = 0.35;
      ghost.view.lines.forEach((v, k) => {
        line(d, ghost.view, v, inkOf(k), ghost.off);
      });
      context.globalAlpha = 1;
    }
    volts.data?.lines.forEach((v, k) => {
      line(d, volts.data, v, inkOf(k));
    });
    ruled(d, frames);
    if (found !== undefined) place(d, found);
    for (const mark of marks) upright(d, mark, "--ink", true);
    if (cursor !== undefined) upright(d, cursor, "--faint", false);
  }, [width, shown, volts.data, frames, marks, found, low, high, room, bands, ghost, cursor]);
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
    if (!h) {
      const at = time(e.clientX);
      setCursor(at >= shown.from && at <= shown.to ? at : undefined);
      return;
    }
    const by = (h.at - e.clientX) / Math.max(1, width - LEFT);
    if (Math.abs(h.at - e.clientX) > 4) h.moved = true;
    if (h.moved) setShown(moved(h.from, whole, by));
  };
  const up = (e: PointerEvent) => {
    const h = held.current;
    held.current = null;
    if (h && !h.moved) setMarks([...marks, time(e.clientX)].slice(-2));
  };
  const bit = bits.findIndex((b) => cursor !== undefined && b.from_s <= cursor && cursor < b.to_s);
  const [own, first_of] = [bits[bit], bits.findIndex((b) => b.field === bits[bit]?.field)];
  const nth = bit - first_of + 1;
  const read = (at: number) =>
    volts.data?.lines.map((v) => `${voltsAt(volts.data, v, at)?.toFixed(2) ?? "–"} V`).join("  ");
  /** The picture with its names, on paper, as a file. */
  const save = () => {
    const canvas = box.current;
    if (!canvas) return;
    const head = 26;
    const dense = canvas.width / Math.max(1, width);
    const sheet = document.createElement("canvas");
    sheet.width = canvas.width;
    sheet.height = canvas.height + head * dense;
    const c = sheet.getContext("2d");
    if (!c) return;
    const style = getComputedStyle(canvas);
    c.fillStyle = style.getPropertyValue("--sheet");
    c.fillRect(0, 0, sheet.width, sheet.height);
    c.drawImage(canvas, 0, head * dense);
    c.scale(dense, dense);
    c.font = "13px 'Sometype Mono Variable', monospace";
    let left = 6;
    content.lines.forEach(({ name }, k) => {
      c.fillStyle = style.getPropertyValue(inkOf(k));
      c.fillText(name, left, 17);
      left += c.measureText(name).width + 24;
    });
    sheet.toBlob((blob) => {
      if (!blob) return;
      const a = document.createElement("a");
      a.href = URL.createObjectURL(blob);
      a.download = `capture-${number}.png`;
      a.click();
      URL.revokeObjectURL(a.href);
    }, "image/png");
  };
  const middle = (shown.from + shown.to) / 2;
  /** The cursor a bit on, or back: to the middle of it. */
  const step = (by: number) => {
    const next = bits[bit + by];
    if (next) return setCursor((next.from_s + next.to_s) / 2);
    const wide = content.bit_rate ? 1 / content.bit_rate : (shown.to - shown.from) / 100;
    setCursor((cursor ?? frames[0]?.from_s ?? middle) + by * wide);
  };
  const keys: Record<string, () => void> = {
    "+": () => setShown(zoomed(shown, whole, least, 0.5, middle)),
    "-": () => setShown(zoomed(shown, whole, least, 2, middle)),
    "0": () => setShown(whole),
    ArrowLeft: () => setShown(moved(shown, whole, -0.2)),
    ArrowRight: () => setShown(moved(shown, whole, 0.2)),
    Escape: () => {
      setMarks([]);
      setCursor(undefined);
    },
    ",": () => step(-1),
    ".": () => step(1),
  };
  const [first, second] = marks;
  const apart = first === undefined || second === undefined ? 0 : Math.abs(second - first);
  const long = content.bit_rate ? `, ${(apart * content.bit_rate).toFixed(1)} bits` : "";
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
          {apart > 0 && `${told(apart)} between the marks${long}`}
        </span>
        <Button aria-label="a shorter stretch" onClick={keys["+"]}>
          +
        </Button>
        <Button aria-label="a longer stretch" onClick={keys["-"]}>
          −
        </Button>
        <Button onClick={keys["0"]}>whole</Button>
        <Button onClick={save}>as picture</Button>
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
        onPointerLeave={() => setCursor(undefined)}
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
      <p className="num min-h-6 text-[13px] text-faint" data-cursor>
        {cursor === undefined
          ? "Point at a bit, or step with , and . from bit to bit; a press sets a mark."
          : [
              told(cursor, shown.to - shown.from),
              read(cursor),
              under && `${under.id} ${own ? `${own.field}, bit ${nth}` : ""}`,
              own && (own.dominant ? "dominant (0)" : "recessive (1)"),
            ]
              .filter(Boolean)
              .join("   ")}
      </p>
      {volts.error && (
        <p role="alert" className="text-oxide">
          {volts.error.message}
        </p>
      )}
    </figure>
  );
}
